"""Bring a second frame over a photo and to its exposure, and tell where it shows the same.

Positions come from `peel.matte.plate.registration`. What is left after that - cloth that breathes, a lens that was
touched - is followed by a smooth field of small shifts, and light that drifts by a smooth field of gains; both are
found only where photo and frame already nearly agree, in rounds that trust more and more of them.
"""

from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import largest_part, mean_part
from peel.matte.parallel import checkpoint, map_chunks
from peel.matte.pixels import unit_floats
from peel.matte.plate.registration import Matrix, by_features, by_outline, refined, warped
from peel.matte.smaller import averaged
from peel.matte.solve.noise import measure_noise
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["LEAST_ALONG_RIM", "Alignment", "align", "brought_over", "compared_step", "nudged"]

_LOOK_PX: Final = 1_500_000  # pixels of the pictures that are compared
_REFINED_PX: Final = 350_000  # pixels of those by which a transform is refined: more say nothing more
_ROUNDS: Final = 3
_SLACK_PX: Final = (2.5, 0.8, 0.35)  # by which edges may be off, round by round
_MOST_NOISE: Final = 0.03
_DEVIATIONS: Final = 3.0  # of the noise within which a pixel agrees
_STOPS_APART: Final = (0.12, 0.05, 0.03)  # by which light may be off besides, round by round
_GAIN_CELLS: Final = 12  # standard deviations of the gains' smoothness across the longer side
_SHIFT_CELLS: Final = 24
_MOST_SHIFT_PX: Final = 3.0
_RIM: Final = 0.06  # of the shorter side, that lies along the frame
_SPOT_PX: Final = 12  # around a feature that agrees
_ROWS: Final = 128  # per task
_MOST_STOPS: Final = 1.0  # by which a frame's exposure may differ
_CLIPPED: Final = 0.98  # linear light from which a channel says nothing
_DARKER: Final = 0.97  # gain below which the photo is darker than the frame
_TOE: Final = 0.01  # linear light below which ratios say little

LEAST_ALONG_RIM: Final = 0.5
"""Share of a picture's rim that shows the same in a photo and in its empty set."""


@dataclass(frozen=True, eq=False)
class Alignment:
    """How a frame lies over a photo.

    Attributes
    ----------
    transform : (3, 3) float64 ndarray
        From the photo's pixels to the frame's, both at full size; the frame scaled to the photo's size.
    features : int
        That agree on it; 0 if there were too few, and it rests on the light alone.
    is_outlined : bool
        Whether it rests on the subject's outline.
    gains : (h, w, 3) float32 ndarray
        By which the frame's linear light is multiplied, in a small picture of the photo's frame.
    shifts : (h, w, 2) float32 ndarray
        Further shifts in x and y, in pixels of the photo, likewise.
    agrees : (h, w) bool ndarray
        Where photo and frame show the same, in the picture that they were compared in.
    residual : (h, w) float32 ndarray
        Difference there in standard deviations of the noise.
    inside : (h, w) bool ndarray
        Where the frame has anything to show.
    """

    transform: Matrix
    features: int
    is_outlined: bool
    gains: FloatArray
    shifts: FloatArray
    agrees: BoolArray
    residual: FloatArray
    inside: BoolArray

    @property
    def agrees_along_rim(self) -> float:
        """The share of the picture's rim in which both show the same."""
        rim = rim_of(self.agrees.shape) & self.inside
        return float(self.agrees[rim].mean()) if rim.any() else 0.0

    @property
    def stops(self) -> float:
        """By how much the frame is darker than the photo, in stops."""
        return float(np.log2(np.median(self.gains)))

    def moved_px(self, height: int, width: int) -> float:
        """By how far the middle of a photo lies from the same place of the frame, in pixels."""
        middle = np.array([width / 2, height / 2, 1.0])
        there = self.transform @ middle
        return float(np.hypot(*(there[:2] / there[2] - middle[:2])))

    @property
    def turned_deg(self) -> float:
        """By how much the frame is turned, in degrees."""
        return float(np.rad2deg(np.arctan2(self.transform[1, 0], self.transform[0, 0])))


