"""Derive the zones from what is marked: the band laid around the boundary, and what was set by hand."""

from collections.abc import Callable
from functools import partial
from typing import Final

import numpy as np

from peel.job.job import MATTE_ONE, Job
from peel.job.rect import Rect
from peel.job.settings import Band
from peel.matte.arrays import BoolArray, ByteArray
from peel.matte.edge.trimap import BACKGROUND, FOREGROUND, UNKNOWN, lay_band
from peel.matte.parallel import run_all

__all__ = ["EXACT", "LOOSE", "band_reach", "lay_zones", "marked_subject", "sampled_subject"]

EXACT: Final = 3
LOOSE: Final = 2
_BLOCK: Final = 768
_TRIMAP_OF: Final = np.array([0, BACKGROUND, UNKNOWN, FOREGROUND], np.uint8)


def marked_subject(job: Job, window: Rect) -> BoolArray:
    """Return what is marked as subject, before any band is laid; (H, W) bool."""
    return _subject(job.marks.read(window), job.outline.read(window))


def sampled_subject(job: Job, height: int, width: int) -> BoolArray:
    """Tell the same of a small picture of the photo, (height, width) bool."""
    return _subject(job.marks.sampled(height, width), job.outline.sampled(height, width))


def _subject(marks: ByteArray, outline: ByteArray) -> BoolArray:
    return np.where(marks == 0, outline >= 128, marks == 2)


def band_reach(band: Band) -> int:
    """Return how far from a boundary its band can reach, in pixels."""
    return int(np.ceil(max(band.outward_px, band.inward_px, band.exact_px))) + 2


def lay_zones(job: Job, changed: Rect, reach: int | None = None) -> Job:
    """Derive the zones again within reach of a change, and fix the matte wherever they are now certain."""
    band = job.settings.recipe.band
    distance = band_reach(band)
    window = changed.grown(distance if reach is None else reach).intersection(job.photo.bounds)
    if window.is_empty:
        return job
    around = window.grown(distance).intersection(job.photo.bounds)
    subject, stretches = marked_subject(job, around), job.stretches.read(around)
    zones = np.empty((window.height, window.width), np.uint8)

    def lay(block: Rect) -> None:
        reached = block.grown(distance).intersection(around)
        inside = subject[reached.within(around)]
        if inside.all() or not inside.any():
            zones[block.within(window)] = FOREGROUND if inside.any() else BACKGROUND
            return
        near = stretches[reached.within(around)]
        exact = (near == 1) | (near == EXACT)
        laid = lay_band(inside, band.outward_px, band.inward_px, exact, band.exact_px)
        zones[block.within(window)] = laid[block.within(reached)]

    blocks = [
        Rect(top, left, top + _BLOCK, left + _BLOCK).intersection(window)
        for top in range(window.top, window.bottom, _BLOCK)
        for left in range(window.left, window.right, _BLOCK)
    ]
    run_all([partial(_each, lay, blocks[0::2]), partial(_each, lay, blocks[1::2])])
    corrections = job.corrections.read(window)
    if corrections.any():
        zones = np.where(corrections == 0, zones, _TRIMAP_OF[corrections])
    return _with_zones(job, window, zones)


def _each(work: Callable[[Rect], None], blocks: list[Rect]) -> None:
    for block in blocks:
        work(block)


def _with_zones(job: Job, window: Rect, zones: ByteArray) -> Job:
    differs = zones != job.zones.read(window)
    if not differs.any():
        return job
    matte = job.matte.read(window)
    matte[zones == BACKGROUND] = 0
    matte[zones == FOREGROUND] = MATTE_ONE
    unsolved = job.unsolved.read(window)
    unsolved[differs] = 1
    return job.with_planes(
        zones=job.zones.write(window, zones),
        matte=job.matte.write(window, matte),
        unsolved=job.unsolved.write(window, unsolved),
    )
