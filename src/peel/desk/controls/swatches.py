"""Colours to choose from: those of the assignment, and those used last."""

from typing import Final

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QWidget

from peel.desk.theme import current
from peel.work.session import memory

__all__ = ["Swatches"]

FIRST: Final = (
    "#ffffff", "#f2f2f0", "#d9d9d6", "#8f8f8c", "#3a3a39", "#000000",
    "#f4e9d8", "#e8c9a0", "#c8553d", "#7a9e7e", "#3f6c8f", "#2d2a4a",
)  # fmt: skip
_A_ROW: Final = 6
_RECENT: Final = 6
_MOST: Final = 24
_MOST_ASSIGNMENTS: Final = 60
_KEPT: Final = "swatches of assignments"


class _Swatch(QAbstractButton):
    """A colour to choose."""

    dropped = Signal()

    def __init__(self, colour: str, kept: str) -> None:
        super().__init__()
        self.colour = colour
        self.setObjectName(f"{kept} {colour}")
        self.setAccessibleName(f"{colour}, {kept}")
        self.setToolTip(colour if kept == "recent" else f"{colour} · the right button takes it off the assignment")
        self.setCheckable(True)
        self.setFixedHeight(26)

    def sizeHint(self) -> QSize:
        """Ask for a small field."""
        return QSize(38, 26)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Take the colour off the assignment."""
        self.dropped.emit()
        event.accept()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the colour, framed when chosen or focused."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        marked = self.isChecked() or self.hasFocus()
        painter.setPen(theme.colour("accent" if marked else "line"))
        painter.setBrush(QColor(self.colour))
        inset = 2 if self.isChecked() else 1
        painter.drawRoundedRect(self.rect().adjusted(inset, inset, -inset, -inset), 4, 4)
        if self.isChecked():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), 5, 5)


class Swatches(QWidget):
    """Rows of colours.

    Signals
    -------
    chosen : (str,)
    """

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(5)
        self._shown: list[_Swatch] = []
        self._assignment = ""
        self._own = list(FIRST)
        self._recent = _colours(memory.read_preference("recent colours"), [], _RECENT)
        self._lay_out()

    def show_assignment(self, assignment: str) -> None:
        """Show the colours of an assignment, which is known by its folder; a new one has a few to begin with."""
        if assignment != self._assignment:
            self._assignment = assignment
            self._own = _colours(_kept().get(assignment), list(FIRST), _MOST)
            self._lay_out()

    def _lay_out(self) -> None:
        for swatch in self._shown:
            swatch.hide()
            swatch.deleteLater()
        self._shown = []
        rows = -(-len(self._own) // _A_ROW)
        for number, colour in enumerate(self._own):
            self._add(colour, "swatch", number // _A_ROW, number % _A_ROW)
        for number, colour in enumerate(self._recent):
            self._add(colour, "recent", rows, number)

    def _add(self, colour: str, kept: str, row: int, column: int) -> None:
        swatch = _Swatch(colour, kept)
        swatch.clicked.connect(lambda _checked=False: self.chosen.emit(colour))
        if kept == "swatch":
            swatch.dropped.connect(lambda: self._drop(colour))
        self._grid.addWidget(swatch, row, column)
        self._shown.append(swatch)

    def show_chosen(self, colour: str | None) -> None:
        """Frame the swatch of a colour."""
        for swatch in self._shown:
            swatch.setChecked(swatch.colour == colour)
            swatch.update()

    def note(self, colour: str) -> None:
        """Put a colour among those used last."""
        if colour in self._own or colour in self._recent[:1]:
            return
        self._recent = [colour, *(old for old in self._recent if old != colour)][:_RECENT]
        memory.write_preference("recent colours", self._recent)
        self._lay_out()

    def keep(self, colour: str) -> None:
        """Add a colour to those of the assignment."""
        if colour not in self._own and len(self._own) < _MOST:
            self._remember([*self._own, colour])

    def _drop(self, colour: str) -> None:
        self._remember([own for own in self._own if own != colour])

    def _remember(self, colours: list[str]) -> None:
        self._own = colours
        others = {folder: kept for folder, kept in _kept().items() if folder != self._assignment}
        newest = dict(list(others.items())[-_MOST_ASSIGNMENTS + 1 :])
        memory.write_preference(_KEPT, newest | {self._assignment: colours})
        self._lay_out()


def _kept() -> dict[str, object]:
    """Return the colours of every assignment that has its own, the one changed last at the end."""
    found = memory.read_preference(_KEPT)
    return found if isinstance(found, dict) else {}


def _colours(found: object, first: list[str], most: int) -> list[str]:
    """Return remembered colours; what is no colour is left out."""
    if not isinstance(found, list):
        return first
    colours = [text for text in found if isinstance(text, str) and len(text) == 7 and QColor(text).isValid()]
    return colours[:most]
