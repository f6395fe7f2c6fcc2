"""Estimate alpha per pixel from nearby foreground and background colours, independently of the solver."""

from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray, IntArray
from peel.matte.channels import largest_part, length_of, place_between
from peel.matte.colour.outward import carried, mean_around
from peel.matte.colour.spill import Spill
from peel.matte.composite.over import composite_over
from peel.matte.lazy import lazy

__all__ = ["READING_REACH", "Reading"]

READING_REACH: Final = 96
"""Pixels around a window from which the colours on either side of an edge are carried."""

_SOLID: Final = 0.98
_REACHED: Final = 0.5  # share of a region near which backdrop has to lie to say anything of it
_EDGE_PX: Final = 6  # beside an edge, what the matte takes for solid or clear may be wrong
_TEXTURES: Final = 1.5  # times the subject's texture that the two colours have to be apart
_LEAST_AWAY: Final = 0.015  # colours nearer to each other than this are alike
_OF_TEXTURE: Final = 0.3
_TEXTURE_SIGMA: Final = 12.0
_LEAST_CONTRAST: Final = 0.04  # between the two colours, below which a pixel says nothing


@dataclass(frozen=True)
class Reading:
    """A window of a photo with its matte, and what follows from both.

    Attributes
    ----------
    photo : (H, W, 3) float32 ndarray
        Encoded, in [0, 1].
    alpha : (H, W) float32 ndarray
    colours : (H, W, 3) float32 ndarray or None
        The subject's own colours, as far as they are known.
    sheer : (H, W) bool ndarray or None
        Where the edge is known to be of sheer material, which is half-clear all through.
    hard : (H, W) bool ndarray or None
        Where the person said that the edge is hard.
    depth : (H, W) float32 ndarray or None
        How far inside the mark a pixel lies, in multiples of the depth from which an edge of its kind is solid.
    noise : float
        Standard deviation of a channel of the photo.
    linear : bool
        Whether the photo mixes in linear light.
    spill : Spill or None
        The hue of the backdrop's light on the subject.
    behind : (H, W, 3) float32 ndarray and (H, W) bool ndarray, or None
        The backdrop from a picture of the set, and where that can be relied on.
    edge_px : int
        How far from the edge colours count as known.
    """

    photo: FloatArray
    alpha: FloatArray
    colours: FloatArray | None = None
    sheer: BoolArray | None = None
    hard: BoolArray | None = None
    depth: FloatArray | None = None
    noise: float = 0.01
    linear: bool = False
    spill: Spill | None = None
    behind: tuple[FloatArray, BoolArray] | None = None
    edge_px: int = 0

    @property
    def is_sheer(self) -> BoolArray:
        """Where the material is sheer; (H, W)."""
        return self.sheer if self.sheer is not None else np.zeros(self.alpha.shape, bool)

    @lazy
    def _carried_backdrop(self) -> tuple[FloatArray, BoolArray]:
        found, reached = carried(self.photo, _well_within(self.alpha <= 0, self.edge_px))
        if self.behind is None:
            return found, reached
        shown, known = self.behind
        return np.where(known[..., None], shown, found), reached | known

    @lazy
    def _carried_subject(self) -> tuple[FloatArray, BoolArray]:
        return carried(self.photo, _well_within(self.alpha >= _SOLID, self.edge_px))

    @property
    def backdrop(self) -> FloatArray:
        """The backdrop's colour: from the set, or carried in from what is clear; the photo's own where neither is near.

        (h, w, 3) float32 in [0, 1].
        """
        return self._carried_backdrop[0]

    @property
    def subject(self) -> FloatArray:
        """The subject's colour, carried out from what is solid; (H, W, 3)."""
        return self._carried_subject[0]

    @lazy
    def residue(self) -> FloatArray:
        """How far the cutout over the clean backdrop is from the photo; 0 where the subject's colours are not known.

        (h, w) float32.
        """
        if self.colours is None:
            return np.zeros_like(self.alpha)
        laid_back = composite_over(self.colours, self.backdrop, self.alpha, linear=self.linear)
        off = largest_part(cv2.absdiff(laid_back, self.photo))
        return np.where(self._carried_backdrop[1], off, 0).astype(np.float32)

    @lazy
    def contrast(self) -> FloatArray:
        """How far the two colours are apart; (H, W)."""
        return length_of(self.subject - self.backdrop)

    @lazy
    def texture(self) -> FloatArray:
        """How far the solid subject's own colours are from their mean nearby, one standard deviation; (H, W)."""
        solid = self.alpha >= _SOLID
        mean, _ = mean_around(self.photo, solid, _TEXTURE_SIGMA)
        away = np.square(length_of(self.photo - mean))[..., None]
        spread, reached = mean_around(away, solid, _TEXTURE_SIGMA)
        return np.where(reached > 0, np.sqrt(np.maximum(spread[..., 0], 0)), 0).astype(np.float32)

    @lazy
    def says(self) -> BoolArray:
        """Where the subject is near, and its colour far enough from the other to say anything; (H, W)."""
        least = np.maximum(np.float32(max(_LEAST_CONTRAST, 3 * self.noise)), _TEXTURES * self.texture)
        return self._carried_subject[1] & (self.contrast > least)

    @lazy
    def seen(self) -> FloatArray:
        """The alpha that each pixel speaks for, as far as -0.5 and 1.5; that of the matte where it says nothing.

        (h, w) float32.
        """
        return np.where(
            self.says, np.clip(place_between(self.photo, self.backdrop, self.subject), -0.5, 1.5), self.alpha
        )

    @lazy
    def beyond_edge(self) -> "Reading":
        """The same window read by colours from farther away, where the edge itself may lie in the wrong place."""
        return replace(self, edge_px=_EDGE_PX)

    def prefers(self, region: BoolArray, at: tuple[slice, slice], instead: FloatArray) -> bool:
        """Return whether the photo over a region, (h, w) within a window, prefers another matte; see `preferred`."""
        return bool(self.preferred(region.astype(np.int32), at, instead)[1])

    def preferred(self, labels: IntArray, at: tuple[slice, slice], instead: FloatArray) -> BoolArray:
        """Return for each of many regions whether the photo speaks no more for the matte than for another one.

        Parameters
        ----------
        labels : (h, w) int32 ndarray
            Numbers of the regions within a window; 0 belongs to none.
        at : tuple of slice
            The window.
        instead : (H, W) float32 ndarray
            The other matte.

        Returns
        -------
        (N,) bool ndarray
            For each number from 0 to the largest.

        Notes
        -----
        Where no backdrop is near, a region of the subject's own colour, within its texture, is taken for subject.
        """
        inside = labels > 0
        numbers, count = labels[inside], int(labels.max()) + 1
        area = np.maximum(np.bincount(numbers, minlength=count), 1)

        def summed(values: FloatArray) -> FloatArray:
            return np.asarray(np.bincount(numbers, values, minlength=count), np.float32)

        off = self.photo[at][inside] - self.subject[at][inside]
        away = np.linalg.norm(np.stack([summed(off[:, k]) / area for k in range(3)]), axis=0)
        own_colour = away < np.maximum(_LEAST_AWAY, _OF_TEXTURE * summed(self.texture[at][inside]) / area)
        weight = np.where(self.says, np.square(self.contrast), 0)[at][inside]
        now = self.alpha[at][inside]
        by = instead[at][inside] - now
        toward, most = summed(weight * (self.seen[at][inside] - now) * by), summed(weight * by**2)
        told = (toward > 0.5 * most) | (summed(weight) == 0)
        backdrop_near = summed(self._carried_backdrop[1][at][inside].astype(np.float32)) > _REACHED * area
        return np.asarray(np.where(backdrop_near, told, own_colour), bool)

    def mean_seen(self, sigma: float) -> FloatArray:
        """Return what the photo speaks for, averaged over a neighbourhood; (H, W)."""
        return cv2.GaussianBlur(self.seen, (0, 0), sigma)


def _well_within(part: BoolArray, by_px: int) -> BoolArray:
    if by_px == 0:
        return part
    square = np.ones((2 * by_px + 1,) * 2, np.uint8)
    return cv2.erode(part.astype(np.uint8), square, borderValue=1) > 0
