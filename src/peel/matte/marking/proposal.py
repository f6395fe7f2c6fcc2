"""A first guess of the subject: what differs from the picture's border, and hangs together."""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.marking.alike import lab_of
from peel.matte.marking.regions import drop_islands, fill_holes
from peel.matte.marking.sweep import colour_cost, colour_model, cut_by_colour

__all__ = ["Proposal", "propose"]

_BORDER: Final = 0.045
_ROUNDS: Final = 4
_SURE_GAIN: Final = 2.0  # log likelihood by which a gap is the backdrop's rather than the subject's
_ALIKE: Final = 0.08
_GAP: Final = 0.0008  # smallest share of the picture that is a gap


@dataclass(frozen=True)
class Proposal:
    """A guess of the subject.

    Attributes
    ----------
    region : (H, W) bool ndarray
        What is taken for subject.
    unsure : (H, W) bool ndarray
        Where colour does not tell on which side a pixel lies.
    confidence : float
        0 to 1: how far inside and outside differ, and how well the ways of looking agree.
    """

    region: BoolArray
    unsure: BoolArray
    confidence: float


@njit("void(float32[:,:,::1], float32[:,::1], float32[:,:,::1], float32[:,:,::1], int64, int64, int64, int64)",
      cache=True, nogil=True)  # fmt: skip
def _reach_from(
    lab: Any, cost: Any, low: Any, high: Any, row: int, column: int, near_row: int, near_column: int
) -> None:
    """Go on from a neighbour to a pixel if that makes its path flatter."""
    widest = np.float32(0)
    for channel in range(3):
        value = lab[row, column, channel]
        least = min(low[near_row, near_column, channel], value)
        most = max(high[near_row, near_column, channel], value)
        widest = max(widest, most - least)
    if widest < cost[row, column]:
        cost[row, column] = widest
        for channel in range(3):
            value = lab[row, column, channel]
            low[row, column, channel] = min(low[near_row, near_column, channel], value)
            high[row, column, channel] = max(high[near_row, near_column, channel], value)


@njit("float32[:,::1](float32[:,:,::1], boolean[:,::1], int64)", cache=True, nogil=True)
def _barrier(lab: Any, seeds: Any, passes: int) -> Any:
    """Return how much the flattest path from some seeds to each pixel rises and falls."""
    height, width = lab.shape[:2]
    cost = np.full((height, width), np.float32(1e9), np.float32)
    low, high = lab.copy(), lab.copy()
    for row in range(height):
        for column in range(width):
            if seeds[row, column]:
                cost[row, column] = 0
    for _ in range(passes):
        for row in range(1, height):
            for column in range(1, width):
                _reach_from(lab, cost, low, high, row, column, row - 1, column)
                _reach_from(lab, cost, low, high, row, column, row, column - 1)
        for row in range(height - 2, -1, -1):
            for column in range(width - 2, -1, -1):
                _reach_from(lab, cost, low, high, row, column, row + 1, column)
                _reach_from(lab, cost, low, high, row, column, row, column + 1)
    return cost


def _border_mask(height: int, width: int) -> BoolArray:
    rim = max(2, round(_BORDER * min(height, width)))
    border = np.ones((height, width), bool)
    border[rim:-rim, rim:-rim] = False
    return border


