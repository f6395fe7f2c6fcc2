"""A number with its name and unit: drag it, type it, step it with wheel or arrows, reset it by a double click."""

import math
from typing import Final

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from peel.desk.theme import current

__all__ = ["NumberField"]

_TURN_MS: Final = 400  # after which turns of the wheel are one gesture that has ended


class NumberField(QWidget):
    """One number.

    Attributes
    ----------
    scale : float
        The control's number for a setting of 1.

    Signals
    -------
    changed : (float, bool)
        The value, and whether the gesture that changes it still goes on: a drag, or turns of the wheel.
    """

    changed = Signal(float, bool)

    def __init__(
        self,
        name: str,
        *,
        low: float,
        high: float,
        default: float,
        unit: str = "",
        scale: float = 1.0,
        step: float = 1.0,
        curve: float = 1.0,
        track: tuple[float, float] | None = None,
        tip: str = "",
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName(f"number {name}")
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._name, self._unit = name, unit
        self._low, self._high, self._default, self._step, self._curve = low, high, default, step, curve
        self.scale = scale
        self._track = track or (low, high)
        self._value = default
        self._dragging = False
        self._edit: QLineEdit | None = None
        self._turning = QTimer(self)
        self._turning.setSingleShot(True)
        self._turning.setInterval(_TURN_MS)
        self._turning.timeout.connect(lambda: self.changed.emit(self._value, False))
        self._wanted = default  # what was shown last from outside; while keys are pressed it lags behind
        self._stepping = QTimer(self)
        self._stepping.setSingleShot(True)
        self._stepping.setInterval(_TURN_MS)
        self._stepping.timeout.connect(lambda: self.show_value(self._wanted))

    def rename(self, name: str) -> None:
        """Call it something else: what it changes is another thing now."""
        self._name = name
        self.setAccessibleName(name)
        self.update()

    @property
    def value(self) -> float:
        """The number."""
        return self._value

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        self._wanted = value
        if not self._dragging and not self._turning.isActive() and not self._stepping.isActive():
            self._value = min(max(value, self._low), self._high)
            self.update()

    def set_value(self, value: float, *, dragged: bool = False) -> None:
        """Set a value and announce it; what is no number changes nothing."""
        if not math.isfinite(value):
            return
        value = min(max(round(value / self._step) * self._step, self._low), self._high)
        if value != self._value or not dragged:
            self._value = value
            self.update()
            self.changed.emit(value, dragged)

    def sizeHint(self) -> QSize:
        """Ask for one line and a track."""
        return QSize(120, 40)

    def minimumSizeHint(self) -> QSize:
        """Ask for room for name and number."""
        return QSize(92, 40)

    def _share(self) -> float:
        first, last = self._track
        return float(min(max((self._value - first) / (last - first), 0.0), 1.0) ** (1 / self._curve))

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint name, number and track."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        upper = QRectF(2, 0, self.width() - 4, 22)
        painter.setPen(theme.colour("muted" if self.isEnabled() else "line"))
        painter.drawText(upper, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self._name)
        painter.setPen(theme.colour("text" if self.isEnabled() else "line"))
        painter.drawText(upper, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.text())
        track = QRectF(2, 28, self.width() - 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawRoundedRect(track, 2, 2)
        at = track.left() + self._share() * track.width()
        painter.setBrush(theme.colour("strong" if self.isEnabled() else "line"))
        painter.drawRoundedRect(QRectF(track.left(), track.top(), at - track.left(), 4), 2, 2)
        painter.drawRoundedRect(QRectF(min(max(at - 3, 2), self.width() - 8), 23, 6, 14), 3, 3)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.colour("accent"))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)

    def text(self) -> str:
        """Return the number with its unit."""
        shown = f"{self._value:.0f}" if self._step >= 1 else f"{self._value:.1f}"
        return f"{shown} {self._unit}".strip()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Type on the number, drag on the track."""
        if event.position().y() < 20 and event.position().x() > self.width() - 62:
            self._type()
            return
        self._dragging = True
        self._drag_to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag on."""
        if self._dragging:
            self._drag_to(event.position().x())

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """End the drag."""
        if self._dragging:
            self._dragging = False
            self.changed.emit(self._value, False)

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        """Reset."""
        self._dragging = False
        self.set_value(self._default)

    def _drag_to(self, x: float) -> None:
        share = min(max((x - 2) / max(self.width() - 4, 1), 0.0), 1.0)
        first, last = self._track
        self.set_value(first + (last - first) * share**self._curve, dragged=True)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Step; turns that follow each other are one gesture."""
        self.set_value(self._value + self._step * (1 if event.angleDelta().y() > 0 else -1), dragged=True)
        self._turning.start()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Step with the arrows, type with the digits."""
        by = {Qt.Key.Key_Up: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if by is not None:
            many = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self._stepping.start()
            self.set_value(self._value + by * many * self._step)
        elif event.text().isdigit() or event.key() == Qt.Key.Key_Return:
            self._type(event.text() if event.text().isdigit() else "")
        else:
            super().keyPressEvent(event)

    def _type(self, first: str = "") -> None:
        edit = QLineEdit(first or f"{self._value:g}", self)
        edit.setGeometry(self.width() - 70, 0, 70, 26)
        if not first:
            edit.selectAll()
        edit.editingFinished.connect(self._typed)
        edit.show()
        edit.setFocus()
        self._edit = edit

    def _typed(self) -> None:
        edit, self._edit = self._edit, None
        if edit is None:
            return
        try:
            self.set_value(float(edit.text().replace(",", ".").removesuffix(self._unit).strip()))
        except ValueError:
            self.update()
        edit.deleteLater()

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Show the focus."""
        super().focusInEvent(event)
        self.update()
