"""Lines that keep to a photo's edges: paths of least cost, and lines snapped to the edge beside them."""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import ArrayLike, NDArray
from scipy.ndimage import gaussian_filter1d

from peel.matte.arrays import ByteArray

__all__ = ["EdgePaths", "edge_strength", "resampled", "snap_line"]

Points = NDArray[np.float64]

_STRONG_GRADIENT: Final = 120.0  # gradients beyond this are all equally good to follow
_SLOPE: Final = 4
_SLOPE_WEIGHTS: Final = {at: at * float(np.exp(-(at**2) / 4.5)) / 2 for at in range(-_SLOPE, _SLOPE + 1) if at}


class EdgePaths:
    """All paths of least cost from one point of a picture.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        Best under half a megapixel: the time is that of looking at each pixel once.
    anchor : (x, y)
        Where the paths begin.

    Notes
    -----
    Mortensen and Barrett 1995, as in OpenCV.
    """

    def __init__(self, picture: ByteArray, anchor: tuple[float, float]) -> None:
        self._height, self._width = picture.shape[:2]
        self._map = cv2.segmentation.IntelligentScissorsMB()
        self._map.setEdgeFeatureCannyParameters(24, 72)
        self._map.setGradientMagnitudeMaxLimit(_STRONG_GRADIENT)
        self._map.applyImage(np.ascontiguousarray(picture))
        self._anchor = self._inside(anchor)
        self._map.buildMap(self._anchor)

    def to(self, point: tuple[float, float]) -> Points:
        """Return the path to a point, (N, 2), through pixel centres; the anchor first.

        It is straight where there is none: between pixels of exactly equal cost, OpenCV's can run in a circle.
        """
        end = self._inside(point)
        try:
            pixels = self._map.getContour(end)
        except cv2.error:
            return np.array([self._anchor, end], np.float64) + 0.5
        return np.asarray(pixels.reshape(-1, 2) + 0.5, np.float64)

    def _inside(self, point: tuple[float, float]) -> tuple[int, int]:
        return min(max(int(point[0]), 0), self._width - 1), min(max(int(point[1]), 0), self._height - 1)


def edge_strength(picture: ByteArray) -> NDArray[np.float32]:
    """Return how steeply colours change at each pixel, in values a pixel, (H, W) float32."""
    calm = cv2.GaussianBlur(picture, (3, 3), 0)
    slopes = [cv2.Scharr(calm, cv2.CV_32F, *way) / np.float32(32) for way in ((1, 0), (0, 1))]
    return np.asarray(np.sqrt(sum((slope**2).sum(axis=2) for slope in slopes)), np.float32)


def resampled(line: ArrayLike, step_px: float = 1.0, *, closed: bool = False) -> Points:
    """Return points evenly spaced along a line, both ends among them; a closed line's end is not repeated."""
    points = np.asarray(line, np.float64).reshape(-1, 2)
    if closed:
        points = np.concatenate([points, points[:1]])
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(points, axis=0).T))]
    count = max(round(float(along[-1]) / step_px), 1) + 1
    at = np.linspace(0, along[-1], count)
    even = np.stack([np.interp(at, along, points[:, axis]) for axis in (0, 1)], axis=1)
    return even[:-1] if closed else even


@njit("int64[::1](float32[:,::1], float64, int64, int64)", cache=True, nogil=True)
def _best_offsets(gain: Any, stiffness: float, first: int, last: int) -> Any:
    """Choose one offset for each place so that gains add up to most; neighbours differ by at most one, at a price."""
    places, offsets = gain.shape
    total = np.full((places, offsets), -1e30)
    came = np.zeros((places, offsets), np.int64)
    for offset in range(offsets):
        if first < 0 or offset == first:
            total[0, offset] = gain[0, offset]
    for place in range(1, places):
        for offset in range(offsets):
            best, origin = total[place - 1, offset], offset
            if offset > 0 and total[place - 1, offset - 1] - stiffness > best:
                best, origin = total[place - 1, offset - 1] - stiffness, offset - 1
            if offset < offsets - 1 and total[place - 1, offset + 1] - stiffness > best:
                best, origin = total[place - 1, offset + 1] - stiffness, offset + 1
            total[place, offset] = best + gain[place, offset]
            came[place, offset] = origin
    chosen = np.zeros(places, np.int64)
    chosen[places - 1] = last if last >= 0 else np.argmax(total[places - 1])
    for place in range(places - 1, 0, -1):
        chosen[place - 1] = came[place, chosen[place]]
    return chosen


