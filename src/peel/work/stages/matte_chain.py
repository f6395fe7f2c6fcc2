"""The stages of the finished matte: as solved, touched up by hand, its edges shaped.

How much hair there is is settled before touch-ups: see `peel.work.stages.hair`.
"""

from collections.abc import Hashable
from typing import Final

import numpy as np

from peel.job.edits.kinds import kinds_stamp
from peel.job.edits.touching import PER_PIXEL, has_touches
from peel.job.job import MATTE_ONE, Job
from peel.job.planes import PLANES, Role
from peel.job.rect import Rect
from peel.job.settings import Finish
from peel.job.settings.edges import own_of
from peel.matte.arrays import FloatArray
from peel.matte.pixels import unit_floats
from peel.matte.repair.profile import PROFILE_REACH, EdgeShape, shaped
from peel.matte.repair.touching import TOUCH_REACH, borrowed, firmed, forced, nudged, softened
from peel.work.stages.chain import Before, Stage
from peel.work.stages.pyramid import shrunk
from peel.work.stages.targets import every_finish, with_finishes

__all__ = ["Finished", "Solved", "Touched"]

_PLANES: Final = tuple(name for name, spec in PLANES.items() if spec.role is Role.TOUCH)


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


class Touched(Stage):
    """What was pushed, softened, firmed or thinned, and forced by hand, in this order."""

    reach = TOUCH_REACH

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the tiles of touch-ups under a window."""
        covered = job.photo.space.covered(rect, level)
        return tuple(job.planes[name].stamp(covered) if name in job.planes else None for name in _PLANES)

    def is_neutral(self, job: Job) -> bool:
        """Return whether nothing is touched up anywhere."""
        return not has_touches(job)

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether nothing is touched up in a window."""
        return not has_touches(job, job.photo.space.covered(rect, level))

    def constant(self, job: Job, rect: Rect, level: int, before: float | None) -> float | None:
        """Return the value before where nothing is touched up."""
        return before if self.passes(job, rect, level) else None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Touch a window up."""
        around = job.photo.space.around(rect, level, self.reach)
        inner, scale = rect.within(around), np.float32(1 / (1 << level))
        alpha = before(around)
        right, down, softness, firmness, force, weight = (
            self._field(job, name, around, level)
            for name in ("push_right", "push_down", "softness", "firmness", "force", "borrowed_weight")
        )
        if weight is not None:
            alpha = borrowed(alpha, self._other(job, around, level), weight)
        if right is not None or down is not None:
            still = np.zeros(alpha.shape, np.float32)
            moved = [still if part is None else part * (127 / PER_PIXEL * scale) for part in (right, down)]
            alpha = nudged(alpha, *moved)
        if softness is not None:
            alpha = softened(alpha, softness * scale)
        if force is not None:
            alpha = forced(alpha, force)
        if firmness is not None:  # of what was forced, too: it goes on with what Solid and Clear left half done
            alpha = firmed(alpha, firmness, None if force is None else np.maximum(-force, 0))
        return np.ascontiguousarray(alpha[inner])

    @staticmethod
    def _other(job: Job, rect: Rect, level: int) -> FloatArray:
        """Return the alpha that was brushed in from another version; at a coarser level by its weight."""
        covered = job.photo.space.covered(rect, level)
        other, weight = job.borrowed.read(covered), job.borrowed_weight.read(covered).astype(np.float32)
        both = shrunk(other * (weight / np.float32(MATTE_ONE)), level)
        return np.asarray(both / np.maximum(shrunk(weight, level), 1e-6), np.float32)

    @staticmethod
    def _field(job: Job, name: str, rect: Rect, level: int) -> FloatArray | None:
        """Return a plane as amounts, from -1 or 0 to 1; None where it holds nothing."""
        plane, neutral = job.planes.get(name), PLANES[name].default
        covered = job.photo.space.covered(rect, level)
        if plane is None or plane.constant_in(covered) == neutral:
            return None
        values = shrunk(plane.read(covered).astype(np.float32), level) - np.float32(neutral)
        return np.clip(values / np.float32(127 if neutral else 255), -1, 1).astype(np.float32)


class Finished(Stage):
    """The edges pulled, made crisper or softer, evened: everywhere, along kinds of edge, in drawn areas."""

    reach = PROFILE_REACH

    def stamp(self, job: Job, rect: Rect, level: int) -> Hashable:
        """Return the shapes, and the kinds around a window where any has a shape of its own."""
        finishes = job.settings.recipe.finish
        by_kind = bool(own_of(finishes))
        around = job.photo.space.covered(self._around(job, rect, level), level)
        return finishes, job.settings.photo.finish_areas, kinds_stamp(job, around) if by_kind else None

    def is_neutral(self, job: Job) -> bool:
        """Return whether no edge is shaped anywhere."""
        return all(_shape(finish).is_neutral for finish in every_finish(job))

    def passes(self, job: Job, rect: Rect, level: int) -> bool:
        """Return whether no edge is near a window."""
        around = job.photo.space.covered(self._around(job, rect, level), level)
        return job.matte.constant_in(around) in (0, MATTE_ONE) and not has_touches(job, around)

    def constant(self, job: Job, rect: Rect, level: int, before: float | None) -> float | None:
        """Return the value before where no edge is near."""
        return before if self.passes(job, rect, level) else None

    def make(self, job: Job, rect: Rect, level: int, before: Before) -> FloatArray:
        """Shape the edges of a window."""
        around, scale = self._around(job, rect, level), 1 / (1 << level)
        alpha = before(around)
        out = with_finishes(job, around, level, lambda finish: shaped(alpha, _shape(finish), scale))
        return np.ascontiguousarray(out[rect.within(around)])

    def _around(self, job: Job, rect: Rect, level: int) -> Rect:
        return job.photo.space.around(rect, level, self.reach)


def _shape(finish: Finish) -> EdgeShape:
    return EdgeShape(**finish.profile)
