"""Read the edge of a marked subject: how far the unsure band reaches from the marked boundary.

The mark is believed, by depth. From the boundary the band grows along the cheapest ways, outwards and inwards, up to a
budget that the trust in the mark sets. A step of a pixel costs 1 where the photo says nothing, less where it says that
the mark is wrong there, more where it says that it is right (`evidence_maps`). So what both sides explain stays what
it was marked as, strands are followed far, a gap is followed inwards only along a way that is open from outside, and
the farther the less. Gaps that no such way leads to stay closed; they are reported as places in doubt.

All of it is worked out at reduced size. Lengths are in pixels of a picture 1200 pixels long (``unit``).
"""

from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.evidence_maps import EXPLAINED, RING, Known, disc, known_sides, openness, strangeness, wispiness
from peel.matte.edge.geodesic import geodesic_distance
from peel.matte.edge.sides import Distances, Sides, compare_sides
from peel.matte.marking.contact_shadow import find_contact_shadow
from peel.matte.marking.regions import drop_islands
from peel.matte.pixels import unit_floats

__all__ = ["TRUST", "EdgeReading", "budgets", "read_edge", "reduced", "unit_of", "working_step"]

TRUST: Final = 0.5
"""Trust in a mark that was drawn by hand, between 0 for a rough guess and 1 for an exact line."""

_WORKING_PIXELS: Final = 1_500_000
_LONG: Final = 1200  # pixels along the longer side at which the lengths below are meant
_LEAST_LONG: Final = 600  # pixels that smaller pictures are taken to be long, as their pixels are no finer
_INWARD, _OUTWARD = 7.0, 26.0  # budgets at the usual trust
_AGAINST: Final = 5.0  # cost of a step outwards onto a pixel that is surely backdrop
_STRAND, _THICK_STRAY = 0.015, 0.06  # cost of a step outwards onto something that is surely not
_THICK: Final = 9  # width from which that is no strand
_QUICKLY: Final = 1.5  # evidence counts fully for strands from 1 / this on
_MOST_REACHED: Final = 0.45  # share of the backdrop near the mark that strands may take up
_BRIDGED: Final = 0.1  # cost of a step across a break in a strand
_SHUT: Final = 2.0  # cost of a step inwards onto a pixel that is surely subject
_OPEN: Final = 10.0  # by which a step inwards onto a pixel that is surely backdrop is cheaper
_AMONG_GAPS, _GAPS_APART = 0.3, 4.0  # cost of a step between gaps that are at most twice so far apart
_STRAY: Final = 0.33  # evidence from which something is stray
_GAP: Final = 0.3  # evidence from which a pixel shows the backdrop
_CLEAR: Final = 0.5  # and surely
_OFF: Final = 3.0  # depth up to which this only says that the mark is a little off
_RIM, _WISPY_RIM = 10.0, 6.0  # how far around a gap the band reaches, and farther where the edge is wispy
_BESIDE: Final = 6.0  # how far beside a strand the faint ones are looked for
_LOOSELY: Final = 1.3  # standard deviations that are evidence enough there
_SLACK: Final = 2  # by which strands are widened: their faint rims
_SEEN: Final = 14  # how far from the mark the boundary may be
_WIDEST: Final = 60  # working pixels; most that a blurred edge is searched for
_BLURRED: Final = 40.0  # working pixels; most that a blurred edge is taken to be wide
_ENCLOSED: Final = 60  # working pixels from which an enclosed gap is worth a question
_PLAIN, _FLAT = 2.0, 17  # standard deviations within which, and width from which, a side explains a place well
_ALIKE: Final = 0.02  # difference of mean colours below which both sides count as the same


def working_step(height: int, width: int) -> int:
    """Return by which whole factor a photo is reduced to read its edge.

    >>> working_step(2000, 3000), working_step(4000, 6000)
    (2, 4)
    """
    return max(1, int(np.ceil(np.sqrt(height * width / _WORKING_PIXELS) - 1e-9)))


