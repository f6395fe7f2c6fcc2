"""Patterns drawn for Peel: two colours, at any size, without jagged edges."""

from collections.abc import Callable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import FloatArray

__all__ = ["MOTIFS", "pattern"]

_Distance = Callable[[NDArray[Any], NDArray[Any]], NDArray[Any]]
"""From places in periods to signed distances in periods, positive inside the motif."""


def _stars(u: NDArray[Any], v: NDArray[Any]) -> NDArray[Any]:
    """Five-pointed stars of two sizes, the smaller between the larger."""
    large = _star(_centred(u), _centred(v), 0.30, 0.12)
    return np.maximum(large, _star(_centred(u + 0.5), _centred(v + 0.5), 0.15, 0.55))


def _star(x: NDArray[Any], y: NDArray[Any], radius: float, turn: float) -> NDArray[Any]:
    """Return the distance into a star with its tips at a radius and its notches at 0.42 of it."""
    sector = 2 * np.pi / 5
    angle = np.abs((np.arctan2(x, -y) + turn + sector / 2) % sector - sector / 2)
    away = np.hypot(x, y)
    tip = np.array([radius, 0.0])
    notch = 0.42 * radius * np.array([np.cos(sector / 2), np.sin(sector / 2)])
    edge = notch - tip
    inward = np.array([-edge[1], edge[0]]) / np.hypot(*edge)
    return np.asarray((away * np.cos(angle) - tip[0]) * inward[0] + (away * np.sin(angle) - tip[1]) * inward[1])


def _dots(u: NDArray[Any], v: NDArray[Any]) -> NDArray[Any]:
    near = np.minimum(np.hypot(_centred(u), _centred(v)), np.hypot(_centred(u + 0.5), _centred(v + 0.5)))
    return np.asarray(0.17 - near)


def _stripes(u: NDArray[Any], v: NDArray[Any]) -> NDArray[Any]:
    del v
    return np.asarray(0.25 - np.abs(_centred(u)))


def _lozenges(u: NDArray[Any], v: NDArray[Any]) -> NDArray[Any]:
    return np.asarray((0.5 - (np.abs(_centred(u)) + np.abs(_centred(v)))) / np.sqrt(2))


def _waves(u: NDArray[Any], v: NDArray[Any]) -> NDArray[Any]:
    slope = 0.24 * np.pi * np.cos(2 * np.pi * u)
    return np.asarray((0.2 - np.abs(_centred(v + 0.12 * np.sin(2 * np.pi * u)))) / np.sqrt(1 + slope**2))


def _centred(places: NDArray[Any]) -> NDArray[Any]:
    """Return places within their period, from -0.5 to 0.5."""
    return np.asarray((places + 0.5) % 1.0 - 0.5)


MOTIFS: Final[dict[str, _Distance]] = {
    "stars": _stars,
    "dots": _dots,
    "stripes": _stripes,
    "lozenges": _lozenges,
    "waves": _waves,
}


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
    rows = np.arange(top, bottom, dtype=np.float32)[:, None] + np.float32(0.5)
    columns = np.arange(left, right, dtype=np.float32)[None, :] + np.float32(0.5)
    turn = np.deg2rad(turn_deg)
    cosine, sine = (np.float32(part / period_px) for part in (np.cos(turn), np.sin(turn)))
    distance = MOTIFS[motif](cosine * columns + sine * rows, cosine * rows - sine * columns)
    cover = np.clip(distance * period_px + 0.5, 0, 1).astype(np.float32)[..., None]
    ink, paper = (np.array(colour, np.float32) for colour in colours)
    return np.asarray(paper + cover * (ink - paper), np.float32)
