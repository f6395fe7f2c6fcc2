"""Gradient: drag on the picture from where a backing's gradient begins to where it ends."""

from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QPainter, QPen

from peel.desk.tools.tool import Press, Tool
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.settings import Point

__all__ = ["GradientTool"]

_GRIP_PX = 12.0


class GradientTool(Tool):
    """Lays the gradient by its two ends, or moves one of them."""

    name = "Gradient"
    key_name = "F8"
    reverses = False

    def __init__(self) -> None:
        super().__init__()
        self._ends: list[Point] | None = None  # while dragged, in photo pixels
        self._held = 1

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Drag from where the gradient begins to where it ends; or move one of its ends"

    def _laid(self) -> list[Point] | None:
        """Return the ends of the gradient as it is, in photo pixels."""
        job = self.job
        if job is None or job.settings.recipe.backing.kind != "gradient":
            return None
        sheet, own = sheet_of(job), job.settings.recipe.backing.gradient
        size = (sheet.space.width, sheet.space.height)
        return [sheet.to_photo(end[0] * size[0], end[1] * size[1]) for end in (own.start, own.end)]

    def press(self, press: Press) -> None:
        """Take hold of a nearby end, or begin a new gradient."""
        laid, scale = self._laid(), self.host.frame.scale if self.host is not None else 1.0
        near = [] if laid is None else [
            (abs(end[0] - press.xy[0]) + abs(end[1] - press.xy[1]), number) for number, end in enumerate(laid)
        ]  # fmt: skip
        if laid is not None and min(near)[0] * scale <= _GRIP_PX:
            self._ends, self._held = laid, min(near)[1]
        else:
            self._ends, self._held = [press.xy, press.xy], 1

    def move(self, press: Press) -> None:
        """Drag; the picture follows."""
        if self._ends is not None:
            self._ends[self._held] = press.xy
            self._lay(ends=False)
            self.redraw()

    def release(self, press: Press) -> None:
        """Let go; a mere click lays nothing."""
        if self._ends is None:
            return
        self._ends[self._held] = press.xy
        apart = abs(self._ends[0][0] - self._ends[1][0]) + abs(self._ends[0][1] - self._ends[1][1])
        if apart > 1:
            self._lay(ends=True)
        self._ends = None
        self.redraw()

    def _lay(self, *, ends: bool) -> None:
        laid = tuple(self._ends or ())
        if self.host is None or self.host.session is None:
            return

        def edit(job: Job) -> Job:
            sheet = sheet_of(job)
            shares = [_share(sheet.from_photo(*end), sheet.space.width, sheet.space.height) for end in laid]
            backing = job.settings.recipe.backing
            own = backing.gradient.model_copy(update={"start": shares[0], "end": shares[1]})
            return set_value(job, "recipe.backing", backing.model_copy(update={"kind": "gradient", "gradient": own}))

        self.host.session.apply("Gradient", edit, gesture="gradient ends", ends=ends)

    def put_down(self) -> None:
        """Forget a drag."""
        self._ends = None

    def paint(self, painter: QPainter) -> None:
        """Paint the line and its two ends."""
        ends = self._ends or self._laid()
        if ends is None or self.host is None:
            return
        places = [self.host.frame.to_widget(QPointF(*end)) for end in ends]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((QColor(0, 0, 0, 150), 3.5), (QColor(255, 255, 255), 1.5)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(*places)
            painter.drawEllipse(places[0], 7, 7)
            painter.drawRect(int(places[1].x()) - 6, int(places[1].y()) - 6, 12, 12)


def _share(point: Point, width: int, height: int) -> Point:
    """Return a point of the sheet in shares of its size, within what a recipe may hold."""
    across, down = point[0] / max(width, 1), point[1] / max(height, 1)
    return min(max(across, -4.0), 5.0), min(max(down, -4.0), 5.0)
