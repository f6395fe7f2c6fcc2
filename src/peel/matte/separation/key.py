"""Key of a backdrop colour: how much of a cloth's or wall's own hue is left in a pixel, whatever the light on it.

References
----------
.. [1] A. R. Smith, J. F. Blinn, "Blue screen matting", Proceedings of SIGGRAPH 1996, pp. 259-268, on the colour
   difference of P. Vlahos. :doi:`10.1145/237170.237263`
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["LEAST_HUE", "Plate", "fit_plate", "hue_of_backdrop", "key_tone", "relative_chroma"]

LEAST_HUE: Final = 0.12
"""Chroma relative to brightness below which a colour has no hue to key."""

_CHROMA: Final = np.array([[1, -1, 0], [1, 1, -2]], np.float32) / np.sqrt([[2], [6]]).astype(np.float32)
_ALIKE: Final = 0.90  # cosine of the angle between hues that belong together
_LEAST_CHROMA: Final = 0.45  # of the key's, relative to brightness, from which a pixel may be plain backdrop
_DEGREE: Final = 3  # of the polynomial through the light on the backdrop
_ROUNDS: Final = 4
_OFF: Final = 2.5  # deviations of brightness from the polynomial beyond which a pixel is not plain backdrop
_SMOOTH: Final = 0.03  # of the picture's diagonal over which what the polynomial misses is averaged
_TRUST: Final = 0.02  # coverage below which that average counts for less and less
_PLATE_PX: Final = 400  # longer side of the plate
_FEW: Final = 200  # pixels of the plate's size without which nothing can be fitted
_ASIDE: Final = 0.3  # by how much chroma across the hue takes away from chroma along it


@dataclass(frozen=True)
class Plate:
    """The clean backdrop, as it would look without the subject.

    Attributes
    ----------
    colours : (h, w, 3) float32 ndarray
        At a small size; the backdrop is smooth.
    """

    colours: FloatArray

    def window(self, rect: tuple[int, int, int, int], shape: tuple[int, int]) -> FloatArray:
        """Return the plate under a window (top, left, bottom, right) of a picture of the given shape.

        Returns (h, w, 3) float32.
        """
        top, left, bottom, right = rect
        height, width = self.colours.shape[:2]
        across, down = width / shape[1], height / shape[0]
        columns = ((np.arange(left, right, dtype=np.float32) + 0.5) * across - 0.5)[None, :]
        rows = ((np.arange(top, bottom, dtype=np.float32) + 0.5) * down - 0.5)[:, None]
        size = (bottom - top, right - left)
        places = np.broadcast_to(columns, size).copy(), np.broadcast_to(rows, size).copy()
        return cv2.remap(self.colours, *places, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _chroma(colours: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return the opponent plane (H, W, 2), perpendicular to gray, and the brightness (H, W)."""
    return cv2.transform(colours, _CHROMA), colours.mean(axis=2)


def relative_chroma(colour: FloatArray) -> float:
    """Return how much hue a colour (3,) has for its brightness; 0 for gray.

    >>> round(relative_chroma(np.array([0.4, 0.4, 0.4], np.float32)), 6)
    0.0
    """
    chroma, brightness = _chroma(np.asarray(colour, np.float32).reshape(1, 1, 3))
    return float(np.linalg.norm(chroma)) / max(float(brightness[0, 0]), 0.02)


def hue_of_backdrop(backdrop: FloatArray) -> tuple[FloatArray, float]:
    """Return the colour that samples of a backdrop have in common, and what share of them has its hue.

    Parameters
    ----------
    backdrop : (N, 3) float32 ndarray
        Not empty.

    Returns
    -------
    (3,) float32 ndarray
        The median colour of the most saturated half.
    float
        Share of the samples that are saturated and of that hue; a chroma cloth has nearly 1.
    """
    chroma, brightness = _chroma(np.ascontiguousarray(backdrop[None], np.float32))
    relative = np.linalg.norm(chroma[0], axis=1) / np.maximum(brightness[0], 0.02)
    strong = relative >= np.median(relative)
    colour = np.median(backdrop[strong], axis=0).astype(np.float32)
    return colour, float(_is_alike(backdrop[None], colour).mean())


