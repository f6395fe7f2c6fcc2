"""Contour: clicks for straight runs, drags for freehand, in one line; its points can be moved."""

from typing import Final

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPen, QPolygonF

from peel.desk.tools.tool import Press, Tool
from peel.job import edits
from peel.job.settings import Contour
from peel.matte.strokes import simplify_run

__all__ = ["ContourTool"]

_GRAB_PX: Final = 9.0
_DRAG_PX: Final = 5.0
_MANY: Final = 220  # handles of longer contours show only near the cursor


class ContourTool(Tool):
    """Draws an outline around the subject, or around a hole in it."""

    name = "Contour"
    key_name = "C"

    def __init__(self) -> None:
        super().__init__()
        self._down: Press | None = None
        self._run: list[tuple[float, float]] = []
        self._held: tuple[int, int] | None = None
        self._held_at: tuple[float, float] | None = None
        self._at: Press | None = None

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if self._open() is not None:
            return "Click or drag on · Backspace takes back · Enter or a click on the first point closes"
        if reverse:
            return "Contour begins a hole in the subject."
        return (
            "Contour goes around the subject: click straight, drag freehand · with Alt a hole · drag a point to move it"
        )

    def _contours(self) -> tuple[Contour, ...]:
        job = self.canvas.job if self.canvas is not None else None
        return job.settings.contours if job is not None else ()

    def _open(self) -> Contour | None:
        job = self.canvas.job if self.canvas is not None else None
        return edits.open_contour(job) if job is not None else None

    def _widget(self, point: tuple[float, float]) -> QPointF:
        assert self.canvas is not None
        return self.canvas.frame.to_widget(QPointF(*point))

    def _point_near(self, at: QPointF) -> tuple[int, int] | None:
        """Give contour and point number of the nearest point within reach."""
        best, found = _GRAB_PX, None
        for number, contour in enumerate(self._contours()):
            for index, point in enumerate(contour.points):
                away = (self._widget(point) - at).manhattanLength()
                if away < best:
                    best, found = away, (number, index)
        return found

    def press(self, press: Press) -> None:
        """Take hold of a point, close at the first one, or begin a run."""
        near = self._point_near(press.widget_point)
        if near is not None and not (self._open() is not None and press.straight):
            self._held, self._held_at = near, press.xy
        else:
            self._down, self._run = press, [press.xy]
        self._redraw()

    def move(self, press: Press) -> None:
        """Draw freehand, move a point, or show where the next run would go."""
        self._at = press
        if self._held is not None:
            self._held_at = press.xy
        elif self._down is not None and not press.straight:
            self._run.append(press.xy)
        self._redraw()

    def release(self, press: Press) -> None:
        """Set the point or the run."""
        if self._held is not None:
            (contour, point), to = self._held, press.xy
            before = self._contours()[contour].points[point]
            if (self._widget(before) - self._widget(to)).manhattanLength() > 2:
                self._apply("Move a point", lambda job: edits.move_point(job, contour, point, to))
            elif self._open() is not None and (contour, point) == (len(self._contours()) - 1, 0):
                self._apply("Close the contour", edits.close_contour)
        elif self._down is not None:
            self._set_run(press)
        self._down, self._run, self._held, self._held_at = None, [], None, None
        self._redraw()

    def _set_run(self, press: Press) -> None:
        assert self._down is not None
        hole, canvas = self._down.reverse, self.canvas
        far = (press.widget_point - self._down.widget_point).manhattanLength() > _DRAG_PX or len(self._run) > 12
        inserted = None if far or self._open() is not None else self._segment_near(press.widget_point)
        if inserted is not None:
            contour, before = inserted
            self._apply("Insert a point", lambda job: edits.insert_point(job, contour, before, press.xy))
            return
        scale = canvas.frame.scale if canvas is not None else 1.0
        if far:
            points = simplify_run(self._run, 0.6 / scale)
            self._apply("Draw freehand", lambda job: edits.add_points(job, points, hole=hole))
        else:
            # Whether this closes the contour is settled when the points before it have arrived.
            reach = _GRAB_PX / scale
            self._apply("Set a point", lambda job: edits.add_or_close(job, press.xy, reach, hole=hole))

    def _segment_near(self, at: QPointF) -> tuple[int, int] | None:
        """Give the closed contour and the place in it whose straight run lies under a widget point."""
        for number, contour in enumerate(self._contours()):
            points = [self._widget(point) for point in contour.points] if contour.closed else []
            for index, end in enumerate(points):
                if _distance(at, points[index - 1], end) < _DRAG_PX:
                    return number, index
        return None

    def key(self, event: QKeyEvent) -> bool:
        """Enter closes, Backspace takes back, Delete removes the contour whose point is under the cursor."""
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._apply("Close the contour", edits.close_contour)
        elif event.key() == Qt.Key.Key_Backspace:
            self._apply("Take back a point", edits.take_back_point)
        elif event.key() == Qt.Key.Key_Delete and self._at is not None:
            near = self._point_near(self._at.widget_point)
            if near is None:
                return False
            self._apply("Remove a contour", lambda job: edits.remove_contour(job, near[0]))
        else:
            return False
        return True

    def leave(self) -> None:
        """Hide the line to the cursor."""
        self._at = None
        self._redraw()

    def put_down(self) -> None:
        """Forget a run that was not finished."""
        self._down, self._run, self._held = None, [], None

    def _apply(self, label: str, edit: object) -> None:
        if self.canvas is not None and self.canvas.bridge is not None:
            self.canvas.bridge.session.apply(label, edit)  # type: ignore[arg-type]

    def _redraw(self) -> None:
        if self.canvas is not None:
            self.canvas.update()

    def paint(self, painter: QPainter) -> None:
        """Paint every contour, the run under way, and the points."""
        for number, contour in enumerate(self._contours()):
            points = [self._widget(self._shown(number, index, point)) for index, point in enumerate(contour.points)]
            self._paint_line(painter, points, contour.closed, contour.hole)
            self._paint_points(painter, points, contour.closed)
        drawing = self._open()
        if self._run:
            self._paint_line(painter, [self._widget(point) for point in self._run], False, False)
        elif drawing is not None and drawing.points and self._at is not None and self._held is None:
            pen = QPen(QColor(255, 255, 255, 200), 1.2, Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.drawLine(self._widget(drawing.points[-1]), self._at.widget_point)

    def _shown(self, contour: int, index: int, point: tuple[float, float]) -> tuple[float, float]:
        if self._held == (contour, index) and self._held_at is not None:
            return self._held_at
        return point

    def _paint_line(self, painter: QPainter, points: list[QPointF], closed: bool, hole: bool) -> None:
        path = QPainterPath()
        path.addPolygon(QPolygonF([*points, points[0]] if closed else points))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(0, 0, 0, 150), 3.2))
        painter.drawPath(path)
        pen = QPen(QColor(255, 255, 255), 1.4)
        if hole:
            pen.setDashPattern([5, 4])
        painter.setPen(pen)
        painter.drawPath(path)

    def _paint_points(self, painter: QPainter, points: list[QPointF], closed: bool) -> None:
        cursor = self._at.widget_point if self._at is not None else None
        for index, point in enumerate(points):
            first = index == 0 and not closed
            if len(points) > _MANY and not first and (cursor is None or (cursor - point).manhattanLength() > 60):
                continue
            size = 5.0 if first else 3.2
            painter.setPen(QPen(QColor(0, 0, 0, 190), 1.2))
            painter.setBrush(QColor(236, 130, 60) if first else QColor(255, 255, 255))
            painter.drawEllipse(point, size, size)


def _distance(at: QPointF, start: QPointF, end: QPointF) -> float:
    """Give how far a point lies from a straight run."""
    run = end - start
    length = QPointF.dotProduct(run, run)
    along = 0.0 if length == 0 else min(max(QPointF.dotProduct(at - start, run) / length, 0.0), 1.0)
    away = at - (start + run * along)
    return float(QPointF.dotProduct(away, away)) ** 0.5
