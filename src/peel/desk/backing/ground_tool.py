"""Ground: the line that the subject stands on, where the tip of its shadow falls, and where a wall begins."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from peel.desk.tools.tool import Press, Tool
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.standing import direction_of, ground_line, height_of, middle_of, wall_of
from peel.job.settings import CastShadow, Point
from peel.matte.composite.shadow import Ground

__all__ = ["GroundTool"]

_GRIP_PX: Final = 12.0


class GroundTool(Tool):
    """Draws the ground line, or drags one of its ends, the shadow's tip, or the line where a wall begins."""

    name = "Ground"
    key_name = "F5"
    reverses = False

    def __init__(self) -> None:
        super().__init__()
        self._held: int | None = None  # an end, 0 or 1, the tip, 2, or where the wall begins, 3
        self._line: list[Point] | None = None  # while it is drawn

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return (
            "Drag a line along the ground the subject stands on · the round tip is where its shadow ends, the diamond "
            "where a wall begins"
        )

    def _laid(self) -> tuple[Point, Point] | None:
        """Return the ground line as it counts."""
        job = self.job
        return None if job is None or not job.has_subject else ground_line(job)

    def _bend(self) -> tuple[Point, Point] | None:
        """Return the line where floor and wall meet, if a shadow climbs the wall."""
        job, line = self.job, self._laid()
        if job is None or line is None or not job.settings.recipe.shadow.cast.on_wall:
            return None
        by = Ground(line[0], direction_of(line)).up * wall_of(job)
        (x0, y0), (x1, y1) = ((x + float(by[0]), y + float(by[1])) for x, y in line)
        return (x0, y0), (x1, y1)

    def _tip(self) -> Point | None:
        """Return where the shadow of the subject's top falls."""
        job, line = self.job, self._laid()
        if job is None or line is None:
            return None
        middle, height = np.array(middle_of(line)), height_of(job)
        cast = job.settings.recipe.shadow.cast
        towards, length = np.deg2rad(cast.towards_deg), 1 / np.tan(np.deg2rad(cast.light_deg))
        lean, up = length * np.array([np.cos(towards), np.sin(towards)]), Ground(line[0], direction_of(line)).up
        high, rise, wall = height, float(up @ lean), _wall(job)
        if wall is not None and rise > 0 and wall / rise < height:
            high = wall / rise  # above this the rays meet the wall, and the shadow stands upright
        x, y = middle + lean * high + up * (height - high) + cast.move
        return float(x), float(y)

    def press(self, press: Press) -> None:
        """Take hold of what is near, or begin a new line."""
        line, tip, scale = self._laid(), self._tip(), self.host.frame.scale if self.host is not None else 1.0
        if line is None or tip is None:
            return
        bend = self._bend()
        grips = [*line, tip, *([middle_of(bend)] if bend is not None else [])]
        nearest = min(
            (float(np.hypot(point[0] - press.xy[0], point[1] - press.xy[1])) * scale, number)
            for number, point in enumerate(grips)
        )
        self._held = nearest[1] if nearest[0] <= _GRIP_PX else 1
        self._line = None if self._held in (2, 3) else list(line)
        if nearest[0] > _GRIP_PX:
            self._line = [press.xy, press.xy]

    def move(self, press: Press) -> None:
        """Drag; the picture follows."""
        self._drag(press, ends=False)

    def release(self, press: Press) -> None:
        """Let go; a mere click draws no line."""
        if self._line is not None and self._held is not None:
            self._line[self._held] = press.xy
            apart = abs(self._line[0][0] - self._line[1][0]) + abs(self._line[0][1] - self._line[1][1])
            if apart < 4:
                self._held = None
        self._drag(press, ends=True)
        self._held = self._line = None
        self.redraw()

    def put_down(self) -> None:
        """Forget a drag."""
        self._held = self._line = None

    def _drag(self, press: Press, *, ends: bool) -> None:
        host = self.host
        if self._held is None or host is None or host.session is None:
            return
        if self._held == 2:
            at = press.xy
            host.session.apply("Light", lambda job: _lit(job, at), gesture="light", ends=ends)
        elif self._held == 3:
            at = press.xy
            host.session.apply("Wall", lambda job: _walled(job, at), gesture="wall", ends=ends)
        elif self._line is not None:
            self._line[self._held] = press.xy
            line = (self._line[0], self._line[1])
            if line[0] != line[1]:
                edit = lambda job: set_value(job, "photo.ground", line)  # noqa: E731
                host.session.apply("Ground line", edit, gesture="ground", ends=ends)
        self.redraw()

    def paint(self, painter: QPainter) -> None:
        """Paint the line, its ends, the tip, and where a wall begins."""
        line = (self._line[0], self._line[1]) if self._line is not None else self._laid()
        tip, host = self._tip(), self.host
        if line is None or tip is None or host is None:
            return
        bend = self._bend()
        start, end, point = (host.frame.to_widget(QPointF(*place)) for place in (*line, tip))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(0, 0, 0, 150), 3.5), (QColor(255, 255, 255), 1.5)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(start, end)
            painter.setPen(QPen(colour, width, Qt.PenStyle.DashLine))
            painter.drawLine((start + end) / 2, point)
            painter.setPen(QPen(colour, width))
            painter.drawEllipse(point, 7, 7)
            for place in (start, end):
                painter.drawRect(QRectF(place.x() - 5, place.y() - 5, 10, 10))
            if bend is not None:
                left, right = (host.frame.to_widget(QPointF(*place)) for place in bend)
                middle = (left + right) / 2
                painter.setPen(QPen(colour, width, Qt.PenStyle.DotLine))
                painter.drawLine(left + (left - middle) * 2, right + (right - middle) * 2)
                painter.setPen(QPen(colour, width))
                painter.drawPolygon(QPolygonF([middle + QPointF(*by) for by in ((-7, 0), (0, -6), (7, 0), (0, 6))]))


def _wall(job: Job) -> float | None:
    """Return how far above the ground line a wall begins that the shadow climbs; None if there is none."""
    return wall_of(job) if job.settings.recipe.shadow.cast.on_wall else None


def _walled(job: Job, at: Point) -> Job:
    """Let floor and wall meet where a point lies above the ground line."""
    line = ground_line(job)
    up = Ground(line[0], direction_of(line)).up
    high = float((at[0] - line[0][0]) * up[0] + (at[1] - line[0][1]) * up[1])
    return set_value(job, "photo.wall_px", max(round(high), 0))


def _lit(job: Job, tip: Point) -> Job:
    """Turn the light so that the shadow's tip falls at a point; a shadow is cast from then on."""
    cast, line, height, wall = job.settings.recipe.shadow.cast, ground_line(job), height_of(job), _wall(job)
    up = Ground(line[0], direction_of(line)).up
    away = np.array(tip) - cast.move - middle_of(line)
    lean, risen = away / height, float(up @ away)
    if wall is not None and risen > wall:  # the tip stands on the wall: see where the rays met it
        rise = wall / max(height + wall - risen, 1.0)
        lean = up * rise + (away - up * risen) * rise / max(wall, 1e-6)
    length = max(float(np.hypot(*lean)), 0.05)
    made = CastShadow.model_validate(
        {
            **dict(cast),
            "on": True,
            "towards_deg": float(np.rad2deg(np.arctan2(lean[1], lean[0]))),
            "light_deg": float(np.clip(np.rad2deg(np.arctan(1 / length)), 10, 85)),
        }
    )
    return set_value(job, "recipe.shadow.cast", made)
