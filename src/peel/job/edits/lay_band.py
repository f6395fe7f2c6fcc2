"""Derive the zones from what is marked: the band laid around the boundary, and what was set by hand."""

from collections.abc import Callable
from functools import partial
from typing import Final

import numpy as np

from peel.job.edits.kinds import HARD_CODES, unsolve_kinds
from peel.job.edits.read_band import Laid, read_band, reading_reach
from peel.job.job import MATTE_ONE, Job
from peel.job.marked import EXACTLY, marked_subject
from peel.job.rect import Rect
from peel.job.settings import Band
from peel.matte.arrays import ByteArray
from peel.matte.edge.trimap import lay_band
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.parallel import run_all

__all__ = ["TRIMAP_OF", "band_reach", "lay_zones", "with_zones"]

_LARGE: Final = 0.25  # share of the photo's side above which a change is no stroke
_BLOCK: Final = 768

TRIMAP_OF: Final = np.array([0, BACKGROUND, UNKNOWN, FOREGROUND], np.uint8)
"""The zone that each code of the plane `corrections` stands for; 0 for none."""


def band_reach(band: Band) -> int:
    """Return how far from a boundary its margin or plain band can reach, in pixels."""
    return int(np.ceil(max(*_widths(band), band.exact_px))) + 2


def _widths(band: Band) -> tuple[float, float]:
    if band.lay == "plain":
        return band.outward_px, band.inward_px
    least = min(band.margin_px, band.exact_px) if band.trust == 1 else band.margin_px
    return least, least


def lay_zones(job: Job, changed: Rect, reach: int | None = None) -> Job:
    """Derive the zones again within reach of a change, and fix the matte wherever they are now certain.

    Parameters
    ----------
    job : Job
    changed : Rect
        Where what they follow from has changed.
    reach : int, optional
        How many pixels around that to derive them again; as far as the change can matter unless given.
    """
    band = job.settings.recipe.band
    is_read = band.lay == "laid" or band.kinds == "suggested"
    whole = job.photo.bounds
    # Following strands across the photo takes seconds, which a stroke must not.
    follows = reach is None and max(changed.height / whole.height, changed.width / whole.width) > _LARGE
    if reach is None:
        reach = max(band_reach(band), reading_reach(job) if is_read else 0)
    window = changed.grown(reach).intersection(job.photo.bounds)
    if window.is_empty:
        return job
    laid = read_band(job, window) if is_read else None
    while follows and laid is not None and band.lay == "laid" and _goes_on(job, window, laid):
        # A strand leaves the window: it is followed to its end.
        window = window.grown(2 * reading_reach(job)).intersection(job.photo.bounds)
        laid = read_band(job, window)
    zones = _margins(job, window)
    if laid is not None and band.lay == "laid":
        zones[laid.unsure] = UNKNOWN
    corrections = job.corrections.read(window)
    if corrections.any():
        zones = np.where(corrections == 0, zones, TRIMAP_OF[corrections])
    derived = with_zones(job, window, zones)
    return _with_kinds(derived, window, zones, laid) if is_read else derived


def _goes_on(job: Job, window: Rect, laid: Laid) -> bool:
    """Return whether what was found at the rim of a window goes on where there is no band yet."""
    bounds = job.photo.bounds
    beyond = (
        (laid.unsure[0], Rect(window.top - 1, window.left, window.top, window.right)),
        (laid.unsure[-1], Rect(window.bottom, window.left, window.bottom + 1, window.right)),
        (laid.unsure[:, 0], Rect(window.top, window.left - 1, window.bottom, window.left)),
        (laid.unsure[:, -1], Rect(window.top, window.right, window.bottom, window.right + 1)),
    )
    return any(
        rect.intersection(bounds) == rect and bool((found & (job.zones.read(rect).reshape(-1) != UNKNOWN)).any())
        for found, rect in beyond
    )


def _margins(job: Job, window: Rect) -> ByteArray:
    """Lay the band of fixed width: the plain one, or the margin of a laid one."""
    band = job.settings.recipe.band
    distance = band_reach(band)
    outward, inward = _widths(band)
    around = window.grown(distance).intersection(job.photo.bounds)
    subject, kinds, trusted = marked_subject(job, around), job.kinds.read(around), job.trusted.read(around)
    zones = np.empty((window.height, window.width), np.uint8)

    def lay(block: Rect) -> None:
        reached = block.grown(distance).intersection(around)
        inside = subject[reached.within(around)]
        if inside.all() or not inside.any():
            zones[block.within(window)] = FOREGROUND if inside.any() else BACKGROUND
            return
        here = reached.within(around)
        exact = np.isin(kinds[here], HARD_CODES) | (trusted[here] == EXACTLY)
        laid = lay_band(inside, outward, inward, exact, band.exact_px)
        zones[block.within(window)] = laid[block.within(reached)]

    blocks = [
        Rect(top, left, top + _BLOCK, left + _BLOCK).intersection(window)
        for top in range(window.top, window.bottom, _BLOCK)
        for left in range(window.left, window.right, _BLOCK)
    ]
    run_all([partial(_each, lay, blocks[0::2]), partial(_each, lay, blocks[1::2])])
    return zones


def _each(work: Callable[[Rect], None], blocks: list[Rect]) -> None:
    for block in blocks:
        work(block)


def with_zones(job: Job, window: Rect, zones: ByteArray) -> Job:
    """Write the zones of a window; the matte is fixed where they are certain, and unsolved where they changed.

    Zones are (h, w) uint8, of the window.
    """
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


def _with_kinds(job: Job, window: Rect, zones: ByteArray, laid: Laid | None) -> Job:
    """Note the suggested kinds along the band; where others count than before, the matte is to be solved again."""
    unsure = zones == UNKNOWN
    found = (np.zeros_like(zones),) * 2 if laid is None else (laid.kinds * unsure, laid.confidence * unsure)
    noted = job.with_planes(
        suggested=job.suggested.write(window, found[0]), confidence=job.confidence.write(window, found[1])
    )
    return unsolve_kinds(job, noted, window)
