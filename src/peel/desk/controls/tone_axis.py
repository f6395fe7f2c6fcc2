"""The tones of subject and backdrop over one axis, with the ends and the middle of a separation as lines on it."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from peel.desk.theme import current
from peel.job.edits.separations import curve_of
from peel.job.settings import Separation
from peel.matte.arrays import FloatArray
from peel.work.separating.separation_sheet import Outlines

__all__ = ["ToneAxis"]

_HEIGHT: Final = 92
_FOOT: Final = 18  # room for the words below
_MIDDLES: Final = (0.05, 0.95)


class ToneAxis(QWidget):
    """Two outlines and three lines that can be dragged.

    Parameters
    ----------
    name, tip : str
        What is on the axis, for people who cannot see it, and in full.

    Signals
    -------
    changed : (dict, bool)
        Low, high or middle with its new value, and whether the drag still goes on.
    """

    changed = Signal(object, bool)

    def __init__(self, name: str, tip: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{name}: drag the ends or the middle")
        self.setToolTip(tip)
        self._outlines: Outlines | None = None
        self._separation = Separation()
        self._held: str | None = None

    def sizeHint(self) -> QSize:
        """Ask for the outlines and a line of words."""
        return QSize(240, _HEIGHT)

    def show_tones(self, outlines: Outlines | None, separation: Separation) -> None:
        """Show other outlines and lines."""
        self._outlines, self._separation = outlines, separation
        self.update()

    def lines(self) -> dict[str, float]:
        """Return the tones at which the lines stand."""
        curve = curve_of(self._separation)
        return {"low": curve.low, "high": curve.high, "middle": curve.low + curve.middle * (curve.high - curve.low)}

    def _span(self) -> tuple[float, float]:
        ends = self.lines()
        tones = [ends["low"], ends["high"]]
        if self._outlines is not None:
            tones += [self._outlines.low, self._outlines.high]
        return min(tones), max(max(tones), min(tones) + 1e-3)

    def place(self, tone: float) -> float:
        """Return where a tone lies, in widget pixels."""
        low, high = self._span()
        return 4 + (tone - low) / (high - low) * (self.width() - 8)

    def _tone(self, x: float) -> float:
        low, high = self._span()
        return low + (min(max(x, 4.0), self.width() - 4.0) - 4) / (self.width() - 8) * (high - low)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the nearest line."""
        x = event.position().x()
        away = {name: abs(self.place(tone) - x) for name, tone in self.lines().items()}
        self._held = min(away, key=lambda name: away[name])
        self._drag(x)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it."""
        if self._held is not None:
            self._drag(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        if self._held is not None:
            name, self._held = self._held, None
            self.changed.emit({name: self._value(name, event.position().x())}, False)

    def _drag(self, x: float) -> None:
        assert self._held is not None
        self.changed.emit({self._held: self._value(self._held, x)}, True)

    def _value(self, name: str, x: float) -> float:
        tone, curve = self._tone(x), curve_of(self._separation)
        if name != "middle":
            return round(tone, 4)
        span = curve.high - curve.low
        least, most = _MIDDLES
        return round(min(max((tone - curve.low) / span if abs(span) > 1e-6 else 0.5, least), most), 3)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint outlines, lines and words."""
        theme, painter = current(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = QRectF(0.5, 0.5, self.width() - 1, self.height() - _FOOT)
        painter.setPen(theme.colour("line"))
        painter.setBrush(theme.colour("field"))
        painter.drawRoundedRect(field, 5, 5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._outlines is not None:
            self._draw(painter, self._outlines.backdrop, QPen(theme.colour("muted"), 1.4, Qt.PenStyle.DashLine))
            self._draw(painter, self._outlines.subject, QPen(theme.colour("text"), 1.6))
        painter.setPen(QPen(theme.colour("accent"), 1.6))
        for name, tone in self.lines().items():
            x, short = self.place(tone), 12.0 if name == "middle" else 2.0
            painter.drawLine(QPointF(x, short), QPointF(x, field.bottom()))
        self._name_lines(painter)

    def _draw(self, painter: QPainter, shares: FloatArray, pen: QPen) -> None:
        assert self._outlines is not None
        tones = np.linspace(self._outlines.low, self._outlines.high, len(shares))
        base = self.height() - _FOOT - 2.0
        points = [
            QPointF(self.place(float(t)), base - float(s) * (base - 8)) for t, s in zip(tones, shares, strict=True)
        ]
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(points))

    def _name_lines(self, painter: QPainter) -> None:
        """Name the two ends below; they keep apart when they stand close together."""
        painter.setPen(current().colour("muted"))
        ends = self.lines()
        names = sorted(((self.place(ends[name]), word) for name, word in (("low", "clear"), ("high", "solid"))))
        metrics = painter.fontMetrics()
        widths = [metrics.horizontalAdvance(word) for _, word in names]
        left = min(max(names[0][0] - widths[0] / 2, 0.0), self.width() - widths[0] - widths[1] - 12.0)
        right = min(max(names[1][0] - widths[1] / 2, left + widths[0] + 12), self.width() - float(widths[1]))
        for x, (_, word), width in ((left, names[0], widths[0]), (right, names[1], widths[1])):
            painter.drawText(QRectF(x, self.height() - _FOOT, width + 2, _FOOT), Qt.AlignmentFlag.AlignCenter, word)
