"""The kind of each stretch of a job's edge: as the person said or, failing that, as Peel suggests."""

from collections.abc import Hashable
from typing import Final

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND

__all__ = ["HARD_CODES", "RELEASED", "is_said", "kinds_in", "kinds_stamp", "said", "said_in", "unsolve_kinds"]

RELEASED: Final = 2
_SAID: Final = 2  # offset of the codes of brushed kinds
HARD_CODES: Final = (1, _SAID + Kind.HARD)  # beside an exact stretch of a contour, and brushed
_SURE: Final = 150  # confidence from which a suggestion counts
_KIND_OF: Final = np.array([0, Kind.HARD, 0, *Kind], np.uint8)
_OF_CODE: Final = np.pad(_KIND_OF, (0, 256 - len(_KIND_OF)))  # unknown codes mean no kind


def said(kind: Kind) -> int:
    """Return the code by which the plane of kinds says that an edge was brushed to be of a kind."""
    return _SAID + kind


def said_in(kinds: ByteArray) -> ByteArray:
    """Return the codes by which the plane of kinds says that kinds, 0 for none, were brushed.

    Takes and returns (H, W) uint8.
    """
    return np.where(kinds > 0, kinds + np.uint8(_SAID), np.uint8(0))


def kinds_in(job: Job, window: Rect) -> ByteArray:
    """Return the kind that counts at every pixel of a window; 0 where none does.

    Returns
    -------
    (H, W) uint8 ndarray
        Values of `peel.matte.edge.kinds.Kind`, or 0.
    """
    spoken = cv2.LUT(job.kinds.read(window), _OF_CODE)
    if job.settings.recipe.band.kinds == "none":
        return spoken
    suggested = job.suggested.read(window) * (job.confidence.read(window) >= _SURE)
    return np.where(spoken == 0, suggested, spoken) if spoken.any() else suggested


def is_said(job: Job, window: Rect) -> BoolArray:
    """Return where the person said of what kind an edge is; (H, W) bool."""
    return _KIND_OF[job.kinds.read(window)] > 0


def kinds_stamp(job: Job, window: Rect) -> Hashable:
    """Return all that the kinds in a window depend on."""
    planes = (job.kinds, job.suggested, job.confidence)
    return job.settings.recipe.band.kinds, *(plane.stamp(window) for plane in planes)


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
