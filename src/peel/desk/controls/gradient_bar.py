"""The colours of a gradient on a bar: press between two to add one, drag one along, Delete takes it away."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from peel.desk.theme import current
from peel.job.settings import MOST_STOPS, GradientStop, hex_from_rgb, rgb_from_hex

__all__ = ["GradientBar"]

_SIDE: Final = 10
_NEAR: Final = 9.0
Stops = tuple[GradientStop, ...]


class GradientBar(QWidget):
    """Shows stops and says how they are changed.

    Signals
    -------
    changed : (tuple of GradientStop, bool)
        The stops, and whether the gesture goes on.
    chosen_changed : ()
        Another stop is the one whose colour is set.
    """

    changed = Signal(object, bool)
    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(44)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Colours of the gradient")
        self.setToolTip("Press between two colours to add one, drag one along, Delete takes it away")
        self.stops: Stops = ()
        self.chosen = 0
        self._dragged = False

    def sizeHint(self) -> QSize:
        """Ask for the column's width."""
        return QSize(240, 44)

    def show_stops(self, stops: Stops) -> None:
        """Show other stops, unless one is being dragged."""
        if self._dragged:
            return
        self.stops = stops
        self.chosen = min(self.chosen, max(len(stops) - 1, 0))
        self.update()

    def _x(self, at: float) -> float:
        return _SIDE + at * (self.width() - 2 * _SIDE)

    def _at(self, x: float) -> float:
        return min(max((x - _SIDE) / max(self.width() - 2 * _SIDE, 1), 0.0), 1.0)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the colours, and a mark under each stop."""
        theme, painter = current(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ramp = QLinearGradient(_SIDE, 0, self.width() - _SIDE, 0)
        for stop in self.stops:
            ramp.setColorAt(stop.at, QColor(stop.colour))
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.setBrush(ramp)
        painter.drawRoundedRect(QRectF(_SIDE, 2, self.width() - 2 * _SIDE, 22), 3, 3)
        for number, stop in enumerate(self.stops):
            chosen = number == self.chosen
            painter.setPen(QPen(theme.colour("accent" if chosen else "muted"), 2.5 if chosen else 1.5))
            painter.setBrush(QColor(stop.colour))
            painter.drawEllipse(QPointF(self._x(stop.at), 34), 6, 6)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.colour("accent"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a stop, or add one."""
        if not self.stops:
            return
        self._dragged = True
        away = [abs(self._x(stop.at) - event.position().x()) for stop in self.stops]
        if min(away) <= _NEAR:
            self.chosen = away.index(min(away))
        elif len(self.stops) < MOST_STOPS:
            at = self._at(event.position().x())
            made = GradientStop(at=at, colour=self._colour_at(at))
            self.stops = tuple(sorted((*self.stops, made), key=lambda stop: stop.at))
            self.chosen = self.stops.index(made)
            self.changed.emit(self.stops, False)
        self.chosen_changed.emit()
        self.update()

    def _colour_at(self, at: float) -> str:
        """Return the colour that the gradient has at a place."""
        after = next((number for number, stop in enumerate(self.stops) if stop.at >= at), len(self.stops) - 1)
        low, high = self.stops[max(after - 1, 0)], self.stops[after]
        share = 0.0 if high.at <= low.at else min(max((at - low.at) / (high.at - low.at), 0.0), 1.0)
        one, other = (np.array(rgb_from_hex(stop.colour)) for stop in (low, high))
        return hex_from_rgb(one + (other - one) * share)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the stop, as far as its neighbours."""
        self._drag(event, goes_on=True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let the stop go."""
        self._drag(event, goes_on=False)
        self._dragged = False

    def _drag(self, event: QMouseEvent, *, goes_on: bool) -> None:
        if not self._dragged or not self.stops:
            return
        low = self.stops[self.chosen - 1].at if self.chosen > 0 else 0.0
        high = self.stops[self.chosen + 1].at if self.chosen + 1 < len(self.stops) else 1.0
        at = min(max(self._at(event.position().x()), low), high)
        moved = self.stops[self.chosen].model_copy(update={"at": at})
        self.stops = (*self.stops[: self.chosen], moved, *self.stops[self.chosen + 1 :])
        self.changed.emit(self.stops, goes_on)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Take the chosen stop away, or go on to the next one."""
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and len(self.stops) > 2:
            self.stops = (*self.stops[: self.chosen], *self.stops[self.chosen + 1 :])
            self.chosen = min(self.chosen, len(self.stops) - 1)
            self.changed.emit(self.stops, False)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.stops:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self.chosen = (self.chosen + step) % len(self.stops)
            self.chosen_changed.emit()
        else:
            super().keyPressEvent(event)
            return
        self.update()
