"""Sweep: brush across the subject, and Peel finds its boundary."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from peel.desk.display.overlay import overlay_image
from peel.desk.tools.brush import paint_ring
from peel.desk.tools.finding_tool import FindingTool
from peel.desk.tools.tool import Press
from peel.job.job import Job
from peel.work.finding import Finder

__all__ = ["SweepTool"]


class SweepTool(FindingTool):
    """Grows the subject (or the backdrop) from a stroke to the boundary the photo shows."""

    name = "Sweep"
    key_name = "S"
    sized = True
    cursor = Qt.CursorShape.BlankCursor

    def __init__(self) -> None:
        super().__init__()
        self._points: tuple[tuple[float, float], ...] = ()
        self._at: QPointF | None = None
        self._reverse = False

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Sweep takes away from the subject what the stroke runs across, up to its boundary."
        return "Sweep across the subject: it grows to its boundary as you go · the right button takes away"

    def press(self, press: Press) -> None:
        """Begin a stroke."""
        if self.finder is None:
            return
        self._reverse, self._points, self._at = press.reverse, (press.xy,), press.widget_point
        self._begin()
        self._show()

    def move(self, press: Press) -> None:
        """Sweep on, or only follow the cursor."""
        self._at = press.widget_point
        if self._points:
            self._points = (*self._points, press.xy)
            self._show()
        else:
            self._reverse = press.reverse
        self.redraw()

    @property
    def _radius_px(self) -> float:
        return (self.host.brush_px if self.host is not None else 2.0) / 2

    def _show(self) -> None:
        finder, job, points = self.finder, self.job, self._points
        radius, subject = self._radius_px, not self._reverse
        if finder is not None and job is not None:
            colour = self._hue(taken=self._reverse)
            self._look(lambda: _shown(finder, job, points, radius, subject, colour))

    def release(self, press: Press) -> None:
        """Mark what the stroke grew to."""
        del press
        finder, points, subject = self.finder, self._points, not self._reverse
        if not points or finder is None:
            return
        radius = self._radius_px
        self._points = ()
        label = "Sweep the subject" if subject else "Sweep the backdrop"
        self._end(label, lambda job: finder.mark_swept(job, points, radius, subject=subject))

    def leave(self) -> None:
        """Hide the ring."""
        self._at = None
        self.redraw()

    def put_down(self) -> None:
        """Forget a stroke under way."""
        self._points = ()
        super().put_down()

    def paint(self, painter: QPainter) -> None:
        """Paint what the stroke grew to, the stroke, and the ring."""
        self._paint_found(painter)
        if self.host is None:
            return
        radius = max(self.host.brush_px / 2 * self.host.frame.scale, 1.0)
        if self._points:
            pen = QPen(QColor(255, 255, 255, 70), 2 * radius)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            line = [self.host.frame.to_widget(QPointF(*point)) for point in self._points]
            painter.drawPolyline([*line, line[-1] + QPointF(0.01, 0)])
        if self._at is not None:
            paint_ring(painter, self._at, radius)
            painter.setPen(QPen(self._hue(taken=self._reverse), 2.2))
            painter.drawEllipse(self._at, max(radius - 3, 1.0), max(radius - 3, 1.0))


def _shown(
    finder: Finder, job: Job, points: tuple[tuple[float, float], ...], radius: float, subject: bool, colour: QColor
) -> tuple[QImage, str]:
    region = finder.swept_shown(job, points, radius, subject=subject)
    return overlay_image((region, colour)), ""
