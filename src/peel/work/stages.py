"""What is derived from a job, window by window: pyramid, colours, composite. Display and delivery share it.

A stage is asked for a window at a level: level 0 is the photo itself, each further level is half of the one before.
Results are kept by the identity of what they were made from, so nothing ever has to be invalidated.
"""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.files.profiles import colour_into_profile
from peel.job.job import Job, Photo
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import ByteArray, FloatArray, unit_floats
from peel.matte.composite import composite_over
from peel.matte.foreground import estimate_foreground
from peel.matte.parallel import run_all
from peel.matte.trimap import BACKGROUND, FOREGROUND

__all__ = ["CELL", "HALO", "Cache", "Pyramid", "Stages", "level_size"]

CELL: Final = 256
HALO: Final = 48  # pixels around a cell that its edge colours are estimated from


class Cache:
    """Results by what they were made from, the longest unused dropped when the budget is spent. Any thread."""

    def __init__(self, budget_bytes: int) -> None:
        self._budget, self._spent = budget_bytes, 0
        self._kept: OrderedDict[Hashable, NDArray[Any]] = OrderedDict()
        self._turn = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], NDArray[Any]]) -> NDArray[Any]:
        """Give what is kept under a key, or make it."""
        with self._turn:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._turn:
            if key not in self._kept:
                self._kept[key] = made
                self._spent += made.nbytes
                while self._spent > self._budget and len(self._kept) > 1:
                    _, dropped = self._kept.popitem(last=False)
                    self._spent -= dropped.nbytes
        return made


def level_size(height: int, width: int, level: int) -> tuple[int, int]:
    """Give the size of a picture at a level."""
    step = 1 << level
    return -(-height // step), -(-width // step)


def _shrunk(values: NDArray[Any], level: int) -> NDArray[Any]:
    """Average squares of pixels; those cut by the border average what they have."""
    if level == 0:
        return values
    step = 1 << level
    height, width = level_size(values.shape[0], values.shape[1], level)
    missing = (height * step - values.shape[0], width * step - values.shape[1])
    if any(missing):
        values = cv2.copyMakeBorder(values, 0, missing[0], 0, missing[1], cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA))


class Pyramid:
    """A photo at every level; a level is made when first asked for."""

    def __init__(self, photo: Photo) -> None:
        self._levels: list[NDArray[Any]] = [photo.pixels]
        self._turn = threading.Lock()

    def pixels(self, level: int) -> NDArray[Any]:
        """Give the whole photo at a level, in its own depth and profile."""
        with self._turn:
            while len(self._levels) <= level:
                self._levels.append(_shrunk(self._levels[-1], 1))
            return self._levels[level]

    def colours(self, rect: Rect, level: int) -> FloatArray:
        """Copy a window of a level as float32 in [0, 1]."""
        return unit_floats(self.pixels(level)[rect.slices])


class Stages:
    """The derived pictures of one photo's jobs. Any thread.

    Parameters
    ----------
    photo : Photo
    budget_bytes : int
        Memory that results may take.
    """

    def __init__(self, photo: Photo, budget_bytes: int = 400_000_000) -> None:
        self.pyramid = Pyramid(photo)
        self._photo = photo
        self._cache = Cache(budget_bytes)

    def bounds(self, level: int) -> Rect:
        """Give the whole photo at a level."""
        return Rect(0, 0, *level_size(self._photo.height, self._photo.width, level))

    def covered(self, rect: Rect, level: int) -> Rect:
        """Give the photo's own pixels under a window of a level."""
        step = 1 << level
        full = Rect(rect.top * step, rect.left * step, rect.bottom * step, rect.right * step)
        return full.intersection(self._photo.bounds)

    def alpha(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Give the matte at a level, averaged, float32 in [0, 1]."""
        under = self.covered(rect, level)
        constant = job.matte.constant_in(under)
        if constant is not None:
            return np.full((rect.height, rect.width), constant / 65535.0, np.float32)
        if level == 0:
            return job.alpha(rect)
        key = ("alpha", level, rect, job.matte.tiles_in(under))
        return self._cache.get(key, lambda: unit_floats(_shrunk(job.matte.read(under), level)))

    def zone_shares(self, job: Job, rect: Rect, level: int) -> tuple[FloatArray, FloatArray]:
        """Give how much of each pixel of a level is backdrop and how much is unsure, in [0, 1]."""
        zones: ByteArray = job.zones.read(self.covered(rect, level))
        backdrop = (zones == BACKGROUND).astype(np.float32)
        unsure = ((zones != BACKGROUND) & (zones != FOREGROUND)).astype(np.float32)
        return _shrunk(backdrop, level), _shrunk(unsure, level)

    def foreground(self, job: Job, rect: Rect, level: int) -> FloatArray:
        """Give the subject's own colours at a level, straight, float32 in [0, 1]; assembled from whole cells."""
        out = np.empty((rect.height, rect.width, 3), np.float32)

        def fill(cell: Rect) -> None:
            here = cell.intersection(self.bounds(level))
            part = here.intersection(rect)
            colours = self._foreground_cell(job, here, level)
            out[part.within(rect)] = colours[part.within(here)]

        run_all([partial(fill, cell) for cell in _cells(rect)])
        clean = job.settings.colour.clean
        if clean < 1:
            photo = self.pyramid.colours(rect, level)
            out = photo + (out - photo) * np.float32(clean)
        return out

    def _foreground_cell(self, job: Job, cell: Rect, level: int) -> FloatArray:
        around = cell.grown(HALO).intersection(self.bounds(level))
        under = self.covered(around, level)
        if job.matte.constant_in(under) is not None:
            return self.pyramid.colours(cell, level)
        as_light = job.settings.matte.in_light
        key = ("foreground", level, cell, as_light, job.matte.tiles_in(under))

        def estimate() -> FloatArray:
            alpha = self.alpha(job, around, level)
            if _is_plain(alpha):
                return self.pyramid.colours(cell, level)
            colours = estimate_foreground(self.pyramid.colours(around, level), alpha, as_light=as_light)
            return np.ascontiguousarray(colours[cell.within(around)])

        return self._cache.get(key, estimate)

    def composite(
        self, job: Job, rect: Rect, level: int, backing: FloatArray | tuple[float, float, float]
    ) -> FloatArray:
        """Give the cutout over a backing, in the photo's profile, mixed the way the photo mixes its colours."""
        as_light = job.settings.matte.in_light
        return composite_over(
            self.foreground(job, rect, level), backing, self.alpha(job, rect, level), as_light=as_light
        )

    def backing_colour(self, colour: str) -> tuple[float, float, float]:
        """Give a ``#rrggbb`` picked on the screen in the photo's profile."""
        return colour_into_profile(rgb_from_hex(colour), self._photo.profile)


def _is_plain(alpha: FloatArray) -> bool:
    """Tell whether a window holds a single value of 0 or 1, so that no colour has to be found."""
    first = float(alpha.flat[0])
    return first in {0.0, 1.0} and bool((alpha == first).all())


def _cells(rect: Rect) -> list[Rect]:
    return [
        Rect(top, left, top + CELL, left + CELL)
        for top in range(rect.top // CELL * CELL, rect.bottom, CELL)
        for left in range(rect.left // CELL * CELL, rect.right, CELL)
    ]