def reduced(picture: NDArray[Any], step: int) -> FloatArray:
    """Average a picture over squares; what is left over at the right and at the bottom counts as a whole square.

    Parameters
    ----------
    picture : (H, W, ...) uint8 or uint16 ndarray
    step : int

    Returns
    -------
    (ceil(H / step), ceil(W / step), ...) float32 ndarray
        In [0, 1].
    """
    height, width = (-(-side // step) for side in picture.shape[:2])
    down, right = height * step - picture.shape[0], width * step - picture.shape[1]
    if down or right:
        picture = cv2.copyMakeBorder(picture, 0, down, 0, right, cv2.BORDER_REPLICATE)
    small = cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA)
    return unit_floats(small)


def unit_of(height: int, width: int) -> float:
    """Return how many working pixels of a photo are one pixel of a picture 1200 pixels long.

    >>> unit_of(4000, 6000)
    1.25
    """
    return max(height, width, _LEAST_LONG) / working_step(height, width) / _LONG


def budgets(trust: float) -> tuple[float, float]:
    """Return how far the band may reach inwards and outwards where the photo says nothing, as lengths in units.

    >>> budgets(0.5), budgets(1.0)
    ((7.0, 26.0), (0.0, 0.0))
    """
    share = (1 - trust) / (1 - TRUST)
    return _INWARD * share, _OUTWARD * share


@dataclass(frozen=True)
class EdgeReading:
    """What the photo says about an edge, at the working size; all (h, w).

    Attributes
    ----------
    unsure : bool ndarray
        Where the band reaches.
    cover : float32 ndarray
        A first estimate of alpha from the local colour models, in [0, 1].
    distance : float32 ndarray
        Of each pixel from the marked boundary, in working pixels.
    steepness : float32 ndarray
        How steeply alpha usually rises along the nearby boundary, per working pixel.
    stray, plain : bool ndarray
        Outside the mark: what the backdrop does not explain, whether or not it hangs together with the mark. Anywhere:
        what one side explains well, over more than a strand's width.
    enclosed : bool ndarray
        Within the mark: what looks like the backdrop but was not opened, since no open way leads there.
    wispy : float32 ndarray
        How far the edge is made of strands, in [0, 1]: fine structure outside the mark that hangs together with it.
    alike : bool
        Whether the two sides have the same colours along most of the edge, so that colour tells nothing.
    """

    unsure: BoolArray
    cover: FloatArray
    distance: FloatArray
    steepness: FloatArray
    stray: BoolArray
    plain: BoolArray
    enclosed: BoolArray
    wispy: FloatArray
    alike: bool


def read_edge(
    colours: FloatArray,
    subject: BoolArray,
    noise: float = 0.004,
    joined: BoolArray | None = None,
    *,
    trust: FloatArray | float = TRUST,
    unit: float | None = None,
    low: int | None = None,
) -> EdgeReading:
    """Read the edge of a marked subject.

    Parameters
    ----------
    colours : (h, w, 3) float32 ndarray
        The photo, or a window of it, at the working size, in [0, 1].
    subject : (h, w) bool ndarray
        What is marked.
    noise : float
        Standard deviation of the photo's noise at that size.
    joined : (h, w) bool ndarray, optional
        What is known to hang together with the subject beyond this window.
    trust : float, or (h, w) float32 ndarray
        In the mark, at the boundary nearest to each pixel, in [0, 1]. At 1 nothing is unsure.
    unit : float, optional
        From `unit_of`, if `colours` is a window; as for a whole picture unless given.
    low : int, optional
        Row from which the subject may cast a shadow, if `colours` is a window; from `lowest_rows` of the whole.

    Returns
    -------
    EdgeReading
    """
    unit = unit or max(*subject.shape, _LEAST_LONG) / _LONG
    distances = Distances.of(subject)
    sides = compare_sides(colours, subject, distances, noise)
    known = known_sides(subject, distances, sides, unit)
    # A step of the usual cost takes up more of the budget where the mark is trusted more.
    dear = np.maximum(1 - np.asarray(trust, np.float32), 1e-4)
    scene = _Scene(
        subject, distances, sides, known, unit, np.broadcast_to((1 - TRUST) / dear, subject.shape),
        np.broadcast_to(np.asarray(trust) < 1, subject.shape), find_contact_shadow(colours, subject, unit, low=low),
    )  # fmt: skip
    # Whether strands are followed at all is asked at the usual trust, so that more trust never makes more unsure.
    usual = replace(scene, dear=np.ones_like(dear), allowed=np.ones_like(scene.allowed))
    follow = True
    if _runs_away(scene, _outward(usual, joined)[1]):
        # No subject has so many strands: what the backdrop's model left out is the backdrop's own.
        known = known_sides(subject, distances, sides, unit, apart_from_attached=False)
        scene, usual = replace(scene, known=known), replace(usual, known=known)
        follow = not _runs_away(scene, _outward(usual, joined)[1])
    stray, outside, wispy = _outward(scene, joined, follow=follow)
    steep = _steepness(sides.cover, distances.to_boundary)
    # The working size alone makes a step four pixels wide.
    ramp = np.asarray(np.clip(1 / np.maximum(steep, 1e-3) - 4, 0, _BLURRED) / scene.dear, np.float32)
    inside, enclosed = _inward(scene, wispy, ramp)
    unsure = outside | inside
    unsure |= (steep > 0) & (distances.to_boundary < 1.3 * ramp) & scene.allowed
    return EdgeReading(
        unsure, sides.cover, distances.to_boundary, steep, stray, _well_explained(sides), enclosed,
        wispy, _is_alike(distances, sides),
    )  # fmt: skip


@dataclass(frozen=True)
class _Scene:
    """A mark and what is known around it; `dear` multiplies costs, `allowed` is where the band may reach at all."""

    subject: BoolArray
    distances: Distances
    sides: Sides
    known: Known
    unit: float
    dear: FloatArray
    allowed: BoolArray
    shadow: BoolArray


def _runs_away(scene: _Scene, outside: BoolArray) -> bool:
    """Return whether the band takes up more of the backdrop near the mark than any hair does."""
    low, high = (reach * scene.unit for reach in RING)
    ring = (scene.distances.to_subject > low) & (scene.distances.to_subject < high)
    return bool((outside & ring).sum() > _MOST_REACHED * ring.sum())


def _outward(
    scene: _Scene, joined: BoolArray | None, *, follow: bool = True
) -> tuple[BoolArray, BoolArray, FloatArray]:
    """Return what is stray, how far the band reaches outwards, and how wispy the edge is.

    Unless it is to `follow` strands, the band stays as wide as where the photo says nothing.
    """
    unit, outer = scene.unit, ~scene.subject
    strange = strangeness(scene.sides, scene.known)
    if not follow:
        strange = np.minimum(strange, 0)
    # Within the mark a shadow is left to the mark: a pale product on paper looks like one.
    strange[scene.shadow] = -1
    stray = (strange > _STRAY) & outer
    codes = stray.astype(np.uint8)
    wide = max(3, round(_THICK * unit) | 1)
    thick = cv2.morphologyEx(codes, cv2.MORPH_OPEN, np.ones((wide, wide), np.uint8)) > 0
    towards = np.where(thick, np.float32(_THICK_STRAY), np.float32(_STRAND)) ** np.clip(strange * _QUICKLY, 0, 1)
    cost = np.where(strange < 0, np.float32(_AGAINST) ** -strange, towards)
    bridged = cv2.morphologyEx((stray & ~thick).astype(np.uint8), cv2.MORPH_CLOSE, disc(2)) > 0
    cost[bridged & ~stray] = np.minimum(cost[bridged & ~stray], _BRIDGED)
    roots = scene.subject if joined is None else scene.subject | joined
    away = geodesic_distance(cost * scene.dear, roots, outer & scene.allowed, _OUTWARD * unit)
    reached = (away <= _OUTWARD * unit) & outer & scene.allowed
    off = reached & (scene.distances.to_subject > _OFF * unit)
    fine, wispy = wispiness(scene.subject | stray, off, scene.known, unit)
    beside = cv2.dilate(fine.astype(np.uint8), disc(max(1, round(_BESIDE * unit)))) > 0
    beside &= scene.sides.from_backdrop > _LOOSELY
    beside |= cv2.dilate(fine.astype(np.uint8), disc(_SLACK)) > 0
    return stray, reached | (beside & outer & scene.allowed & ~scene.shadow), wispy


def _inward(scene: _Scene, wispy: FloatArray, ramp: FloatArray) -> tuple[BoolArray, BoolArray]:
    """Return how far the band reaches inwards, and the gaps that it does not reach."""
    unit, subject, sides = scene.unit, scene.subject, scene.sides
    opened = openness(sides, scene.known, wispy)
    reached = _opened(scene, opened)
    gaps = reached & (opened > _GAP) & (scene.distances.to_backdrop > _OFF * unit)
    if gaps.any():
        away = cv2.distanceTransform(1 - gaps.astype(np.uint8), cv2.DIST_L2, 3)
        likely = (sides.from_own > _LOOSELY) | (sides.cover < 0.95)
        around = (away <= _RIM * unit + ramp) | ((away <= (_RIM + _WISPY_RIM * wispy) * unit) & likely)
        reached = reached | (around & subject & scene.allowed)
    shut = cv2.morphologyEx((_clear(scene, opened) & ~reached).astype(np.uint8), cv2.MORPH_OPEN, disc(1)) > 0
    return reached, drop_islands(shut, _ENCLOSED)


def _clear(scene: _Scene, opened: FloatArray) -> BoolArray:
    """Return what surely shows the backdrop within the mark."""
    return (opened > _CLEAR) & scene.subject & (scene.sides.from_backdrop < EXPLAINED)


def _opened(scene: _Scene, opened: FloatArray) -> BoolArray:
    """Return what the cheapest ways inwards reach."""
    clear = _clear(scene, opened)
    cost = np.where(opened > 0, np.float32(_OPEN) ** -opened, np.float32(_SHUT) ** -opened)
    apart = disc(max(1, round(_GAPS_APART * scene.unit)))
    among = (cv2.morphologyEx(clear.astype(np.uint8), cv2.MORPH_CLOSE, apart) > 0) & (opened <= _CLEAR)
    cost[among] = np.minimum(cost[among], _AMONG_GAPS)
    inside = scene.subject & scene.allowed
    depth = geodesic_distance(cost * scene.dear, ~scene.subject, inside, _INWARD * scene.unit)
    return (depth <= _INWARD * scene.unit) & inside


def _well_explained(sides: Sides) -> BoolArray:
    plain = ((sides.from_backdrop < _PLAIN) | (sides.from_own < _PLAIN)).astype(np.uint8)
    return np.asarray(cv2.morphologyEx(plain, cv2.MORPH_OPEN, disc(_FLAT // 2)) > 0)


def _is_alike(distances: Distances, sides: Sides) -> bool:
    rim = distances.to_boundary < _SEEN
    return bool(rim.any() and np.median(sides.apart[rim]) < _ALIKE)


def _steepness(cover: FloatArray, distance: FloatArray) -> FloatArray:
    """Return the usual steepest rise of alpha along the edge, per working pixel, carried outward from the boundary."""
    smooth = cv2.GaussianBlur(cover, (0, 0), 1.5)
    across, down = (cv2.Sobel(smooth, cv2.CV_32F, *order, scale=1 / 8) for order in ((1, 0), (0, 1)))
    seen = (distance <= _SEEN).astype(np.float32)
    window = (2 * _SEEN + 1,) * 2
    steepest = cv2.dilate(np.hypot(across, down) * seen, np.ones(window, np.uint8))
    usual = cv2.blur(steepest * seen, window) / np.maximum(cv2.blur(seen, window), 1e-6)
    usual = np.where(seen > 0, usual, 0).astype(np.float32)
    beyond = cv2.dilate(usual, np.ones((2 * _WIDEST + 1,) * 2, np.uint8))
    return np.asarray(np.where(seen > 0, usual, beyond), np.float32)
