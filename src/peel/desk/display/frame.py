"""Where a space of pixels lies on the canvas: the one place that turns widget points into its points."""

import math
from typing import Final

from PySide6.QtCore import QPointF, QRect, QRectF, QSizeF

from peel.job.rect import Rect
from peel.job.space import Space, level_size
from peel.work.stages import CELL

__all__ = ["Frame"]

_LARGEST: Final = 40.0
_MARGIN: Final = 18.0


class Frame:
    """Scale and position of a space, a photo or a sheet, in a widget.

    Attributes
    ----------
    space : Space
    scale : float
        Widget pixels for a pixel of the space.
    origin : QPointF
        The widget point of the space's top left corner.
    """

    def __init__(self, space: Space | None = None) -> None:
        self.space = space or Space(1, 1)
        self.scale = 1.0
        self.origin = QPointF(0, 0)

    @property
    def width(self) -> int:
        """Columns of the space."""
        return self.space.width

    @property
    def height(self) -> int:
        """Rows of the space."""
        return self.space.height

    def fit(self, size: QSizeF) -> None:
        """Show the whole space with a margin of mat around it."""
        room = QSizeF(max(size.width() - 2 * _MARGIN, 1), max(size.height() - 2 * _MARGIN, 1))
        self.scale = min(room.width() / self.width, room.height() / self.height, 8.0)
        self.origin = QPointF(
            (size.width() - self.width * self.scale) / 2, (size.height() - self.height * self.scale) / 2
        )

    def zoom_to(self, scale: float, about: QPointF) -> None:
        """Change the scale, keeping a widget point over the same point."""
        point = self.to_space(about)
        self.scale = min(max(scale, 16 / max(self.width, self.height)), _LARGEST)
        self.origin = about - point * self.scale

    def look_at(self, centre: QPointF, scale: float, size: QSizeF) -> None:
        """Put a point in the middle of the widget at a scale."""
        self.scale = min(max(scale, 0.001), _LARGEST)
        self.origin = QPointF(size.width() / 2, size.height() / 2) - centre * self.scale

    def pan(self, by: QPointF) -> None:
        """Move by widget pixels."""
        self.origin += by

    def to_space(self, point: QPointF) -> QPointF:
        """Return the point of the space under a widget point."""
        return (point - self.origin) / self.scale

    def to_widget(self, point: QPointF) -> QPointF:
        """Return the widget point of a point of the space."""
        return point * self.scale + self.origin

    def space_rect(self) -> QRectF:
        """Return where the whole space lies in the widget."""
        return QRectF(self.origin, QSizeF(self.width * self.scale, self.height * self.scale))

    def level(self, pixel_ratio: float) -> int:
        """Return the pyramid level to show: the coarsest with at least one of its pixels per screen pixel."""
        deepest = max(0, int(math.log2(max(self.width, self.height))) - 4)
        return min(max(0, math.floor(-math.log2(self.scale * pixel_ratio) + 1e-6)), deepest)

    def tile_target(self, rect: Rect, level: int) -> QRect:
        """Return where a level's pixels lie in the widget; neighbours meet exactly."""
        step = self.scale * (1 << level)
        left, top = (round(self.origin.x() + rect.left * step), round(self.origin.y() + rect.top * step))
        right = round(self.origin.x() + min(rect.right * step, self.width * self.scale))
        bottom = round(self.origin.y() + min(rect.bottom * step, self.height * self.scale))
        return QRect(left, top, max(right - left, 1), max(bottom - top, 1))

    def tiles_under(self, area: QRectF, level: int) -> tuple[int, int, int, int]:
        """Return left, top, right, bottom (exclusive) of the tile numbers under a widget area."""
        height, width = level_size(self.height, self.width, level)
        step = CELL * self.scale * (1 << level)
        columns, rows = -(-width // CELL), -(-height // CELL)
        left = math.floor((area.left() - 1 - self.origin.x()) / step)
        top = math.floor((area.top() - 1 - self.origin.y()) / step)
        right = math.ceil((area.right() + 1 - self.origin.x()) / step)
        bottom = math.ceil((area.bottom() + 1 - self.origin.y()) / step)
        return max(left, 0), max(top, 0), min(right, columns), min(bottom, rows)