def snap_line(picture: NDArray[Any], line: ArrayLike, reach_px: float, *, closed: bool = False) -> Points:
    """Move a line sideways onto the strongest edge beside it.

    Parameters
    ----------
    picture : (H, W, 3) ndarray
        8 or 16 bits.
    line : (N, 2) floats
        x, y in its pixels; the first pixel spans 0 to 1.
    reach_px : float
        How far the line may move.
    closed : bool
        A closed line moves everywhere; an open one keeps its ends.

    Returns
    -------
    (M, 2) float64 ndarray
        About a pixel apart.

    Notes
    -----
    Dynamic programming across a strip unrolled along the line, after Amini, Weymouth and Jain 1990.
    """
    even = resampled(line, closed=closed)
    reach = max(int(np.ceil(reach_px)), 1)
    if len(even) < 6:
        return even
    mode = "wrap" if closed else "nearest"
    calm = gaussian_filter1d(even, min(2.0 + reach / 2, len(even) / 6), axis=0, mode=mode)
    if not closed:
        share = np.minimum(np.minimum(np.arange(len(even)), np.arange(len(even))[::-1]) / (2.0 * reach), 1)[:, None]
        calm = even + (calm - even) * share
    along = np.roll(calm, -2, axis=0) - np.roll(calm, 2, axis=0) if closed else np.gradient(calm, axis=0)
    normal = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    gain = _edge_strength(picture, calm, normal, reach)
    ends = (-1, -1) if closed else (reach, reach)
    offsets = _best_offsets(gain, 0.06, *ends).astype(np.float64) - reach
    smooth = gaussian_filter1d(offsets, 2.5, mode=mode)
    if not closed:
        smooth[[0, -1]] = 0
    return np.asarray(calm + normal * smooth[:, None])


def _edge_strength(picture: NDArray[Any], line: Points, normal: Points, reach: int) -> NDArray[np.float32]:
    """Return how strong the photo's edge is at each place and offset, (places, offsets), about 0 to 1."""
    across = np.arange(-reach - _SLOPE, reach + _SLOPE + 1)
    places = line[:, None] + normal[:, None] * across[None, :, None] - 0.5
    at = np.ascontiguousarray(places, np.float32)
    pieces = [
        cv2.remap(picture, some[..., 0], some[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        for some in np.split(at, range(30000, len(at), 30000))  # OpenCV's maps have at most 32767 rows
    ]
    colours = np.concatenate(pieces).astype(np.float32)
    if picture.dtype == np.uint16:
        colours /= np.float32(257)
    colours = cv2.GaussianBlur(colours, (1, 5), 0, sigmaY=1.2) if len(colours) > 5 else colours
    # the slope of a Gaussian: an edge that is out of focus is strongest in its middle
    slope = sum(
        weight * colours[:, _SLOPE + at : colours.shape[1] - _SLOPE + at] for at, weight in _SLOPE_WEIGHTS.items()
    )
    steps = np.linalg.norm(slope, axis=2)
    # An edge is as strong as it stands out from its strip: a faint outline counts where there is nothing else.
    typical = np.maximum(np.percentile(steps, 90), 8.0)
    far = np.abs(np.arange(-reach, reach + 1)) / (reach + 1)
    return np.ascontiguousarray(np.minimum(steps / typical, 1.5) - 0.12 * far**2, np.float32)
