"""The edge's own profile as a drawing that is shaped by hand: pulled, its two ends drawn together or apart, evened."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from peel.desk.theme import current
from peel.job.settings import Finish
from peel.matte.arrays import FloatArray
from peel.matte.repair.profile import MOST_EVEN, MOST_PULL, EdgeShape, shaped

__all__ = ["ProfileDrawing"]

_HEIGHT: Final = 160
_FOOT: Final = 34  # the strip below, in which the edge is seen from above
_REACH: Final = 12  # pixels of the photo to either side
_GRIP: Final = 13.0


class ProfileDrawing(QWidget):
    """Alpha across the edge, as measured and as shaped, and below it the edge from above with its bumps.

    The middle grip pulls the edge in and out; the grips at the foot and at the shoulder of the curve make it crisper or
    softer; the wave below is drawn out flat to even bumps out.

    Signals
    -------
    changed : (dict, bool)
        Fields of the finish with their new values, and whether the drag goes on.
    """

    changed = Signal(object, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Edge profile: alpha across the edge")
        self.setToolTip(
            "This photo's own edge: left is outside, right is inside, up is solid.\n"
            "Drag the middle in or out, the ends together or apart, the wave below flat. A double click resets."
        )
        self._profile: FloatArray | None = None
        self._finish = Finish()
        self._held: str | None = None

    def sizeHint(self) -> QSize:
        """Ask for the curve and the strip below it."""
        return QSize(260, _HEIGHT)

    def show_profile(self, profile: FloatArray | None, finish: Finish) -> None:
        """Show a measured profile, (25,) or None without an edge, and how it is shaped."""
        self._profile = profile
        if self._held is None:
            self._finish = finish
        self.update()

    def grips(self) -> dict[str, QPointF]:
        """Return where the grips are, in widget pixels."""
        finish = self._finish
        half = _ramp(finish.crisp)
        return {
            "pull": QPointF(self._x(-finish.pull_px), self._y(0.5)),
            "foot": QPointF(self._x(-finish.pull_px - half), self._y(0.06)),
            "shoulder": QPointF(self._x(-finish.pull_px + half), self._y(0.94)),
            "even": QPointF(14 + finish.even_px / MOST_EVEN * (self.width() - 28), self.height() - _FOOT / 2),
        }

    def _x(self, px: float) -> float:
        return self.width() / 2 + px / _REACH * (self.width() / 2 - 8)

    def _px(self, x: float) -> float:
        return (x - self.width() / 2) / (self.width() / 2 - 8) * _REACH

    def _y(self, alpha: float) -> float:
        return (1 - alpha) * (self.height() - _FOOT - 34) + 8

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the nearest grip."""
        at = event.position()
        away = {name: (grip - at).manhattanLength() for name, grip in self.grips().items()}
        nearest = min(away, key=lambda name: away[name])
        if away[nearest] <= 2 * _GRIP:
            self._held = nearest

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it."""
        if self._held is not None:
            self._drag(event.position(), ends=False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        if self._held is not None:
            self._drag(event.position(), ends=True)
            self._held = None

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        """Leave the edge as it was solved again."""
        self._held = None
        self.changed.emit({"pull_px": 0.0, "crisp": 0.0, "even_px": 0.0}, False)

    def _drag(self, at: QPointF, *, ends: bool) -> None:
        value: dict[str, float]
        if self._held == "pull":
            value = {"pull_px": round(float(np.clip(-self._px(at.x()), -MOST_PULL, MOST_PULL)), 1)}
        elif self._held == "even":
            value = {"even_px": round(float(np.clip((at.x() - 14) / (self.width() - 28), 0, 1)) * MOST_EVEN)}
        else:
            away = abs(self._px(at.x()) + self._finish.pull_px)
            value = {"crisp": round(float(np.clip(_crispness(away), -1, 1)), 2)}
        self._finish = self._finish.model_copy(update=value)
        self.update()
        self.changed.emit(value, not ends)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the field, both curves, the strip and the grips."""
        theme, painter = current(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("line"))
        painter.setBrush(theme.colour("field"))
        field = QRectF(0.5, 0.5, self.width() - 1, self.height() - _FOOT - 4)
        painter.drawRoundedRect(field, 5, 5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("line"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(self.width() / 2, 6), QPointF(self.width() / 2, field.bottom() - 16))
        if self._profile is not None:
            self._curve(painter, self._profile, QPen(theme.colour("muted"), 1.4, Qt.PenStyle.DashLine))
            self._curve(painter, self._shaped(self._profile), QPen(theme.colour("text"), 2))
        painter.setPen(theme.colour("muted"))
        foot = QRectF(8, field.bottom() - 17, self.width() - 16, 16)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "outside")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, "inside")
        self._strip(painter)
        painter.setPen(QPen(theme.colour("surface"), 1.5))
        painter.setBrush(theme.colour("accent"))
        for name, grip in self.grips().items():
            if name == "pull":
                painter.drawRoundedRect(QRectF(grip.x() - 5, grip.y() - 9, 10, 18), 4, 4)
            else:
                painter.drawEllipse(grip, 5.5, 5.5)

    def _shaped(self, profile: FloatArray) -> FloatArray:
        """Shape a profile as the picture is: as an edge of many equal rows."""
        edge = np.pad(profile, 40, mode="edge")[None].repeat(9, axis=0)
        shape = EdgeShape(**{**self._finish.profile, "even_px": 0.0})
        return shaped(np.ascontiguousarray(edge, np.float32), shape)[4, 40:-40]

    def _curve(self, painter: QPainter, profile: FloatArray, pen: QPen) -> None:
        reach, path = len(profile) // 2, QPainterPath()
        for place, alpha in enumerate(profile):
            point = QPointF(self._x(place - reach), self._y(float(alpha)))
            path.lineTo(point) if place else path.moveTo(point)
        painter.setPen(pen)
        painter.drawPath(path)

    def _strip(self, painter: QPainter) -> None:
        """Draw the edge from above: a wave, the flatter the more it is evened."""
        middle, left = self.height() - _FOOT / 2, self._finish.even_px / MOST_EVEN
        path = QPainterPath(QPointF(8, middle))
        for x in range(8, self.width() - 7, 3):
            path.lineTo(QPointF(x, middle + 7 * (1 - left) * np.sin(x * 0.42) + 2.5 * (1 - left) * np.sin(x * 0.17)))
        painter.setPen(QPen(current().colour("muted"), 1.6))
        painter.drawPath(path)


def _ramp(crisp: float) -> float:
    """Return how far from the middle the ends of the curve are drawn, in pixels, for a crispness."""
    return 3.0 * 2.0 ** (-1.6 * crisp)


def _crispness(half: float) -> float:
    return float(-np.log2(max(half, 0.05) / 3.0) / 1.6)
