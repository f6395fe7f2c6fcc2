"""The stages of the finished matte: so far, the solved one."""

from collections.abc import Hashable

import numpy as np

from peel.job.job import MATTE_ONE, Job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray, unit_floats
from peel.work.stages.chain import Before, Stage
from peel.work.stages.pyramid import shrunk

__all__ = ["Solved"]


class Solved(Stage):
    """What the solver computed, averaged at coarser levels."""

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the tiles of the solved matte under a window."""
        return job.matte.stamp(job.photo.space.covered(rect, level))

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Read the matte under a window, averaged."""
        del before
        value = self.constant(job, rect, level, None)
        if value is not None:
            return np.full((rect.height, rect.width), value, np.float32)
        return unit_floats(shrunk(job.matte.read(job.photo.space.covered(rect, level)), level))

    def is_cached(self, level: int) -> bool:
        """Return whether tiles have to be averaged; at level 0 they are read as they are."""
        return level > 0

    def constant(self, job: Job, rect: Rect, level: int, before: float | None) -> float | None:
        """Return the one value that all tiles under a window hold, or None."""
        del before
        value = job.matte.constant_in(job.photo.space.covered(rect, level))
        return None if value is None else value / MATTE_ONE
