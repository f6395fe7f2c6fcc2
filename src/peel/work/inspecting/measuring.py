"""Measure a job's edges: how alpha rises across them, and which values there are between clear and solid."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.job.edge_targets import EdgeTarget
from peel.job.edits.kinds import kinds_in
from peel.job.edits.marking import coverage_of
from peel.job.job import Job
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.repair.profile import measured_profile

__all__ = ["VALUES", "Measured", "measure"]

_REACH: Final = 12

VALUES: Final = 48
"""Steps between clear and solid in which values are counted."""


@dataclass(frozen=True)
class Measured:
    """What was measured of a solved matte.

    Attributes
    ----------
    profile : (25,) float32 ndarray or None
        Mean alpha from 12 pixels outside to 12 inside; None without an edge.
    values : (48,) float32 ndarray
        How often each value between clear and solid occurs, as a share of the most frequent.
    """

    profile: FloatArray | None
    values: FloatArray


def measure(job: Job, target: EdgeTarget) -> Measured:
    """Measure the edges that a finish is for; all of them where it has none of its own."""
    alpha = job.alpha(job.photo.bounds)
    where = _region(job, target)
    if where is not None:
        own = measured_profile(alpha, where, _REACH)
        if own is not None:
            return Measured(own, _values(alpha[where]))
    return Measured(measured_profile(alpha, None, _REACH), _values(alpha))


def _region(job: Job, target: EdgeTarget) -> BoolArray | None:
    areas = job.settings.photo.finish_areas
    if target.area is not None:
        return coverage_of(job, areas[target.area].outline) if target.area < len(areas) else None
    if target.name == "everywhere":
        return None
    return np.asarray(kinds_in(job, job.photo.bounds) == Kind.of(target.name), bool)


def _values(alpha: FloatArray) -> FloatArray:
    counts = np.histogram(alpha[(alpha > 0) & (alpha < 1)], VALUES, (0, 1))[0].astype(np.float32)
    return np.asarray(counts / max(float(counts.max()), 1.0), np.float32)
