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


def _sweep(painter: QPainter, colour: QColor) -> None:
    path = QPainterPath(QPointF(3, 13))
    path.cubicTo(3, 2, 17, 2, 17, 11)
    path.cubicTo(17, 19, 4, 19, 3, 13)
    painter.drawPath(path)
    painter.setPen(QPen(colour, 3.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    painter.drawLine(QPointF(7, 13), QPointF(13, 8.5))


def _alike(painter: QPainter, colour: QColor) -> None:
    for x, y, filled in ((5, 5, True), (14, 6, False), (9, 10.5, True), (15, 14.5, True), (5, 15, False)):
        painter.setBrush(colour if filled else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y), 2.4, 2.4)


def _fill(painter: QPainter, colour: QColor) -> None:
    path = QPainterPath(QPointF(3, 10))
    path.cubicTo(2, 3, 9, 2, 11, 4)
    path.cubicTo(18, 2, 19, 9, 16, 12)
    path.cubicTo(17, 18, 9, 19, 7, 16)
    path.cubicTo(3, 17, 2, 13, 3, 10)
    painter.drawPath(path)
    painter.setBrush(colour)
    painter.drawEllipse(QPointF(10, 10), 3.6, 3.6)


def _exact(painter: QPainter, _colour: QColor) -> None:
    painter.drawLine(QPointF(4, 16), QPointF(16, 4))
    for shift in (-3.2, 3.2):
        painter.drawLine(QPointF(6.5 + shift, 15 + shift * 0.4), QPointF(8.2 + shift, 13.3 + shift * 0.4))
        painter.drawLine(QPointF(12 + shift, 8 + shift * 0.4), QPointF(13.7 + shift, 6.3 + shift * 0.4))


_DRAWINGS: dict[str, Callable[[QPainter, QColor], None]] = {
    "Contour": _contour,
    "Sweep": _sweep,
    "Alike": _alike,
    "Brush": _brush,
    "Fill": _fill,
    "Exact": _exact,
    "Band": _band,
    "Certain": _certain,
}
