"""Where the parts of the window lie."""

from collections.abc import Iterable
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

__all__ = ["SideColumn", "in_column", "in_row"]

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


class SideColumn(QWidget):
    """A column of the full height that shows one of several pages, which scrolls if the window is low.

    What a page keeps at its foot stays in sight below it. The pages are hidden rather than stacked: a stack is as tall
    as its tallest page, and the others could be scrolled into nothing.
    """

    def __init__(self, pages: Iterable[tuple[QWidget, QWidget]]) -> None:
        super().__init__()
        self._pages = tuple(pages)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_SIDE_PX)
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        for page, foot in self._pages:
            page.hide()
            foot.hide()
            column.addWidget(page)
        self.scroller = QScrollArea()
        self.scroller.setWidget(holder)
        self.scroller.setWidgetResizable(True)
        self.scroller.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroller.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        around = QVBoxLayout(self)
        around.setContentsMargins(12, 12, 8, 8)
        around.addWidget(self.scroller, 1)
        for _, foot in self._pages:
            around.addWidget(foot)

    def show_page(self, page: QWidget) -> None:
        """Show a page from its top; a page that is shown already stays where it was scrolled to."""
        if not page.isHidden():
            return
        for other, foot in self._pages:
            other.setVisible(other is page)
            foot.setVisible(other is page and bool(foot.children()[1:]))  # beside its layout
        self.scroller.verticalScrollBar().setValue(0)