def align(photo: NDArray[Any], frame: NDArray[Any]) -> Alignment:
    """Find how a frame lies over a photo, from what both show: the set, or the subject.

    Parameters
    ----------
    photo, frame : (H, W, 3) ndarray
        8- or 16-bit integers or floats in [0, 1], of one size and one encoding like sRGB's.
    """
    step = compared_step(*photo.shape[:2])
    look, other = (np.ascontiguousarray(averaged(picture, step), np.float32) for picture in (photo, frame))
    pair = _Pair(look, other, step)
    checkpoint()
    found = by_features(_gray_bytes(pair.look), _gray_bytes(pair.other))
    if found is not None:
        return pair.aligned(found.transform, len(found.spots), _discs(found.spots, pair.shape))
    # nothing to hold on to: what lies along the frame is compared, and if that differs, what stands in the middle
    rim = rim_of(pair.shape)
    by_rim = pair.aligned(np.eye(3), 0, rim)
    if by_rim.agrees_along_rim >= LEAST_ALONG_RIM:
        return by_rim
    outlined = by_outline(_gray(pair.look), _gray(pair.other))
    if outlined is not None:
        return pair.aligned(outlined, 0, _middle(pair.shape), placed=True)
    by_middle = pair.aligned(np.eye(3), 0, _middle(pair.shape))
    return by_middle if by_middle.agrees.sum() > by_rim.agrees.sum() else by_rim


def compared_step(height: int, width: int) -> int:
    """Return by how much smaller than themselves a photo and a frame are compared."""
    return max(1, round(np.sqrt(height * width / _LOOK_PX)))


