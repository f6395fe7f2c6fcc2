"""The touch-up brushes: put on over whatever was solved, kept apart from it, and taken back when wanted."""

from collections.abc import Callable
from typing import ClassVar

from PySide6.QtGui import QColor

from peel.desk.tools.soft_brush import SoftBrush
from peel.desk.tools.tool import Choice, Press, Tool
from peel.errors import MarkError
from peel.job.edits.marking import Stroke
from peel.job.edits.touching import TOUCH_PLANES, Touch, nudge, release, touch
from peel.job.job import Job
from peel.work.solving.repairing import fill_enclosed
from peel.work.solving.versions import Version, borrow_from

__all__ = ["TOUCH_TOOLS", "BorrowBrush", "FirmBrush", "NudgeBrush", "ReleaseBrush", "SoftenBrush", "SolidBrush"]

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
    """Firms what is partly there, or thins haze."""

    name = "Firm"
    key_name = "M"
    ways = (Touch.FIRM, Touch.THIN)

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Thins haze between strands; the strands stay"
        return "Lifts what is partly solid, more with each pass; clear stays clear · the right button thins haze"


class NudgeBrush(_TouchBrush):
    """Pushes the edge along the stroke."""

    name = "Nudge"
    key_name = "J"
    reverses = False
    own_strength = 0.15

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Drag to push the edge along: it slides under the brush, by up to 15 px"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        del reverse
        soft = self.soft(stroke)
        return "Nudge", lambda job: nudge(job, soft)


class BorrowBrush(_TouchBrush):
    """Brushes another version of the matte in.

    Attributes
    ----------
    source : Version or None
        Which one.
    """

    name = "Borrow"
    key_name = "Shift+V"

    def __init__(self) -> None:
        super().__init__()
        self.source: Version | None = None

    def again(self) -> None:
        """Ask for another version."""
        if self.host is not None:
            self.host.ask_versions()

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if self.source is None:
            return "Choose a version first: press Borrow once more"
        if reverse:
            return "Gives back what was borrowed"
        return f"Brushes in the matte of: {self.source.name} · the right button gives it back · Shift+V for another"

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        soft, source = self.soft(stroke), self.source
        if reverse:
            return "Give back what was borrowed", lambda job: release(job, soft, "other version")
        stages = self.host.session.stages if self.host is not None and self.host.session is not None else None
        if source is None or stages is None:
            return "Borrow", _without_source
        return f"Borrow: {source.name}", lambda job: borrow_from(stages, job, source, soft)


def _without_source(_job: Job) -> Job:
    raise MarkError("No version is chosen to brush from.", "Press Borrow once more, and choose one.")


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


TOUCH_TOOLS: tuple[type[Tool], ...] = (SolidBrush, FirmBrush, NudgeBrush, SoftenBrush, BorrowBrush, ReleaseBrush)
"""In the order in which the shelf shows them."""
