"""Gradients: colours that run into each other over a plane, without visible bands."""

from collections.abc import Sequence
from functools import partial
from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.parallel import run_all, split_range

__all__ = ["dither", "gradient"]

_STEPS: Final = 4096  # of the table of colours; between two of them they are interpolated


@njit(cache=True, nogil=True, inline="always")
def _noise(row: int, column: int) -> float:
    """Interleaved gradient noise within half a step of 8 bits: a fixed pattern without visible grain."""
    inner = 0.06711056 * column + 0.00583715 * row
    outer = 52.9829189 * (inner - np.floor(inner))
    return (outer - np.floor(outer) - 0.5) / 255.0


@njit("void(float32[:,:,::1], int64, int64, float64[::1], float32[:,::1], boolean)", cache=True, nogil=True)
def _draw(out: Any, top: int, left: int, ends: Any, table: Any, is_round: bool) -> None:
    x0, y0, dx, dy = ends[0], ends[1], ends[2] - ends[0], ends[3] - ends[1]
    length = max(np.sqrt(dx * dx + dy * dy), 1e-6)
    last = table.shape[0] - 1
    for i in range(out.shape[0]):
        y = top + i + 0.5 - y0
        for j in range(out.shape[1]):
            x = left + j + 0.5 - x0
            place = np.sqrt(x * x + y * y) / length if is_round else (x * dx + y * dy) / (length * length)
            at = min(max(place, 0.0), 1.0) * last
            k = min(int(at), last - 1)
            part = at - k
            more = _noise(top + i, left + j)
            for c in range(3):
                value = table[k, c] * (1 - part) + table[k + 1, c] * part + more
                out[i, j, c] = min(max(value, 0.0), 1.0)


def gradient(
    window: tuple[int, int, int, int],
    ends: tuple[tuple[float, float], tuple[float, float]],
    stops: Sequence[tuple[float, tuple[float, float, float]]],
    *,
    is_round: bool = False,
) -> FloatArray:
    """Draw a window of a gradient.

    Parameters
    ----------
    window : (int, int, int, int)
        Top, left, bottom, right in pixels.
    ends : two points
        Where it begins and ends, x and y in the same pixels.
    stops : sequence of (float, colour)
        Colours at places from 0 to 1, in order; two at one place make a sharp step.
    is_round : bool
        In circles around the first end, rather than in straight bands across the line between the two.

    Returns
    -------
    (h, w, 3) float32 ndarray

    Notes
    -----
    Colours are interpolated as encoded. Less than a step of 8 bits is added to each pixel, the same for every window,
    so that no bands are seen where a gradient is slow.
    """
    top, left, bottom, right = window
    at, places = [stop[0] for stop in stops], np.linspace(0, 1, _STEPS)
    table = np.stack([np.interp(places, at, [stop[1][k] for stop in stops]) for k in range(3)], axis=-1)
    out = np.empty((bottom - top, right - left, 3), np.float32)
    line, colours = np.array([*ends[0], *ends[1]], np.float64), np.ascontiguousarray(table, np.float32)
    parts = split_range(bottom - top, 4)
    run_all([partial(_draw, out[part], top + part.start, left, line, colours, is_round) for part in parts])
    return out


@njit("void(float32[:,::1], int64, int64)", cache=True, nogil=True)
def _fill_noise(out: Any, top: int, left: int) -> None:
    for i in range(out.shape[0]):
        for j in range(out.shape[1]):
            out[i, j] = _noise(top + i, left + j)


def dither(window: tuple[int, int, int, int]) -> FloatArray:
    """Return a fixed pattern within half a step of 8 bits, (h, w)."""
    top, left, bottom, right = window
    out = np.empty((bottom - top, right - left), np.float32)
    _fill_noise(out, top, left)
    return out
