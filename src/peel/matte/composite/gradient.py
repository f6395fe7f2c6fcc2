"""Gradients: colours that run into each other over a plane, without visible bands."""

from collections.abc import Sequence

import numpy as np

from peel.matte.arrays import FloatArray

__all__ = ["dither", "gradient"]


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
    rows = np.arange(top, bottom, dtype=np.float64)[:, None] + 0.5
    columns = np.arange(left, right, dtype=np.float64)[None, :] + 0.5
    (x0, y0), (x1, y1) = ends
    dx, dy = x1 - x0, y1 - y0
    length = max(float(np.hypot(dx, dy)), 1e-6)
    if is_round:
        place = np.hypot(columns - x0, rows - y0) / length
    else:
        place = ((columns - x0) * dx + (rows - y0) * dy) / length**2
    at = [stop[0] for stop in stops]
    parts = [np.interp(place, at, [stop[1][k] for stop in stops]) for k in range(3)]
    made = np.stack(parts, axis=-1) + dither(window)[..., None]
    return np.clip(made, 0, 1).astype(np.float32)


def dither(window: tuple[int, int, int, int]) -> FloatArray:
    """Return a fixed pattern within half a step of 8 bits: interleaved gradient noise, which has no visible grain."""
    top, left, bottom, right = window
    rows, columns = np.mgrid[top:bottom, left:right].astype(np.float64)
    noise = np.modf(52.9829189 * np.modf(0.06711056 * columns + 0.00583715 * rows)[0])[0]
    return np.asarray((noise - 0.5) / 255, np.float32)
