"""What a stroke changed farther off than it reaches, and how that is taken back."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.job.edits.marking import restore_zones
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import BoolArray
from peel.matte.marking.strokes import stroke_mask

__all__ = ["FarChange", "far_change", "without_far"]

_LEAST: Final = 0.00004  # share of the photo below which a change is not worth telling


@dataclass(frozen=True)
class FarChange:
    """Zones that changed far from a stroke.

    Attributes
    ----------
    before : Job
        The job before the stroke.
    pieces : tuple of (Rect, (H, W) bool ndarray)
        Windows of the photo, and which of their pixels changed.
    count : int
        Pixels that changed.
    """

    before: Job
    pieces: tuple[tuple[Rect, BoolArray], ...]
    count: int

    def shown(self, step: int) -> BoolArray:
        """Return which blocks of `step` x `step` pixels of the photo hold a changed pixel.

        Returns (ceil(H / step), ceil(W / step)) bool.
        """
        photo = self.before.photo
        blocks = np.zeros((-(-photo.height // step), -(-photo.width // step)), bool)
        for rect, changed in self.pieces:
            rows, columns = np.nonzero(changed)
            blocks[(rows + rect.top) // step, (columns + rect.left) // step] = True
        return blocks


def far_change(before: Job, after: Job, points: Sequence[Point], reach_px: float) -> FarChange | None:
    """Find where the zones changed farther than `reach_px` photo pixels from a stroke; None where hardly anything."""
    pieces = []
    for rect in after.zones.changes(before.zones):
        changed = after.zones.read(rect) != before.zones.read(rect)
        changed &= ~stroke_mask(points, reach_px, rect.as_tuple)
        if changed.any():
            pieces.append((rect, changed))
    count = sum(int(changed.sum()) for _, changed in pieces)
    least = max(_LEAST * before.photo.height * before.photo.width, 20)
    return FarChange(before, tuple(pieces), count) if count >= least else None


def without_far(job: Job, change: FarChange) -> Job:
    """Take back what changed far from a stroke; what is near it stays."""
    for rect, changed in change.pieces:
        job = restore_zones(job, change.before, changed, rect)
    return job
