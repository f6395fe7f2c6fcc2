"""Small drawings for the tools, drawn with lines so that they are sharp at any scale."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

__all__ = ["draw_icon"]


def draw_icon(painter: QPainter, name: str, rect: QRectF, colour: QColor) -> None:
    """Draw a tool's picture into a square."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(rect.topLeft())
    painter.scale(rect.width() / 20, rect.height() / 20)
    pen = QPen(colour, 1.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    _DRAWINGS[name](painter, colour)
    painter.restore()


def _contour(painter: QPainter, colour: QColor) -> None:
    path = QPainterPath(QPointF(3, 15))
    path.lineTo(6, 5)
    path.cubicTo(9, 1, 15, 3, 16, 8)
    path.lineTo(17, 14)
    painter.drawPath(path)
    painter.setBrush(colour)
    for x, y in ((3, 15), (6, 5), (17, 14)):
        painter.drawEllipse(QPointF(x, y), 1.6, 1.6)


def _brush(painter: QPainter, colour: QColor) -> None:
    painter.drawLine(QPointF(17, 3), QPointF(9, 11))
    path = QPainterPath(QPointF(9, 10.5))
    path.cubicTo(5, 10, 6, 15, 2.5, 16.5)
    path.cubicTo(6, 18, 11, 17, 10, 12)
    path.closeSubpath()
    painter.setBrush(colour)
    painter.drawPath(path)


def _band(painter: QPainter, colour: QColor) -> None:
    for shift in (0, 6):
        path = QPainterPath(QPointF(3, 6 + shift))
        path.cubicTo(7, 1 + shift, 12, 12 + shift, 17, 6 + shift)
        painter.drawPath(path)
    painter.setBrush(colour)
    for x, y in ((6, 8.2), (10, 10.4), (14, 11)):
        painter.drawEllipse(QPointF(x, y), 0.8, 0.8)


def _certain(painter: QPainter, colour: QColor) -> None:
    painter.drawEllipse(QPointF(10, 10), 7, 7)
    path = QPainterPath(QPointF(10, 3))
    path.arcTo(QRectF(3, 3, 14, 14), 90, -180)
    path.closeSubpath()
    painter.setBrush(colour)
    painter.drawPath(path)


_DRAWINGS: dict[str, Callable[[QPainter, QColor], None]] = {
    "Contour": _contour,
    "Brush": _brush,
    "Band": _band,
    "Certain": _certain,
}
