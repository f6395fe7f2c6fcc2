"""What the inspection reads of a job in a window."""

from collections.abc import Hashable
from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import HARD_CODES, kinds_stamp
from peel.job.job import Job
from peel.job.marked import marked_subject
from peel.job.rect import Rect
from peel.job.space import Space
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.inspect.finds import FIND_REACH
from peel.matte.inspect.reading import Reading
from peel.work.framing.light import known_behind
from peel.work.solving.noise import noise_of
from peel.work.stages import Stages
from peel.work.stages.colour_chain import spill_of

__all__ = ["READ_PX", "level_of", "reading_of", "reading_stamp"]

READ_PX: Final = 9_000_000
"""Pixels of a photo that is inspected pixel by pixel; larger ones are at half their size, and so on."""

_SHEER_PX: Final = 31  # side of the square by which what is sheer is widened
_SOLID_FROM_PX: Final = np.full(256, 30, np.float32)  # inside the mark, by the kind of the nearest edge
_SOLID_FROM_PX[[Kind.HARD, Kind.SHEER]] = 6, np.inf


def level_of(space: Space) -> int:
    """Return the level at which a photo is inspected."""
    return max(0, int(np.ceil(np.log2(space.height * space.width / READ_PX) / 2)))


def reading_stamp(stages: Stages, job: Job, around: Rect, level: int) -> Hashable:
    """Return all that a reading depends on."""
    covered = job.photo.space.covered(around, level)
    marks = job.marks.stamp(covered), job.outline.stamp(covered)
    return stages.cutout_stamp(job, around, level), kinds_stamp(job, covered), marks


def reading_of(stages: Stages, job: Job, around: Rect, level: int, noise: float | None = None) -> Reading:
    """Read a window of a level.

    Parameters
    ----------
    stages : Stages
    job : Job
    around : Rect
    level : int
    noise : float, optional
        Standard deviation of a channel of the photo; measured unless given.
    """
    sheer = (stages.kinds(job, around, level) == Kind.SHEER).astype(np.uint8)
    wide = cv2.dilate(sheer, np.ones((_SHEER_PX, _SHEER_PX), np.uint8)) > 0 if sheer.any() else None
    photo = stages.pyramid.colours(around, level)
    return Reading(
        photo,
        stages.alpha(job, around, level),
        stages.foreground(job, around, level),
        wide,
        _said_hard(job, around, level),
        _depth(stages, job, around, level),
        float(np.sqrt(noise_of(job.photo).variance.mean())) if noise is None else noise,
        job.settings.photo.is_linear,
        spill_of(job),
        known_behind(job, photo, around, level),
    )


def _said_hard(job: Job, around: Rect, level: int) -> BoolArray | None:
    if "kinds" not in job.planes:
        return None
    step = 1 << level
    return np.isin(job.kinds.read(job.photo.space.covered(around, level))[::step, ::step], HARD_CODES)


def _depth(stages: Stages, job: Job, around: Rect, level: int) -> FloatArray | None:
    """Return how far inside the mark pixels lie; None without a mark, as where zones were given."""
    step = 1 << level
    marked = marked_subject(job, job.photo.space.covered(around, level))[::step, ::step]
    if not marked.any():
        return None
    # cut off at what every window holds around what it looks for: the same place is as deep in each
    inside = np.minimum(cv2.distanceTransform(marked.astype(np.uint8), cv2.DIST_L2, 5), FIND_REACH) * np.float32(step)
    return np.asarray(inside / _SOLID_FROM_PX[stages.kinds(job, around, level)], np.float32)
