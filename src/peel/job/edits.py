"""Edits of the settings, the zones as a whole, and the matte; see `contours` and `marking` for what is drawn.

Each is one step of undo. All are pure and may run on any thread.
"""

from dataclasses import replace
from typing import Any, Literal

import numpy as np

from peel.job.job import MATTE_ONE, Job
from peel.job.laying import lay_zones
from peel.job.marking import Zone
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import Band, Matte
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.trimap import BACKGROUND, FOREGROUND, UNKNOWN

__all__ = ["set_band", "set_mixing", "set_own_colours", "use_zones", "with_matte"]


def set_band(job: Job, band: Band) -> Job:
    """Set how wide the band is laid around the marked boundary."""
    return lay_zones(job.with_settings(band=band), job.photo.bounds)


def set_mixing(job: Job, mixing: Literal["value", "light"]) -> Job:
    """Set how subject and backdrop mix; the whole matte is to be solved again."""
    return _solved_anew(job, job.settings.matte.model_copy(update={"mixing": mixing}))


def set_own_colours(job: Job, colours: tuple[str, ...]) -> Job:
    """Say which colours sheer material has of its own; the whole matte is to be solved again."""
    matte = Matte.model_validate({"mixing": job.settings.matte.mixing, "own_colours": colours})
    return job if matte == job.settings.matte else _solved_anew(job, matte)


def _solved_anew(job: Job, matte: Matte) -> Job:
    unsure = (job.zones.read() == UNKNOWN).astype(np.uint8)
    return replace(job.with_settings(matte=matte), unsolved=job.unsolved.write(job.photo.bounds, unsure))


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
    return lay_zones(replace(job, corrections=Plane.from_array(codes)), job.photo.bounds, reach=0)


def with_matte(job: Job, window: Rect, alpha: FloatArray, *, settled: bool = True) -> Job:
    """Store a solved window; part of the edit that asked for it.

    Parameters
    ----------
    job : Job
    window : Rect
    alpha : (H, W) float32 ndarray
        In [0, 1].
    settled : bool
        False for a coarse answer that a finer one will replace.
    """
    values: Any = np.round(np.clip(alpha, 0, 1) * MATTE_ONE).astype(np.uint16)
    matte = job.matte.write(window, values)
    if not settled:
        return replace(job, matte=matte)
    return replace(job, matte=matte, unsolved=job.unsolved.write(window, np.zeros_like(values, np.uint8)))