def _unlike_border(lab: FloatArray) -> FloatArray:
    """Return how far each colour is from the nearest kind of colour along the border, 0 to 1.

    The border's colours are told apart into kinds for each side of the picture, so that a subject cut off by one
    side of the frame is still unlike the other three.
    """
    height, width = lab.shape[:2]
    rim = max(2, round(_BORDER * min(height, width)))
    sides = (lab[:rim], lab[-rim:], lab[:, :rim], lab[:, -rim:])
    away = []
    cv2.setRNGSeed(1)
    stop = (cv2.TERM_CRITERIA_MAX_ITER, 10, 0.5)
    for side in sides:
        colours = np.ascontiguousarray(side.reshape(-1, 3))
        _, labels, means = cv2.kmeans(colours, 3, None, stop, 1, cv2.KMEANS_PP_CENTERS)
        nearest = np.full((height, width), np.inf, np.float32)
        for number in range(3):
            own = colours[labels[:, 0] == number]
            if len(own) < 0.08 * len(colours):
                continue
            spread = np.cov(own.T) + np.eye(3) * 9.0
            turn = np.linalg.cholesky(np.linalg.inv(spread)).astype(np.float32)
            steps = (lab - means[number].astype(np.float32)) @ turn
            nearest = np.minimum(nearest, np.sqrt((steps**2).sum(axis=2)))
        away.append(nearest)
    ranked = np.sort(np.stack(away), axis=0)
    # What is alike to two sides is backdrop. What is alike to one alone may be a subject that is cut off there.
    mean = 0.3 * ranked[0] + 0.7 * ranked[1]
    return np.asarray(1 - np.exp(-np.maximum(mean - 1.5, 0) / 3), np.float32)


def _centre_prior(height: int, width: int) -> FloatArray:
    ys = (np.arange(height) + 0.5) / height - 0.5
    xs = (np.arange(width) + 0.5) / width - 0.5
    return np.exp(-(ys[:, None] ** 2 + xs[None, :] ** 2) / (2 * 0.38**2)).astype(np.float32)


