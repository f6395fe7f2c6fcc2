"""The touch-up brushes: put on over whatever was solved, kept apart from it, and taken back when wanted."""

from collections.abc import Callable
from typing import ClassVar

from PySide6.QtGui import QColor

from peel.desk.tools.soft_brush import SoftBrush
from peel.desk.tools.tool import Choice, Press, Tool
from peel.job.edits.marking import Stroke
from peel.job.edits.touching import TOUCH_PLANES, Touch, nudge, release, touch
from peel.job.job import Job
from peel.work.solving.repairing import fill_enclosed

__all__ = ["TOUCH_TOOLS", "FirmBrush", "NudgeBrush", "ReleaseBrush", "SoftenBrush", "SolidBrush"]

_INK = QColor(200, 60, 160, 100)
_OTHER = QColor(40, 60, 90, 120)


class _TouchBrush(SoftBrush):
    """A brush of touch-ups."""

    def _ink(self, reverse: bool) -> QColor:
        return _OTHER if reverse else _INK


class _PairBrush(_TouchBrush):
    """A brush with a touch-up for either button."""

    ways: ClassVar[tuple[Touch, Touch]]
    key_hints = (("Ctrl, with Solid or Firm", "all of the enclosed area"),)

    def press(self, press: Press) -> None:
        """Begin a stroke; with Ctrl, take all of the enclosed area."""
        if not press.alternate or self.host is None or self.host.session is None:
            super().press(press)
            return
        sort, at, stages = self.ways[int(press.reverse)], press.xy, self.host.session.stages
        strength = self.host.brush_shape.strength
        label = f"{sort.name.capitalize()} an enclosed area"
        self.apply(label, lambda job: fill_enclosed(stages, job, at, sort, strength))

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        sort, soft = self.ways[int(reverse)], self.soft(stroke)
        return sort.name.capitalize(), lambda job: touch(job, soft, sort)


class SolidBrush(_PairBrush):
    """Forces the matte to solid, or to clear."""

    name = "Solid"
    key_name = "L"
    ways = (Touch.SOLID, Touch.CLEAR)

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Clears the matte, whatever is there; the photo and what was solved stay as they are"
        return "Makes the matte solid, whatever is there · the right button clears it · Ctrl takes all that is enclosed"


class FirmBrush(_PairBrush):
    """Firms what is mostly there, or thins what is mostly gone."""

    name = "Firm"
    key_name = "M"
    ways = (Touch.FIRM, Touch.THIN)

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Thins haze between strands; the strands stay"
        return "Firms what is mostly solid; thin gaps stay open · the right button thins haze, strands stay"


class NudgeBrush(_TouchBrush):
    """Pushes the edge along the stroke."""

    name = "Nudge"
    key_name = "J"
    reverses = False

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Drag to push the edge along: it slides under the brush, by up to 15 px"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        del reverse
        soft = self.soft(stroke)
        return "Nudge", lambda job: nudge(job, soft)


class SoftenBrush(_TouchBrush):
    """Softens the edge, or takes the softening back."""

    name = "Soften"
    key_name = ","

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Takes softening back"
        return "Softens the edge it touches · the right button takes softening back"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft = self.soft(stroke)
        if reverse:
            return "Release softening", lambda job: release(job, soft, "soften")
        return "Soften", lambda job: touch(job, soft, Touch.SOFTEN)


class ReleaseBrush(_TouchBrush):
    """Takes touch-ups back."""

    name = "Release"
    key_name = "Z"
    reverses = False

    def __init__(self) -> None:
        super().__init__()
        labels = ("All", *(sort.capitalize() for sort in TOUCH_PLANES))
        self.sort = Choice("sort", labels, "Which touch-ups are taken back", "T")
        self.choices = [self.sort]

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Takes touch-ups back where it goes: the matte is as it was solved there"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        del reverse
        sorts = (None, *TOUCH_PLANES)
        sort, soft = sorts[self.sort.chosen], self.soft(stroke)
        return "Release", lambda job: release(job, soft, sort)


TOUCH_TOOLS: tuple[type[Tool], ...] = (SolidBrush, FirmBrush, NudgeBrush, SoftenBrush, ReleaseBrush)
"""In the order in which the shelf shows them."""
