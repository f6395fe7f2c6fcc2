"""How much of the photo is what: shares that the panels and the step line show."""

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from peel.job.job import MATTE_ONE, Job
from peel.job.plane import Plane, Tile
from peel.matte.trimap import BACKGROUND, FOREGROUND

__all__ = ["Shares", "matte_shares", "zone_shares"]


@dataclass(frozen=True)
class Shares:
    """Shares of the photo's pixels, adding up to 1: none of the subject, some of it, all of it."""

    none: float
    some: float
    full: float


_zones: WeakKeyDictionary[Tile, tuple[int, int]] = WeakKeyDictionary()
_matte: WeakKeyDictionary[Tile, tuple[int, int]] = WeakKeyDictionary()


def zone_shares(job: Job) -> Shares:
    """Give the shares of backdrop, unsure and subject; only tiles not seen before are counted."""
    return _shares(job.zones, _zones, BACKGROUND, FOREGROUND)


def matte_shares(job: Job) -> Shares:
    """Give the shares of clear, half-clear and solid."""
    return _shares(job.matte, _matte, 0, MATTE_ONE)


def _shares(plane: Plane, seen: WeakKeyDictionary[Tile, tuple[int, int]], low: int, high: int) -> Shares:
    none = full = 0
    for tile in plane.tiles:
        found = seen.get(tile)
        if found is None:
            found = seen[tile] = (int(np.count_nonzero(tile.values == low)), int(np.count_nonzero(tile.values == high)))
        none += found[0]
        full += found[1]
    total = plane.height * plane.width
    return Shares(none / total, (total - none - full) / total, full / total)
