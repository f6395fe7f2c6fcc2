"""Pictures of a view in tiles, drawn on workers and kept for the canvas."""

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from typing import Final

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from peel.desk.asking import Asker, Say, task
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.space import Space
from peel.matte.arrays import ByteArray
from peel.work.scheduler import Lane
from peel.work.stages import CELL, Stages
from peel.work.views import Look, View, render, view_stamp

__all__ = ["DisplayTiles", "TileKey", "image_from_rgb", "tile_rect"]

_KEPT: Final = 500
_TILE = task("tile", "A part of the picture could not be drawn.")

TileKey = tuple[View, int, int, int]
"""View, level, row and column."""


def image_from_rgb(rgb: ByteArray) -> QImage:
    """Copy (h, w, 3) uint8 to a picture in the screen's own layout; any thread."""
    height, width = rgb.shape[:2]
    wrapped = QImage(rgb.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
    return wrapped.convertToFormat(QImage.Format.Format_RGB32)


def tile_rect(space: Space, level: int, row: int, column: int) -> Rect:
    """Return the level's pixels that a tile shows."""
    whole = Rect(row * CELL, column * CELL, (row + 1) * CELL, (column + 1) * CELL)
    return whole.intersection(space.bounds(level))


@dataclass
class _Kept:
    image: QImage | None
    stamp: Hashable
    wanted: Hashable


class DisplayTiles(QObject):
    """The tiles of the shown photo's views; one object serves one photo after another.

    Parameters
    ----------
    say : callable
        Shows a sentence to the person.

    Signals
    -------
    ready : (TileKey,)
        A tile that was asked for has been drawn.
    """

    ready = Signal(object)

    def __init__(self, say: Say, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._stages: Stages | None = None
        self._asker = Asker(Lane("tiles", threads=2), say, self)
        self._kept: OrderedDict[TileKey, _Kept] = OrderedDict()

    def close(self) -> None:
        """End the workers."""
        self._asker.close()

    def set_stages(self, stages: Stages | None) -> None:
        """Show another photo, or none."""
        self._asker.forget()
        self._stages = stages
        self._kept.clear()

    @property
    def is_idle(self) -> bool:
        """Whether everything requested has been drawn."""
        return self._asker.is_idle

    def image(self, job: Job, key: TileKey, space: Space, look: Look) -> QImage | None:
        """Return a tile as far as it is drawn, and request it if it is out of date."""
        if self._stages is None:
            return None
        view, level, row, column = key
        rect = tile_rect(space, level, row, column)
        stamp = (view_stamp(self._stages, job, view, rect, level, look), space)
        kept = self._kept.setdefault(key, _Kept(None, None, None))
        self._kept.move_to_end(key)
        if stamp not in (kept.stamp, kept.wanted):
            kept.wanted = stamp
            self._request(self._stages, job, key, rect, look, stamp)
        return kept.image

    def is_fresh(self, key: TileKey) -> bool:
        """Return whether a tile shows what was last requested of it."""
        kept = self._kept.get(key)
        return kept is not None and kept.stamp == kept.wanted

    def known(self, key: TileKey) -> QImage | None:
        """Return a tile if it has been drawn, however long ago; requests nothing."""
        kept = self._kept.get(key)
        return kept.image if kept is not None else None

    def drop_unwanted(self, visible: set[TileKey]) -> None:
        """Cancel what has gone out of sight, and forget the longest unseen."""
        self._asker.keep_only(lambda key: key in visible)
        for key, kept in self._kept.items():
            if key not in visible and kept.wanted != kept.stamp:
                kept.wanted = kept.stamp
        while len(self._kept) > max(_KEPT, len(visible)):
            self._kept.popitem(last=False)

    def _request(self, stages: Stages, job: Job, key: TileKey, rect: Rect, look: Look, stamp: Hashable) -> None:
        view, level = key[:2]

        def draw() -> QImage:
            return image_from_rgb(render(stages, job, view, rect, level, look))

        def show(image: QImage | None) -> None:
            kept = self._kept.get(key)
            if kept is not None:
                kept.image, kept.stamp = image or kept.image, stamp
                self.ready.emit(key)

        # What cannot be drawn is not tried again before something changes.
        self._asker.ask(
            _TILE, draw, show, key=key, wanted=lambda: stages is self._stages, failed=lambda _error: show(None)
        )
