"""Grow a region from a stroke to the boundary that the photo shows."""

from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray
from peel.matte.marking.regions import region_at

__all__ = ["colour_cost", "colour_model", "cut_by_colour", "found_within", "sweep"]

_COMPONENTS: Final = 5  # of each colour mixture, as OpenCV's graph cut has them
_SAMPLES: Final = 900
_REACH: Final = 0.30  # of the picture's diagonal: how far from a stroke a region can grow
_SEEN: Final = 2.0  # reaches within which a limited stroke learns the colours of both sides

_LIMIT_ROUNDS: Final = 4
_SOME: Final = 0.05  # share of a stroke's neighbourhood by which the other side is known there
_LEAST: Final = 20  # pixels by which a side can be learned

Model = NDArray[np.float64]


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
    """Return the negative log likelihood of each pixel's colour, of its best component.

    Takes (H, W, 3) uint8; returns (H, W) float32.
    """
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


def sweep(
    picture: ByteArray, stroke: BoolArray, present: BoolArray, other: BoolArray, reach_px: float | None = None
) -> BoolArray:
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
    reach_px : float, optional
        How far from the stroke it may grow, by colours of its neighbourhood. A third of the diagonal unless given.

    Returns
    -------
    (H, W) bool ndarray
        What belongs to the side then: all that was present, the stroke, and what grew from it.
    """
    if not stroke.any():
        return present.copy()
    height, width = stroke.shape
    reach = _REACH * float(np.hypot(height, width)) if reach_px is None else max(reach_px, 1.0)
    away = cv2.distanceTransform((~stroke).astype(np.uint8), cv2.DIST_L2, 3)
    near = away <= reach
    own = colour_model(picture[stroke])
    seen = away <= _SEEN * reach if reach_px is not None else np.ones_like(stroke)
    against = colour_model(_against(picture, stroke, present, other, own, seen))
    hints = np.full(stroke.shape, cv2.GC_PR_BGD, np.uint8)
    likely = colour_cost(picture, own) < colour_cost(picture, against)
    hints[likely & ~other] = cv2.GC_PR_FGD
    hints[~near] = cv2.GC_BGD
    hints[present] = cv2.GC_FGD
    hints[stroke] = cv2.GC_FGD
    found = (cut_by_colour(picture, hints, own, against) & near) | stroke | present
    return (_touching(found, stroke) & near) | present


def found_within(picture: ByteArray, inside: BoolArray) -> BoolArray:
    """Find the subject within an outline that is only a limit: all outside it is backdrop.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        Small: some 60 000 pixels are enough.
    inside : (H, W) bool ndarray

    Returns
    -------
    (H, W) bool ndarray
        Within `inside`; empty if nothing within differs from what lies around it.

    Notes
    -----
    Rother, Kolmogorov and Blake 2004: colours of both sides are learned from each cut for the next one.
    """
    away = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, 3)
    depth = cv2.distanceTransform(inside.astype(np.uint8), cv2.DIST_L2, 3)
    around = (away > 0) & (away <= max(6.0, 0.5 * float(depth.max())))
    if not inside.any() or not around.any():
        return inside.copy()
    outer = colour_model(picture[around])
    unlike = colour_cost(picture, outer)
    usual = float(np.percentile(unlike[around], 90))
    region = inside & (unlike > usual)
    hints = np.where(inside, cv2.GC_PR_BGD, cv2.GC_BGD).astype(np.uint8)
    for _ in range(_LIMIT_ROUNDS):
        if region.sum() < _LEAST or (inside & ~region).sum() < _LEAST:
            break
        likely = hints.copy()
        likely[region] = cv2.GC_PR_FGD
        backdrop = colour_model(np.concatenate([picture[around], picture[inside & ~region]]))
        region = cut_by_colour(picture, likely, colour_model(picture[region]), backdrop) & inside
    return region


def _against(
    picture: ByteArray, stroke: BoolArray, present: BoolArray, other: BoolArray, own: Model, seen: BoolArray
) -> ByteArray:
    """Choose colours of the other side: what was said to be, and what is unlike the stroke; near it if there is any."""
    cost = colour_cost(picture, own)
    limit = float(np.percentile(cost[stroke], 95)) + 4.0
    unlike = ((cost > limit) & ~present) | (other & ~stroke)
    near = unlike & seen
    if near.sum() < _SOME * seen.sum():  # a few odd pixels of the stroke's own side are no other side
        near = np.zeros_like(near)
    for chosen in (near, unlike, ~stroke & ~present, ~stroke):
        if chosen.sum() >= _LEAST:
            return picture[chosen]
    return picture.reshape(-1, 3)


def _touching(found: BoolArray, stroke: BoolArray) -> BoolArray:
    """Keep the pieces that a stroke runs through."""
    codes = found.astype(np.uint8)
    kept = np.zeros_like(found)
    rows, columns = np.nonzero(stroke)
    for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
        if not kept[row, column]:
            kept |= region_at(codes, row, column)
    return kept
