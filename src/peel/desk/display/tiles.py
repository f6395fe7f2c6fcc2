"""Pictures of a view in tiles, drawn on workers and kept for the canvas."""

from collections import OrderedDict
from dataclasses import dataclass
from typing import Any, Final

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import ByteArray
from peel.work.scheduler import Lane, Ticket
from peel.work.stages import CELL, HALO, Stages
from peel.work.views import Look, View, render

__all__ = ["DisplayTiles", "TileKey", "image_from_rgb"]

_KEPT: Final = 500

TileKey = tuple[View, int, int, int]


def image_from_rgb(rgb: ByteArray) -> QImage:
    """Copy (h, w, 3) uint8 to a picture in the screen's own layout; any thread."""
    height, width = rgb.shape[:2]
    wrapped = QImage(rgb.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
    return wrapped.convertToFormat(QImage.Format.Format_RGB32)


@dataclass
class _Kept:
    image: QImage | None
    stamp: Any
    wanted: Any


class DisplayTiles(QObject):
    """The tiles of one session's views.

    Signals
    -------
    ready : (object, Rect)
        A tile's key and the level's pixels it shows.
    """

    ready = Signal(object, object)

    def __init__(self, stages: Stages, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._stages = stages
        self._lane = Lane("tiles", threads=2)
        self._kept: OrderedDict[TileKey, _Kept] = OrderedDict()
        self.look = Look()
        self.ready.connect(self._on_ready)

    def close(self) -> None:
        """End the workers."""
        self._lane.close()

    @property
    def is_idle(self) -> bool:
        """Whether everything asked for has been drawn."""
        return self._lane.is_idle

    def set_look(self, look: Look) -> None:
        """Choose how views are drawn."""
        self.look = look

    def rect(self, level: int, row: int, column: int) -> Rect:
        """Return the level's pixels that a tile shows."""
        whole = Rect(row * CELL, column * CELL, (row + 1) * CELL, (column + 1) * CELL)
        return whole.intersection(self._stages.bounds(level))

    def image(self, job: Job, key: TileKey) -> QImage | None:
        """Return a tile as far as it is drawn, and ask for it if it is out of date."""
        kept = self._kept.get(key)
        stamp = self._stamp(job, key)
        if kept is None:
            kept = self._kept[key] = _Kept(None, None, None)
        self._kept.move_to_end(key)
        if stamp not in (kept.stamp, kept.wanted):
            kept.wanted = stamp
            self._ask(job, key, stamp)
        return kept.image

    def known(self, key: TileKey) -> QImage | None:
        """Return a tile if it has been drawn, however long ago; asks for nothing."""
        kept = self._kept.get(key)
        return kept.image if kept is not None else None

    def drop_unwanted(self, visible: set[TileKey]) -> None:
        """Cancel what has gone out of sight, and forget the longest unseen."""
        self._lane.keep_only(lambda key: key in visible)
        for key, kept in self._kept.items():
            if key not in visible and kept.wanted != kept.stamp:
                kept.wanted = kept.stamp
        while len(self._kept) > max(_KEPT, len(visible)):
            self._kept.popitem(last=False)

    def _ask(self, job: Job, key: TileKey, stamp: Any) -> None:
        view, level, row, column = key
        rect = self.rect(level, row, column)
        look = self.look

        def draw(ticket: Ticket) -> QImage:
            ticket.check()
            return image_from_rgb(render(self._stages, job, view, rect, level, look))

        self._lane.submit(key, draw, lambda image: self.ready.emit((key, stamp, image), rect))

    def _on_ready(self, drawn: tuple[TileKey, Any, QImage], _rect: Rect) -> None:
        key, stamp, image = drawn
        kept = self._kept.get(key)
        if kept is not None:
            kept.image, kept.stamp = image, stamp

    def _stamp(self, job: Job, key: TileKey) -> Any:
        """Return what a tile is made from; equal stamps mean equal pictures."""
        view, level, row, column = key
        rect = self.rect(level, row, column)
        under = self._stages.covered(rect, level)
        if view is View.PHOTO:
            return ("photo",)
        if view is View.ZONES:
            look = self.look
            return (*job.zones.tiles_in(under), look.unsure, look.backdrop, look.strength, look.hatch_px)
        if view is View.MATTE:
            return job.matte.tiles_in(under)
        around = self._stages.covered(rect.grown(HALO).intersection(self._stages.bounds(level)), level)
        return (*job.matte.tiles_in(around), job.settings.colour.clean, self._behind(job, view))

    def _behind(self, job: Job, view: View) -> Any:
        if view is View.LOUD:
            return self.look.loud
        return job.settings.backing if view is View.BACKING else None
