"""Shadows, as opacities of a dark layer under the subject: kept from the photo, or made from the matte.

References
----------
.. [1] J. F. Blinn, "Me and my (fake) shadow", IEEE Computer Graphics and Applications 8(1), 1988, pp. 82-86: a shadow
   on a plane as a projection of what casts it. :doi:`10.1109/MCG.1988.10001`
.. [2] J. W. Tukey, "Exploratory Data Analysis", Addison-Wesley, 1977: the biweight that keeps outliers, here the shadow
   itself, from bending the fitted backdrop.
"""

from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import writable
from peel.matte.composite.blurring import wide_blur
from peel.matte.parallel import run_all

__all__ = ["Cast", "Ground", "cast_shadow", "clean_backdrop", "contact_shadow", "kept_shadow", "proposed_light"]

_DEGREE: Final = 3  # of the polynomial that a clean backdrop is
_ROUNDS: Final = 14
_FITTED: Final = 400  # longest side of the picture that it is fitted to
_POWERS: Final = [(i, j) for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)]  # of x and of y
_BLURS: Final = 6  # of a cast shadow, from its foot to its tip
_AT_ONCE: Final = 2  # of them: more would take too much memory
_SHARPEST: Final = 0.8  # least sigma in pixels, that of an edge without softness


@dataclass(frozen=True)
class Ground:
    """A line on which the subject stands: a point of it, and its direction, in pixels of the picture."""

    at: tuple[float, float]
    along: tuple[float, float] = (1.0, 0.0)

    @property
    def up(self) -> NDArray[Any]:
        """Return the unit vector that stands on it, upward in the picture.

        A (2,) float64 ndarray, x and y.
        """
        along = np.array(self.along, np.float64)
        along /= max(float(np.hypot(*along)), 1e-9)
        up = np.array([along[1], -along[0]])
        return up if up[1] <= 0 else -up

    def heights(self, shape: tuple[int, int]) -> FloatArray:
        """Return how high above it each pixel of a picture lies; below it negative.

        Returns (H, W) float32, in pixels.
        """
        up = self.up
        rows = (np.arange(shape[0]) + 0.5 - self.at[1])[:, None] * up[1]
        columns = (np.arange(shape[1]) + 0.5 - self.at[0])[None, :] * up[0]
        return np.asarray(rows + columns, np.float32)


@dataclass(frozen=True)
class Cast:
    """How a shadow is cast.

    Attributes
    ----------
    lean : (float, float)
        Where the shadow of a point one pixel above the ground falls, from its foot, in pixels.
    soft_px, foot_px : float
        Sigma of its softness at the tip, and at the foot.
    fade : float
        Share by which it fades towards the tip, in [0, 1].
    wall : float or None
        How far above the ground line an upright wall meets the floor, in pixels; None if there is none.
    """

    lean: tuple[float, float]
    soft_px: float = 20.0
    foot_px: float = 0.0
    fade: float = 0.5
    wall: float | None = None


