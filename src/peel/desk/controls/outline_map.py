"""A small drawing of the subject's outline with its snags on it, to see where the walk stands."""

from dataclasses import dataclass
from typing import Final

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from peel.desk.theme import current
from peel.matte.arrays import FloatArray, IntArray

__all__ = ["MapMark", "OutlineMap"]

_HEIGHT: Final = 132
_EVERY: Final = 8  # points of the outline that are left out between two that are drawn
_NEAR_PX: Final = 12.0


@dataclass(frozen=True)
class MapMark:
    """A snag on the map: where it is in the photo, how grave (0 to 2), and whether it is done with."""

    at: tuple[float, float]
    rank: int
    is_settled: bool


class OutlineMap(QWidget):
    """Draws outline and marks; a press on a mark chooses it.

    Signals
    -------
    chosen : (int,)
    """

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Where along the edge the snags are")
        self.setToolTip("A larger mark is a graver snag, a hollow one is settled. Press one to go there")
        self._lines: list[QPolygonF] = []
        self._size = (1.0, 1.0)
        self._marks: list[MapMark] = []
        self._current = -1

    def sizeHint(self) -> QSize:
        """Ask for the column's width."""
        return QSize(240, _HEIGHT)

    def show_outline(self, points: FloatArray, starts: IntArray, size: tuple[int, int]) -> None:
        """Show another outline, of a photo of a width and height.

        Points are (N, 2) float, x and y in photo pixels; `starts` are the places where its parts begin.
        """
        ends = [*starts[1:], len(points)]
        self._lines = [
            QPolygonF([QPointF(float(x), float(y)) for x, y in points[start:end:_EVERY]])
            for start, end in zip(starts, ends, strict=True)
        ]
        self._size = (max(size[0], 1), max(size[1], 1))
        self.update()

    def show_marks(self, marks: list[MapMark], current_mark: int) -> None:
        """Show snags, and which one the walk is at; -1 for none."""
        self._marks, self._current = marks, current_mark
        self.update()

    def _scale(self) -> tuple[float, QPointF]:
        scale = min((self.width() - 16) / self._size[0], (self.height() - 16) / self._size[1])
        left, top = (self.width() - self._size[0] * scale) / 2, (self.height() - self._size[1] * scale) / 2
        return scale, QPointF(left, top)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the outline, the marks, and a ring around the one the walk is at."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("raised"))
        scale, offset = self._scale()
        painter.save()
        painter.translate(offset)
        painter.scale(scale, scale)
        pen = QPen(theme.colour("muted"), 1.3)
        pen.setCosmetic(True)
        painter.setPen(pen)
        for line in self._lines:
            painter.drawPolygon(line)
        painter.restore()
        for number, mark in enumerate(self._marks):
            self._paint_mark(painter, number, mark)

    def _paint_mark(self, painter: QPainter, number: int, mark: MapMark) -> None:
        theme, at = current(), self._place(mark)
        radius = 2.5 + 1.5 * mark.rank
        painter.setPen(QPen(theme.colour("accent"), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush if mark.is_settled else theme.colour("accent"))
        painter.drawEllipse(at, radius, radius)
        if number == self._current:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.drawRect(QRectF(at.x() - 9, at.y() - 9, 18, 18))

    def _place(self, mark: MapMark) -> QPointF:
        scale, offset = self._scale()
        return offset + QPointF(*mark.at) * scale

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the mark under the cursor."""
        away = [(self._place(mark) - event.position()).manhattanLength() for mark in self._marks]
        if away and min(away) <= _NEAR_PX:
            self.chosen.emit(away.index(min(away)))
