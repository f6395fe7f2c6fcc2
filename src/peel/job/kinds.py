"""What kind each stretch of a job's edge is: as said by the person, else as Peel suggests."""

from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import ByteArray
from peel.matte.edge.kinds import Kind
from peel.matte.edge.trimap import BACKGROUND, FOREGROUND

__all__ = ["BESIDE_EXACT", "RELEASED", "kinds_in", "said", "unsolve_kinds"]

BESIDE_EXACT: Final = 1
RELEASED: Final = 2
_SAID: Final = 2  # codes of the kinds that were brushed follow upon this
_KIND_OF: Final = np.array([0, Kind.HARD, 0, *Kind], np.uint8)


def said(kind: Kind) -> int:
    """Return the code by which the plane of kinds says that an edge was brushed to be of a kind."""
    return _SAID + kind


def kinds_in(job: Job, window: Rect) -> ByteArray:
    """Return the kind that counts at every pixel of a window; 0 where none does.

    Returns
    -------
    (H, W) uint8 ndarray
        Values of `peel.matte.edge.kinds.Kind`, or 0.
    """
    spoken = _KIND_OF[job.kinds.read(window)]
    if job.settings.recipe.band.kinds == "none":
        return spoken
    return np.where(spoken == 0, job.suggested.read(window), spoken)


def unsolve_kinds(before: Job, after: Job, window: Rect) -> Job:
    """Mark the band as unsolved where other kinds count than before."""
    zones = after.zones.read(window)
    differs = kinds_in(before, window) != kinds_in(after, window)
    differs &= (zones != BACKGROUND) & (zones != FOREGROUND)
    if not differs.any():
        return after
    unsolved = after.unsolved.read(window)
    unsolved[differs] = 1
    return after.with_planes(unsolved=after.unsolved.write(window, unsolved))
