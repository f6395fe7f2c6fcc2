"""The sheet of keys, over the canvas; any key or press puts it away."""

from collections.abc import Sequence
from typing import Final

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from peel.desk.controls.labels import words

__all__ = ["KeySheet", "KeySheetSection"]

KeySheetSection = tuple[str, Sequence[tuple[str, str]]]
"""A title, and keys with what they do."""

_ROWS: Final = 20  # of keys in a column


class KeySheet(QWidget):
    """Shows all keys."""

    def __init__(self, sections: Sequence[KeySheetSection], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All keys")
        self.sections = tuple(sections)
        grid = QGridLayout(self)
        grid.setContentsMargins(32, 24, 32, 24)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        columns = [
            (title if part == 0 else "", keys[part : part + _ROWS])
            for title, keys in sections
            for part in range(0, len(keys), _ROWS)
        ]
        for column, (title, keys) in enumerate(columns):
            grid.addWidget(words(title, "title"), 0, column * 2, 1, 2)
            for row, (key, meaning) in enumerate(keys, 1):
                label = QLabel(key)
                label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                label.setStyleSheet("font-weight: 600;")
                grid.addWidget(label, row, column * 2)
                grid.addWidget(QLabel(meaning), row, column * 2 + 1)
            grid.setColumnStretch(column * 2 + 1, 1)
        grid.addWidget(words("Any key puts this away.", "small"), _ROWS + 1, 0, 1, 2 * len(columns))
        grid.setRowStretch(_ROWS + 2, 1)
        self.hide()

    def toggle(self) -> None:
        """Show the sheet over its parent, or put it away."""
        if self.isVisible():
            self.hide()
            return
        parent = self.window() if self.isWindow() else self.parentWidget() or self
        size = self.sizeHint().boundedTo(parent.size())
        self.setGeometry(
            (parent.width() - size.width()) // 2,
            (parent.height() - size.height()) // 2,
            size.width(),
            size.height(),
        )
        self.show()
        self.raise_()
        self.setFocus()

    def event(self, event: QEvent) -> bool:
        """Keep keys from doing what they otherwise would."""
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, _event: QKeyEvent) -> None:
        """Put it away."""
        self.hide()

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        """Put it away."""
        self.hide()