class _Pair:
    """A photo and a frame, small enough to be compared over and over."""

    def __init__(self, look: FloatArray, other: FloatArray, step: int) -> None:
        self.look, self.other, self.step = look, other, step
        self.shape = look.shape[:2]
        # a picture without a quiet place has its texture measured as noise
        self.noise = min(float(np.sqrt(2 * min(_variance(look), _variance(other)))), _MOST_NOISE)
        self.light, self.other_light = (to_linear(np.clip(picture, 0, 1)) for picture in (look, other))

    def aligned(self, transform: Matrix, features: int, seeds: BoolArray, *, placed: bool = False) -> Alignment:
        """Refine a transform in rounds, from where the frame is trusted at first."""
        trust, gains = seeds, np.ones((*self.shape, 3), np.float32)
        for turn in range(_ROUNDS):
            checkpoint()
            moved, inside = _over(self.other_light, transform, self.shape)
            gains = _gains(self.light, moved, trust & inside, first=turn == 0)
            if not placed and (turn or features == 0):
                transform = _refined(self.look, self.other, trust, transform)
                moved, inside = _over(self.other_light, transform, self.shape)
                gains = _gains(self.light, moved, trust & inside, first=turn == 0)
            matched = _encoded(moved * gains)
            inside = inside & ~_burnt_out(moved, gains)
            residual = _residual(self.look, matched, self.noise, _SLACK_PX[turn], _STOPS_APART[turn])
            trust = inside & (residual < _DEVIATIONS)
        shifts = _shifts(_gray(self.look), _gray(matched), trust)
        if np.abs(shifts).max() > 0:
            residual, trust = self._shifted(transform, shifts, gains, inside)
        small = (max(2, self.shape[1] // 8), max(2, self.shape[0] // 8))
        shifts, gains = (
            np.asarray(cv2.resize(field, small, interpolation=cv2.INTER_AREA))
            for field in (shifts * np.float32(self.step), gains)
        )
        return Alignment(_scaled(transform, self.step), features, placed, gains, shifts, trust, residual, inside)

    def _shifted(
        self, transform: Matrix, shifts: FloatArray, gains: FloatArray, inside: BoolArray
    ) -> tuple[FloatArray, BoolArray]:
        """Bring the frame over by transform and shifts, and compare once more."""
        y, x = np.mgrid[: self.shape[0], : self.shape[1]].astype(np.float32)
        at = _mapped(transform, x + shifts[..., 0], y + shifts[..., 1])
        moved = np.maximum(cv2.remap(self.other_light, *at, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE), 0)
        residual = _residual(self.look, _encoded(moved * gains), self.noise, _SLACK_PX[-1], _STOPS_APART[-1])
        return residual, inside & (residual < _DEVIATIONS)


def rim_of(shape: tuple[int, ...]) -> BoolArray:
    """Return what lies along the frame of a picture."""
    wide = max(2, round(_RIM * min(shape[:2])))
    rim = np.ones(shape[:2], bool)
    rim[wide:-wide, wide:-wide] = False
    return rim


def _middle(shape: tuple[int, ...]) -> BoolArray:
    middle = np.zeros(shape[:2], bool)
    middle[shape[0] // 3 : -(shape[0] // 3), shape[1] * 2 // 5 : -(shape[1] * 2 // 5)] = True
    return middle


def _discs(spots: NDArray[np.float64], shape: tuple[int, ...]) -> BoolArray:
    """Return what lies around some spots."""
    out = np.zeros(shape[:2], np.uint8)
    for x, y in spots:
        cv2.circle(out, (round(x), round(y)), _SPOT_PX, 1, -1)
    return out > 0


def nudged(alignment: Alignment, right: float, down: float, turn_deg: float, shape: tuple[int, int]) -> Alignment:
    """Move and turn a frame further over a photo, around its middle, as by hand.

    Parameters
    ----------
    alignment : Alignment
    right, down : float
        Pixels of the photo by which the frame's picture moves.
    turn_deg : float
        Clockwise.
    shape : tuple of int
        Height and width of the photo.
    """
    matrix = cv2.getRotationMatrix2D((shape[1] / 2, shape[0] / 2), -turn_deg, 1.0)
    matrix[:, 2] += right, down
    there = np.vstack([matrix, [0, 0, 1]])
    return replace(alignment, transform=np.asarray(alignment.transform @ np.linalg.inv(there)))


def brought_over(
    frame: NDArray[Any], alignment: Alignment, shape: tuple[int, int]
) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """Return a frame as the photo would show it, in strips: (H, W, 3) of the frame's type; and where it shows anything.

    The frame is of the photo's size and encoding.
    """
    height, width = shape
    out, inside = np.empty((height, width, 3), frame.dtype), np.empty((height, width), bool)
    one = np.float32(np.iinfo(frame.dtype).max)

    def bring(part: slice) -> None:
        x, y = _places(alignment, part, shape)
        moved = cv2.remap(frame, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        light, gains = to_linear(unit_floats(moved)), _rows_of(alignment.gains, part, shape)
        inside[part] = (x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1) & ~_burnt_out(light, gains)
        lit = _encoded(light * gains)
        out[part] = np.rint(lit * one).astype(frame.dtype)

    map_chunks(bring, height, _ROWS)
    return out, inside


def _places(alignment: Alignment, part: slice, shape: tuple[int, int]) -> tuple[FloatArray, FloatArray]:
    """Return from where in the frame each pixel of some rows comes."""
    shifts = _rows_of(alignment.shifts, part, shape)
    y, x = np.mgrid[part.start : part.stop, : shape[1]].astype(np.float32)
    x, y = x + shifts[..., 0], y + shifts[..., 1]
    return _mapped(alignment.transform, x, y)


def _mapped(transform: Matrix, x: FloatArray, y: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return where a transform takes places."""
    m = transform.astype(np.float32)
    w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
    return (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w, (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w


def _rows_of(field: FloatArray, part: slice, shape: tuple[int, int]) -> FloatArray:
    """Enlarge some rows of a small field over the whole photo, bilinearly."""
    height, width = field.shape[:2]
    y = (np.arange(part.start, part.stop, dtype=np.float32) + 0.5) * np.float32(height / shape[0]) - 0.5
    x = (np.arange(shape[1], dtype=np.float32) + 0.5) * np.float32(width / shape[1]) - 0.5
    xs, ys = np.meshgrid(x, y)
    return np.asarray(cv2.remap(field, xs, ys, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def _scaled(transform: Matrix, factor: float) -> Matrix:
    """Return a transform for pictures that are larger by a factor, whose pixels have their centres at whole numbers."""
    half = (factor - 1) / 2
    enlarge = np.array([[factor, 0, half], [0, factor, half], [0, 0, 1]])
    return np.asarray(enlarge @ transform @ np.linalg.inv(enlarge))


def _resized(mask: BoolArray, shape: tuple[int, ...]) -> BoolArray:
    return np.asarray(cv2.resize(mask.astype(np.uint8), shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0)


def _gray(picture: FloatArray) -> FloatArray:
    return mean_part(picture)


def _gray_bytes(picture: FloatArray) -> Any:
    return np.clip(_gray(picture) * 255, 0, 255).astype(np.uint8)


def _encoded(light: FloatArray) -> FloatArray:
    return to_encoded(np.clip(light, 0, 1))


def _variance(picture: FloatArray) -> float:
    return float(measure_noise(picture).variance.mean())


def _over(light: FloatArray, transform: Matrix, shape: tuple[int, ...]) -> tuple[FloatArray, BoolArray]:
    moved, inside = warped(light, transform, shape)
    return np.maximum(moved, 0), inside  # a cubic overshoots


def _refined(look: FloatArray, other: FloatArray, trust: BoolArray, transform: Matrix) -> Matrix:
    """Refine a transform in smaller pictures."""
    factor = min(1.0, float(np.sqrt(_REFINED_PX / (look.shape[0] * look.shape[1]))))
    if factor == 1:
        return refined(_gray(look), _gray(other), trust, transform)
    size = round(look.shape[1] * factor), round(look.shape[0] * factor)
    small, frame = (cv2.resize(_gray(picture), size, interpolation=cv2.INTER_AREA) for picture in (look, other))
    found = refined(small, frame, _resized(trust, small.shape), _scaled(transform, size[0] / look.shape[1]))
    return _scaled(found, look.shape[1] / size[0])


def _gains(light: FloatArray, moved: FloatArray, trust: BoolArray, *, first: bool) -> FloatArray:
    """Return by what the frame's light is to be multiplied: robust, smooth, and near the median where nothing says."""
    ratio = np.log((light + _TOE) / (moved + _TOE))
    bright = (
        trust & (largest_part(light) < _CLIPPED) & (largest_part(moved) < _CLIPPED) & (-largest_part(-moved) > _TOE)
    )
    if np.count_nonzero(bright) < 200:
        return np.ones_like(light)
    middle = np.median(ratio[bright], axis=0)
    middle = np.clip(middle, -_MOST_STOPS * np.log(2), _MOST_STOPS * np.log(2)).astype(np.float32)
    if first:
        return np.broadcast_to(np.exp(middle), light.shape).astype(np.float32)
    sigma = max(light.shape) / _GAIN_CELLS
    weight = bright.astype(np.float32)
    share = _wide(weight, sigma)[..., None]
    local = _wide((np.clip(ratio, middle - 0.3, middle + 0.3) - middle) * weight[..., None], sigma)
    return np.asarray(np.exp(middle + local / (share + np.float32(0.02))), np.float32)


def _burnt_out(light: FloatArray, gains: FloatArray) -> BoolArray:
    """Return where a frame is clipped and the photo is darker: what the photo would show there is not known."""
    return (largest_part(light) >= _CLIPPED) & (mean_part(gains) < _DARKER)


def _wide(values: FloatArray, sigma: float) -> FloatArray:
    """Blur by a wide bell, at a smaller size."""
    step = max(1, int(sigma / 4))
    small = cv2.resize(values, None, fx=1 / step, fy=1 / step, interpolation=cv2.INTER_AREA)
    blurred = cv2.GaussianBlur(small, (0, 0), sigma / step, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(blurred, values.shape[1::-1], interpolation=cv2.INTER_LINEAR))


def _residual(look: FloatArray, matched: FloatArray, noise: float, slack_px: float, stops: float) -> FloatArray:
    """Return how far photo and frame differ, in deviations of noise and of what slightly misplaced edges explain."""
    off = cv2.blur(mean_part(np.square(look - matched)), (5, 5))
    slope = sum(mean_part(np.square(cv2.Sobel(matched, cv2.CV_32F, *way, scale=1 / 8))) for way in ((1, 0), (0, 1)))
    light = np.square(mean_part(matched) * np.float32(stops * 0.3))
    allowed = np.float32(noise**2 + 1e-6) + np.float32(slack_px**2) * cv2.blur(np.asarray(slope), (7, 7)) + light
    return np.asarray(np.sqrt(off / allowed), np.float32)


def _shifts(look: FloatArray, matched: FloatArray, trust: BoolArray) -> FloatArray:
    """Return small, smooth shifts that are left between photo and frame; none where little is trusted."""
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)  # type: ignore[attr-defined]
    found = flow.calc(_gray_flat(look), _gray_flat(matched), None)
    slope = sum(np.square(cv2.Sobel(look, cv2.CV_32F, *way, scale=1 / 8)) for way in ((1, 0), (0, 1)))
    weight = trust * np.minimum(np.asarray(slope) / np.float32(4e-4), 1).astype(np.float32)
    weight *= (np.maximum(*cv2.split(np.abs(found))) < _MOST_SHIFT_PX).astype(np.float32)
    sigma = max(look.shape) / _SHIFT_CELLS
    share = _wide(np.asarray(weight, np.float32), sigma)[..., None]
    smooth = _wide(np.asarray(found * weight[..., None], np.float32), sigma) / (share + np.float32(0.02))
    return np.asarray(np.clip(smooth, -_MOST_SHIFT_PX, _MOST_SHIFT_PX), np.float32)


def _gray_flat(gray: FloatArray) -> Any:
    return np.clip(gray * 255, 0, 255).astype(np.uint8)
