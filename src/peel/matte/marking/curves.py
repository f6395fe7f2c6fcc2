"""Lines made of cubic curves: flattening, finding the nearest place, splitting, bending, and fitting to a freehand run.

A piece is four points (start, two handles, end) as a (4, 2) float64 array, x and y in pixels; a straight run is a piece
whose handles lie on its ends.
"""

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

__all__ = ["bent", "fit_curves", "flatten", "nearest_place", "point_on", "split"]

Points = NDArray[np.float64]

_MOST_STEPS = 200


def _weights(t: NDArray[Any]) -> Points:
    """Return the four Bernstein polynomials at t, (N, 4)."""
    s = 1 - t
    return np.stack([s**3, 3 * s * s * t, 3 * s * t * t, t**3], axis=1)


def point_on(piece: ArrayLike, t: float) -> tuple[float, float]:
    """Return the point of a piece at t in [0, 1].

    >>> point_on([(0, 0), (0, 0), (9, 0), (9, 0)], 0.5)
    (4.5, 0.0)
    """
    x, y = (_weights(np.array([t])) @ np.asarray(piece, np.float64))[0]
    return float(x), float(y)


def flatten(piece: ArrayLike, tolerance_px: float = 0.1) -> Points:
    """Return points along a piece, both ends among them, that stray from it by no more than about `tolerance_px`.

    Returns
    -------
    (N, 2) float64 ndarray
        Two points for a straight run.
    """
    points = np.asarray(piece, np.float64)
    # The second differences bound how far a chord is from the curve (Wang's formula).
    bend = np.abs(np.diff(points, n=2, axis=0)).max()
    if bend == 0 or _is_straight(points):
        return points[[0, 3]]
    steps = min(int(np.ceil(np.sqrt(0.75 * bend / tolerance_px))) + 1, _MOST_STEPS)
    return np.asarray(_weights(np.linspace(0, 1, steps + 1)) @ points)


def _is_straight(points: Points) -> bool:
    return bool((points[0] == points[1]).all() and (points[2] == points[3]).all())


def split(piece: ArrayLike, t: float) -> tuple[Points, Points]:
    """Cut a piece in two at t without changing its course (de Casteljau)."""
    a, b, c, d = np.asarray(piece, np.float64)
    ab, bc, cd = a + (b - a) * t, b + (c - b) * t, c + (d - c) * t
    left, right = ab + (bc - ab) * t, bc + (cd - bc) * t
    middle = left + (right - left) * t
    if _is_straight(np.stack([a, b, c, d])):
        return np.stack([a, a, middle, middle]), np.stack([middle, middle, d, d])
    return np.stack([a, ab, left, middle]), np.stack([middle, right, cd, d])


def nearest_place(piece: ArrayLike, at: tuple[float, float]) -> tuple[float, float]:
    """Return t of the place on a piece that is nearest to a point, and its distance in pixels."""
    line = flatten(piece, 0.25)
    start, run = line[:-1], np.diff(line, axis=0)
    length = np.maximum((run**2).sum(axis=1), 1e-12)
    along = np.clip(((np.asarray(at) - start) * run).sum(axis=1) / length, 0, 1)
    away = np.hypot(*(start + run * along[:, None] - np.asarray(at)).T)
    best = int(np.argmin(away))
    return float((best + along[best]) / len(run)), float(away[best])


def bent(piece: ArrayLike, t: float, to: tuple[float, float]) -> Points:
    """Bend a piece so that its place at t comes to lie at a point; the ends stay."""
    points = np.array(piece, np.float64)
    if _is_straight(points):
        third = (points[3] - points[0]) / 3
        points[1], points[2] = points[0] + third, points[3] - third
    t = min(max(t, 0.1), 0.9)
    weights = _weights(np.array([t]))[0]
    missing = np.asarray(to, np.float64) - weights @ points
    # The handles share the pull by their weights: the smallest change that does it.
    points[1:3] += missing * (weights[1:3] / (weights[1:3] ** 2).sum())[:, None]
    return points


def fit_curves(run: ArrayLike, tolerance_px: float, corner_degrees: float = 55.0) -> list[Points]:
    """Fit few smooth pieces to a freehand run.

    Parameters
    ----------
    run : (N, 2) floats
        Points as the hand went.
    tolerance_px : float
        How far pieces may stray from the run. Larger: fewer pieces.
    corner_degrees : float
        Turns sharper than this stay sharp.

    Returns
    -------
    list of (4, 2) float64 ndarrays
        From the first point to the last; empty for fewer than two different points.

    Notes
    -----
    Schneider 1990, "An algorithm for automatically fitting digitized curves".
    """
    points = np.asarray(run, np.float64).reshape(-1, 2)
    points = points[np.r_[True, (np.diff(points, axis=0) != 0).any(axis=1)][: len(points)]]
    if len(points) < 2:
        return []
    pieces: list[Points] = []
    stops = [0, *_corners(points, tolerance_px, corner_degrees), len(points) - 1]
    for first, last in pairwise(stops):
        part = points[first : last + 1]
        reach = max(2 * tolerance_px, 2.0)
        _fit(part, _heading(part, reach), _heading(part[::-1], reach), tolerance_px, pieces)
    return pieces


