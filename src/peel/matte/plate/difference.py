"""What stands before a known set: where photo and set differ, without the subject's shadow on the set."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import largest_part, mean_part
from peel.matte.marking.regions import drop_islands, fill_holes
from peel.matte.srgb import to_linear

__all__ = ["cast_shadow", "half_clear_in", "standing_before"]

_SURE: Final = 6.0  # deviations that begin a region
_SOME: Final = 3.0  # ... and those to which it reaches
_DARKEST: Final = 0.25  # share of the set's light that its deepest shadow leaves
_TINT: Final = 0.07  # spread of the channels' logarithms within which darkness is shadow
_ROUGH: Final = 0.05  # change of the logarithm over a pixel or two from which darkness is no shadow
_SPECK: Final = 0.0004  # share of the picture below which pieces and holes are noise
_MAIN: Final = 0.03  # share of the largest piece below which others are none of the subject
_CLEAR: Final = 3.0  # deviations of the noise within which a pixel shows the set
_CLEAR_LEAST: Final = 0.012
_CORE_PX: Final = 10  # radius, in pixels of a picture of 1500, of the discs that fit into what is solid
_NEAR_PX: Final = 7  # around what is loose, that is unsure with it
_PINHOLE: Final = 0.00001  # share of the picture below which a gap is chance
_TOE: Final = 0.003


def cast_shadow(image: FloatArray, plate: FloatArray, grain: float) -> BoolArray:
    """Return where a set is only darker, by the same share in every channel and smoothly: a shadow or a reflection.

    Parameters
    ----------
    image, plate : (H, W, 3) float32 ndarray
        Encoded like sRGB.
    grain : float
        Standard deviation of the noise of a channel.
    """
    light, under = (
        to_linear(np.clip(cv2.blur(picture, (5, 5)), 0, 1)) + np.float32(_TOE) for picture in (image, plate)
    )
    fall = np.log(light / under)
    tone = mean_part(fall)
    loose = np.float32(2 * grain) / np.maximum(cv2.blur(mean_part(plate), (5, 5)), 0.05)
    tinted = largest_part(np.abs(fall - tone[..., None])) > _TINT + loose
    slope = np.hypot(*(cv2.Sobel(tone, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1))))
    return np.asarray((tone < 0.02) & (tone > np.log(_DARKEST)) & ~tinted & (slope < _ROUGH + loose))


def standing_before(image: FloatArray, plate: FloatArray, residual: FloatArray, grain: float) -> BoolArray:
    """Return what stands before a set; (H, W) bool.

    Parameters
    ----------
    image, plate : (H, W, 3) float32 ndarray
    residual : (H, W) float32 ndarray
        Their difference in standard deviations.
    grain : float
        Standard deviation of the noise of a channel.
    """
    shade = cast_shadow(image, plate, grain)
    shade = cv2.morphologyEx(shade.astype(np.uint8), cv2.MORPH_OPEN, np.ones((9, 9), np.uint8)) > 0
    differs = np.where(shade, 0, residual)
    some = cv2.morphologyEx((differs > _SOME).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, labels = cv2.connectedComponents(some, connectivity=8)
    sure = np.unique(labels[(differs > _SURE) & (some > 0)])
    region = np.isin(labels, sure[sure > 0])
    region = cv2.morphologyEx(region.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)) > 0
    region = drop_islands(fill_holes(region, _SPECK * region.size), _SPECK * region.size)
    return _main(region)


def half_clear_in(image: FloatArray, plate: FloatArray, region: BoolArray, grain: float) -> BoolArray:
    """Return what of a region, and close around it, shows the set in places: strands, fur, gaps; (H, W) bool.

    Parameters
    ----------
    image, plate : (H, W, 3) float32 ndarray
    region : (H, W) bool ndarray
        As `standing_before` gives it.
    grain : float
        Standard deviation of the noise of a channel.
    """
    off = largest_part(np.abs(image - plate))
    slope = cv2.morphologyEx(mean_part(plate), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    clear = off < np.float32(_CLEAR * grain + _CLEAR_LEAST) + np.float32(0.5) * slope
    unit = max(image.shape[:2]) / 1500
    wide = 2 * round(_CORE_PX * unit) + 1
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide))
    # single pixels that happen to look like the set are no gaps
    gaps = cv2.morphologyEx((clear & region).astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8)) > 0
    solid = fill_holes(region & ~gaps, _PINHOLE * region.size)
    core = cv2.morphologyEx(solid.astype(np.uint8), cv2.MORPH_OPEN, disc) > 0
    loose = cv2.morphologyEx((region & ~core).astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    near = 2 * round(_NEAR_PX * unit) + 1
    wide_loose = cv2.dilate(loose, np.ones((near, near), np.uint8))
    # what lies all inside is the subject in the set's colour by chance, or a hole that the region has already
    _, labels = cv2.connectedComponents(wide_loose, connectivity=8)
    outer = np.unique(labels[~region & (wide_loose > 0)])
    return np.asarray(np.isin(labels, outer[outer > 0]))


def _main(region: BoolArray) -> BoolArray:
    """Keep the largest piece and those that are not small beside it; what moved on the set far away is none."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(region.astype(np.uint8), connectivity=8)
    areas = stats[:, cv2.CC_STAT_AREA].copy()
    areas[0] = 0
    return np.asarray((areas >= _MAIN * areas.max())[labels] & (labels > 0)) if areas.max() > 0 else region
