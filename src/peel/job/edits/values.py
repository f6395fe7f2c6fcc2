"""Edits of the settings, the zones as a whole, and the matte; see `contours` and `marking` for what is drawn.

Each is one step of undo. All are pure and may run on any thread.
"""

from typing import Any

import numpy as np

from peel.job.edits.lay_band import lay_zones
from peel.job.edits.marking import Zone
from peel.job.edits.separations import unsolve_separated
from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.question import counted_frame
from peel.job.rect import Rect
from peel.job.settings import JobSettings, with_open_ends, with_value
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.pixels import to_words

__all__ = ["set_value", "unsolve", "use_matte", "use_settings", "use_zones", "with_matte"]


def set_value(job: Job, path: str, value: Any) -> Job:
    """Change one setting, by its path such as ``recipe.band.outward_px``, and what follows from it.

    Raises
    ------
    ValueError
        If the value is out of bounds or of another type.
    """
    return use_settings(job, with_value(job.settings, path, value))


def use_settings(job: Job, settings: JobSettings) -> Job:
    """Take other settings over; the band is laid again and the matte solved again where they ask for it.

    Contours are drawn by the edits in `peel.job.edits.contours`; here they are only kept.
    """
    before = job.settings
    if settings == before:
        return job
    if settings.photo.known_mixing != before.photo.known_mixing:
        settings = with_open_ends(settings)  # they are tones of colours as they mix
    job = job.with_settings(settings)
    if settings.recipe.band != before.recipe.band:
        job = lay_zones(job, job.photo.bounds)
    return unsolve(job) if _asks_another_matte(before, settings) else unsolve_separated(job.with_settings(before), job)


def _asks_another_matte(before: JobSettings, after: JobSettings) -> bool:
    return (
        before.photo.known_mixing != after.photo.known_mixing
        or before.photo.sheer_colours != after.photo.sheer_colours
        or before.recipe.solving != after.recipe.solving
        or before.recipe.band.kinds != after.recipe.band.kinds
        or counted_frame(before) != counted_frame(after)
    )


def unsolve(job: Job) -> Job:
    """Mark the whole unknown band as unsolved."""
    unknown = (job.zones.read() == UNKNOWN).astype(np.uint8)
    return job.with_planes(unsolved=job.unsolved.write(job.photo.bounds, unknown))


def unsolve_region(job: Job, region: BoolArray) -> Job:
    """Mark the band within a region of the photo, (H, W) bool, as unsolved."""
    unsolved = job.unsolved.read()
    unsolved[region & (job.zones.read() == UNKNOWN)] = 1
    return job.with_planes(unsolved=job.unsolved.write(job.photo.bounds, unsolved))


def use_zones(job: Job, trimap: ByteArray) -> Job:
    """Take the zones from a picture of them: they overrule every mark.

    Parameters
    ----------
    job : Job
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND; of the photo's size.
    """
    codes = np.full(trimap.shape, Zone.UNSURE.value, np.uint8)
    codes[trimap == BACKGROUND] = Zone.BACKDROP.value
    codes[trimap == FOREGROUND] = Zone.SUBJECT.value
    return lay_zones(job.with_planes(corrections=Plane.from_array(codes)), job.photo.bounds, reach=0)


def use_matte(job: Job, alpha: FloatArray) -> Job:
    """Take a finished matte from elsewhere as it is: certain where it is clear or solid, unsure in between, solved.

    Parameters
    ----------
    job : Job
    alpha : (H, W) float32 ndarray
        In [0, 1]; of the photo's size.
    """
    zones = np.where(alpha >= 1, FOREGROUND, np.where(alpha <= 0, BACKGROUND, UNKNOWN)).astype(np.uint8)
    return with_matte(use_zones(job, zones), job.photo.bounds, alpha)


def with_matte(job: Job, window: Rect, alpha: FloatArray, *, settled: bool = True) -> Job:
    """Store a solved window; part of the edit that asked for it.

    Parameters
    ----------
    job : Job
    window : Rect
    alpha : (H, W) float32 ndarray
        In [0, 1].
    settled : bool
        False for a preliminary matte that a better one will replace.
    """
    values = to_words(alpha)
    solved = job.with_planes(matte=job.matte.write(window, values))
    if not settled:
        return solved
    return solved.with_planes(unsolved=job.unsolved.write(window, np.zeros_like(values, np.uint8)))