def cast_shadow(alpha: FloatArray, ground: Ground, cast: Cast) -> FloatArray:
    """Cast the shadow of an upright subject on the ground, and up a wall behind it.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
        With room around it for the shadow.
    ground : Ground
    cast : Cast

    Returns
    -------
    (H, W) float32 ndarray
        Opacity in [0, 1].

    Notes
    -----
    The subject is taken for a card that stands on the line. Softness grows in proportion to the distance from the
    foot: of six blurs the two nearest are interpolated. What lies below the line casts nothing. On a wall, which is
    parallel to the card, the shadow is the card itself, moved as far as the light's rays have gone where they meet it.
    """
    heights = ground.heights(alpha.shape)
    standing = np.empty_like(heights)
    tallest = max(_stand(writable(alpha), heights, standing), 1.0)
    up, lean = ground.up, np.array(cast.lean, np.float64)
    rise = float(up @ lean)
    if abs(rise) < 0.08:  # a card seen along its edge would cast a line
        lean = lean + up * ((0.08 if rise >= 0 else -0.08) - rise)
        rise = float(up @ lean)
    # from heights along `up` to places along `lean`, the line itself staying where it is
    turn = np.eye(2) + np.outer(lean - up, up)
    at = np.array(ground.at)
    matrix = np.column_stack([turn, at - turn @ at])
    fallen = cv2.warpAffine(standing, matrix, (alpha.shape[1], alpha.shape[0]), flags=cv2.INTER_LINEAR)
    seen = heights
    if cast.wall is not None and rise > 0:
        seen = np.minimum(heights, np.float32(cast.wall))  # up the wall the rays have all gone as far
        by = (lean - up) * (cast.wall / rise)
        moved = np.array([[1.0, 0.0, by[0]], [0.0, 1.0, by[1]]])
        upright = cv2.warpAffine(standing, moved, (alpha.shape[1], alpha.shape[0]), flags=cv2.INTER_LINEAR)
        on_floor = np.clip(np.float32(cast.wall + 0.5) - heights, 0, 1)
        fallen = upright + on_floor * (fallen - upright)
    from_foot = np.clip(seen * np.float32(1 / (rise * tallest)), 0, 1)
    soft = _softened(fallen, from_foot, cast.foot_px, cast.soft_px)
    soft *= 1 - np.float32(cast.fade) * from_foot
    return np.clip(soft, 0, 1, out=soft)


@njit("float64(float32[:,::1], float32[:,::1], float32[:,::1])", cache=True, nogil=True)
def _stand(alpha: Any, heights: Any, standing: Any) -> Any:
    """Keep what lies above the line; return how high the highest of it is."""
    tallest = 0.0
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            standing[y, x] = alpha[y, x] * min(max(heights[y, x] + np.float32(0.5), np.float32(0)), np.float32(1))
            if standing[y, x] > 0.5:
                tallest = max(tallest, heights[y, x])
    return tallest


def _softened(values: FloatArray, share: FloatArray, least_px: float, most_px: float) -> FloatArray:
    """Blur each pixel by its share of a sigma."""
    least = max(_SHARPEST, least_px)
    sigmas = least + np.square(np.linspace(0, 1, _BLURS)) * max(most_px - least, 0)
    wanted = np.asarray(least + share * np.float32(max(most_px - least, 0)), np.float32)
    if sigmas[-1] - sigmas[0] < 1e-3:
        return wide_blur(values, float(sigmas[0]))
    out = wide_blur(values, float(sigmas[0]))
    for first in range(1, _BLURS, _AT_ONCE):
        part = range(first, min(first + _AT_ONCE, _BLURS))
        blurs = run_all([partial(wide_blur, values, float(sigmas[k])) for k in part])
        for k, blur in zip(part, blurs, strict=True):
            _step_towards(out, blur, wanted, sigmas[k - 1], sigmas[k])
    return out


@njit("void(float32[:,::1], float32[:,::1], float32[:,::1], float64, float64)", cache=True, nogil=True)
def _step_towards(out: Any, blurred: Any, wanted: Any, low: Any, high: Any) -> None:
    """Go from one blur to the next wider one, as far as each pixel's sigma says."""
    scale = np.float32(1 / (high - low))
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            share = min(max((wanted[y, x] - np.float32(low)) * scale, np.float32(0)), np.float32(1))
            out[y, x] += share * (blurred[y, x] - out[y, x])


def contact_shadow(alpha: FloatArray, ground: Ground, size_px: float) -> FloatArray:
    """Darken the ground close to where the subject touches it.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    ground : Ground
    size_px : float
        How far it reaches.

    Returns
    -------
    (H, W) float32 ndarray
        Opacity in [0, 1].
    """
    heights = ground.heights(alpha.shape)
    near = np.exp(-np.square(heights / np.float32(2 * size_px)))
    foot = np.asarray(alpha * near, np.float32)
    dark = wide_blur(foot, size_px, flatness=0.45)
    return np.asarray(np.clip(1.6 * dark, 0, 1), np.float32)


