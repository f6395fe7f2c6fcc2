"""What the kinds of an edge add to a solve: the evidence of patches, lines, veils and steps, gathered in tiles."""

from dataclasses import dataclass, replace
from functools import partial
from itertools import product
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND
from peel.matte.parallel import run_all
from peel.matte.solve.backdrop_detail import backdrop_detail
from peel.matte.solve.conjugate_gradients import PriorTerms
from peel.matte.solve.contour_search import Compare
from peel.matte.solve.kind_terms import neutral_maps
from peel.matte.solve.line_evidence import line_evidence
from peel.matte.solve.patches import REACH_PX, patch_evidence
from peel.matte.solve.settings import EdgeTerms
from peel.matte.solve.sheer_line import sheer_colour, sheer_evidence
from peel.matte.solve.step_fit import Blur, find_steps
from peel.matte.solve.term_maps import MAP_STEP, TermMaps
from peel.matte.srgb import to_linear

__all__ = ["Evidence", "gather_evidence", "line_terms", "step_terms"]

_TILE: Final = 1536
_MARGIN: Final = REACH_PX + 10
_BUSY: Final = (0.012, 0.030)  # deviation of the backdrop from its blur at which patches begin to speak, and do fully
_DETAIL_PX: Final = 10.0
_SUBJECT: Final = 0.25  # pull of what looks like subject, relative to what looks like backdrop
_ALONE: Final = (0.10, 0.22)  # alpha around a strand up to which lines speak fully, and at all
_AROUND_PX: Final = 8.0
_STEP: Final = 4  # by how much smaller the alpha around is averaged
_ESTIMATED: Final = 0.1  # weight of a veil whose colour is estimated, not picked

HalfArray = NDArray[np.float16]


@dataclass(frozen=True)
class Evidence:
    """Pulls on alpha, found once from the photo and its zones.

    Attributes
    ----------
    weight, pull : (H, W) float16 ndarray
        Of patches and veils together: the term is ``weight alpha^2 - 2 pull alpha``.
    line_weight, line_alpha : (H, W) float16 ndarray
        Of lines, which act only where a first solution finds little around them.
    """

    weight: HalfArray
    pull: HalfArray
    line_weight: HalfArray
    line_alpha: HalfArray

    @classmethod
    def none(cls, shape: tuple[int, ...]) -> "Evidence":
        """Return the evidence of a picture (H, W) where nothing is said."""
        return cls(*(np.zeros(shape, np.float16) for _ in range(4)))

    def part(self, window: tuple[slice, slice]) -> "Evidence":
        """Return the evidence of a window."""
        return Evidence(*(part[window] for part in (self.weight, self.pull, self.line_weight, self.line_alpha)))

    def pulled(self, weight: FloatArray, pull: FloatArray) -> "Evidence":
        """Return the evidence with one more pull, of the same form as its own.

        Values and weights are (h, w) float32.
        """
        return replace(
            self, weight=(self.weight + weight).astype(np.float16), pull=(self.pull + pull).astype(np.float16)
        )


def gather_evidence(
    photo: FloatArray,
    trimap: ByteArray,
    wanted: BoolArray,
    terms: EdgeTerms,
    maps: TermMaps | None,
    *,
    is_linear: bool = False,
    own_colours: FloatArray | None = None,
    photo_shape: tuple[int, int] | None = None,
    scale: int = 1,
) -> Evidence:
    """Gather the evidence where it is wanted.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
        Encoded colours in [0, 1].
    trimap : (H, W) uint8 ndarray
    wanted : (H, W) bool ndarray
        The band, or the part of it that is solved.
    terms : EdgeTerms
    maps : TermMaps, optional
        How strongly each sort of evidence counts over the picture; without them it counts as the photo itself allows.
    is_linear : bool
        Whether colours mix in linear light.
    own_colours : (K, 3) float32 ndarray, optional
        Encoded colours of sheer cloth that were picked.
    photo_shape : tuple of int, optional
        Height and width of the photo of which this is a window; the picture's own if not given.
    scale : int
        By how much smaller than the photograph itself that photo is: patches are as large in either.
    """
    height, width = trimap.shape
    shape = photo_shape or trimap.shape
    factors = maps or neutral_maps(trimap.shape)
    colours = _Colours(
        photo, trimap, is_linear, shape[0] * shape[1], scale, *_veil_colours(photo, trimap, factors, own_colours)
    )
    tasks, tiles = [], []
    for top, left in product(range(0, height, _TILE), range(0, width, _TILE)):
        tile = _Tile(top, left, min(top + _TILE, height), min(left + _TILE, width)).shrunk_to(wanted)
        for name, ask in _SORTS.items():
            weights = _weights(name, tile, wanted, terms, factors)
            if weights is not None:
                tasks.append(partial(ask, colours, tile, weights))
                tiles.append((name, tile.own))
    found = Evidence.none(trimap.shape)
    for (name, own), (weight, pull) in zip(tiles, run_all(tasks), strict=True):
        if name == "lines":
            found.line_weight[own], found.line_alpha[own] = weight, pull
        else:
            found.weight[own] += weight
            found.pull[own] += pull
    return found


