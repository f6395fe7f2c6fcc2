"""Pictures of a view in tiles, drawn on workers and kept for the canvas."""

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from itertools import count
from time import perf_counter
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
_THREADS: Final = 2
_SLOW_S: Final = 0.1  # for all tiles of a drag, from which they are first drawn at half the size
_LASTING: Final = 0.8  # of what earlier tiles took, in the mean

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
    turn: int = 0  # larger for what was drawn later


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
        self._asker = Asker(Lane("tiles", threads=_THREADS), say, self)
        self._kept: OrderedDict[TileKey, _Kept] = OrderedDict()
        self._turns = count(1)
        self._pace: dict[View, float] = {}

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
        rect, stamp = tile_rect(space, *key[1:]), self._stamp(self._stages, job, key, space, look)
        kept = self._kept.setdefault(key, _Kept(None, None, None))
        self._kept.move_to_end(key)
        if stamp not in (kept.stamp, kept.wanted):
            kept.wanted = stamp
            self._request(self._stages, job, key, rect, look, stamp)
        return kept.image

    def is_current(self, job: Job, key: TileKey, space: Space, look: Look) -> bool:
        """Return whether a tile shows the job as it stands; requests nothing."""
        kept = self._kept.get(key)
        return (
            kept is not None
            and self._stages is not None
            and kept.stamp == self._stamp(self._stages, job, key, space, look)
        )

    @staticmethod
    def _stamp(stages: Stages, job: Job, key: TileKey, space: Space, look: Look) -> Hashable:
        view, level, row, column = key
        return view_stamp(stages, job, view, tile_rect(space, level, row, column), level, look), space

    def is_fresh(self, key: TileKey) -> bool:
        """Return whether a tile shows what was last requested of it."""
        kept = self._kept.get(key)
        return kept is not None and kept.stamp == kept.wanted

    def known(self, key: TileKey) -> QImage | None:
        """Return a tile if it has been drawn, however long ago; requests nothing."""
        kept = self._kept.get(key)
        return kept.image if kept is not None else None

    def turn(self, key: TileKey) -> int:
        """Return a number that is larger for tiles drawn later; 0 for those that have not been drawn."""
        kept = self._kept.get(key)
        return kept.turn if kept is not None else 0

    def is_slow(self, view: View, tiles: int) -> bool:
        """Return whether that many tiles of a view take longer than a drag should wait for."""
        return self._pace.get(view, 0.0) * tiles > _SLOW_S

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

        def draw() -> tuple[QImage, float]:
            since = perf_counter()
            image = image_from_rgb(render(stages, job, view, rect, level, look))
            return image, (perf_counter() - since) / _THREADS

        def show(image: QImage | None) -> None:
            kept = self._kept.get(key)
            if kept is not None:
                kept.image, kept.stamp, kept.turn = image or kept.image, stamp, next(self._turns)
                self.ready.emit(key)

        def drawn(made: tuple[QImage, float]) -> None:
            image, took = made
            self._pace[view] = _LASTING * self._pace.get(view, took) + (1 - _LASTING) * took
            show(image)

        # What cannot be drawn is not tried again before something changes.
        self._asker.ask(
            _TILE, draw, drawn, key=key, wanted=lambda: stages is self._stages, failed=lambda _error: show(None)
        )