def clean_backdrop(photo: FloatArray, clear: BoolArray) -> FloatArray:
    """Fit the backdrop as it would be without subject and shadow: a smooth surface through its unshadowed part.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    clear : (H, W) bool ndarray
        Where nothing of the subject is.

    Returns
    -------
    (H, W, 3) float32 ndarray

    Notes
    -----
    A cubic polynomial in x and y for each channel, fitted by reweighting: what is darker than the fit by more than the
    backdrop's own grain counts less and less [2]_, what is lighter counts in full.
    """
    small = 1 / max(1.0, max(photo.shape[:2]) / _FITTED)
    picture = cv2.resize(photo, None, fx=small, fy=small, interpolation=cv2.INTER_AREA) if small < 1 else photo
    seen = cv2.resize(clear.astype(np.uint8), picture.shape[1::-1], interpolation=cv2.INTER_AREA) > 0
    if np.count_nonzero(seen) < 4 * len(_POWERS):
        return np.broadcast_to(np.median(photo.reshape(-1, 3), axis=0), photo.shape).astype(np.float32)
    y, x = (np.linspace(-1, 1, size) for size in picture.shape[:2])
    rows = np.stack([(y[:, None] ** j * x[None, :] ** i)[seen] for i, j in _POWERS], axis=-1)
    found = _fitted(rows, picture[seen].astype(np.float64))
    return _surface(found, photo.shape[0], photo.shape[1])


def _fitted(rows: NDArray[Any], values: NDArray[Any]) -> NDArray[Any]:
    """Return the terms' factors (T, 3) for values (N, 3) at rows of terms (N, T)."""
    weights = np.ones(len(rows))
    found = np.zeros((rows.shape[1], 3))
    for _ in range(_ROUNDS):
        weighed = rows * weights[:, None]
        found = np.linalg.solve(weighed.T @ rows + 1e-6 * np.eye(rows.shape[1]), weighed.T @ values)
        off = (values - rows @ found).mean(axis=1)
        grain = 1.5 * max(float(np.median(off[off > 0])) if (off > 0).any() else 0.0, 0.004)
        weights = np.where(off >= 0, 1.0, np.square(np.clip(1 - np.square(off / (3 * grain)), 0, 1)) + 1e-4)
    return found


def _surface(found: NDArray[Any], height: int, width: int) -> FloatArray:
    """Evaluate the polynomial over a picture: products of powers of y and of x."""
    y, x = (np.linspace(-1, 1, size) for size in (height, width))
    down, across = (np.stack([places**k for k in range(_DEGREE + 1)], axis=1) for places in (y, x))
    out = np.empty((height, width, 3), np.float32)
    for channel in range(3):
        factors = np.zeros((_DEGREE + 1, _DEGREE + 1))
        for (i, j), factor in zip(_POWERS, found[:, channel], strict=True):
            factors[j, i] = factor
        out[..., channel] = down @ factors @ across.T
    return out


