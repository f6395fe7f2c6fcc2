"""Photograph a drawn scene: defocus, lens softness, tone curve, vignette and sensor noise."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numba import njit, prange

from peel.demo.solid_kernels import fractal
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.srgb import to_encoded

__all__ = ["Shot", "cloud", "defocus", "develop", "empty_set", "photograph"]


@dataclass(frozen=True)
class Shot:
    """A finished photograph with its truth, all encoded like sRGB.

    Attributes
    ----------
    photo : (H, W, 3) float32 ndarray
        With noise; not yet rounded.
    alpha : (H, W) float32 ndarray
        The exact matte of the encoded picture.
    foreground : (H, W, 3) float32 ndarray
        The subject's true colours, noise-free, meaningful where alpha is above 0.
    zones : (H, W) uint8 ndarray
        A specialist's rough marking: 0 backdrop, 128 unsure, 255 subject.
    kinds : (H, W) uint8 ndarray
        The true kinds along the edge (see `peel.matte.edge.kinds`), 0 away from it.
    """

    photo: FloatArray
    alpha: FloatArray
    foreground: FloatArray
    zones: ByteArray
    kinds: ByteArray


@njit(parallel=True, cache=True, nogil=True)
def _cloud(width: int, height: int, scale_x: float, scale_y: float, seed: float, octaves: int) -> Any:
    out = np.empty((height, width), np.float32)
    for y in prange(height):
        for x in range(width):
            out[y, x] = fractal(x / height * scale_x, y / height * scale_y, seed, octaves)
    return out


def cloud(width: int, height: int, scale_x: float, scale_y: float, seed: int, octaves: int = 5) -> FloatArray:
    """Draw fractal noise, about [0, 1]; the scales count blobs across the picture's height."""
    return np.asarray(_cloud(width, height, scale_x, scale_y, seed * 17.37, octaves), np.float32)


def defocus(picture: FloatArray, radius_px: float) -> FloatArray:
    """Blur by a round aperture of the given radius, with bright spots kept bright."""
    if radius_px < 0.6:
        return picture
    shrink = max(1, int(radius_px // 6))
    small = cv2.resize(picture, None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
    size = int(np.ceil(radius_px / shrink)) * 2 + 1
    ys, xs = np.mgrid[:size, :size] - size // 2
    disc = np.clip(radius_px / shrink + 0.5 - np.hypot(xs, ys), 0, 1).astype(np.float32)
    soft = cv2.filter2D(small, -1, disc / disc.sum(), borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.resize(soft, picture.shape[1::-1], interpolation=cv2.INTER_CUBIC), np.float32)


def develop(linear: FloatArray, exposure: float = 1.0) -> FloatArray:
    """Turn scene light into encoded values with a gentle shoulder, as a camera does."""
    light = np.maximum(linear * exposure, 0)
    light = light * (1 + light / 6.0) / (1 + light * 0.72)
    return np.clip(to_encoded(light), 0, 1)


def photograph(
    subject: FloatArray, room: FloatArray, *, lens_px: float, noise: float, seed: int, exposure: float = 1.0
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Expose a premultiplied subject before a room.

    Parameters
    ----------
    subject : (H, W, 4) float32 ndarray
        Premultiplied linear colour and coverage.
    room : (H, W, 3) float32 ndarray
        Linear light of the backdrop, already out of focus as wanted.
    lens_px : float
        Softness of the lens as the sigma of a Gaussian, in pixels.
    noise : float
        Sensor noise at mid-grey, in encoded units.
    seed : int
    exposure : float

    Returns
    -------
    photo, alpha, foreground
        Encoded; ``photo = alpha * foreground + (1 - alpha) * backdrop + noise``.
    """
    height, width = room.shape[:2]
    soft = cv2.GaussianBlur(subject, (0, 0), lens_px)
    alpha = np.clip(soft[..., 3], 0, 1)
    alpha[alpha < 0.002] = 0
    alpha[alpha > 0.998] = 1
    straight = soft[..., :3] / np.maximum(soft[..., 3:], 1e-4)
    ys, xs = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j].astype(np.float32)
    vignette = (1 - 0.16 * (xs**2 + ys**2) ** 1.3)[..., None]
    foreground, backdrop = develop(straight * vignette, exposure), develop(room * vignette, exposure)
    clean = foreground * alpha[..., None] + backdrop * (1 - alpha[..., None])
    rng = np.random.default_rng(seed)
    grain = rng.standard_normal((height, width, 3), np.float32)
    common = rng.standard_normal((height, width, 1), np.float32)
    grain = cv2.GaussianBlur(0.75 * grain + 0.65 * common, (0, 0), 0.55) * 1.9
    level = noise * (0.55 + 0.9 * np.sqrt(clean) * (1.15 - clean))
    return np.clip(clean + grain * level, 0, 1).astype(np.float32), alpha, foreground


def empty_set(
    wall: Callable[[FloatArray], FloatArray],
    shape: tuple[int, int],
    blur: float,
    *,
    noise: float,
    seed: int,
    exposure: float,
) -> FloatArray:
    """Photograph a set without its puppet, which casts no shadow then: (H, W, 3) encoded.

    Parameters
    ----------
    wall : callable
        Paints the wall from what the puppet leaves of the light, (H, W, 6).
    shape : tuple of int
    blur : float
        Radius in pixels of a picture 2000 high, by which the wall is out of focus.
    noise, seed, exposure
        As for `photograph`; the seed is the puppet's, and the grain another one.
    """
    height, width = shape
    unit = height / 2000
    bare = defocus(wall(np.ones((height, width, 6), np.float32)), blur * unit)
    nobody = np.zeros((height, width, 4), np.float32)
    return photograph(nobody, bare, lens_px=max(0.45, 0.62 * unit), noise=noise, seed=seed + 9, exposure=exposure)[0]
