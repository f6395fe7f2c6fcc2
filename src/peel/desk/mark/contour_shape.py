"""A contour as the canvas paints and touches it: kept as long as the contour stays the same."""

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainterPath

from peel.job.edits.contours import piece_of
from peel.job.settings import Contour
from peel.matte.marking.curves import flatten, nearest_place

__all__ = ["ContourShape", "shape_of"]


class ContourShape:
    """The paths and points of one contour, in photo pixels."""

    def __init__(self, contour: Contour) -> None:
        self.contour = contour
        nodes = contour.nodes
        self.points = np.array([node.at for node in nodes], np.float64).reshape(-1, 2)
        self.exact, self.loose = QPainterPath(), QPainterPath()
        ends = [*range(1, len(nodes)), *([0] if contour.closed and len(nodes) > 1 else [])]
        lines = []
        for end in ends:
            piece = piece_of(contour, end)
            path = self.exact if nodes[end].exact else self.loose
            start, out, back, stop = (QPointF(*point) for point in piece)
            if path.currentPosition() != start or path.isEmpty():
                path.moveTo(start)
            if out == start and back == stop:
                path.lineTo(stop)
            else:
                path.cubicTo(out, back, stop)
            line = flatten(piece, 0.5)
            lines.append(np.column_stack([line[:-1], line[1:], np.full(len(line) - 1, end)]))
        self._runs = np.concatenate(lines) if lines else np.empty((0, 5))

    def nearest_node(self, at: tuple[float, float], reach_px: float) -> int | None:
        """Return the node nearest to a photo point, if one is within reach."""
        if not len(self.points):
            return None
        away = np.abs(self.points - at).sum(axis=1)
        best = int(np.argmin(away))
        return best if away[best] <= reach_px else None

    def nearest_stretch(self, at: tuple[float, float], reach_px: float) -> tuple[int, float] | None:
        """Return the stretch nearest to a photo point, by the node it leads to, and where along it; if within reach."""
        if not len(self._runs):
            return None
        start, run = self._runs[:, :2], self._runs[:, 2:4] - self._runs[:, :2]
        length = np.maximum((run**2).sum(axis=1), 1e-12)
        along = np.clip(((np.asarray(at) - start) * run).sum(axis=1) / length, 0, 1)
        away = np.hypot(*(start + run * along[:, None] - np.asarray(at)).T)
        best = int(np.argmin(away))
        if away[best] > reach_px:
            return None
        node = int(self._runs[best, 4])
        return node, nearest_place(piece_of(self.contour, node), at)[0]


_shapes: dict[int, ContourShape] = {}


def shape_of(contour: Contour) -> ContourShape:
    """Return a contour's shape; made once for as long as the contour is in use."""
    known = _shapes.get(id(contour))
    if known is None or known.contour is not contour:
        if len(_shapes) > 200:
            _shapes.clear()
        known = _shapes[id(contour)] = ContourShape(contour)
    return known
