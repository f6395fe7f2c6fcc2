"""The picture as it is painted: tiles of a view, the wipe line, what is laid over it, and the tool's own marks."""

from typing import Final

from PySide6.QtCore import QPointF, QRect, QRectF, QTimer, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from peel.desk.canvas.picture import coarser, paint_area, paint_tiles, paint_wipe, tiles_in_sight
from peel.desk.canvas.viewport import Viewport
from peel.desk.desk_state import DeskState
from peel.desk.display.frame import Frame
from peel.desk.display.places import paint_place
from peel.desk.display.tiles import DisplayTiles, TileKey, tile_rect
from peel.desk.theme import current
from peel.job.job import Job
from peel.job.space import Space
from peel.work.views import View

__all__ = ["GRIP_PX", "PaintedView"]

GRIP_PX = 9
"""Widget pixels on either side of the wipe line within which it is taken hold of."""

_RESTS_MS: Final = 250  # without a change, after which a drag is shown in full


class PaintedView(Viewport):
    """Paints the desk's view of the job.

    Attributes
    ----------
    wipe : float
        Where the wipe line stands, as a share of the width.

    Signals
    -------
    settled : ()
        Every visible tile is up to date.
    """

    settled = Signal()

    def __init__(self, desk: DeskState, tiles: DisplayTiles, parent: QWidget | None = None) -> None:
        super().__init__(desk, parent)
        self.wipe: float = 0.5
        self._tiles = tiles
        self._preview: QImage | None = None
        self._is_stale = False
        self._resting = QTimer(self, singleShot=True, interval=_RESTS_MS)
        self._resting.timeout.connect(self.update)
        desk.job_changed.connect(self._on_changed)
        desk.view_changed.connect(self._on_changed)
        for changed in (desk.view_changed, desk.look_changed, desk.wipe_changed, desk.overlay_changed):
            changed.connect(self._show_moved)
        desk.brush_changed.connect(self.update)
        tiles.ready.connect(self._on_tile)

    def show_preview(self, image: QImage, space: Space) -> None:
        """Show a first, coarse look at a photo that is still being read."""
        self._preview = image
        self.frame = Frame(space)
        self.fit()

    def end_preview(self) -> None:
        """Show no first look any more: the photo could not be opened."""
        self._preview = None
        self.update()

    def _show_moved(self) -> None:
        self._drop_unseen()
        self.update()

    def _on_changed(self) -> None:
        self._is_stale = True
        if self._desk.is_dragging and self._tiles.is_slow(self._desk.view, len(self._in_sight())):
            self._resting.start()
            self._drop_unseen()
        else:
            self._resting.stop()
        self.update()

    @property
    def is_fresh(self) -> bool:
        """Whether what was last painted is the job as it stands, and none of it is coarse."""
        return not self._is_stale

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint mat, tiles, wipe line and tool."""
        painter = QPainter(self)
        painter.fillRect(event.rect(), current().colour("mat"))
        if self._preview is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.frame.space_rect(), self._preview)
        elif self.job is not None:
            self._paint_job(painter, event.rect())
        painter.end()

    def _paint_job(self, painter: QPainter, dirty: QRect) -> None:
        job = self._desk.compared or self.job
        assert job is not None
        fresh = self._paint_view(painter, job, self._desk.view, dirty)
        if self._desk.wipes:
            edge = round(self.wipe * self.width())
            left = QRect(0, 0, edge, self.height()).intersected(dirty)
            painter.save()
            painter.setClipRect(left)
            painter.fillRect(left, current().colour("mat"))
            fresh = self._paint_view(painter, job, View.PHOTO, left) and fresh
            painter.restore()
            paint_wipe(painter, edge, self.height(), GRIP_PX)
        overlay = self._desk.overlay
        if overlay.image is not None:
            painter.drawImage(self.frame.space_rect(), overlay.image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for place in overlay.places:
            paint_place(painter, self.frame.to_widget(QPointF(*place.at)), place.doubt)
        if overlay.area:
            paint_area(painter, [self.frame.to_widget(QPointF(*point)) for point in overlay.area])
        if self._desk.tool is not None:
            self._desk.tool.paint(painter)
        if fresh and self._is_stale and dirty.contains(self.rect()):
            self._is_stale = False
            self.settled.emit()
        self._is_stale = self._is_stale or not fresh

    def _paint_view(self, painter: QPainter, job: Job, view: View, dirty: QRect) -> bool:
        if dirty.isEmpty():
            return True
        frame, ratio = self.frame_of(view), self.devicePixelRatioF()
        look, coarsely = self._desk.look, self._resting.isActive()
        return paint_tiles(painter, self._tiles, job, view, frame, ratio, look, dirty, coarsely=coarsely)

    def _drop_unseen(self) -> None:
        """Cancel the drawing of tiles that are no longer in sight."""
        if self.job is not None:
            self._tiles.drop_unwanted(self._drawn())

    def _in_sight(self) -> set[TileKey]:
        visible: set[TileKey] = set()
        for view in {self._desk.view, View.PHOTO} if self._desk.wipes else {self._desk.view}:
            frame = self.frame_of(view)
            visible.update(tiles_in_sight(view, frame, frame.level(self.devicePixelRatioF()), QRectF(self.rect())))
        return visible

    def _drawn(self) -> set[TileKey]:
        """Return the tiles that are drawn for what is in sight: those of half the size during a slow drag."""
        visible = self._in_sight()
        return {coarser(key, 1) for key in visible} if self._resting.isActive() else visible

    def _on_tile(self, key: TileKey) -> None:
        view, level, row, column = key
        frame = self.frame_of(view)
        if all(self._tiles.is_fresh(own) for own in self._in_sight()):
            self.update()  # the whole, which is how it is known to be fresh
        elif level == frame.level(self.devicePixelRatioF()) + self._resting.isActive():
            self.update(frame.tile_target(tile_rect(frame.space, level, row, column), level))
