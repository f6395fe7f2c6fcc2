"""Measure the profile of a job's edges."""

from typing import Final

import numpy as np

from peel.job.finishing import FinishTarget
from peel.job.job import Job
from peel.job.kinds import kinds_in
from peel.job.marking import coverage_of
from peel.matte.arrays import FloatArray
from peel.matte.edge.kinds import Kind
from peel.matte.repair.profile import measured_profile

__all__ = ["profile_of"]

_REACH: Final = 12


def profile_of(job: Job, target: FinishTarget) -> FloatArray | None:
    """Return mean alpha against distance, (25,) from 12 pixels outside to 12 inside, of a job's solved matte.

    Where a kind or an area has no edge of its own, that of all edges; None without any.
    """
    whole = job.photo.bounds
    alpha = job.alpha(whole)
    where = None
    if target.area is not None and target.area < len(job.settings.photo.finish_areas):
        where = coverage_of(job, job.settings.photo.finish_areas[target.area].outline)
    elif target.area is None and target.name != "everywhere":
        where = kinds_in(job, whole) == Kind[target.name.upper()]
    own = measured_profile(alpha, where, _REACH) if where is not None and np.any(where) else None
    return own if own is not None else measured_profile(alpha, None, _REACH)
