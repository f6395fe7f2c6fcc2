"""Area: draw around the part of the photo that a change to the whole marking is to be kept to."""

from PySide6.QtCore import QObject, Signal

from peel.desk.tools.tool import Press, Tool
from peel.job.settings import Point
from peel.matte.marking.strokes import simplify_run

__all__ = ["AreaTool"]


class _News(QObject):
    drawn = Signal(object)


class AreaTool(Tool):
    """Draws an area and is done with it; the area itself is shown by the canvas."""

    name = "Area"
    reverses = False

    def __init__(self, what: str = "growing, shrinking, smoothing, filling and dropping") -> None:
        super().__init__()
        self._what = what
        self._news = _News()
        self.drawn = self._news.drawn
        self._points: list[Point] = []

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return f"Drag around the area to which {self._what} are to be kept"

    def press(self, press: Press) -> None:
        """Begin the area."""
        self._points = [press.xy]

    def move(self, press: Press) -> None:
        """Draw on."""
        if self._points and self.host is not None:
            self._points.append(press.xy)
            self.host.show_area(tuple(self._points))

    def release(self, press: Press) -> None:
        """Finish the area; a mere click makes none."""
        del press
        scale = self.host.frame.scale if self.host is not None else 1.0
        points = simplify_run(self._points, 0.7 / scale)
        self._points = []
        self.drawn.emit(tuple(points) if len(points) > 2 else ())
