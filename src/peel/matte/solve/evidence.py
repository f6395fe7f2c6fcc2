"""What the kinds of an edge add to a solve: the evidence of patches, lines, veils and steps, gathered in tiles."""

from dataclasses import dataclass
from functools import partial
from itertools import product
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.trimap import BACKGROUND
from peel.matte.parallel import run_all
from peel.matte.solve.backdrop_detail import backdrop_detail
from peel.matte.solve.conjugate_gradients import PriorTerms
from peel.matte.solve.line_evidence import line_evidence
from peel.matte.solve.patches import REACH_PX, patch_evidence
from peel.matte.solve.settings import EdgeTerms, TermMaps
from peel.matte.solve.sheer_line import sheer_colour, sheer_evidence
from peel.matte.solve.step_fit import step_prior
from peel.matte.srgb import to_linear

__all__ = ["Evidence", "gather_evidence", "line_terms", "step_terms"]

_TILE: Final = 1024
_MARGIN: Final = REACH_PX + 10
_BUSY: Final = (0.012, 0.030)  # deviation of the backdrop from its blur at which patches begin to speak, and do fully
_DETAIL_PX: Final = 10.0
_SUBJECT: Final = 0.25  # pull of what looks like subject, relative to what looks like backdrop
_ALONE: Final = (0.10, 0.22)  # alpha around a strand up to which lines speak fully, and at all
_AROUND_PX: Final = 8.0
_STEP: Final = 4  # by how much smaller the alpha around is averaged
_ESTIMATED: Final = 0.1  # weight of a veil whose colour is estimated, not picked
_TEXTURE: Final = 0.0004  # squared difference per value of a profile that a surface's texture explains

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

    def part(self, window: tuple[slice, slice]) -> "Evidence":
        """Return the evidence of a window."""
        return Evidence(*(part[window] for part in (self.weight, self.pull, self.line_weight, self.line_alpha)))


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
    """
    found = Evidence(*(np.zeros(trimap.shape, np.float16) for _ in range(4)))
    height, width = trimap.shape
    shape = photo_shape or trimap.shape
    factors = maps or TermMaps.neutral(trimap.shape)
    colours = _Colours(photo, trimap, wanted, is_linear, own_colours, shape[0] * shape[1])
    tasks = []
    for top, left in product(range(0, height, _TILE), range(0, width, _TILE)):
        tile = _Tile(top, left, min(top + _TILE, height), min(left + _TILE, width))
        if not wanted[tile.own].any():
            continue
        for name, add in (("patches", _add_patches), ("lines", _add_lines), ("sheer", _add_veil)):
            if getattr(terms, name) > 0:
                part = TermMaps.window(getattr(factors, name), tile.own)[: tile.bottom - top, : tile.right - left]
                weights = np.where(wanted[tile.own], part * np.float32(getattr(terms, name)), np.float32(0))
                if (weights > 0).any():
                    tasks.append(partial(add, found, colours, tile, weights))
    run_all(tasks)
    return found


@dataclass(frozen=True)
class _Colours:
    photo: FloatArray
    trimap: ByteArray
    wanted: BoolArray
    is_linear: bool
    own_colours: FloatArray | None
    photo_pixels: int


@dataclass(frozen=True)
class _Tile:
    top: int
    left: int
    bottom: int
    right: int

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


def _add_patches(found: Evidence, colours: _Colours, tile: _Tile, weights: FloatArray) -> None:
    """Ask the patches where the backdrop is busy; before a smooth one, what is half-clear looks like it too."""
    photo = np.ascontiguousarray(colours.photo[tile.around])
    trimap = np.ascontiguousarray(colours.trimap[tile.around])
    least, most = _BUSY
    detail = backdrop_detail(photo, (trimap == BACKGROUND).astype(np.uint8), _DETAIL_PX)[tile.inner]
    busy = np.clip((detail - least) / (most - least), 0, 1) * weights
    asked = np.zeros(trimap.shape, bool)
    asked[tile.inner] = busy > 0
    if not asked.any():
        return
    backdrop, subject = (part[tile.inner] * busy for part in patch_evidence(photo, trimap, asked, colours.photo_pixels))
    found.weight[tile.own] += backdrop + np.float32(_SUBJECT) * subject
    found.pull[tile.own] += np.float32(_SUBJECT) * subject


def _add_lines(found: Evidence, colours: _Colours, tile: _Tile, weights: FloatArray) -> None:
    """Look for strands."""
    photo = np.ascontiguousarray(colours.photo[tile.around])
    trimap = np.ascontiguousarray(colours.trimap[tile.around])
    weight, alpha = line_evidence(to_linear(photo) if colours.is_linear else photo, trimap)
    found.line_weight[tile.own] = weight[tile.inner] * weights
    found.line_alpha[tile.own] = alpha[tile.inner]


def _add_veil(found: Evidence, colours: _Colours, tile: _Tile, weights: FloatArray) -> None:
    """Add what the nearest of the cloth's colours says; without one its colour is estimated."""
    linear = to_linear(np.ascontiguousarray(colours.photo[tile.around]))
    trimap = np.ascontiguousarray(colours.trimap[tile.around])
    if colours.own_colours is not None and len(colours.own_colours):
        own = list(to_linear(np.ascontiguousarray(colours.own_colours, np.float32)))
    else:
        where = np.zeros(trimap.shape, np.float32)
        where[tile.inner] = weights / weights.max()
        estimated = sheer_colour(linear, trimap, where)
        own = [] if estimated is None else [estimated]
        weights = weights * np.float32(_ESTIMATED)
    if not own:
        return
    veils = [sheer_evidence(linear, trimap, colour) for colour in own]
    confidence, alpha = (np.stack([veil[k][tile.inner] for veil in veils]) for k in range(2))
    best = np.argmax(confidence, axis=0)[None]
    sure = np.take_along_axis(confidence, best, 0)[0] * weights
    found.weight[tile.own] += sure
    found.pull[tile.own] += sure * np.take_along_axis(alpha, best, 0)[0]


def line_terms(evidence: Evidence, fixed: FloatArray, band: BoolArray) -> PriorTerms:
    """Return the prior of lines, which speaks where a preliminary matte has little around a strand."""
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
    image: FloatArray, fixed: FloatArray, band: BoolArray, strength: float, shares: FloatArray
) -> PriorTerms:
    """Return the prior of steps along the contours of a preliminary matte.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    fixed : (H, W) float32 ndarray
        Alpha off the band.
    band : (H, W) bool ndarray
    strength : float
    shares : (H, W) float32 ndarray
        Where the edge is known to be hard, from 0 to 1.
    """
    asked = band & (shares > 0)

    def terms(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        matte = fixed.copy()
        matte[band] = np.clip(alpha, 0, 1)
        sure, step = step_prior(image, matte, asked, _TEXTURE)
        weight = np.float32(strength) * sure[band] * shares[band]
        return weight, weight * step[band]

    return terms
