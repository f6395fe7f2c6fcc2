"""What may be wrong with a matte, sort by sort: each looks for one fault in a window, and says what would mend it.

A fault is only found where the photo does not speak for the matte as it is: true gaps, true strands and true haze look
like faults, too. Where subject and backdrop have the same colour, the plainer matte is taken for the right one.

References
----------
.. [1] C. Steger, "An unbiased detector of curvilinear structures", IEEE Transactions on Pattern Analysis and Machine
   Intelligence 20(2), 1998, pp. 113-125. :doi:`10.1109/34.659930`
"""

from collections.abc import Callable, Iterator
from functools import partial
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import blended, largest_part, length_of, mean_part, place_between
from peel.matte.colour.outward import mean_around
from peel.matte.colour.rims import measured_rim
from peel.matte.colour.roots import spill_over
from peel.matte.colour.spill import despilled
from peel.matte.inspect.faults import Find, Window, extent_of, pieces_of, window_around
from peel.matte.inspect.reading import READING_REACH, Reading
from peel.matte.inspect.sorts import SnagSort
from peel.matte.parallel import run_all
from peel.matte.repair.one_press import haze, pinholes, specks
from peel.matte.repair.profile import PROFILE_REACH, EdgeShape, shaped

__all__ = ["FIND_REACH", "find_in", "find_sort"]

FIND_REACH: Final = max(READING_REACH, PROFILE_REACH)
"""Pixels around a window that finding its faults reads."""


def find_in(reading: Reading) -> list[Find]:
    """Look for faults of every sort but `SnagSort.FRAME`.

    Parameters
    ----------
    reading : Reading
        Faults within `FIND_REACH` of its border may be missed or cut, unless that is the photo's own.

    Raises
    ------
    Cancelled
        If the result is no longer wanted.
    """
    if reading.alpha.max() <= 0:
        return []
    reading.seen.shape  # noqa: B018 - made once, before threads share it
    return [find for found in run_all([partial(_found, finder, reading) for finder in _FINDERS]) for find in found]


def find_sort(reading: Reading, sort: SnagSort) -> list[Find]:
    """Look for faults of one sort of colour only; see `find_in`."""
    finder = _spill_left if sort is SnagSort.SPILL else _fringes
    return [find for find in finder(reading) if find.sort is sort]


def _found(finder: Callable[[Reading], Iterator[Find]], reading: Reading) -> list[Find]:
    return list(finder(reading))


def _by_mend(sort: SnagSort, reading: Reading, mask: BoolArray, target: float, least: float) -> Iterator[Find]:
    """Give the pieces of a mask that would better be all solid, or all clear."""
    instead = np.full(reading.alpha.shape, target, np.float32)
    change = np.abs(reading.alpha - instead)
    yield from pieces_of(sort, mask, change, least, keep_each=lambda labels, at: reading.preferred(labels, at, instead))


_PINHOLE_PX: Final = 14.0  # side of a square as large as the largest hole, and the largest speck
_SPECK_PX: Final = 14.0
_HOLE_DEEP_PX: Final = 10.0  # from what is open, at least
_OPEN: Final = 0.5  # alpha up to which the outside is open


def _pinholes(reading: Reading) -> Iterator[Find]:
    """Find small holes deep inside what is solid, where the photo shows no backdrop."""
    holes = pinholes(reading.alpha, _PINHOLE_PX)
    closed = (holes | (reading.alpha > _OPEN)).astype(np.uint8)
    deep = cv2.distanceTransform(closed, cv2.DIST_L2, 5) > _HOLE_DEEP_PX  # gaps of fur lie along the edge
    yield from _by_mend(SnagSort.PINHOLE, reading, holes & deep, 1.0, 1.0)


def _specks(reading: Reading) -> Iterator[Find]:
    """Find small things floating in the clear, where the photo shows no subject."""
    yield from _by_mend(SnagSort.SPECK, reading, specks(reading.alpha, _SPECK_PX), 0.0, 1.0)


_HAZE_AREA: Final = 200  # pixels that a veil has at least


def _haze(reading: Reading) -> Iterator[Find]:
    """Find low values without strands where the photo, averaged, shows nothing but backdrop."""
    low = haze(reading.alpha)
    shown = reading.mean_seen(3.0) < 0.5 * reading.alpha
    mask = low & shown & reading.says
    mask = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((7, 7), np.uint8)) > 0
    yield from pieces_of(
        SnagSort.HAZE, mask, reading.alpha, 2.0, join=15, keep=lambda piece, _at: piece.sum() >= _HAZE_AREA
    )


