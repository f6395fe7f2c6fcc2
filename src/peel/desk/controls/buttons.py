"""Buttons in the roles of the theme, and widgets side by side."""

from collections.abc import Callable
from typing import Any, Literal

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

__all__ = ["Role", "button", "side_by_side"]

Role = Literal["", "chief", "link", "choice", "page", "way"]
"""How a button looks: plain, chief of its page, as words, one of several, one of five in a row, or small."""


def button(
    text: str, pressed: Callable[[], Any], *, role: Role = "", name: str = "", tip: str = "", checks: bool = False
) -> QPushButton:
    """Make a button; `checks` makes it one that stays down."""
    made = QPushButton(text)
    made.setProperty("role", role)
    made.setObjectName(name)
    made.setToolTip(tip)
    made.setCheckable(checks)
    made.clicked.connect(lambda _checked=False: pressed())
    return made


def side_by_side(*parts: QWidget, spacing: int = 6) -> QHBoxLayout:
    """Lay widgets out in a line."""
    line = QHBoxLayout()
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(spacing)
    for part in parts:
        line.addWidget(part)
    return line
