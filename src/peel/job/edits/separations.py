"""Which separation of a job counts where, and what has to be solved again when that changes."""

from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import kinds_in
from peel.job.job import Job
from peel.job.question import used_separations
from peel.job.rect import Rect
from peel.job.settings import Separation
from peel.matte.arrays import BoolArray, ByteArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.separation.tone_curve import ToneCurve

__all__ = ["FADE_PX", "curve_of", "release_stretch", "separated_in", "turned", "unsolve_separated"]

FADE_PX: Final = 32
"""Photo pixels over which ways of cutting fade into each other at most."""


def curve_of(separation: Separation) -> ToneCurve:
    """Return the curve from a separation's tone to alpha."""
    low = 0.0 if separation.low is None else separation.low
    high = 1.0 if separation.high is None else separation.high
    return ToneCurve(low, high, separation.middle)


def separated_in(job: Job, window: Rect) -> ByteArray:
    """Return the number, from 1, of the separation that counts at each pixel of a window; 0 where none does.

    Returns (h, w) uint8, of the window.
    """
    separations = job.settings.recipe.separations
    out = np.zeros((window.height, window.width), np.uint8)
    kinds: ByteArray | None = None
    for number, separation in enumerate(separations, 1):
        if separation.applies == "everywhere":
            out[...] = number
    for number, separation in enumerate(separations, 1):
        if separation.applies not in ("everywhere", "stretch"):
            kinds = kinds_in(job, window) if kinds is None else kinds
            out[kinds == Kind.of(separation.applies)] = number
    if any(separation.applies == "stretch" for separation in separations):
        drawn = job.separated.read(window)
        out = np.where((drawn > 0) & (drawn <= len(separations)), drawn, out)
    return out


def turned(separation: Separation) -> Separation:
    """Exchange subject and backdrop; twice is the identity."""
    curve = curve_of(separation).turned
    return separation.model_copy(update={"low": curve.low, "high": curve.high, "middle": curve.middle})


def release_stretch(job: Job, region: BoolArray) -> Job:
    """Take a region of the whole photo, (H, W) bool, out of every stretch."""
    values = np.where(region, np.uint8(0), job.separated.read())
    return unsolve_separated(job, job.with_planes(separated=job.separated.write(job.photo.bounds, values)))


def unsolve_separated(before: Job, after: Job) -> Job:
    """Mark the band as unsolved where other separations are in use than before, and where they fade into others."""
    sides = [_in_use(job) for job in (before, after)]
    is_same = sides[0] == sides[1] and before.separated is after.separated
    if is_same or not any(sides[0] + sides[1]):
        return after
    whole = after.photo.bounds
    numbers = [separated_in(job, whole) for job in (before, after)]
    differs = np.zeros(numbers[0].shape, bool)
    for old, new in {(int(a), int(b)) for a in np.unique(numbers[0]) for b in np.unique(numbers[1])}:
        if sides[0][old] != sides[1][new]:
            differs |= (numbers[0] == old) & (numbers[1] == new)
    if not differs.any():
        return after
    if not differs.all():
        differs = cv2.dilate(differs.astype(np.uint8), np.ones((2 * FADE_PX + 1,) * 2, np.uint8)) > 0
    zones = after.zones.read()
    differs &= (zones != BACKGROUND) & (zones != FOREGROUND)
    unsolved = after.unsolved.read()
    unsolved[differs] = 1
    return after.with_planes(unsolved=after.unsolved.write(whole, unsolved))


def _in_use(job: Job) -> tuple[Separation | None, ...]:
    """Return what each number in `separated_in` does to the matte; 0 comes first."""
    return (None, *used_separations(job.settings.recipe))
