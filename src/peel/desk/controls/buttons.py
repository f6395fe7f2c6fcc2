"""Buttons in the roles of the theme, and widgets side by side."""

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

__all__ = ["button", "side_by_side"]


def button(text: str, pressed: Callable[[], object], *, role: str = "", tip: str = "") -> QPushButton:
    """Make a button; its role in the theme is its object's name."""
    made = QPushButton(text)
    if role:
        made.setObjectName(role)
    made.setToolTip(tip)
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