_SPREAD_CLEAR: Final = (0.004, 0.1)  # alpha of a veil so thin that no piece of it counts by itself
_SPREAD_SOLID: Final = (0.9, 0.985)
_SPREAD_UNSEEN: Final = 0.65  # of it that the photo does not show, on average
_SPREAD_SIGMA: Final = 6.0
_SPREAD_PX: Final = 32  # side of the squares by which it is counted


def _spread(reading: Reading) -> Iterator[Find]:
    """Find what is a little too clear inside, or not quite clear outside, over whole neighbourhoods, in squares."""
    alpha = reading.alpha
    # on average over both alike: a faint strand is in the photo, too
    over = cv2.GaussianBlur(alpha, (0, 0), _SPREAD_SIGMA) - reading.mean_seen(_SPREAD_SIGMA)
    low, high = _SPREAD_CLEAR
    outside = (alpha > low) & (alpha < high) & (over > _SPREAD_UNSEEN * alpha)
    low, high = _SPREAD_SOLID
    inside = (alpha > low) & (alpha < high) & (-over > _SPREAD_UNSEEN * (1 - alpha)) & ~reading.is_sheer
    change = np.where(inside, 1 - alpha, alpha)
    mask = (outside | inside) & reading.says
    for top in range(0, mask.shape[0], _SPREAD_PX):
        for left in range(0, mask.shape[1], _SPREAD_PX):
            square = (slice(top, top + _SPREAD_PX), slice(left, left + _SPREAD_PX))
            own = mask[square]
            if own.any():
                by = np.where(own, change[square], 0).astype(np.float16)
                yield Find(SnagSort.SPREAD, top, left, own.copy(), float(by.sum(dtype=np.float32)), by)


_THROUGH: Final = (0.25, 0.985)  # alpha from which something is inside, and from which it is solid
_DEEP_LEAST: Final = 20.0  # solid pixels that are missing deep in the mark
_DEEP_MEAN, _DEEP_MOST = 1.5, 3.0  # multiples of the depth of a solid edge at which it lies, at least
_DEEP_PX: Final = 9  # from what is not inside


def _see_through(reading: Reading) -> Iterator[Find]:
    """Find what is not quite solid inside what is, where the photo shows no backdrop through it."""
    low, high = _THROUGH
    away = cv2.distanceTransform((reading.alpha > low).astype(np.uint8), cv2.DIST_L2, 5)
    mask = (away > _DEEP_PX) & (reading.alpha < high) & ~reading.is_sheer
    mask = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)) > 0

    instead = np.ones_like(reading.alpha)

    def keep(piece: BoolArray, at: Window) -> bool:
        padded = cv2.copyMakeBorder(piece.astype(np.uint8), 4, 4, 4, 4, cv2.BORDER_CONSTANT)
        ring = (cv2.dilate(padded, np.ones((9, 9), np.uint8)) > 0) & (padded == 0)
        around = window_around(reading.alpha, at, 4)
        return bool((around[ring] >= high).mean() > 0.5) and reading.prefers(piece, at, instead)

    deep = _deep_in_mark(reading)
    yield from pieces_of(SnagSort.SEE_THROUGH, mask & ~deep, 1 - reading.alpha, 4.0, join=7, keep=keep)

    def lies_deep(piece: BoolArray, at: Window) -> bool:
        assert reading.depth is not None
        depths = reading.depth[at][piece]
        is_hole = depths.size <= _PINHOLE_PX**2  # found as such
        return bool(depths.mean() > _DEEP_MEAN and depths.max() > _DEEP_MOST) and not is_hole

    yield from pieces_of(SnagSort.SEE_THROUGH, deep, 1 - reading.alpha, _DEEP_LEAST, join=7, keep=lies_deep)


def _deep_in_mark(reading: Reading) -> BoolArray:
    """Return what is see-through so deep inside the mark that an edge of its kind would be solid, wherever it leads."""
    if reading.depth is None:
        return np.zeros(reading.alpha.shape, bool)
    mask = (reading.depth > 1) & (reading.alpha < _THROUGH[1]) & ~reading.is_sheer
    return cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0