def kept_shadow(
    photo: FloatArray, alpha: FloatArray, *, lift: float = 0.5, backdrop: FloatArray | None = None
) -> FloatArray:
    """Find the shadow that a photo has: the photo divided by its clean backdrop.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray
    lift : float
        How much of the backdrop's texture is taken off the shadow, in [0, 1].
    backdrop : (H, W, 3) float32 ndarray, optional
        The set without the subject and its shadow; fitted to what is clear unless given.

    Returns
    -------
    (H, W) float32 ndarray
        Opacity of a black layer in [0, 1], without colour; continued under the subject.
    """
    clear = alpha <= 0
    kernel = np.ones((5, 5), np.uint8)
    clear = cv2.erode(clear.astype(np.uint8), kernel).astype(bool)
    if backdrop is None:
        backdrop = clean_backdrop(photo, clear)
    share = photo.mean(axis=2) / np.maximum(backdrop.mean(axis=2), 0.02)
    dark = np.asarray(np.where(clear, 1 - share, 0), np.float32)
    grain = 1.5 * float(np.median(np.abs(dark[clear & (np.abs(dark) < 0.1)]))) if clear.any() else 0.0
    dark = _continued(dark, clear)
    if lift > 0:
        side = max(photo.shape[:2])
        smooth = _kept_edges(dark, max(2, round(side / 120)), (3 * grain + 0.01) ** 2)
        dark = dark + np.float32(lift) * (smooth - dark)
    floor = np.float32(grain)
    # what the grain alone would give is left out, without a step
    return np.asarray(np.clip(np.where(dark > 2 * floor, dark, np.maximum(2 * dark - 2 * floor, 0)), 0, 1), np.float32)


def _continued(values: FloatArray, known: BoolArray) -> FloatArray:
    """Fill what is not known from what is, nearest first, by ever wider blurs."""
    out, weight = np.where(known, values, 0).astype(np.float32), known.astype(np.float32)
    filled, sigma = out.copy(), 2.0
    left = ~known
    while left.any() and sigma < 2 * max(values.shape):
        cover = wide_blur(weight, sigma)
        reached = left & (cover > 0.02)
        filled[reached] = (wide_blur(out, sigma) / np.maximum(cover, 1e-6))[reached]
        left &= ~reached
        sigma *= 2
    return filled


def _kept_edges(values: FloatArray, radius: int, epsilon: float) -> FloatArray:
    """Smooth, edges kept, by the guided filter with the picture as its own guide (He, Sun, Tang, ECCV 2010)."""
    box = (2 * radius + 1, 2 * radius + 1)
    mean = cv2.blur(values, box)
    spread = np.maximum(cv2.blur(values * values, box) - mean * mean, 0)
    slope = spread / (spread + np.float32(epsilon))
    return np.asarray(cv2.blur(slope, box) * values + cv2.blur((1 - slope) * mean, box), np.float32)


def proposed_light(photo: FloatArray, alpha: FloatArray) -> tuple[float, float]:
    """Propose from where the light comes, by the subject's own shading.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray

    Returns
    -------
    (float, float)
        A vector in the picture, x to the right and y downward, towards the light; its length, in [0, 1], says how
        much of the shading it explains.

    Notes
    -----
    A rounded subject's outline faces outward. Brightness near the outline is fitted by a constant and the two
    components of the outward direction, taken from the matte blurred over a tenth of its size.
    """
    inside = alpha > 0.9
    if np.count_nonzero(inside) < 50:
        return (0.0, 0.0)
    rows, columns = np.nonzero(inside)
    size = max(float(np.ptp(rows)), float(np.ptp(columns)), 8.0)
    soft = wide_blur(alpha, 0.1 * size)
    down, across = (np.asarray(part, np.float32) for part in np.gradient(soft))
    steep: FloatArray = np.asarray(np.hypot(down, across), np.float32)
    weight = np.where(inside, steep, 0) / max(float(steep.max()), 1e-9)
    chosen = weight > 0.1
    if np.count_nonzero(chosen) < 50:
        return (0.0, 0.0)
    outward = -np.column_stack([across[chosen], down[chosen]]) / steep[chosen][:, None]
    gray: FloatArray = np.asarray(photo.mean(axis=2), np.float32)
    bright = wide_blur(gray, max(size / 100, 0.6))[chosen]
    rows_ = np.column_stack([np.ones(len(outward)), outward]) * weight[chosen][:, None]
    found = np.linalg.lstsq(rows_, bright * weight[chosen], rcond=None)[0]
    spread = max(float(bright.std()), 1e-6)
    towards = found[1:] / spread
    length = float(np.hypot(*towards))
    towards = towards / max(length, 1.0)
    return float(towards[0]), float(towards[1])
