"""Sweep: brush across the subject, and Peel finds its boundary."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from peel.desk.display.overlay import overlay_image
from peel.desk.mark.finding_tool import FindingTool
from peel.desk.tools.brush import paint_ring
from peel.desk.tools.tool import Choice, Press
from peel.job.job import Job
from peel.work.marking.finding import Finder

__all__ = ["SweepTool"]

_WIDTHS = (2.0, 1.0, 4.0, None)  # of the brush


class SweepTool(FindingTool):
    """Grows the subject (or the backdrop) from a stroke to the boundary the photo shows."""

    name = "Sweep"
    key_name = "S"
    sized = True
    cursor = Qt.CursorShape.BlankCursor

    def __init__(self) -> None:
        super().__init__()
        self.reach = Choice(
            "reach",
            ("2 widths", "1 width", "4 widths", "No limit"),
            "How far from the stroke anything may change, in brush widths; drawn while the hand moves",
            "V",
        )
        self.choices = [self.reach]
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

    @property
    def reach_px(self) -> float | None:
        """How far from the stroke anything may change, in photo pixels; None without a limit."""
        widths = _WIDTHS[self.reach.chosen]
        return None if widths is None else widths * 2 * self._radius_px

    def _show(self) -> None:
        finder, job, points = self.finder, self.job, self._points
        radius, subject, reach = self._radius_px, not self._reverse, self.reach_px
        if finder is not None and job is not None:
            colour = self._hue(taken=self._reverse)
            self._look(lambda: _shown(finder, job, points, radius, reach, subject, colour))

    def release(self, press: Press) -> None:
        """Mark what the stroke grew to."""
        del press
        finder, points, subject = self.finder, self._points, not self._reverse
        if not points or finder is None:
            return
        radius, reach = self._radius_px, self.reach_px
        self._points = ()
        label = "Sweep the subject" if subject else "Sweep the backdrop"
        if self.host is not None and reach is not None:
            self.host.announce_stroke(points, radius + reach)
        self._end(label, lambda job: finder.mark_swept(job, points, radius, subject=subject, reach_px=reach))

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
            self._paint_reach(painter, radius)

    def _paint_reach(self, painter: QPainter, radius: float) -> None:
        """Draw how far the stroke under way may change anything."""
        reach = self.reach_px
        if reach is None or not self._points or self._at is None or self.host is None:
            return
        around = radius + reach * self.host.frame.scale
        for colour, width in ((QColor(0, 0, 0, 150), 2.6), (QColor(255, 255, 255), 1.2)):
            painter.setPen(QPen(colour, width, Qt.PenStyle.DashLine))
            painter.drawEllipse(self._at, around, around)


def _shown(
    finder: Finder,
    job: Job,
    points: tuple[tuple[float, float], ...],
    radius: float,
    reach: float | None,
    subject: bool,
    colour: QColor,
) -> tuple[QImage, str]:
    region = finder.swept_shown(job, points, radius, subject=subject, reach_px=reach)
    return overlay_image((region, colour)), ""
