"""The tools of Separation: the ends pressed in the picture, a stretch of its own, the key of the backdrop's hue."""

from PySide6.QtCore import QObject, QPointF, Qt, Signal
from PySide6.QtGui import QPainter, QPen

from peel.desk.theme import current
from peel.desk.tools.pick import PickTool
from peel.desk.tools.tool import Press, Tool
from peel.job.settings import Point
from peel.matte.marking.strokes import simplify_run

__all__ = ["EndsTool", "KeyTool", "StretchTool"]


class _News(QObject):
    pressed = Signal(float, float, bool)
    drawn = Signal(object, bool)


class EndsTool(Tool):
    """Sets the ends of a tone by pressing what is surely subject or surely backdrop.

    Signals
    -------
    pressed : (float, float, bool)
        Across and down in photo pixels, and whether it is surely subject there.
    """

    name = "Ends"
    key_name = "G"

    def __init__(self) -> None:
        super().__init__()
        self._news = _News()
        self.pressed = self._news.pressed

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Press what is surely backdrop, just outside the edge: that tone and beyond becomes clear"
        return "Press what is surely subject, just inside the edge: from that tone on it is solid · right: backdrop"

    def press(self, press: Press) -> None:
        """Take the tone under the cursor, if it is one of the photo."""
        job, (across, down) = self.job, press.xy
        if job is not None and 0 <= across < job.photo.width and 0 <= down < job.photo.height:
            self.pressed.emit(across, down, not press.reverse)


class StretchTool(Tool):
    """Draws a stretch of edge that gets a separation of its own.

    Signals
    -------
    drawn : (tuple of points, bool)
        The outline in photo pixels, and whether the stretch is given back.
    """

    name = "Stretch"
    key_name = "Y"

    def __init__(self) -> None:
        super().__init__()
        self._news = _News()
        self.drawn = self._news.drawn
        self._points: list[Point] = []
        self._reverse = False

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Drag around stretches to give them back: they are cut like the rest again"
        return "Drag around a stretch of edge: it gets a separation of its own · the right button gives it back"

    def press(self, press: Press) -> None:
        """Begin the outline."""
        self._points, self._reverse = [press.xy], press.reverse

    def move(self, press: Press) -> None:
        """Draw on."""
        if self._points:
            self._points.append(press.xy)
            self.redraw()

    def release(self, press: Press) -> None:
        """Finish the outline; a mere click makes none."""
        del press
        scale = self.host.frame.scale if self.host is not None else 1.0
        points = simplify_run(self._points, 0.7 / scale)
        self._points = []
        self.redraw()
        if len(points) > 2:
            self.drawn.emit(tuple(points), self._reverse)

    def put_down(self) -> None:
        """Forget what is under way."""
        self._points = []

    def paint(self, painter: QPainter) -> None:
        """Paint the outline so far."""
        if self.host is None or len(self._points) < 2:
            return
        to_widget = self.host.frame.to_widget
        line = [to_widget(QPointF(*point)) for point in self._points]
        for width, role in ((3.0, "surface"), (1.4, "accent")):
            painter.setPen(QPen(current().colour(role), width, Qt.PenStyle.SolidLine))
            painter.drawPolyline(line)


class KeyTool(PickTool):
    """Keys the hue of the backdrop that is pressed."""

    name = "Key"
    key_name = "K"

    def __init__(self) -> None:
        super().__init__(
            "Press on a backdrop of one colour: its hue is taken out, however the light lies on it. "
            "Where nothing is marked, that gives subject, band and matte"
        )
