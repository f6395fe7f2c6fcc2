"""Geodesic distances: the cheapest way to each pixel across a map of costs, and where it begins.

References
----------
.. [1] E. W. Dijkstra, "A note on two problems in connexion with graphs", Numerische Mathematik 1, 1959, pp. 269-271.
   :doi:`10.1007/BF01386390`
.. [2] J. W. J. Williams, "Algorithm 232: Heapsort", Communications of the ACM 7(6), 1964, pp. 347-348; the heap.
"""

from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["BEYOND", "geodesic_distance", "geodesic_sources"]

BEYOND: Final = 1e9
"""Distance of pixels that were not reached."""

_DIAGONAL: Final = 1.4142135


@njit("Tuple((float32[::1], int64[::1]))(float32[::1], int64[::1])", cache=True, nogil=True)
def _grown(keys: Any, items: Any) -> Any:
    """Return copies of a heap's arrays with twice the room."""
    more_keys, more_items = np.empty(2 * len(keys), np.float32), np.empty(2 * len(items), np.int64)
    more_keys[: len(keys)] = keys
    more_items[: len(items)] = items
    return more_keys, more_items


@njit("void(float32[::1], int64[::1], int64, float32, int64)", cache=True, nogil=True)
def _push(keys: Any, items: Any, count: int, key: float, item: int) -> None:
    """Add an item to a heap of `count` items that has room for it."""
    at = count
    while at > 0:
        up = (at - 1) // 2
        if keys[up] <= key:
            break
        keys[at], items[at] = keys[up], items[up]
        at = up
    keys[at], items[at] = key, item


@njit("void(float32[::1], int64[::1], int64)", cache=True, nogil=True)
def _pop(keys: Any, items: Any, count: int) -> None:
    """Take the first item off a heap, which holds `count` items afterwards; the last one fills its place."""
    key, item = keys[count], items[count]
    at = 0
    while True:
        child = 2 * at + 1
        if child >= count:
            break
        if child + 1 < count and keys[child + 1] < keys[child]:
            child += 1
        if keys[child] >= key:
            break
        keys[at], items[at] = keys[child], items[child]
        at = child
    keys[at], items[at] = key, item


@njit("boolean(boolean[:,::1], boolean[:,::1], int64, int64)", cache=True, nogil=True)
def _is_rim(seeds: Any, open_: Any, row: int, column: int) -> bool:
    """Return whether a seed has a neighbour that a path may enter."""
    for down in range(-1, 2):
        for right in range(-1, 2):
            at, to = row + down, column + right
            if 0 <= at < seeds.shape[0] and 0 <= to < seeds.shape[1] and open_[at, to] and not seeds[at, to]:
                return True
    return False


@njit(
    "Tuple((float32[::1], int64[::1], int64))(float32[:,::1], boolean[:,::1], boolean[:,::1])", cache=True, nogil=True
)
def _begun(found: Any, seeds: Any, open_: Any) -> Any:
    """Set the distance of the seeds to 0, and return a heap of those that paths can leave."""
    keys, items, count = np.empty(4096, np.float32), np.empty(4096, np.int64), 0
    for row in range(found.shape[0]):
        for column in range(found.shape[1]):
            if not seeds[row, column]:
                continue
            found[row, column] = 0
            if _is_rim(seeds, open_, row, column):
                if count == len(keys):
                    keys, items = _grown(keys, items)
                keys[count], items[count] = np.float32(0), row * found.shape[1] + column
                count += 1
    return keys, items, count


@njit("float32[:,::1](float32[:,::1], boolean[:,::1], boolean[:,::1], float64, int32[::1])", cache=True, nogil=True)
def _distances(cost: Any, seeds: Any, open_: Any, limit: float, sources: Any) -> Any:
    """Return the distances; `sources` gets where each pixel's path began, unless it is empty."""
    height, width = cost.shape
    found = np.full((height, width), np.float32(1e9), np.float32)
    keys, items, count = _begun(found, seeds, open_)
    for k in range(len(sources)):
        sources[k] = k if found[k // width, k % width] == 0 else -1
    while count > 0:
        distance, item = keys[0], items[0]
        count -= 1
        _pop(keys, items, count)
        row = item // width
        column = item - row * width
        if distance > found[row, column]:
            continue
        for at in range(max(row - 1, 0), min(row + 2, height)):
            for to in range(max(column - 1, 0), min(column + 2, width)):
                if not open_[at, to]:
                    continue
                step = np.float32(_DIAGONAL) if at != row and to != column else np.float32(1)
                total = np.float32(distance + step * cost[at, to])
                if total <= limit and total < found[at, to]:
                    found[at, to] = total
                    if len(sources) > 0:
                        sources[at * width + to] = sources[item]
                    if count == len(keys):
                        keys, items = _grown(keys, items)
                    _push(keys, items, count, total, at * width + to)
                    count += 1
    return found


def geodesic_distance(cost: FloatArray, seeds: BoolArray, allowed: BoolArray, limit: float) -> FloatArray:
    """Return the length of the cheapest path from the seeds to each pixel.

    Parameters
    ----------
    cost : (h, w) float32 ndarray
        Of a step of one pixel into each pixel; greater than 0. Diagonal steps cost 1.41 times as much.
    seeds : (h, w) bool ndarray
        Where paths begin.
    allowed : (h, w) bool ndarray
        Where they may go.
    limit : float
        Paths longer than this are not followed, so that the time taken depends on the area reached only.

    Returns
    -------
    (h, w) float32 ndarray
        0 at the seeds, `BEYOND` where nothing arrived.

    Examples
    --------
    >>> seeds = np.array([[True, False, False, False]])
    >>> geodesic_distance(np.array([[1, 1, 3, 1]], np.float32), seeds, ~seeds, 4.5).tolist()
    [[0.0, 1.0, 4.0, 1000000000.0]]
    """
    return _distances(*_prepared(cost, seeds, allowed), float(limit), np.empty(0, np.int32))


def geodesic_sources(
    cost: FloatArray, seeds: BoolArray, allowed: BoolArray, limit: float
) -> tuple[FloatArray, NDArray[np.int32]]:
    """Return the length of the cheapest path to each pixel, and the seed where it begins.

    Parameters are those of `geodesic_distance`.

    Returns
    -------
    (h, w) float32 ndarray
        0 at the seeds, `BEYOND` where nothing arrived.
    (h, w) int32 ndarray
        The seed's place in the flattened map; -1 where nothing arrived.

    Examples
    --------
    >>> seeds = np.array([[True, False, False, False, True]])
    >>> geodesic_sources(np.ones((1, 5), np.float32), seeds, ~seeds, 9)[1].tolist()
    [[0, 0, 0, 4, 4]]
    """
    sources = np.empty(cost.size, np.int32)
    found = _distances(*_prepared(cost, seeds, allowed), float(limit), sources)
    return found, sources.reshape(cost.shape)


def _prepared(cost: FloatArray, seeds: BoolArray, allowed: BoolArray) -> tuple[FloatArray, BoolArray, BoolArray]:
    return np.ascontiguousarray(cost, np.float32), np.ascontiguousarray(seeds), np.ascontiguousarray(allowed)
