"""Round the edge: the whole edge unrolled into rows of a straight strip, with its snags marked on it."""

from dataclasses import dataclass
from typing import Final

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QAbstractScrollArea, QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from peel.desk.controls.labels import words
from peel.desk.controls.over_picture import OverPicture
from peel.desk.theme import current
from peel.work.wording import grouped

__all__ = ["REACH", "EdgeStrip", "StripMark"]

REACH: Final = 40
"""Photo pixels shown to either side of the outline."""

_GAP: Final = 22  # between two rows, for the marks
_SEAM: Final = 3  # between the strip and what is under it
_ROW: Final = 4 * REACH + _SEAM + _GAP
_NEAR: Final = 14


@dataclass(frozen=True)
class StripMark:
    """A snag on the strip: its number, where along the outline, and whether it is settled."""

    number: int
    place: int
    is_settled: bool


class _Rows(QAbstractScrollArea):
    """The rows; they are asked for as they come into sight."""

    wanted = Signal(int, int, int)
    pressed = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setAccessibleName("The edge, unrolled")
        self.length = 0
        self.marks: list[StripMark] = []
        self.images: dict[int, tuple[QImage, QImage]] = {}
        self._asked: set[int] = set()

    @property
    def row_px(self) -> int:
        """Points of the outline in a row."""
        return max(self.viewport().width() - 24, 64)

    @property
    def count(self) -> int:
        """Rows."""
        return -(-self.length // self.row_px)

    def begin(self, length: int, marks: list[StripMark]) -> None:
        """Show another outline, or the same after a change."""
        self.length, self.marks = length, marks
        self.images, self._asked = {}, set()
        self._fit()

    def _fit(self) -> None:
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, self.count * _ROW + _GAP - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(_ROW // 2)
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Break the strip into rows again."""
        super().resizeEvent(event)
        self.images, self._asked = {}, set()
        self._fit()

    def row_at(self, place: int) -> QPointF:
        """Return where a point of the outline lies in the viewport."""
        row, along = divmod(place, self.row_px)
        return QPointF(12 + along, _GAP + row * _ROW - self.verticalScrollBar().value() + REACH)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the rows in sight, and ask for those that are missing."""
        theme, painter = current(), QPainter(self.viewport())
        painter.fillRect(self.viewport().rect(), theme.colour("mat"))
        offset = self.verticalScrollBar().value()
        first, last = (offset - _GAP) // _ROW, (offset + self.viewport().height()) // _ROW
        for row in range(max(first, 0), min(last + 1, self.count)):
            top = _GAP + row * _ROW - offset
            if row in self.images:
                upper, lower = self.images[row]
                painter.drawImage(QPointF(12, top), upper)
                painter.drawImage(QPointF(12, top + 2 * REACH + _SEAM), lower)
            elif row not in self._asked:
                self._asked.add(row)
                self.wanted.emit(row, row * self.row_px, min((row + 1) * self.row_px, self.length))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for mark in self.marks:
            self._paint_mark(painter, mark)

    def _paint_mark(self, painter: QPainter, mark: StripMark) -> None:
        theme, at = current(), self.row_at(mark.place)
        tip = QPointF(at.x(), at.y() - REACH)
        painter.setPen(QPen(theme.colour("accent"), 1.5))
        painter.setBrush(theme.colour("surface") if mark.is_settled else theme.colour("accent"))
        flag = QRectF(tip.x() - 11, tip.y() - 18, 22, 15)
        painter.drawRoundedRect(flag, 3, 3)
        painter.drawLine(QPointF(tip.x(), tip.y() - 3), QPointF(tip.x(), tip.y() + 6))
        font = painter.font()
        font.setPixelSize(11)
        painter.setFont(font)
        painter.setPen(theme.colour("accent") if mark.is_settled else QColor(theme.on_accent))
        painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, str(mark.number + 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Go to the place under the cursor."""
        down = event.position().y() + self.verticalScrollBar().value() - _GAP
        row, along = int(down // _ROW), round(event.position().x() - 12)
        place = row * self.row_px + along
        if row >= 0 and 0 <= along < self.row_px and place < self.length:
            self.pressed.emit(place)


def _line(text: str) -> QLabel:
    label = words(text)
    label.setWordWrap(False)
    return label


class EdgeStrip(OverPicture):
    """Lies over all of the picture.

    Signals
    -------
    wanted : (int, int, int)
        A row, and the first and last point of it, are to be drawn.
    went_to : (int,)
        A point of the outline was pressed.
    snag_chosen : (int,)
        The mark of a snag was pressed.
    changed : ()
        Another backing, or something else under the strip, was chosen.
    """

    wanted = Signal(int, int, int)
    went_to = Signal(int)
    snag_chosen = Signal(int)
    changed = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "surface")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(12, 6, 12, 6)
        head.setSpacing(8)
        self._said = _line("")
        self.over, self.under = QComboBox(), QComboBox()
        self.over.setAccessibleName("What the strip shows")
        self.under.setAccessibleName("What lies under the strip")
        for choice in (self.over, self.under):
            choice.activated.connect(lambda _index: self.changed.emit())
        close = QPushButton("Back to the picture")
        close.setObjectName("leave the strip")
        close.setToolTip("Esc")
        close.clicked.connect(lambda _checked=False: self.hide())
        head.addWidget(self._said, 1)
        for part in (_line("on"), self.over, _line("under it"), self.under, close):
            head.addWidget(part)
        column.addLayout(head)
        self.rows = _Rows()
        column.addWidget(self.rows, 1)
        self.rows.wanted.connect(self.wanted.emit)
        self.rows.pressed.connect(self._on_pressed)

    def begin(self, length: int, marks: list[StripMark]) -> None:
        """Show an outline of so many points."""
        self._said.setText(f"{grouped(length)} px of edge, outside up")
        self.rows.begin(length, marks)
        self.settle()
        self.rows.setFocus()

    def show_row(self, row: int, upper: QImage, lower: QImage) -> None:
        """Show a row that was asked for."""
        self.rows.images[row] = (upper, lower)
        self.rows.viewport().update()

    def _on_pressed(self, place: int) -> None:
        near = [mark for mark in self.rows.marks if abs(mark.place - place) <= _NEAR]
        if near:
            self.snag_chosen.emit(near[0].number)
        else:
            self.went_to.emit(place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Leave with Escape."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
