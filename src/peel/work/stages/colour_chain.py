"""The stages of the subject's colours: photographed, estimated, cleaned."""

from collections.abc import Hashable
from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.matte.colour.foreground import estimate_foreground
from peel.work.stages.chain import Before, Chain, Stage
from peel.work.stages.pyramid import Pyramid

__all__ = ["Clean", "Estimate", "Photographed"]

_HALO: Final = 48  # pixels around a window from which its edge colours are estimated


class Photographed(Stage):
    """The photo's own colours."""

    def __init__(self, pyramid: Pyramid) -> None:
        self._pyramid = pyramid

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return nothing: a photo never changes."""
        del job, rect, level
        return None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Copy the photo."""
        del job, before
        return self._pyramid.colours(rect, level)

    def is_cached(self, level: int) -> bool:
        """Return False: the pyramid is at hand."""
        del level
        return False


class Estimate(Stage):
    """The subject's own colours in half-clear pixels, found from the photo and the finished matte."""

    reach = _HALO

    def __init__(self, matte: Chain) -> None:
        self._matte = matte

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return how colours mix, and what the matte around a window depends on."""
        return job.settings.photo.is_linear, self._matte.stamp(job, self._around(job, rect, level), level)

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether the matte is constant around a window, so that no colour has to be found."""
        return self._matte.constant(job, self._around(job, rect, level), level) is not None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Estimate the colours of a window."""
        around = self._around(job, rect, level)
        alpha = self._matte.window(job, around, level)
        if _is_plain(alpha):
            return before(rect)
        colours = estimate_foreground(before(around), alpha, linear=job.settings.photo.is_linear)
        return colours[rect.within(around)]

    def _around(self, job: Job, rect: Rect, level: int) -> Rect:
        return rect.grown(_HALO).intersection(job.photo.space.bounds(level))


class Clean(Stage):
    """As much of the estimate as the recipe asks for; the rest stays as photographed."""

    def __init__(self, pyramid: Pyramid) -> None:
        self._pyramid = pyramid

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the strength."""
        del rect, level
        return job.settings.recipe.colour.clean

    def is_neutral(self, job: Job) -> bool:
        """Return whether all of the estimate is taken."""
        return job.settings.recipe.colour.clean >= 1

    def is_cached(self, level: int) -> bool:
        """Return False: it is one interpolation."""
        del level
        return False

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Interpolate between photo and estimate."""
        photo = self._pyramid.colours(rect, level)
        return np.asarray(photo + (before(rect) - photo) * np.float32(job.settings.recipe.colour.clean), np.float32)


def _is_plain(alpha: FloatArray) -> bool:
    """Return whether a window holds a single value of 0 or 1, so that no colour has to be found."""
    first = float(alpha.flat[0])
    return first in {0.0, 1.0} and bool((alpha == first).all())