def propose(picture: ByteArray) -> Proposal:
    """Guess the subject of a photo.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        sRGB, small: some 60 000 pixels are enough.

    Notes
    -----
    Colours of the border and connection to it after Zhu, Liang, Wei and Sun 2014; minimum barrier distance after
    Zhang et al. 2015; then graph cut with colour mixtures learned in rounds, Rother et al. 2004.
    """
    height, width = picture.shape[:2]
    lab = cv2.GaussianBlur(lab_of(picture), (0, 0), 1.0)
    unlike = _unlike_border(lab)
    seeds = _border_mask(height, width) & (unlike < 0.5)
    barrier = _barrier(np.ascontiguousarray(lab), seeds, 3)
    standing_out = 1 - np.exp(-np.maximum(barrier - 3, 0) / 10)
    salience = (0.5 * unlike + 0.5 * standing_out) * (0.35 + 0.65 * _centre_prior(height, width))
    threshold, _ = cv2.threshold((salience * 255).astype(np.uint8), 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    start = salience > threshold / 255
    if not start.any() or start.all() or float(salience.max() - salience.min()) < 0.05:
        nothing = np.zeros((height, width), bool)
        return Proposal(nothing, nothing, 0.0)
    region = _in_rounds(picture, salience, start, threshold / 255)
    region = _main_pieces(fill_holes(region, 0.0015 * region.size)) & ~_seen_through(picture, region, unlike)
    if not region.any() or region.all():
        nothing = np.zeros((height, width), bool)
        return Proposal(nothing, nothing, 0.0)
    odds = _odds(picture, region)
    return Proposal(region, _unsure(region, odds), _confidence(salience, start, region, odds))


def _in_rounds(picture: ByteArray, salience: FloatArray, start: BoolArray, threshold: float) -> BoolArray:
    """Cut, learn both sides' colours from the cut, and cut again."""
    region = start
    hints = np.full(start.shape, cv2.GC_PR_BGD, np.uint8)
    hints[salience < 0.25 * threshold] = cv2.GC_BGD
    hints[salience > threshold + 0.6 * (float(salience.max()) - threshold)] = cv2.GC_FGD
    for _ in range(_ROUNDS):
        likely = hints.copy()
        likely[region & (hints == cv2.GC_PR_BGD)] = cv2.GC_PR_FGD
        if region.sum() < 30 or (~region).sum() < 30:
            break
        region = cut_by_colour(picture, likely, colour_model(picture[region]), colour_model(picture[~region]))
    return region


def _seen_through(picture: ByteArray, region: BoolArray, unlike: FloatArray) -> BoolArray:
    """Tell where the backdrop is seen through gaps that the cut closed, since a short boundary costs it less."""
    own = region & (unlike >= _ALIKE)  # a gap must not teach what the subject looks like
    if not own.any() or region.all():
        return np.zeros_like(region)
    gain = colour_cost(picture, colour_model(picture[own])) - colour_cost(picture, colour_model(picture[~region]))
    gain = cv2.blur(np.clip(gain, -20, 20), (3, 3))
    like_backdrop = (region & (gain > _SURE_GAIN) & (unlike < _ALIKE)).astype(np.uint8)
    solid = cv2.morphologyEx(like_backdrop, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    return drop_islands(solid, _GAP * region.size)


def _main_pieces(region: BoolArray) -> BoolArray:
    """Keep the largest piece and those that are not small beside it."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(region.astype(np.uint8), connectivity=8)
    areas = stats[:, cv2.CC_STAT_AREA].copy()
    areas[0] = 0
    return np.asarray((areas >= 0.06 * areas.max())[labels] & (labels > 0)) if areas.max() > 0 else region & False


def _odds(picture: ByteArray, region: BoolArray) -> FloatArray:
    """Return how likely each colour is the subject's rather than the backdrop's, 0 to 1, by joint colour counts."""
    bins = (picture >> 4).astype(np.int64)
    code = bins[..., 0] * 256 + bins[..., 1] * 16 + bins[..., 2]

    def counts(mask: BoolArray) -> FloatArray:
        cube = np.bincount(code[mask], minlength=4096).reshape(16, 16, 16).astype(np.float32)
        for axis in range(3):
            cube = 0.5 * cube + 0.25 * (np.roll(cube, 1, axis) + np.roll(cube, -1, axis))
        return np.asarray(cube.ravel() / max(float(mask.sum()), 1.0))

    inside, outside = counts(region), counts(~region)
    return np.asarray((inside / np.maximum(inside + outside, 1e-9))[code], np.float32)


def _unsure(region: BoolArray, odds: FloatArray) -> BoolArray:
    """Tell where, beside the boundary, colours of both sides are mixed: hair, fur, leaves."""
    side = 0.045 * float(np.sqrt(region.size))
    smooth = cv2.blur(odds, (5, 5))
    doubtful = np.where(region, smooth < 0.75, smooth > 0.25).astype(np.uint8)
    inside = cv2.distanceTransform(region.astype(np.uint8), cv2.DIST_L2, 3)
    outside = cv2.distanceTransform((~region).astype(np.uint8), cv2.DIST_L2, 3)
    beside = (inside + outside) <= side
    opened = cv2.morphologyEx(doubtful, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)).astype(bool) & beside
    # only what reaches the boundary itself: doubt elsewhere is another matter
    _, labels = cv2.connectedComponents(opened.astype(np.uint8), connectivity=8)
    at_edge = np.unique(labels[opened & (inside + outside <= 2.0)])
    return np.asarray(opened & np.isin(labels, at_edge[at_edge > 0]))


def _confidence(salience: FloatArray, start: BoolArray, region: BoolArray, odds: FloatArray) -> float:
    """Rate a guess by whether colours tell the sides apart, whether it agrees with what stood out, and its place."""
    report = 0.5 * float((odds[region] > 0.5).mean() + (odds[~region] < 0.5).mean())
    agreed = float((start & region).sum() / max(int((start | region).sum()), 1))
    border = _border_mask(*region.shape)
    framed = float(region[border].mean())
    stands_out = float(salience[region].mean() - salience[~region].mean())
    parts = (np.clip((report - 0.7) / 0.28, 0, 1), np.clip(agreed / 0.8, 0, 1), np.clip(stands_out / 0.45, 0, 1))
    size = float(region.mean())
    plausible = 1.0 if 0.01 < size < 0.85 else 0.3
    return float(np.prod(parts) ** (1 / 3) * plausible * np.clip(1.2 - framed, 0, 1))