def _heading(points: Points, reach: float) -> Points:
    """Return the direction in which a run sets out, judged over a short way so that jitter does not turn it."""
    away = np.hypot(*(points - points[0]).T)
    at = int(np.argmax(away >= reach)) if (away >= reach).any() else int(np.argmax(away))
    run = points[at] - points[0]
    return np.asarray(run / max(float(np.hypot(*run)), 1e-9))


def _corners(points: Points, tolerance_px: float, degrees: float) -> list[int]:
    """List the inner points where the run turns sharply over a few tolerances, the sharpest of each neighbourhood."""
    reach = max(4 * tolerance_px, 3.0)
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(points, axis=0).T))]
    before = np.searchsorted(along, along - reach)
    after = np.minimum(np.searchsorted(along, along + reach), len(points) - 1)
    come, go = points - points[before], points[after] - points
    turn = np.degrees(np.abs(np.angle((come[:, 0] + 1j * come[:, 1]).conj() * (go[:, 0] + 1j * go[:, 1]))))
    turn[(along < reach) | (along > along[-1] - reach)] = 0
    found: list[int] = []
    for index in np.argsort(-turn):
        if turn[index] < degrees:
            break
        if all(abs(along[index] - along[other]) > 2 * reach for other in found):
            found.append(int(index))
    return sorted(found)


def _fit(points: Points, out: Points, back: Points, tolerance: float, pieces: list[Points]) -> None:
    """Fit one piece, or cut the run where it strays most and fit both parts."""
    t = _chord_shares(points)
    piece = _best_piece(points, t, out, back)
    for _ in range(4):
        away = ((_weights(t) @ piece - points) ** 2).sum(axis=1)
        if away.max() <= tolerance**2:
            pieces.append(piece)
            return
        if away.max() > (4 * tolerance) ** 2:
            break
        t = _nearer_shares(piece, points, t)
        piece = _best_piece(points, t, out, back)
    away = ((_weights(t) @ piece - points) ** 2).sum(axis=1)
    if len(points) < 4 or away.max() <= tolerance**2:
        pieces.append(piece)
        return
    at = min(max(int(np.argmax(away)), 1), len(points) - 2)
    low, high = max(at - 2, 0), min(at + 2, len(points) - 1)
    through = points[low] - points[high]
    through = through / max(float(np.hypot(*through)), 1e-9)
    _fit(points[: at + 1], out, through, tolerance, pieces)
    _fit(points[at:], -through, back, tolerance, pieces)


def _chord_shares(points: Points) -> Points:
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(points, axis=0).T))]
    return np.asarray(along / along[-1])


def _best_piece(points: Points, t: Points, out: Points, back: Points) -> Points:
    """Find the handles' lengths that fit best (least squares)."""
    weights = _weights(t)
    first, last = points[0], points[-1]
    pull_out, pull_back = weights[:, 1, None] * out, weights[:, 2, None] * back
    rest = points - (weights[:, :2].sum(axis=1)[:, None] * first + weights[:, 2:].sum(axis=1)[:, None] * last)
    a, b, c = (pull_out**2).sum(), (pull_out * pull_back).sum(), (pull_back**2).sum()
    p, q = (pull_out * rest).sum(), (pull_back * rest).sum()
    det = a * c - b * b
    span = float(np.hypot(*(last - first)))
    lengths = ((p * c - q * b) / det, (a * q - b * p) / det) if abs(det) > 1e-12 else (0.0, 0.0)
    if min(lengths) < 1e-3 * span or max(lengths) > 4 * max(span, 1.0):
        lengths = (span / 3, span / 3)
    return np.stack([first, first + out * lengths[0], last + back * lengths[1], last])


def _nearer_shares(piece: Points, points: Points, t: Points) -> Points:
    """Move each point's t towards the nearest place on the piece (one Newton step)."""
    first, second = 3 * np.diff(piece, axis=0), 6 * np.diff(piece, n=2, axis=0)
    s = 1 - t
    speed = np.stack([s * s, 2 * s * t, t * t], axis=1) @ first
    change = np.stack([s, t], axis=1) @ second
    miss = _weights(t) @ piece - points
    slope = (speed**2 + miss * change).sum(axis=1)
    step = np.where(np.abs(slope) > 1e-12, (miss * speed).sum(axis=1) / np.where(slope == 0, 1, slope), 0)
    return np.asarray(np.maximum.accumulate(np.clip(t - step, 0, 1)))
