"""Tell the shadow that a subject casts on plain ground from the subject.

Such a shadow is a smooth, darker copy of the backdrop, low down and reachable from outside. It is looked for only
where the backdrop is plain enough for that to be told.
"""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["find_contact_shadow", "lowest_rows"]

_SCALES: Final = (10, 25, 60)  # standard deviations of the blurs that carry the backdrop's light inwards
_NEAR: Final = 14  # distance from the mark within which light is not taken for the backdrop's
_DARKEST, _LIGHTEST = -1.4, -0.03  # natural logarithm of a shadow's light against the backdrop's
_TINT: Final = 0.07  # largest difference of the channels' logarithms
_SMOOTH: Final = 0.035  # largest local deviation of the logarithm at that size
_LOW: Final = 0.35  # lowest share of the subject's height beside which shadows lie
_PLAIN: Final = 0.06  # deviation of the backdrop's logarithm from its carried light, up to which it is plain
_REACH: Final = 160  # how far from the mark
_FINEST: Final = 0.55  # pixels of that picture for one pixel at the size at which shadows are detected


def find_contact_shadow(
    colours: FloatArray, subject: BoolArray, unit: float, *, low: int | None = None, inside: bool = False
) -> BoolArray:
    """Find the shadow beside and beneath a marked subject.

    Parameters
    ----------
    colours : (h, w, 3) float32 ndarray
        In [0, 1].
    subject : (h, w) bool ndarray
        What is marked.
    unit : float
        Pixels for each pixel of a picture 1200 pixels long; the lengths above are in those.
    low : int, optional
        Row from which shadows may lie, from `lowest_rows`; as for a whole picture unless given.
    inside : bool
        Whether part of what is marked may be shadow: of a guess, not of a mark by hand.

    Returns
    -------
    (h, w) bool ndarray
        Nothing where the backdrop is not plain.
    """
    height, width = subject.shape
    low = lowest_rows(subject) if low is None else max(low, 0)
    step = max(1, round(unit / _FINEST))
    found = np.zeros(subject.shape, bool)
    if low >= height:
        return found
    # Shadows are smooth: they are detected at reduced size; above them only the widest blur's reach matters.
    top = max(0, low - round(2 * _SCALES[-1] * unit))
    size = (-(-width // step), -(-(height - top) // step))
    small = cv2.resize(colours[top:], size, interpolation=cv2.INTER_AREA)
    codes = cv2.resize(subject[top:].astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)
    like = _shadow(small, codes > 0, unit / step, (low - top) // step, inside)
    if like is not None:
        full = cv2.resize(like.astype(np.uint8), (width, height - top), interpolation=cv2.INTER_NEAREST)
        found[top:] = (full > 0) & (inside | ~subject[top:])
    return found


def lowest_rows(subject: BoolArray) -> int:
    """Return the row from which shadows may lie beside a subject, (h, w) bool; h where nothing is marked."""
    rows = np.flatnonzero(subject.any(axis=1))
    return len(subject) if len(rows) == 0 else int(np.ceil(rows[-1] - _LOW * (rows[-1] - rows[0] + 1)))


def _shadow(colours: FloatArray, subject: BoolArray, unit: float, top: int, inside: bool) -> BoolArray | None:
    """Find shadows from a row on; None where the backdrop is not plain."""
    logs = np.log(np.maximum(cv2.GaussianBlur(colours, (0, 0), max(0.8, unit)), 1 / 255))
    away = cv2.distanceTransform((~subject).astype(np.uint8), cv2.DIST_L2, 3)
    outside = away > _NEAR * unit
    low = np.arange(len(subject))[:, None] >= top
    if not (outside & low).any():
        return None
    red, green, blue = cv2.split(logs - _carried(logs, outside, unit))
    tone = (red + green + blue) / 3
    spread = cv2.max(cv2.max(red, green), blue) - cv2.min(cv2.min(red, green), blue)
    far = away > _REACH * unit / 2
    usual = float(np.median(np.abs(tone[far & low]))) if (far & low).any() else 1.0
    if usual > _PLAIN:
        return None
    local = np.sqrt(np.maximum(cv2.blur(tone**2, (5, 5)) - cv2.blur(tone, (5, 5)) ** 2, 0))
    like = (tone > _DARKEST) & (tone < _LIGHTEST) & (spread < _TINT) & (local < _SMOOTH / min(1.0, np.sqrt(unit))) & low
    like &= (away < _REACH * unit) & (inside | ~subject)
    open_ = (like | (outside & (np.abs(tone) < -_LIGHTEST))).astype(np.uint8)
    _, labels = cv2.connectedComponents(open_, connectivity=4)
    known = np.zeros(int(labels.max()) + 1, bool)
    known[labels[outside & (open_ > 0)]] = True
    return np.asarray(like & known[labels])


def _carried(logs: FloatArray, outside: BoolArray, unit: float) -> FloatArray:
    """Carry the backdrop's light inwards: normalised blurs, the wider where the narrower have nothing to go by."""
    weight = outside.astype(np.float32)
    total, light = np.zeros(outside.shape, np.float32), np.zeros_like(logs)
    trust = np.float32(1)
    for sigma in _SCALES:
        step = max(1, round(sigma * unit / 5))
        size = (max(1, logs.shape[1] // step), max(1, logs.shape[0] // step))
        small = cv2.resize(np.dstack([logs * weight[..., None], weight]), size, interpolation=cv2.INTER_AREA)
        spread = cv2.GaussianBlur(small, (0, 0), sigma * unit / step)
        full = cv2.resize(spread, (logs.shape[1], logs.shape[0]), interpolation=cv2.INTER_LINEAR)
        light += trust * full[..., :3]
        total += trust * full[..., 3]
        trust *= np.float32(1e-3)
    return np.asarray(light / np.maximum(total, 1e-12)[..., None], np.float32)
