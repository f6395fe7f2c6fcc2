"""Mark the subject by what differs from the set without it."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.job.edits.marking import Zone, mark_region, with_trust, without_marks
from peel.job.job import Job
from peel.matte.arrays import BoolArray
from peel.matte.plate.difference import half_clear_in, standing_before
from peel.work.framing.frames import frame_of, small_pair

__all__ = ["BySet", "mark_by_set", "region_by_set"]

_TRUST: Final = 0.6  # in a boundary that follows from the set: it is off by a few pixels, and strands leave it


@dataclass(frozen=True)
class BySet:
    """What differs from a set: (H, W) bool, of the photo.

    Attributes
    ----------
    region : all of it.
    unsure : what of it, and close around it, shows the set in places.
    """

    region: BoolArray
    unsure: BoolArray


def region_by_set(job: Job) -> BySet | None:
    """Return what differs from the set; None without a set that is used, or where nothing differs.

    Waits for a second or a few.
    """
    frame = frame_of(job)
    if frame is None or frame.kind != "empty":
        return None
    image, plate, grain = small_pair(job.photo, frame)
    residual = np.where(frame.alignment.inside, frame.alignment.residual, 0).astype(np.float32)
    found = standing_before(image, plate, residual, grain)
    if not found.any() or found.all():
        return None
    unsure = half_clear_in(image, plate, found, grain)
    return BySet(_enlarged(found, job), _enlarged(unsure, job))


def _enlarged(mask: BoolArray, job: Job) -> BoolArray:
    soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 1.0)
    size = (job.photo.width, job.photo.height)
    return np.asarray(cv2.resize(soft, size, interpolation=cv2.INTER_LINEAR) >= 0.5)


def mark_by_set(job: Job, found: BySet) -> Job:
    """Replace the mark by what differs from the set; one step of undo."""
    whole = job.photo.bounds
    everywhere = np.ones((whole.height, whole.width), bool)
    start = with_trust(without_marks(job), everywhere, whole, _TRUST)
    marked = mark_region(start, found.region, Zone.SUBJECT, zones_from=without_marks(job))
    return mark_region(marked, found.unsure, Zone.UNSURE) if found.unsure.any() else marked
