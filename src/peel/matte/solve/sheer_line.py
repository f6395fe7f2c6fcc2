"""Sheer cloth of a known colour: alpha is read off the line from that colour to the backdrop seen through it.

Gauze has a colour of its own and lets the backdrop through everywhere. A pixel lies on the line from the cloth's colour
to that of the backdrop behind it, which is looked up among the certain backdrop colours in that direction, as P. Vlahos
and later A. R. Smith, J. F. Blinn, "Blue screen matting", SIGGRAPH '96, pp. 259-268, do for a backdrop of one colour.
"""

from typing import Final

import cv2
import numpy as np
from scipy.spatial import cKDTree

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND

__all__ = ["sheer_colour", "sheer_evidence"]

_STEP: Final = 2  # alpha is read at half size
_SAMPLES: Final = 6000
_FELLOWS: Final = 40
_REACH_PX: Final = 8000.0  # this far away counts like a direction that is off by one unit
_SMOOTH: Final = 1.0  # pixels over which the logarithm is smoothed
_FADE_PX: Final = (4.0, 12.0)  # distance from either zone at which the evidence begins, and is full
_DENSEST: Final = 0.85  # alpha of the densest of the cloth, when its colour is estimated
_FEWEST: Final = 400  # pixels of wide band from which a colour is estimated


def _wide(trimap: ByteArray) -> FloatArray:
    """Return how far inside a wide band each pixel is, from 0 to 1."""
    first, last = _FADE_PX
    known = ((trimap != BACKGROUND) & (trimap != FOREGROUND)).astype(np.uint8)
    return np.clip((cv2.distanceTransform(known, cv2.DIST_L2, 5) - first) / (last - first), 0, 1)


def sheer_colour(image: FloatArray, trimap: ByteArray, where: FloatArray) -> FloatArray | None:
    """Estimate the colour of sheer cloth: the furthest that a wide band goes from the backdrop, and a little more.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Linear light.
    trimap : (H, W) uint8 ndarray
    where : (H, W) float32 ndarray
        Above one half where the cloth is.

    Returns
    -------
    (3,) float32 ndarray or None
        None where too little cloth is seen to tell.
    """
    chosen = (where > 0.5) & (_wide(trimap) > 0)
    backdrop = trimap == BACKGROUND
    if chosen.sum() < _FEWEST or not backdrop.any():
        return None
    behind = np.median(image[backdrop][:: max(1, int(backdrop.sum()) // 20000)], axis=0)
    away = image[chosen] - behind
    direction = np.median(away, axis=0)
    length = float(np.linalg.norm(direction))
    if length < 1e-3:
        return None
    along = away @ (direction / length)
    densest = away[along >= np.percentile(along, 98)].mean(axis=0)
    return np.clip(behind + densest / _DENSEST, 0, 1.5).astype(np.float32)


def sheer_evidence(image: FloatArray, trimap: ByteArray, own: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Read alpha off the lines from a cloth's own colour to the backdrop's.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Linear light.
    trimap : (H, W) uint8 ndarray
    own : (3,) float32 ndarray
        The cloth's colour, linear.

    Returns
    -------
    (H, W) float32 ndarray
        Confidence, from 0 to 1: in wide bands only, and less where a pixel looks like the opaque subject.
    (H, W) float32 ndarray
        Alpha.

    Notes
    -----
    With ``r = |I - F|`` and the known backdrop colours ``B_j`` that lie nearest by direction ``(I - F) / r`` and by
    position, ``1 - alpha = r / exp(mean ln |B_j - F|)``, whose logarithm is smoothed.
    """
    height, width = trimap.shape
    size = ((width + 1) // _STEP, (height + 1) // _STEP)
    small = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
    confidence = cv2.resize(_wide(trimap), size, interpolation=cv2.INTER_AREA)
    backdrop = cv2.resize((trimap == BACKGROUND).astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    places, samples = np.argwhere(confidence > 0), np.argwhere(backdrop)
    blank = np.zeros(trimap.shape, np.float32)
    if len(places) == 0 or len(samples) < _FELLOWS:
        return blank, blank
    samples = samples[:: max(1, len(samples) // _SAMPLES)]
    tree_colours = small[tuple(samples.T)] - own
    far = np.maximum(np.linalg.norm(tree_colours, axis=1), 1e-4)
    scale = np.float32(_STEP / _REACH_PX)
    tree = cKDTree(np.hstack([tree_colours / far[:, None], samples * scale]).astype(np.float32))
    offset = small[tuple(places.T)] - own
    r = np.maximum(np.linalg.norm(offset, axis=1), 1e-4)
    _, fellows = tree.query(np.hstack([offset / r[:, None], places * scale]).astype(np.float32), _FELLOWS, workers=-1)
    behind = np.log(far)[fellows].mean(axis=1)
    ratio = np.zeros(confidence.shape, np.float32)
    ratio[tuple(places.T)] = np.log(r) - behind
    known = (confidence > 0).astype(np.float32)
    sigma = _SMOOTH / _STEP
    smooth = cv2.GaussianBlur(ratio, (0, 0), sigma) / np.maximum(cv2.GaussianBlur(known, (0, 0), sigma), 1e-4)
    alpha = np.clip(1 - np.exp(np.minimum(smooth, 0)), 0, 1).astype(np.float32)
    confidence *= _unlike_subject(small, trimap, size, own)
    return (
        cv2.resize(confidence, (width, height), interpolation=cv2.INTER_LINEAR),
        cv2.resize(alpha, (width, height), interpolation=cv2.INTER_LINEAR),
    )


def _unlike_subject(small: FloatArray, trimap: ByteArray, size: tuple[int, int], own: FloatArray) -> FloatArray:
    """Return 1 where a pixel is nearer to the cloth's colour than to the opaque subject beside it, falling to 0."""
    subject = cv2.resize((trimap == FOREGROUND).astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)
    if not subject.any():
        return np.ones(subject.shape, np.float32)
    weight = cv2.GaussianBlur(subject.astype(np.float32), (0, 0), 40.0)
    mean = cv2.GaussianBlur(small * subject[..., None], (0, 0), 40.0) / np.maximum(weight, 1e-4)[..., None]
    to_subject = np.linalg.norm(small - mean, axis=2)
    between = np.maximum(np.linalg.norm(own - mean, axis=2), 1e-3)
    near = np.clip(weight * 4, 0, 1) * np.clip(1 - to_subject / (0.3 * between), 0, 1)
    return np.asarray(1 - near, np.float32)
