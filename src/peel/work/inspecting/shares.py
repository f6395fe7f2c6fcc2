"""How much of the photo is what: shares that the panels and the step line show."""

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from peel.job.job import Job
from peel.job.plane import Tile
from peel.job.rect import Rect
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.work.stages import Stages
from peel.work.stages.chain import cells_of

__all__ = ["Shares", "matte_shares", "zone_shares"]


@dataclass(frozen=True)
class Shares:
    """Shares of the photo's pixels, adding up to 1: none of the subject, some of it, all of it."""

    none: float
    some: float
    full: float


_zones: WeakKeyDictionary[Tile, tuple[int, int]] = WeakKeyDictionary()


def zone_shares(job: Job) -> Shares:
    """Return the shares of backdrop, unsure and subject; only tiles not seen before are counted."""
    none = full = 0
    for tile in job.zones.tiles:
        found = _zones.get(tile)
        if found is None:
            counts = (int(np.count_nonzero(tile.values == zone)) for zone in (BACKGROUND, FOREGROUND))
            found = _zones[tile] = (next(counts), next(counts))
        none += found[0]
        full += found[1]
    return _shares(job, none, full)


def matte_shares(stages: Stages, job: Job) -> Shares:
    """Return the shares of clear, half-clear and solid in the finished matte; only changed cells are counted."""
    none = full = 0
    for cell in cells_of(job.photo.bounds):
        clear, solid = _counts(stages, job, cell.intersection(job.photo.bounds))
        none += clear
        full += solid
    return _shares(job, none, full)


def _counts(stages: Stages, job: Job, cell: Rect) -> tuple[int, int]:
    size = cell.height * cell.width
    constant = stages.matte.constant(job, cell, 0)
    if constant is not None:
        return (size if constant <= 0 else 0), (size if constant >= 1 else 0)

    def count() -> np.ndarray[tuple[int, ...], np.dtype[np.int64]]:
        alpha = stages.alpha(job, cell, 0)
        return np.array([np.count_nonzero(alpha <= 0), np.count_nonzero(alpha >= 1)], np.int64)

    clear, solid = stages.cache.get(("shares", stages.matte.stamp(job, cell, 0)), count)
    return int(clear), int(solid)


def _shares(job: Job, none: int, full: int) -> Shares:
    total = job.photo.height * job.photo.width
    return Shares(none / total, (total - none - full) / total, full / total)
