"""How places in doubt are marked over the picture."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from peel.work.marking.edge_places import Doubt

__all__ = ["paint_place"]

_SIDE = 9.0


def paint_place(painter: QPainter, at: QPointF, doubt: Doubt) -> None:
    """Mark a place: an open square; in it a bar, upright where the band is too narrow, level where too deep.

    Where something enclosed may be a gap, there is a second, smaller square.
    """
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(0, 0, 0, 190), 4.5), (QColor(255, 255, 255), 2.0)):
        painter.setPen(QPen(colour, width))
        painter.drawRect(int(at.x() - _SIDE), int(at.y() - _SIDE), int(2 * _SIDE), int(2 * _SIDE))
        if doubt == "gap":
            painter.drawRect(int(at.x() - _SIDE / 2), int(at.y() - _SIDE / 2), int(_SIDE), int(_SIDE))
            continue
        bar = QPointF(0, 4) if doubt == "narrow" else QPointF(4, 0)
        painter.drawLine(at - bar, at + bar)
