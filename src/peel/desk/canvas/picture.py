"""How the canvas paints: tiles of a view, the wipe line, the drawn area. All in widget pixels."""

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from peel.desk.display.frame import Frame
from peel.desk.display.tiles import DisplayTiles, TileKey, tile_rect
from peel.job.job import Job
from peel.work.stages import CELL
from peel.work.views import Look, View

__all__ = ["coarser", "paint_area", "paint_tiles", "paint_wipe", "tiles_in_sight"]


def tiles_in_sight(view: View, frame: Frame, level: int, area: QRectF) -> list[TileKey]:
    """List the tiles of a level under an area of the widget."""
    left, top, right, bottom = frame.tiles_under(area, level)
    return [(view, level, row, column) for row in range(top, bottom) for column in range(left, right)]


def paint_tiles(
    painter: QPainter,
    tiles: DisplayTiles,
    job: Job,
    view: View,
    frame: Frame,
    pixel_ratio: float,
    look: Look,
    dirty: QRect,
    *,
    coarsely: bool = False,
) -> bool:
    """Paint the tiles that a rectangle of the widget touches; return whether all were up to date.

    Coarsely, tiles of half the size are asked for in place of those that are out of date.
    """
    level = frame.level(pixel_ratio)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, frame.scale * pixel_ratio < 3)
    fresh = True
    for key in tiles_in_sight(view, frame, level, QRectF(dirty)):
        if coarsely:
            image, is_fresh = tiles.known(key), tiles.is_current(job, key, frame.space, look)
            if not is_fresh:
                tiles.image(job, coarser(key, 1), frame.space, look)
        else:
            image = tiles.image(job, key, frame.space, look)
            is_fresh = tiles.is_fresh(key)
        target = frame.tile_target(tile_rect(frame.space, level, key[2], key[3]), level)
        fresh = fresh and is_fresh
        if image is not None and (is_fresh or tiles.turn(key) > tiles.turn(coarser(key, 1))):
            painter.drawImage(target, image)
        else:
            _paint_coarser(painter, tiles, key, frame, target)
    return fresh


def coarser(key: TileKey, up: int) -> TileKey:
    """Return the tile of a coarser level that a tile is part of."""
    view, level, row, column = key
    return view, level + up, row >> up, column >> up


def _paint_coarser(painter: QPainter, tiles: DisplayTiles, key: TileKey, frame: Frame, target: QRect) -> None:
    """Paint what a coarser level shows of a tile, so that nothing flashes."""
    _, level, row, column = key
    for up in range(1, 5):
        image = tiles.known(coarser(key, up))
        if image is None:
            continue
        size = CELL >> up
        left, top = (column - ((column >> up) << up)) * size, (row - ((row >> up) << up)) * size
        shown = tile_rect(frame.space, level, row, column)
        source = QRectF(left, top, shown.width / (1 << up), shown.height / (1 << up))
        painter.drawImage(QRectF(target), image, source)
        return


def paint_area(painter: QPainter, outline: list[QPointF]) -> None:
    """Paint an outline: white dots in a dark line, so that it shows on any photo."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, style in (
        (QColor(0, 0, 0, 170), Qt.PenStyle.SolidLine),
        (QColor(255, 255, 255), Qt.PenStyle.DotLine),
    ):
        painter.setPen(QPen(colour, 2.4, style))
        painter.drawPolygon(QPolygonF(outline))


def paint_wipe(painter: QPainter, edge: int, height: int, grip_px: int) -> None:
    """Paint the wipe line with its grip."""
    painter.fillRect(QRect(edge - 1, 0, 3, height), QColor(0, 0, 0, 150))
    painter.fillRect(QRect(edge, 0, 1, height), QColor(255, 255, 255))
    grip = QRect(edge - grip_px, height // 2 - 22, 2 * grip_px + 1, 44)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(0, 0, 0, 150), 1))
    painter.setBrush(QColor(255, 255, 255))
    painter.drawRoundedRect(grip, 6, 6)
    painter.setPen(QPen(QColor(90, 90, 90), 1.5))
    for offset in (-3, 3):
        painter.drawLine(edge + offset, grip.top() + 14, edge + offset, grip.bottom() - 14)
