"""Ground: the line that the subject stands on, and where the tip of its shadow falls."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from peel.desk.tools.tool import Press, Tool
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import subject_box
from peel.job.settings import CastShadow, Point

__all__ = ["GroundTool"]

_GRIP_PX: Final = 12.0


class GroundTool(Tool):
    """Draws the ground line, or drags one of its ends or the shadow's tip."""

    name = "Ground"
    key_name = "F5"
    reverses = False

    def __init__(self) -> None:
        super().__init__()
        self._held: int | None = None  # an end, 0 or 1, or the tip, 2
        self._line: list[Point] | None = None  # while it is drawn

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        return "Drag a line along the ground the subject stands on; drag the round tip to where its shadow ends"

    def _laid(self) -> tuple[Point, Point] | None:
        """Return the ground line as it counts."""
        job = self.job
        if job is None or not job.has_subject:
            return None
        if job.settings.photo.ground is not None:
            return job.settings.photo.ground
        top, left, bottom, right = subject_box(job)
        foot = bottom - 0.01 * (bottom - top)
        return (float(left), foot), (float(right), foot)

    def _tip(self) -> Point | None:
        """Return where the shadow of the subject's top falls."""
        job, line = self.job, self._laid()
        if job is None or line is None:
            return None
        middle, height = _middle(line), _height(job, line)
        cast = job.settings.recipe.shadow.cast
        length = height / np.tan(np.deg2rad(cast.light_deg))
        towards = np.deg2rad(cast.towards_deg)
        move = cast.move
        return (
            float(middle[0] + length * np.cos(towards) + move[0]),
            float(middle[1] + length * np.sin(towards) + move[1]),
        )

    def press(self, press: Press) -> None:
        """Take hold of what is near, or begin a new line."""
        line, tip, scale = self._laid(), self._tip(), self.host.frame.scale if self.host is not None else 1.0
        if line is None or tip is None:
            return
        near = [
            (np.hypot(point[0] - press.xy[0], point[1] - press.xy[1]) * scale, number)
            for number, point in enumerate((*line, tip))
        ]
        nearest = min(near)
        self._held = nearest[1] if nearest[0] <= _GRIP_PX else 1
        self._line = None if self._held == 2 else list(line)
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
        elif self._line is not None:
            self._line[self._held] = press.xy
            line = (self._line[0], self._line[1])
            if line[0] != line[1]:
                edit = lambda job: set_value(job, "photo.ground", line)  # noqa: E731
                host.session.apply("Ground line", edit, gesture="ground", ends=ends)
        self.redraw()

    def paint(self, painter: QPainter) -> None:
        """Paint the line, its ends and the tip."""
        line = (self._line[0], self._line[1]) if self._line is not None else self._laid()
        tip, host = self._tip(), self.host
        if line is None or tip is None or host is None:
            return
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


def _middle(line: tuple[Point, Point]) -> Point:
    return (line[0][0] + line[1][0]) / 2, (line[0][1] + line[1][1]) / 2


def _height(job: Job, line: tuple[Point, Point]) -> float:
    """Return how high the subject stands above the line."""
    return max(_middle(line)[1] - subject_box(job)[0], 1.0)


def _lit(job: Job, tip: Point) -> Job:
    """Turn the light so that the shadow's tip falls at a point; a shadow is cast from then on."""
    top, left, bottom, right = subject_box(job)
    foot = bottom - 0.01 * (bottom - top)
    line = job.settings.photo.ground or ((float(left), foot), (float(right), foot))
    cast, middle = job.settings.recipe.shadow.cast, _middle(line)
    lean = np.array([tip[0] - cast.move[0] - middle[0], tip[1] - cast.move[1] - middle[1]]) / _height(job, line)
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