_LEFT_SEEN: Final = 0.25  # of the contrast that a place may be off the backdrop's colour
_LEFT_PX: Final = 7  # that it is wide at least
_LEFT_CONTRAST: Final = 0.15  # between subject and backdrop, at least
_LEFT_BESIDE: Final = 12  # pixels around it in which it has to touch clear backdrop
_LEFT_TOUCHES: Final = 40  # pixels of that, at least
_LEFT_ALIKE: Final = 0.15  # of the contrast that the two may be apart
_LEFT_SIGMA: Final = 40.0  # of the means of subject and backdrop
_LEFT_SOLID: Final = 0.9


def _like_backdrop(reading: Reading, soft: FloatArray) -> tuple[BoolArray, FloatArray]:
    """Return what has the clear backdrop's colour, of half the picture's size and back, and the contrast to it."""
    half = (soft.shape[1] // 2, soft.shape[0] // 2)
    small = cv2.resize(soft, half, interpolation=cv2.INTER_AREA)
    alpha = cv2.resize(reading.alpha, half, interpolation=cv2.INTER_NEAREST)
    backdrop, reached = mean_around(small, alpha <= 0, _LEFT_SIGMA / 2)
    subject, _ = mean_around(small, alpha > _LEFT_SOLID, _LEFT_SIGMA / 2)
    across = subject - backdrop
    contrast = length_of(across)
    share = place_between(small, backdrop, subject)
    aside = length_of(small - blended(backdrop, subject, np.clip(share, 0, 1)))
    looks = (np.abs(share) < _LEFT_SEEN) & (aside < _LEFT_SEEN * contrast) & (contrast > _LEFT_CONTRAST) & (reached > 0)
    full = (soft.shape[1], soft.shape[0])
    large = cv2.resize(looks.astype(np.uint8), full, interpolation=cv2.INTER_NEAREST) > 0
    return large, cv2.resize(contrast, full, interpolation=cv2.INTER_LINEAR)


def _backdrop_left(reading: Reading) -> Iterator[Find]:
    """Find solid places that look like the backdrop beside them and unlike the subject around them."""
    soft = cv2.GaussianBlur(reading.photo, (0, 0), 1.5)
    looks, contrast = _like_backdrop(reading, soft)
    square = np.ones((_LEFT_PX, _LEFT_PX), np.uint8)
    mask = cv2.morphologyEx((looks & (reading.alpha > _LEFT_SOLID)).astype(np.uint8), cv2.MORPH_OPEN, square) > 0

    def keep(piece: BoolArray, at: Window) -> bool:
        """Compare with the clear backdrop that it touches: no edge of the photo may lie between the two."""
        beside = window_around(reading.alpha, at, _LEFT_BESIDE) <= 0
        padded = cv2.copyMakeBorder(piece.astype(np.uint8), *(_LEFT_BESIDE,) * 4, cv2.BORDER_CONSTANT)
        ring = beside & (cv2.dilate(padded, np.ones((2 * _LEFT_BESIDE + 1,) * 2, np.uint8)) > 0)
        if ring.sum() < _LEFT_TOUCHES:
            return False
        outside = np.stack([window_around(soft[..., k], at, _LEFT_BESIDE)[ring].mean() for k in range(3)])
        away = float(np.linalg.norm(soft[at][piece].mean(axis=0) - outside))
        return away < _LEFT_ALIKE * float(contrast[at][piece].mean())

    yield from pieces_of(SnagSort.BACKDROP_LEFT, mask, reading.alpha, 60.0, join=5, keep=keep)


_RIDGE_SIGMAS: Final = (1.0, 1.8)  # widths of lines
_SMOOTH: Final = 8.0  # sigma of the backdrop's mean beside them
_LEAST_APART: Final = 0.08  # that the two colours count as being apart
_RIDGE_LEAST: Final = 0.12  # strength of a line, and how many times that of the backdrop's usual ones
_RIDGE_TIMES: Final = 5.0
_USUAL_SIGMA: Final = 40.0
_STRAND_PX: Final = 14  # that it is long at least
_STRAND_SHARE: Final = 0.25  # of the way from the backdrop's colour to the subject's, at least


def _ridges(signal: FloatArray) -> FloatArray:
    """Return how strongly each pixel lies on a line brighter than both its sides, over two widths [1]_."""
    out = np.zeros_like(signal)
    for sigma in _RIDGE_SIGMAS:
        soft = cv2.GaussianBlur(signal, (0, 0), sigma)
        xx, yy = cv2.Sobel(soft, cv2.CV_32F, 2, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 2)
        xy = cv2.Sobel(soft, cv2.CV_32F, 1, 1)
        middle, spread = (xx + yy) / 2, cv2.magnitude((xx - yy) / 2, xy)
        across, along = spread - middle, np.abs(middle + spread)
        np.maximum(out, np.float32(sigma**2 / 4) * np.maximum(across - 2 * along, 0), out=out)
    return out


def _share_of_subject(reading: Reading, clear: BoolArray) -> FloatArray:
    """Return how far each pixel is on the way from the clear backdrop's mean colour nearby to the subject's."""
    smooth, _ = mean_around(reading.photo, clear, _SMOOTH)
    return place_between(reading.photo, smooth, reading.subject, _LEAST_APART)


def _strands_cut(reading: Reading) -> Iterator[Find]:
    """Find lines in the clear that carry a strand of the matte on, in the subject's colour."""
    strands = (_ridges(reading.alpha) > 0.1) & (reading.alpha > 0.15)
    if not strands.any():
        return
    clear = reading.alpha <= 0.02
    share = _share_of_subject(reading, clear)
    strength = _ridges(share)
    usual = mean_around(strength[..., None], clear, _USUAL_SIGMA)[0][..., 0]
    lines = clear & (strength > np.maximum(_RIDGE_LEAST, _RIDGE_TIMES * usual))
    ends = cv2.dilate(strands.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0

    def keep(piece: BoolArray, at: Window) -> bool:
        length = extent_of(piece)
        as_strong = float(share[at][piece].mean()) > _STRAND_SHARE
        return bool(length >= _STRAND_PX and piece.sum() < 5 * length and as_strong and (piece & ends[at]).any())

    yield from pieces_of(SnagSort.STRAND_CUT, lines, np.full(clear.shape, 0.5, np.float32), 5.0, join=3, keep=keep)


_CUT_PX: Final = 24  # that a cut is long at least


def _hard_cuts(reading: Reading) -> Iterator[Find]:
    """Find steep steps of alpha where the photo, averaged on both sides of them, has none."""
    alpha = reading.alpha
    small, wide, square = (np.ones((side, side), np.uint8) for side in (3, 11, 9))
    steep = (cv2.dilate(alpha, small) - cv2.erode(alpha, small)) > 0.8
    thick = (cv2.dilate(cv2.erode(part, square), square) > 0.9 for part in (alpha, 1 - alpha))
    if reading.hard is not None:
        steep &= ~reading.hard  # as the person said
    for side in thick:
        steep &= cv2.dilate(side.astype(np.uint8), wide) > 0  # no strands, no gaps
    if not steep.any():
        return
    reading = reading.beyond_edge
    seen = reading.mean_seen(1.2)
    boxes = (np.ones((5, 5), np.uint8), wide)
    range_small, range_wide = (cv2.dilate(seen, box) - cv2.erode(seen, box) for box in boxes)
    soft = (range_small < 0.5 * range_wide) | (range_wide < 0.35)
    off = np.abs(reading.mean_seen(3.0) - cv2.GaussianBlur(alpha, (0, 0), 3.0)) > 0.09
    mask = steep & soft & reading.says & (cv2.dilate(off.astype(np.uint8), wide) > 0)
    change = np.full(alpha.shape, 0.25, np.float32)
    yield from pieces_of(
        SnagSort.HARD_CUT, mask, change, 6.0, join=5, keep=lambda piece, _at: extent_of(piece) >= _CUT_PX
    )


_EVEN_PX: Final = 14.0  # bumps shorter than this are evened to see what they are
_STEPS_PX: Final = 30  # that a stretch of them is long at least
_STEPS_BALANCE: Final = 0.5  # of their change that may go one way
_STEPS_WIDE: Final = 8  # pixels of change for each of length, at most: a head of hair is no stepped edge


def _stepped(reading: Reading) -> Iterator[Find]:
    """Find bumps along a steep edge that the photo does not have."""
    alpha = reading.alpha
    steep = (cv2.dilate(alpha, np.ones((3, 3), np.uint8)) - cv2.erode(alpha, np.ones((3, 3), np.uint8))) > 0.7
    if not steep.any():
        return
    evened = shaped(alpha, EdgeShape(even_px=_EVEN_PX))
    change = np.abs(evened - alpha)
    mask = (change > 0.25) & (cv2.dilate(steep.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0)

    def keep(piece: BoolArray, at: Window) -> bool:
        by = (evened - alpha)[at][piece]
        both_ways = abs(float(by.sum())) < _STEPS_BALANCE * float(np.abs(by).sum())  # evening a strand only takes away
        is_line = extent_of(piece) >= _STEPS_PX and piece.sum() < _STEPS_WIDE * extent_of(piece)
        return both_ways and is_line and reading.beyond_edge.prefers(piece, at, evened)

    yield from pieces_of(SnagSort.STEPPED, mask, change, 10.0, join=9, keep=keep)


_RESIDUE_LEAST: Final = 0.045  # of full brightness, above the noise


def _unexplained(reading: Reading) -> Iterator[Find]:
    """Find where the cutout, laid back over the clean backdrop, is far from the photo over a whole neighbourhood."""
    off = cv2.GaussianBlur(reading.residue, (0, 0), 3.0)
    mask = (off > _RESIDUE_LEAST + reading.noise) & ~reading.is_sheer
    change = off / np.maximum(reading.contrast, np.float32(0.1))
    yield from pieces_of(SnagSort.RESIDUE, mask, np.minimum(change, 1), 12.0, join=9)


_FRINGE_PX: Final = 5.0  # width of a fringe
_FRINGE_LEAST: Final = 0.2  # of full brightness that an edge exceeds what lies further in
_FRINGE_TEXTURES: Final = 2.0  # times the subject's texture, at least
_FRINGE_LONG: Final = 40.0  # pixels along the edge, at least
_SPILL_LEAST: Final = 0.06  # of full brightness that taking spill out changes


def _fringes(reading: Reading) -> Iterator[Find]:
    """Find edges that are lighter, darker or otherwise tinted than the subject further in, beyond its texture."""
    if reading.colours is None:
        return
    excess, _, share = measured_rim(reading.colours, reading.alpha, _FRINGE_PX)
    gray = mean_part(excess)
    tint = length_of(excess - cv2.merge([gray] * 3))
    least = np.maximum(np.float32(_FRINGE_LEAST), _FRINGE_TEXTURES * reading.texture)
    rim = (share > 0.3) & ~reading.is_sheer
    for sort, off in (
        (SnagSort.FRINGE_LIGHT, gray),
        (SnagSort.FRINGE_DARK, -gray),
        (SnagSort.FRINGE_TINTED, tint),
    ):
        change = np.where(rim, np.abs(off) * reading.alpha, 0).astype(np.float32)
        yield from pieces_of(
            sort, rim & (off > least), change, 2.0, join=7, keep=lambda piece, _at: extent_of(piece) >= _FRINGE_LONG
        )


def _spill_left(reading: Reading) -> Iterator[Find]:
    """Find the backdrop's hue on the subject: along its edge as it leans from the solid parts, inside as it is spill.

    Along the edge it is not judged by what takes it out, which could not see what it leaves.
    """
    if reading.colours is None:
        return
    off = np.where(reading.is_sheer, 0, _leaning_hue(reading))
    if reading.spill is not None:
        clean = despilled(reading.colours, reading.spill, 1.0)
        off = np.maximum(off, largest_part(cv2.absdiff(clean, reading.colours)) * reading.alpha)
    mask = cv2.morphologyEx((off > _SPILL_LEAST).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
    yield from pieces_of(SnagSort.SPILL, mask, np.asarray(off, np.float32), 4.0, join=9)


def _leaning_hue(reading: Reading) -> FloatArray:
    """Return how far the hue of the edge leans to the backdrop, as it shows; (H, W), measured at half the size."""
    alpha = reading.alpha
    if reading.colours is None or not ((alpha > 0) & (alpha < 1)).any():
        return np.zeros_like(alpha)
    size = tuple(max(1, -(-side // 2)) for side in reversed(alpha.shape))
    halves = [cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in (reading.photo, reading.colours, alpha)]
    whole = (slice(0, size[1]), slice(0, size[0]))
    off = spill_over(halves[0], halves[1], halves[2], whole, 2) * halves[2]
    return np.asarray(cv2.resize(off.astype(np.float32), alpha.shape[::-1], interpolation=cv2.INTER_LINEAR))


_FINDERS: Final[tuple[Callable[[Reading], Iterator[Find]], ...]] = (
    _pinholes,
    _specks,
    _haze,
    _spread,
    _see_through,
    _backdrop_left,
    _strands_cut,
    _hard_cuts,
    _stepped,
    _unexplained,
    _fringes,
    _spill_left,
)
