"""The message bar: one sentence over the canvas, which blocks nothing."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

__all__ = ["MessageBar"]


class MessageBar(QWidget):
    """Shows what happened and what to do; stays until it is dismissed or replaced."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("message")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(
            "#message { background: #fff3cd; border-bottom: 1px solid #a98a1d; } #message * { color: #2b2200; }"
        )
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 6, 8, 6)
        self._words = QLabel()
        self._words.setObjectName("message words")
        self._words.setWordWrap(True)
        self._words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._words.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self._copy = QPushButton("Copy details")
        self._copy.clicked.connect(self._on_copy)
        dismiss = QPushButton("Dismiss")
        dismiss.setAccessibleName("Dismiss the message")
        dismiss.clicked.connect(self.hide)
        for button in (self._copy, dismiss):
            button.setStyleSheet("background: #f1dfa0; color: #2b2200;")
        line.addWidget(self._words, 1)
        line.addWidget(self._copy)
        line.addWidget(dismiss)
        self._details = ""
        self.hide()

    @property
    def text(self) -> str:
        """What is said."""
        return self._words.text()

    def say(self, message: str, hint: str = "", details: str = "") -> None:
        """Show a sentence, and what to do about it."""
        self._words.setText(f"{message} {hint}".strip())
        self._details = details
        self._copy.setVisible(bool(details))
        self.show()

    def _on_copy(self) -> None:
        QGuiApplication.clipboard().setText(f"{self._words.text()}\n\n{self._details}")