def _is_alike(colours: FloatArray, colour: FloatArray) -> BoolArray:
    """Return where a picture has the hue of a colour, and enough of it for its brightness."""
    chroma, brightness = _chroma(np.ascontiguousarray(colours, np.float32))
    own, _ = _chroma(np.asarray(colour, np.float32).reshape(1, 1, 3))
    strength = float(np.linalg.norm(own))
    relative = relative_chroma(colour)
    if relative < LEAST_HUE:
        return np.zeros(brightness.shape, bool)
    along = chroma @ (own[0, 0] / strength)
    length = np.linalg.norm(chroma, axis=2)
    return np.asarray(
        (along > _ALIKE * length) & (length > _LEAST_CHROMA * relative * np.maximum(brightness, 0.02)), bool
    )


def fit_plate(picture: FloatArray, colour: FloatArray, subject: BoolArray | None = None) -> Plate | None:
    """Fit the clean backdrop through all pixels of a photo that have its hue.

    Parameters
    ----------
    picture : (H, W, 3) float32 ndarray
        The whole photo, at any size, in [0, 1].
    colour : (3,) float32 ndarray
        Of the backdrop, anywhere on it.
    subject : (H, W) bool ndarray, optional
        What is surely no backdrop.

    Returns
    -------
    Plate or None
        None where the colour has no hue or hardly any pixel shares it.

    Notes
    -----
    The logarithm of each channel is a cubic of the place, fitted to what lies within 2.5 deviations of it, and what
    that misses is averaged over 3 % of the diagonal.
    """
    scale = min(1.0, _PLATE_PX / max(picture.shape[:2]))
    size = (max(1, round(picture.shape[1] * scale)), max(1, round(picture.shape[0] * scale)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], 3)
    known = _is_alike(small, colour)
    if subject is not None:
        known &= cv2.resize(subject.astype(np.float32), size, interpolation=cv2.INTER_AREA).reshape(known.shape) == 0
    if known.sum() < _FEW:
        return None
    logs = np.log(np.maximum(small, 1e-3))
    terms = _polynomial(known.shape)
    used = known
    for _ in range(_ROUNDS):
        factors, *_rest = np.linalg.lstsq(terms[used], logs[used], rcond=None)
        base = (terms @ factors).astype(np.float32)
        off = np.abs(logs - base).max(axis=2)
        used = known & (off <= _OFF * max(float(1.4826 * np.median(off[known])), 0.01))
    return Plate(np.exp(base + _averaged(logs - base, used)))


def _polynomial(shape: tuple[int, int]) -> FloatArray:
    rows, columns = (np.linspace(-1, 1, count, dtype=np.float32) for count in shape)
    y, x = np.meshgrid(rows, columns, indexing="ij")
    powers = [(i, j) for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)]
    return np.stack([y**i * x**j for i, j in powers], axis=2)


def _averaged(values: FloatArray, known: BoolArray) -> FloatArray:
    """Average over the known pixels nearby; fades to 0 where none are."""
    sigma = _SMOOTH * float(np.hypot(*known.shape))
    weight = cv2.GaussianBlur(known.astype(np.float32), (0, 0), sigma)
    total = cv2.GaussianBlur(np.where(known[..., None], values, 0).astype(np.float32), (0, 0), sigma)
    return np.asarray(total / (weight + np.float32(_TRUST))[..., None], np.float32)


def key_tone(colours: FloatArray, plate: FloatArray, gain: float = 1.0) -> FloatArray:
    """Return how little of the backdrop's hue is left in each pixel.

    Parameters
    ----------
    colours, plate : (H, W, 3) float32 ndarray
        The photo and the clean backdrop behind it.
    gain : float
        How strongly the hue counts.

    Returns
    -------
    (H, W) float32 ndarray
        1 for neutral colours and other hues, about 0 for the backdrop itself (below it where more saturated).

    Notes
    -----
    The colour difference of Vlahos [1]_ for any hue: chroma along the plate's, less chroma across it, relative to the
    plate's own.
    """
    chroma, _ = _chroma(np.ascontiguousarray(colours, np.float32))
    own, _ = _chroma(np.ascontiguousarray(plate, np.float32))
    strength = np.maximum(np.linalg.norm(own, axis=2), np.float32(1e-3))
    unit = own / strength[..., None]
    along = (chroma * unit).sum(axis=2)
    across = np.abs(chroma[..., 0] * unit[..., 1] - chroma[..., 1] * unit[..., 0])
    left = np.maximum(along - np.float32(_ASIDE) * across, 0)
    return np.asarray(1 - np.float32(gain) * left / strength, np.float32)
