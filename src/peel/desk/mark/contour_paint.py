"""How contours are painted over the picture: lines, points and handles, in widget pixels."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from peel.desk.display.frame import Frame
from peel.desk.mark.contour_shape import ContourShape
from peel.job.settings import Band, Node

__all__ = ["paint_dotted", "paint_handles", "paint_points", "paint_run", "paint_shape"]

_MANY: Final = 220  # points of longer contours show only near the cursor
_NEAR_PX: Final = 60
_CORNERS: Final = ((-0.9, -0.9), (0.9, -0.9), (0.9, 0.9), (-0.9, 0.9))
_FIRST = QColor(236, 130, 60)
_WHITE, _SHADE = QColor(255, 255, 255), QColor(0, 0, 0, 160)


def paint_run(painter: QPainter, points: list[QPointF]) -> None:
    """Paint a run that is being drawn, or that a click would make."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((_SHADE, 3.2), (_WHITE, 1.4)):
        painter.setPen(QPen(colour, width))
        painter.drawPolyline(QPolygonF(points))


def paint_dotted(painter: QPainter, start: QPointF, end: QPointF) -> None:
    """Paint where a straight run would go."""
    for colour, width in ((_SHADE, 2.6), (_WHITE, 1.2)):
        painter.setPen(QPen(colour, width, Qt.PenStyle.DotLine))
        painter.drawLine(start, end)


def paint_shape(painter: QPainter, shape: ContourShape, frame: Frame, band: Band) -> None:
    """Paint a contour: while it is open, its loose stretches with the width of their band; the exact ones bolder."""
    origin = frame.to_widget(QPointF(0, 0))
    onto = QTransform(frame.scale, 0, 0, frame.scale, origin.x(), origin.y())
    painter.setBrush(Qt.BrushStyle.NoBrush)
    loose, exact = onto.map(shape.loose), onto.map(shape.exact)
    if not shape.contour.closed:
        width = max((band.outward_px + band.inward_px) * frame.scale, 5.0)
        round_ends = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
        painter.setPen(QPen(QColor(255, 255, 255, 60), width, Qt.PenStyle.SolidLine, *round_ends))
        painter.drawPath(loose)
    _paint_double(painter, loose, 1.4, shape.contour.hole)
    _paint_double(painter, exact, 2.2, shape.contour.hole)


def _paint_double(painter: QPainter, path: QPainterPath, width: float, hole: bool) -> None:
    """Paint a white line in a dark one, so that it shows on any photo; dashed for a hole."""
    if path.isEmpty():
        return
    painter.setPen(QPen(_SHADE, width + 1.8))
    painter.drawPath(path)
    pen = QPen(_WHITE, width)
    if hole:
        pen.setDashPattern([5, 4])
    painter.setPen(pen)
    painter.drawPath(path)


def paint_points(painter: QPainter, shape: ContourShape, frame: Frame, cursor: QPointF | None) -> None:
    """Paint a contour's points: square where sharp, round where smooth, small where a fit put them."""
    nodes = shape.contour.nodes
    for index in _shown(shape, frame, cursor):
        first = index == 0 and not shape.contour.closed
        size = 5.0 if first else 2.4 if nodes[index].fitted else 3.6
        point = frame.to_widget(QPointF(*nodes[index].at))
        painter.setPen(QPen(QColor(0, 0, 0, 190), 1.2))
        painter.setBrush(_FIRST if first else _WHITE)
        if nodes[index].smooth:
            painter.drawEllipse(point, size, size)
        else:
            painter.drawPolygon(QPolygonF([point + QPointF(dx * size, dy * size) for dx, dy in _CORNERS]))


def _shown(shape: ContourShape, frame: Frame, cursor: QPointF | None) -> list[int]:
    if len(shape.points) <= _MANY:
        return list(range(len(shape.points)))
    if cursor is None:
        return [0]
    at = frame.to_space(cursor)
    near = np.abs(shape.points - (at.x(), at.y())).sum(axis=1) < _NEAR_PX / frame.scale
    return [0, *np.flatnonzero(near).tolist()]


def paint_handles(painter: QPainter, node: Node, frame: Frame) -> None:
    """Paint the selected point and its handles."""
    centre = frame.to_widget(QPointF(*node.at))
    for handle in (node.back, node.out):
        if handle == (0.0, 0.0):
            continue
        end = frame.to_widget(QPointF(node.at[0] + handle[0], node.at[1] + handle[1]))
        for colour, width in ((_SHADE, 2.6), (_FIRST, 1.4)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(centre, end)
        painter.setBrush(_WHITE)
        painter.drawEllipse(end, 3.2, 3.2)
    painter.setPen(QPen(QColor(0, 0, 0, 190), 1.4))
    painter.setBrush(_FIRST)
    painter.drawEllipse(centre, 5.0, 5.0)
