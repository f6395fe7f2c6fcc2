"""Labels in the roles of the theme."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

__all__ = ["words"]


def words(text: str, role: str = "small") -> QLabel:
    """Make a label of a role of the theme; its text is never taken for markup."""
    label = QLabel(text)
    label.setObjectName(role)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(True)
    return label