def _weights(name: str, tile: "_Tile", wanted: BoolArray, terms: EdgeTerms, factors: TermMaps) -> FloatArray | None:
    """Return how much a sort of evidence weighs in a tile, or None where it has no say."""
    strength = np.float32(getattr(terms, name))
    if strength <= 0 or not wanted[tile.own].any():
        return None
    part = TermMaps.window(getattr(factors, name), tile.own)[: tile.bottom - tile.top, : tile.right - tile.left]
    weights = np.where(wanted[tile.own], part * strength, np.float32(0))
    return weights if (weights > 0).any() else None


@dataclass(frozen=True)
class _Colours:
    """What all tiles look at: encoded colours, zones, and the linear colours of veils with the trust in them."""

    photo: FloatArray
    trimap: ByteArray
    is_linear: bool
    photo_pixels: int
    scale: int
    veils: list[FloatArray]
    veil_trust: float

    def around(self, tile: "_Tile") -> tuple[FloatArray, ByteArray]:
        """Return the encoded colours and the zones of a tile and what lies around it."""
        return np.ascontiguousarray(self.photo[tile.around]), np.ascontiguousarray(self.trimap[tile.around])


def _veil_colours(
    photo: FloatArray, trimap: ByteArray, factors: TermMaps, picked: FloatArray | None
) -> tuple[list[FloatArray], float]:
    """Return the linear colours of sheer cloth, picked or estimated for the whole picture, and the trust in them."""
    if picked is not None and len(picked):
        return list(to_linear(np.ascontiguousarray(picked, np.float32))), 1.0
    if not (factors.sheer > 0).any():
        return [], 0.0
    some = (slice(None, None, MAP_STEP),) * 2
    small = to_linear(np.ascontiguousarray(photo[some]))
    where = factors.sheer[: small.shape[0], : small.shape[1]]
    estimated = sheer_colour(small, np.ascontiguousarray(trimap[some]), where)
    return ([] if estimated is None else [estimated]), _ESTIMATED


@dataclass(frozen=True)
class _Tile:
    top: int
    left: int
    bottom: int
    right: int

    def shrunk_to(self, wanted: BoolArray) -> "_Tile":
        """Return the smallest tile around what is wanted in this one; an empty one where nothing is."""
        inside = wanted[self.own]
        rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
        if rows.size == 0:
            return _Tile(self.top, self.left, self.top, self.left)
        top, left = self.top + int(rows[0]), self.left + int(columns[0])
        return _Tile(top, left, self.top + int(rows[-1]) + 1, self.left + int(columns[-1]) + 1)

    @property
    def own(self) -> tuple[slice, slice]:
        """The tile in the picture."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def around(self) -> tuple[slice, slice]:
        """What is looked at, in the picture."""
        rows = slice(max(0, self.top - _MARGIN), self.bottom + _MARGIN)
        return rows, slice(max(0, self.left - _MARGIN), self.right + _MARGIN)

    @property
    def inner(self) -> tuple[slice, slice]:
        """The tile in what is looked at."""
        rows, columns = self.around
        return (
            slice(self.top - rows.start, self.bottom - rows.start),
            slice(self.left - columns.start, self.right - columns.start),
        )


def _ask_patches(colours: _Colours, tile: _Tile, weights: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Ask the patches where the backdrop is busy; before a smooth one, what is half-clear looks like it too."""
    photo, trimap = colours.around(tile)
    least, most = _BUSY
    detail = backdrop_detail(photo, (trimap == BACKGROUND).astype(np.uint8), _DETAIL_PX)[tile.inner]
    busy = np.clip((detail - least) / (most - least), 0, 1) * weights
    asked = np.zeros(trimap.shape, bool)
    asked[tile.inner] = busy > 0
    if not asked.any():
        return busy, busy
    found = patch_evidence(photo, trimap, asked, colours.photo_pixels, colours.scale)
    backdrop, subject = (part[tile.inner] * busy for part in found)
    subject *= np.float32(_SUBJECT)
    return backdrop + subject, subject


