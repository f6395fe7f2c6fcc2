"""A first guess of the subject: what differs from the picture's border, and hangs together."""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.marking.alike import lab_of
from peel.matte.marking.cells import Cells, Values, scaled
from peel.matte.marking.contact_shadow import find_contact_shadow
from peel.matte.marking.focus import focus_of
from peel.matte.marking.regions import drop_islands, fill_holes
from peel.matte.marking.sweep import colour_cost, colour_model, cut_by_colour
from peel.matte.pixels import unit_floats

__all__ = ["CANNOT_TELL", "Proposal", "propose"]

CANNOT_TELL: Final = 0.3
"""Confidence below which a guess is not worth marking."""

_BORDER: Final = 0.045
_ROUNDS: Final = 4
_SURE_GAIN: Final = 2.0  # log likelihood by which a gap is the backdrop's rather than the subject's
_ALIKE: Final = 0.08
_GAP: Final = 0.0008  # smallest share of the picture that is a gap
_HOLES: Final = 0.0015  # largest share of the picture that is filled as a hole
_FIRST: Final = 0.08  # by which the guess by the border is preferred
_MOST_SHADOW: Final = 0.2  # share of a guess that may be shadow
_DISTINCT: Final = 0.7  # overlap above which two guesses are the same
_MOST: Final = 5  # guesses that are offered
_CALIBRATION: Final = (-21.3, 7.4, 5.2, 8.3, 2.7)  # offset; weights of quality, contour, colours, agreement


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
        Probability that the region overlaps the subject by more than 0.9 (intersection over union), as measured on
        photographs; 0 for a guess that is only an alternative.
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


def propose(picture: ByteArray, look: ByteArray | None = None) -> tuple[Proposal, ...]:
    """Guess the subject of a photo.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        sRGB, small: some 60 000 pixels are enough.
    look : (H', W', 3) uint8 ndarray, optional
        The same, large enough that it shows what is in focus. Focus is no cue without it.

    Returns
    -------
    tuple of Proposal
        The best guess first, then others that differ from it much: parts of it that stand apart, and other subjects.
        Empty where nothing stands out.

    Notes
    -----
    Several maps of what stands out are cut into regions, each by a graph cut with colour mixtures learned in rounds
    (Rother et al. 2004). The best by colour, contour and focus is kept. The maps: unlikeness to the border with the
    minimum barrier distance from it (Zhang et al. 2015); cells and their connection to the frame (see `cells`); the
    same with what is in focus (see `focus`).
    """
    lab = cv2.GaussianBlur(lab_of(picture), (0, 0), 1.0)
    unlike = _unlike_border(lab)
    cells = Cells.of(lab)
    focus = None if look is None else focus_of(cells, look)
    in_focus = None if focus is None else cells.painted(focus)
    guesses = [
        guess
        for number, salience in enumerate(_saliences(lab, unlike, cells, focus))
        if (guess := _cut(picture, lab, salience, unlike, in_focus, number)) is not None
    ]
    if not guesses:
        return ()
    best = max(guesses, key=lambda guess: guess.quality)
    agreement = _agreement(best, guesses)
    others = sorted((guess for guess in guesses if guess is not best), key=lambda guess: -guess.quality)
    regions = [best.region, *_parts(best.region), *(guess.region for guess in others)]
    confidences = [_calibrated(best, agreement)] + [0.0] * (len(regions) - 1)
    distinct: list[Proposal] = []
    for region, confidence in zip(regions, confidences, strict=True):
        if all(_overlap(region, known.region) < _DISTINCT for known in distinct):
            distinct.append(Proposal(region, _unsure(region, _odds(picture, region)), confidence))
    return tuple(distinct[:_MOST])


def _saliences(lab: FloatArray, unlike: FloatArray, cells: Cells, focus: Values | None) -> list[FloatArray]:
    """Return maps of what stands out, the one by the border first."""
    height, width = unlike.shape
    seeds = _border_mask(height, width) & (unlike < 0.5)
    barrier = _barrier(np.ascontiguousarray(lab), seeds, 3)
    standing_out = 1 - np.exp(-np.maximum(barrier - 3, 0) / 10)
    by_border = (0.5 * unlike + 0.5 * standing_out) * (0.35 + 0.65 * _centre_prior(height, width))
    subject, background = cells.contrast, cells.background
    if focus is not None:
        subject, background = np.maximum(subject, focus), background + 0.8 * (1 - focus)
    by_cells = cells.painted(cells.smoothed(subject, background))
    found = [by_border, 0.5 * scaled(by_border) + 0.5 * scaled(by_cells)]
    if focus is not None:
        found += [by_cells, scaled(by_border) * (0.15 + 0.85 * cells.painted(focus))]
    return [np.asarray(salience, np.float32) for salience in found]


