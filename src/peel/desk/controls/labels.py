"""Labels in the roles of the theme."""

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

__all__ = ["plain_tip", "words"]


def words(text: str, role: str = "small") -> QLabel:
    """Make a label of a role of the theme; its text is never taken for markup."""
    label = QLabel(text)
    label.setObjectName(role)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(True)
    return label


def plain_tip(text: str) -> str:
    """Return a tool tip that shows a text as it is: Qt takes what looks like markup for markup, pictures included."""
    return f"<qt>{html.escape(text)}</qt>"
