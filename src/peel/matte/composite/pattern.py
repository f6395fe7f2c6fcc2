"""Patterns drawn for Peel: two colours, at any size, without jagged edges."""

from functools import partial
from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.parallel import run_all, split_range

__all__ = ["MOTIFS", "pattern"]

MOTIFS: Final = ("stars", "dots", "stripes", "lozenges", "waves")
"""Stars are five-pointed and of two sizes, the smaller between the larger."""

_SECTOR: Final = 2 * np.pi / 5  # of a star's tip
_NOTCH: Final = 0.42  # of a star's radius


@njit(cache=True, nogil=True, inline="always")
def _centred(place: float) -> float:
    """Return a place within its period, from -0.5 to 0.5."""
    return place - np.floor(place + 0.5)


@njit(cache=True, nogil=True)
def _star(x: float, y: float, radius: float, turn: float) -> float:
    """Return the distance into a star, in periods."""
    away = np.sqrt(x * x + y * y)
    if away > radius:
        return radius - away
    angle = np.arctan2(x, -y) + turn + _SECTOR / 2
    angle = abs(angle - _SECTOR * np.floor(angle / _SECTOR) - _SECTOR / 2)
    along, across = _NOTCH * np.cos(_SECTOR / 2) - 1, _NOTCH * np.sin(_SECTOR / 2)
    length = np.sqrt(along * along + across * across)
    return ((away * np.cos(angle) - radius) * -across + away * np.sin(angle) * along) / length


@njit(cache=True, nogil=True)
def _distance(motif: int, u: float, v: float) -> float:
    """Return the signed distance into a motif at a place, both in periods."""
    if motif == 0:
        large = _star(_centred(u), _centred(v), 0.30, 0.12)
        return max(large, _star(_centred(u + 0.5), _centred(v + 0.5), 0.15, 0.55))
    if motif == 1:
        x, y, p, q = _centred(u), _centred(v), _centred(u + 0.5), _centred(v + 0.5)
        return 0.17 - np.sqrt(min(x * x + y * y, p * p + q * q))
    if motif == 2:
        return 0.25 - abs(_centred(u))
    if motif == 3:
        return (0.5 - (abs(_centred(u)) + abs(_centred(v)))) / np.sqrt(2.0)
    slope = 0.24 * np.pi * np.cos(2 * np.pi * u)
    return (0.2 - abs(_centred(v + 0.12 * np.sin(2 * np.pi * u)))) / np.sqrt(1 + slope * slope)


@njit("void(float32[:,:,::1], int64, int64, int64, float64[::1], float32[:,::1])", cache=True, nogil=True)
def _draw(out: Any, motif: int, top: int, left: int, laid: Any, colours: Any) -> None:
    period, cosine, sine = laid[0], laid[1] / laid[0], laid[2] / laid[0]
    for i in range(out.shape[0]):
        y = top + i + 0.5
        for j in range(out.shape[1]):
            x = left + j + 0.5
            inside = _distance(motif, cosine * x + sine * y, cosine * y - sine * x) * period + 0.5
            cover = min(max(inside, 0.0), 1.0)
            for c in range(3):
                out[i, j, c] = colours[1, c] + cover * (colours[0, c] - colours[1, c])


def pattern(
    window: tuple[int, int, int, int],
    motif: str,
    colours: tuple[tuple[float, float, float], tuple[float, float, float]],
    *,
    period_px: float,
    turn_deg: float = 0.0,
) -> FloatArray:
    """Draw a window of a pattern.

    Parameters
    ----------
    window : (int, int, int, int)
        Top, left, bottom, right in pixels.
    motif : str
        One of `MOTIFS`.
    colours : two colours
        Of the motif, and of what it stands on.
    period_px : float
        After how many pixels it repeats; below a few, the two colours run together.
    turn_deg : float

    Returns
    -------
    (h, w, 3) float32 ndarray
    """
    top, left, bottom, right = window
    out = np.empty((bottom - top, right - left, 3), np.float32)
    turn = np.deg2rad(turn_deg)
    laid = np.array([period_px, np.cos(turn), np.sin(turn)])
    number, inks = MOTIFS.index(motif), np.ascontiguousarray(colours, np.float32)
    parts = split_range(bottom - top, 4)
    run_all([partial(_draw, out[part], number, top + part.start, left, laid, inks) for part in parts])
    return out