def _ask_lines(colours: _Colours, tile: _Tile, weights: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Look for strands."""
    photo, trimap = colours.around(tile)
    wanted = np.zeros(trimap.shape, bool)
    wanted[tile.inner] = weights > 0
    weight, alpha = line_evidence(to_linear(photo) if colours.is_linear else photo, trimap, wanted)
    return weight[tile.inner] * weights, alpha[tile.inner]


def _ask_veils(colours: _Colours, tile: _Tile, weights: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Read alpha off the line from the colour of the cloth that is surest at each pixel."""
    photo, trimap = colours.around(tile)
    sure, alpha = np.zeros_like(weights), np.zeros_like(weights)
    for colour in colours.veils:
        confidence, found = (part[tile.inner] for part in sheer_evidence(to_linear(photo), trimap, colour))
        alpha = np.where(confidence > sure, found, alpha)
        sure = np.maximum(confidence, sure)
    weight = sure * weights * np.float32(colours.veil_trust)
    return weight, weight * alpha


_SORTS: Final = {"lines": _ask_lines, "patches": _ask_patches, "sheer": _ask_veils}
"""The sorts of evidence, by the name of their weight; each gives weight and pull, lines weight and alpha."""


def line_terms(evidence: Evidence, fixed: FloatArray, band: BoolArray) -> PriorTerms:
    """Return the prior of lines, which speaks where a preliminary matte has little around a strand.

    The matte is (h, w) float32 in [0, 1].
    """
    weights, towards = (part[band].astype(np.float32) for part in (evidence.line_weight, evidence.line_alpha))
    size = tuple(max(1, side // _STEP) for side in reversed(band.shape))
    full, most = _ALONE

    def terms(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        matte = fixed.copy()
        matte[band] = np.clip(alpha, 0, 1)
        small = cv2.GaussianBlur(cv2.resize(matte, size, interpolation=cv2.INTER_AREA), (0, 0), _AROUND_PX / _STEP)
        around = cv2.resize(small, band.shape[::-1], interpolation=cv2.INTER_LINEAR)[band]
        weight = weights * np.clip((most - around) / (most - full), 0, 1)
        return weight, weight * towards

    return terms


def step_terms(
    image: FloatArray,
    trimap: ByteArray,
    fixed: FloatArray,
    band: BoolArray,
    strength: float,
    shares: FloatArray,
    compare: Compare,
    blur: Blur,
) -> PriorTerms:
    """Return the prior of steps along contours, which speaks where a preliminary matte does not contradict it.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    trimap : (H, W) uint8 ndarray
    fixed : (H, W) float32 ndarray
        Alpha off the band.
    band : (H, W) bool ndarray
        Where alpha is to be found.
    strength : float
    shares : (H, W) float32 ndarray
        How far steps are asked for, from 0 to 1.
    compare : callable
        See `peel.matte.solve.contour_search.Compare`.
    blur : Blur
    """
    steps = find_steps(image, trimap, band & (shares > 0), compare, blur)
    first: list[FloatArray] = []

    def terms(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        if not first:  # a later preliminary matte would only confirm what was said to it
            matte = fixed.copy()
            matte[band] = np.clip(alpha, 0, 1)
            first.append(np.float32(strength) * (steps.trust(matte) * shares)[band])
        return first[0], first[0] * steps.alpha[band]

    return terms
