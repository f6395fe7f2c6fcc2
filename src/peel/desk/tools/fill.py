"""Fill: press in an enclosed area to take all of it for a zone."""

from peel.desk.tools.tool import Choice, Press, Tool
from peel.job.edits.marking import Zone, fill_area

__all__ = ["FillTool", "chosen_zone", "zone_choice"]

_ZONES = (Zone.SUBJECT, Zone.UNSURE, Zone.BACKDROP)


def zone_choice() -> Choice:
    """Make a choice of zones."""
    return Choice("zone", ("Subject", "Unsure", "Backdrop"), "What becomes of the pixels touched", "T")


def chosen_zone(choice: Choice, *, reverse: bool) -> Zone:
    """Return the chosen zone, or the opposite one."""
    zone = _ZONES[choice.chosen]
    return {Zone.SUBJECT: Zone.BACKDROP, Zone.BACKDROP: Zone.SUBJECT}.get(zone, Zone.SUBJECT) if reverse else zone


class FillTool(Tool):
    """Fills an area with a zone."""

    name = "Fill"
    key_name = "I"

    def __init__(self) -> None:
        super().__init__()
        self.zone = zone_choice()
        self.choices = [self.zone]

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        return f"Press in an enclosed area: all of it becomes {chosen_zone(self.zone, reverse=reverse).name.lower()}"

    def press(self, press: Press) -> None:
        """Fill the area under the cursor."""
        zone, at = chosen_zone(self.zone, reverse=press.reverse), press.xy
        self.apply(f"Fill with {zone.name.lower()}", lambda job: fill_area(job, at, zone))