@dataclass(frozen=True)
class _Guess:
    """A region cut from one map of what stands out, and what speaks for it; all in [0, 1]."""

    region: BoolArray
    confidence: float
    contour: float
    told_apart: float
    quality: float


def _cut(
    picture: ByteArray,
    lab: FloatArray,
    salience: FloatArray,
    unlike: FloatArray,
    in_focus: FloatArray | None,
    number: int,
) -> _Guess | None:
    """Cut a region out of a map of what stands out; None where there is none."""
    threshold, _ = cv2.threshold((np.clip(salience, 0, 1) * 255).astype(np.uint8), 0, 255, cv2.THRESH_OTSU)
    start = salience > threshold / 255
    if not start.any() or start.all() or float(np.ptp(salience)) < 0.05:
        return None
    region = _in_rounds(picture, salience, start, threshold / 255)
    region = _main_pieces(fill_holes(region, _HOLES * region.size)) & ~_seen_through(picture, region, unlike)
    region &= ~_shadow(picture, region)
    if not region.any() or region.all():
        return None
    odds = _odds(picture, region)
    told_apart = 0.5 * float((odds[region] > 0.5).mean() + (odds[~region] < 0.5).mean())
    confidence, contour = _confidence(salience, start, region, odds), _contour(lab, region)
    agreed = 1.0
    if in_focus is not None:
        agreed = 0.5 * float(in_focus[region].mean() + 1 - in_focus[~region].mean())
    quality = confidence * float(np.sqrt(max(agreed, 0.01))) * (0.5 + 0.5 * contour) + (_FIRST if number == 0 else 0)
    return _Guess(region, confidence, contour, told_apart, quality)


def _shadow(picture: ByteArray, region: BoolArray) -> BoolArray:
    """Return the contact shadow of a region, unless that were much of it, as of a pale product on paper."""
    unit = max(region.shape) / 1200
    shadow = find_contact_shadow(unit_floats(picture), region, unit, inside=True)
    return shadow if (shadow & region).sum() < _MOST_SHADOW * region.sum() else np.zeros_like(shadow)


def _contour(lab: FloatArray, region: BoolArray) -> float:
    """Return the share of a region's contour that lies on one of the picture's stronger edges."""
    slope = sum((cv2.Sobel(lab, cv2.CV_32F, *way, scale=1 / 8) ** 2).sum(axis=2) for way in ((1, 0), (0, 1)))
    steep = cv2.dilate(np.sqrt(np.asarray(slope)), np.ones((3, 3), np.uint8))
    codes = region.astype(np.uint8)
    rim = cv2.dilate(codes, np.ones((3, 3), np.uint8)) != codes
    rim[[0, -1]] = rim[:, [0, -1]] = False
    return float((steep[rim] > np.percentile(steep, 75)).mean()) if rim.any() else 0.0


def _overlap(one: BoolArray, other: BoolArray) -> float:
    return float((one & other).sum() / max(int((one | other).sum()), 1))


def _agreement(best: _Guess, guesses: list[_Guess]) -> float:
    """Return how far the other guesses overlap the best one."""
    others = [_overlap(best.region, guess.region) for guess in guesses if guess is not best]
    return float(np.mean(others)) if others else 0.5


def _parts(region: BoolArray) -> list[BoolArray]:
    """Return the pieces of a region one by one, the largest first, if there are several."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(region.astype(np.uint8), connectivity=8)
    order = np.argsort(-stats[1:, cv2.CC_STAT_AREA]) + 1
    return [labels == number for number in order] if count > 2 else []


def _calibrated(guess: _Guess, agreement: float) -> float:
    """Return the probability that a guess overlaps the true subject by more than 0.9.

    A logistic regression on photographed subjects with known mattes (``python -m bench photographs``).
    """
    offset, *weights = _CALIBRATION
    parts = (guess.quality, guess.contour, guess.told_apart, agreement)
    return float(1 / (1 + np.exp(-(offset + sum(w * part for w, part in zip(weights, parts, strict=True))))))


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
