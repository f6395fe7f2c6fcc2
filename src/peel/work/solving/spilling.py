"""Which hue of the backdrop lies on a job's subject as spill."""

from typing import Final

import cv2
import numpy as np

from peel.job.edits.working import working_photo
from peel.job.job import Job
from peel.job.settings import hex_from_rgb
from peel.matte.colour.spill import find_spill
from peel.matte.edge.laying import working_step
from peel.matte.edge.zones import BACKGROUND, FOREGROUND

__all__ = ["with_spill"]

_NEAR: Final = 60  # working pixels from the subject within which the backdrop is looked at
_RIM: Final = 8  # working pixels from the edge over which solid parts are next to it
_DEEP: Final = 40  # working pixels from the edge from which the inside is deep


def with_spill(job: Job) -> Job:
    """Return the job with the hue of its spill found; the same job if that is known, or cannot be told yet."""
    if job.settings.photo.spill_found is not None:
        return job
    step = working_step(job.photo.height, job.photo.width)
    zones = job.zones.read()[::step, ::step]
    if not ((zones == FOREGROUND).any() and (zones == BACKGROUND).any()):
        return job
    photo = working_photo(job.photo)[: zones.shape[0], : zones.shape[1]]
    zones = zones[: photo.shape[0], : photo.shape[1]]
    away = cv2.distanceTransform((zones == BACKGROUND).astype(np.uint8), cv2.DIST_L2, 3)
    inside = cv2.distanceTransform((zones == FOREGROUND).astype(np.uint8), cv2.DIST_L2, 3)
    found = find_spill(photo, (away > 0) & (away < _NEAR), inside > _DEEP, (inside > 1) & (inside < _RIM))
    hue = "none" if found.hue is None else hex_from_rgb(found.hue)
    width = round(float(np.rad2deg(found.width)), 1)
    return job.with_photo_settings(spill_found=hue, spill_shared=found.is_shared, spill_width_deg=width)
