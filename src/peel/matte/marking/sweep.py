"""Grow a region from a stroke to the boundary that the photo shows."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray
from peel.matte.marking.regions import region_at

__all__ = ["colour_cost", "colour_model", "cut_by_colour", "sweep"]

_COMPONENTS: Final = 5  # of each colour mixture, as OpenCV's graph cut has them
_SAMPLES: Final = 900
_REACH: Final = 0.30  # of the picture's diagonal: how far from a stroke a region can grow
_FRAME: Final = 0.03

Model = NDArray[np.float64]


@dataclass(frozen=True)
class _Sides:
    subject: Model
    backdrop: Model


def colour_model(colours: ByteArray) -> Model:
    """Fit a mixture of Gaussians to some colours.

    Parameters
    ----------
    colours : (N, 3) uint8 ndarray

    Returns
    -------
    (1, 65) float64 ndarray
        Weights, means and covariances of five components, as OpenCV lays them out.
    """
    values = colours.reshape(-1, 3).astype(np.float32)
    if len(values) > _SAMPLES:
        values = values[np.linspace(0, len(values) - 1, _SAMPLES).astype(int)]
    count = min(_COMPONENTS, max(len(values), 1))
    cv2.setRNGSeed(1)
    stop = (cv2.TERM_CRITERIA_MAX_ITER, 8, 0.5)
    _, labels, means = cv2.kmeans(values, count, None, stop, 1, cv2.KMEANS_PP_CENTERS)
    weights, covariances = np.zeros(_COMPONENTS), np.tile(np.eye(3) * 20, (_COMPONENTS, 1, 1))
    centres = np.zeros((_COMPONENTS, 3))
    for number in range(count):
        own = values[labels[:, 0] == number]
        weights[number], centres[number] = len(own) / len(values), means[number]
        if len(own) > 3:
            covariances[number] = np.cov(own.T) + np.eye(3) * 6
    return np.concatenate([weights, centres.ravel(), covariances.ravel()])[None]


def colour_cost(picture: ByteArray, model: Model) -> NDArray[np.float32]:
    """Return the negative log likelihood of each pixel's colour, of its best component."""
    flat = picture.reshape(-1, 3).astype(np.float32)
    weights, means = model[0, :_COMPONENTS], model[0, _COMPONENTS : 4 * _COMPONENTS].reshape(-1, 3)
    covariances = model[0, 4 * _COMPONENTS :].reshape(-1, 3, 3)
    best = np.full(len(flat), np.inf, np.float32)
    for weight, mean, covariance in zip(weights, means, covariances, strict=True):
        if weight > 0:
            away = (flat - mean.astype(np.float32)) @ np.linalg.cholesky(np.linalg.inv(covariance)).astype(np.float32)
            cost = 0.5 * (away**2).sum(axis=1) + 0.5 * np.log(np.linalg.det(covariance)) - np.log(weight)
            best = np.minimum(best, cost.astype(np.float32))
    return best.reshape(picture.shape[:2])


def cut_by_colour(picture: ByteArray, hints: ByteArray, subject: Model, backdrop: Model) -> BoolArray:
    """Part subject from backdrop by two colour models and the photo's contrast.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
    hints : (H, W) uint8 ndarray
        OpenCV's: cv2.GC_BGD and cv2.GC_FGD are certain, cv2.GC_PR_BGD and cv2.GC_PR_FGD only likely.
    subject, backdrop : (1, 65) float64 ndarrays
        From `colour_model`.

    Notes
    -----
    Boykov and Jolly 2001; Rother, Kolmogorov and Blake 2004; in OpenCV.
    """
    mask = hints.copy()
    certain = {int(value) for value in np.unique(mask)}
    if not (certain & {cv2.GC_BGD, cv2.GC_PR_BGD}):
        return np.ones(mask.shape, bool)
    if not (certain & {cv2.GC_FGD, cv2.GC_PR_FGD}):
        return np.zeros(mask.shape, bool)
    cv2.grabCut(picture, mask, None, backdrop.copy(), subject.copy(), 1, cv2.GC_EVAL_FREEZE_MODEL)
    return (mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD)


def sweep(picture: ByteArray, stroke: BoolArray, present: BoolArray, other: BoolArray) -> BoolArray:
    """Grow a side from a stroke to its boundary.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        Small: up to 60 000 pixels keep up with the hand.
    stroke : (H, W) bool ndarray
        Certainly of the side that grows.
    present : (H, W) bool ndarray
        What belongs to that side already.
    other : (H, W) bool ndarray
        What was said to belong to the other side.

    Returns
    -------
    (H, W) bool ndarray
        What belongs to the side then: all that was present, the stroke, and what grew from it.
    """
    if not stroke.any():
        return present.copy()
    height, width = stroke.shape
    reach = _REACH * float(np.hypot(height, width))
    near = cv2.distanceTransform((~stroke).astype(np.uint8), cv2.DIST_L2, 3) <= reach
    own = colour_model(picture[stroke])
    against = colour_model(_against(picture, stroke, present, other, own))
    hints = np.full(stroke.shape, cv2.GC_PR_BGD, np.uint8)
    likely = colour_cost(picture, own) < colour_cost(picture, against)
    hints[likely & ~other] = cv2.GC_PR_FGD
    hints[~near] = cv2.GC_BGD
    hints[present] = cv2.GC_FGD
    hints[stroke] = cv2.GC_FGD
    found = cut_by_colour(picture, hints, own, against) | stroke | present
    return _touching(found, stroke) | present


def _against(picture: ByteArray, stroke: BoolArray, present: BoolArray, other: BoolArray, own: Model) -> ByteArray:
    """Choose colours of the other side: what was said to be, the frame, and whatever is unlike the stroke."""
    height, width = stroke.shape
    rim = max(2, round(_FRAME * min(height, width)))
    frame = np.ones(stroke.shape, bool)
    frame[rim:-rim, rim:-rim] = False
    cost = colour_cost(picture, own)
    limit = float(np.percentile(cost[stroke], 95)) + 4.0
    unlike = (cost > limit) & ~present
    chosen = (frame & unlike) | (other & ~stroke) | unlike
    if chosen.sum() < 20:
        chosen = ~stroke & ~present
    if chosen.sum() < 20:
        chosen = ~stroke
    return picture[chosen] if chosen.any() else picture.reshape(-1, 3)


def _touching(found: BoolArray, stroke: BoolArray) -> BoolArray:
    """Keep the pieces that a stroke runs through."""
    codes = found.astype(np.uint8)
    kept = np.zeros_like(found)
    rows, columns = np.nonzero(stroke)
    for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
        if not kept[row, column]:
            kept |= region_at(codes, row, column)
    return kept
