"""Why a place is half clear: sentences under the proofs, each with what would change it."""

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.theme import current
from peel.work.inspecting.why import Cure, Reason, Why

__all__ = ["WhyCard"]


class _Swatch(QWidget):
    """A colour of the photo."""

    def __init__(self, colour: str, meaning: str) -> None:
        super().__init__()
        self._colour = QColor(colour)
        self.setFixedSize(22, 16)
        self.setAccessibleName(f"{meaning} {colour}")
        self.setToolTip(f"{meaning}, {colour}")

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint it with a thin rim."""
        painter = QPainter(self)
        painter.setPen(current().colour("line"))
        painter.setBrush(self._colour)
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class WhyCard(QWidget):
    """Lists reasons, the weightiest first.

    Signals
    -------
    cured : (Cure,)
        A button was pressed.
    """

    cured = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("why")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 4, 0, 0)
        self._column.setSpacing(3)
        self.why: Why | None = None
        self.hide()

    def show_why(self, why: Why | None) -> None:
        """Show the reasons of a place; None shows none."""
        self.why = why
        while (item := self._column.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.hide()
                old.deleteLater()
        self.setVisible(why is not None)
        if why is None:
            return
        self._column.addWidget(words(f"{why.alpha * 100:.0f} % solid at {why.x}, {why.y}", "strong"))
        offered: set[str] = set()
        for reason in why.reasons:
            self._column.addWidget(self._row(reason, offered))

    def _row(self, reason: Reason, offered: set[str]) -> QWidget:
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(words(reason.says, "small"))
        if reason.swatches:
            row = QHBoxLayout()
            for colour, meaning in zip(reason.swatches, ("backdrop", "subject"), strict=False):
                row.addWidget(_Swatch(colour, meaning))
            row.addStretch(1)
            column.addLayout(row)
        if reason.cure is not None and reason.cure.label not in offered:
            offered.add(reason.cure.label)
            column.addWidget(self._button(reason.cure))
        return holder

    def _button(self, cure: Cure) -> QWidget:
        return button(cure.label, partial(self.cured.emit, cure), role="link", name=f"cure {cure.label}",
                      tip="One step of undo")  # fmt: skip
