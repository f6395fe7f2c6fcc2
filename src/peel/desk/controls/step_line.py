"""The step line: the six steps of the work with the state of each, the photo's name, and undo."""

from typing import Final

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import (
    QAbstractButton,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.labels import plain_tip, words
from peel.desk.steps import Step, StepState
from peel.desk.theme import current

__all__ = ["StepLine"]

_HEIGHT: Final = 64


class _StepButton(QAbstractButton):
    """One step: a knot on the line, its name, and its state in small type."""

    def __init__(self, step: Step, parent: QWidget) -> None:
        super().__init__(parent)
        self.step = step
        self.setText(step.value)
        self.setObjectName(f"step {step.value}")
        self.setAccessibleName(f"{step.value} step")
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.state, self.is_done = "", False

    def sizeHint(self) -> QSize:
        """Ask for room for a state."""
        return QSize(112, _HEIGHT)

    def show_state(self, state: str, done: bool) -> None:
        """Show what the step has come to."""
        self.state, self.is_done = state, done
        self.setAccessibleDescription(state)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint line, knot, name and state."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, y = self.width() / 2, 15.0
        painter.setPen(QPen(theme.colour("line"), 1.5))
        if self.step is not Step.MARK:
            painter.drawLine(QPointF(0, y), QPointF(middle - 8, y))
        if self.step is not Step.DELIVER:
            painter.drawLine(QPointF(middle + 8, y), QPointF(self.width(), y))
        chosen = self.isChecked()
        edge = theme.colour("accent" if chosen else "muted")
        painter.setPen(QPen(edge, 2))
        painter.setBrush(edge if chosen or self.is_done else theme.colour("surface"))
        painter.drawEllipse(QPointF(middle, y), 6 if chosen else 4, 6 if chosen else 4)
        font = self.font()
        font.setPixelSize(14)
        font.setWeight(font.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(theme.colour("accent" if chosen else "text"))
        painter.drawText(QRectF(0, 24, self.width(), 19), Qt.AlignmentFlag.AlignCenter, self.text())
        font.setPixelSize(12)
        font.setWeight(font.Weight.Normal)
        painter.setFont(font)
        painter.setPen(theme.colour("muted"))
        state = painter.fontMetrics().elidedText(self.state, Qt.TextElideMode.ElideRight, self.width() - 4)
        painter.drawText(QRectF(0, 42, self.width(), 18), Qt.AlignmentFlag.AlignCenter, state)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.colour("accent"))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), 5, 5)


class StepLine(QWidget):
    """The top of the window.

    Signals
    -------
    chosen : (Step,)
    undo_pressed, redo_pressed, keys_pressed, photo_pressed : ()
    """

    chosen = Signal(Step)
    undo_pressed = Signal()
    redo_pressed = Signal()
    keys_pressed = Signal()
    photo_pressed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(_HEIGHT)
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 0, 10, 0)
        line.setSpacing(6)
        line.addLayout(self._photo_part())
        self._buttons = {step: _StepButton(step, self) for step in Step}
        for step, button in self._buttons.items():
            line.addWidget(button, 1)
            button.clicked.connect(lambda _checked=False, step=step: self.chosen.emit(step))
        line.setSpacing(0)
        line.addSpacing(8)
        line.addLayout(self._state_part())
        keys = QPushButton("?")
        keys.setProperty("role", "link")
        keys.setToolTip("All keys (?)")
        keys.setAccessibleName("Show all keys")
        keys.clicked.connect(self.keys_pressed)
        line.addWidget(keys)

    def _photo_part(self) -> QHBoxLayout:
        part = QHBoxLayout()
        part.setSpacing(10)
        self._thumb = QLabel()
        self._thumb.setFixedSize(44, 44)
        self._thumb.setScaledContents(False)
        lines = QVBoxLayout()
        lines.setSpacing(0)
        lines.setContentsMargins(0, 12, 0, 12)
        self._name, self._size = words("", "title"), words("")
        for label in (self._name, self._size):
            label.setWordWrap(False)
            lines.addWidget(label)
        holder = QWidget()
        holder.setLayout(lines)
        holder.setFixedWidth(158)
        part.addWidget(self._thumb)
        part.addWidget(holder)
        self._holder = holder
        for place in (self._thumb, holder):
            place.setCursor(Qt.CursorShape.PointingHandCursor)
            place.setToolTip("The assignment's board (Ctrl+B)")
        return part

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Ask for the board when the photo's name or picture is pressed."""
        if event.position().x() < self._holder.geometry().right():
            self.photo_pressed.emit()
        super().mousePressEvent(event)

    def _state_part(self) -> QVBoxLayout:
        part = QVBoxLayout()
        part.setSpacing(0)
        part.setContentsMargins(0, 8, 0, 8)
        row = QHBoxLayout()
        row.setSpacing(2)
        self._undo, self._redo = QPushButton("Undo"), QPushButton("Redo")
        for button, news in ((self._undo, self.undo_pressed), (self._redo, self.redo_pressed)):
            button.setProperty("role", "link")
            button.setMinimumWidth(52)
            button.clicked.connect(news)
            row.addWidget(button)
        row.addStretch()
        self._stored = QLabel("")
        self._stored.setObjectName("small")
        self._stored.setContentsMargins(6, 0, 0, 0)
        self._stored.setMinimumWidth(136)
        part.addLayout(row)
        part.addWidget(self._stored)
        return part

    def show_photo(self, name: str, note: str) -> None:
        """Show which photo is open; its picture comes by `show_thumb`."""
        self._name.setText(self._name.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, 150))
        self._name.setToolTip(plain_tip(name))
        self._size.setText(note)
        self._thumb.clear()

    def show_thumb(self, image: QImage) -> None:
        """Show the photo, small."""
        self._thumb.setPixmap(QPixmap.fromImage(image))

    def show_step(self, step: Step) -> None:
        """Show which step is chosen."""
        self._buttons[step].setChecked(True)

    def show_state(self, step: Step, state: StepState) -> None:
        """Show what a step has come to."""
        self._buttons[step].show_state(state.words, state.is_done)

    def state_of(self, step: Step) -> str:
        """Return what is shown under a step."""
        return self._buttons[step].state

    def show_history(self, undo: str | None, redo: str | None) -> None:
        """Show what undo and redo would do."""
        for button, label, word, keys in (
            (self._undo, undo, "Undo", "Ctrl+Z"),
            (self._redo, redo, "Redo", "Ctrl+Shift+Z"),
        ):
            button.setEnabled(label is not None)
            button.setToolTip(plain_tip(f"{word}: {label} ({keys})" if label else f"Nothing to {word.lower()}"))

    def show_stored(self, text: str) -> None:
        """Show the state of the file."""
        self._stored.setText(text)
