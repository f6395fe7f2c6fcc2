"""Where the parts of the window lie."""

from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

__all__ = ["in_column", "in_row", "side_column"]

_SIDE_PX: Final = 304


def in_column(*parts: QWidget, grows: QWidget) -> QWidget:
    """Put parts below each other without gaps; one takes the room that is left."""
    holder = QWidget()
    return _filled(holder, QVBoxLayout(holder), parts, grows)


def in_row(*parts: QWidget, grows: QWidget) -> QWidget:
    """Put parts beside each other without gaps; one takes the room that is left."""
    holder = QWidget()
    return _filled(holder, QHBoxLayout(holder), parts, grows)


def _filled(holder: QWidget, box: QBoxLayout, parts: tuple[QWidget, ...], grows: QWidget) -> QWidget:
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(0)
    for part in parts:
        box.addWidget(part, 1 if part is grows else 0)
    return holder


def side_column(pages: QWidget) -> QWidget:
    """Put pages, which scroll if the window is low, into a column of the full height."""
    side = QWidget()
    side.setObjectName("surface")
    side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    side.setFixedWidth(_SIDE_PX)
    scroll = QScrollArea()
    scroll.setWidget(pages)
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    column = QVBoxLayout(side)
    column.setContentsMargins(12, 12, 8, 8)
    column.addWidget(scroll, 1)
    return side
