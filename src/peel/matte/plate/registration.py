"""Where a second frame lies over a photo: by features, then to fractions of a pixel where both show the same.

References
----------
.. [1] D. G. Lowe, "Distinctive image features from scale-invariant keypoints", International Journal of Computer Vision
   60(2), 2004, pp. 91-110. :doi:`10.1023/B:VISI.0000029664.99615.94`
.. [2] G. D. Evangelidis, E. Z. Psarakis, "Parametric image alignment using enhanced correlation coefficient
   maximization", IEEE Transactions on Pattern Analysis and Machine Intelligence 30(10), 2008, pp. 1858-1865.
   :doi:`10.1109/TPAMI.2008.113`
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray

__all__ = ["Found", "Matrix", "by_features", "by_outline", "refined", "warped"]

_FEATURES: Final = 4000
_RATIO: Final = 0.8  # of the distances to the nearest and the second nearest feature, below which a match counts
_FEWEST: Final = 12  # matches that agree, below which they are chance
_OFF_PX: Final = 2.0  # by which a match may miss the common transform
_MOST_SHIFT: Final = 0.12  # of the longer side by which a tripod may have moved
_MOST_SCALE: Final = 0.06
_ROUNDS, _LEAST_GAIN = 40, 1e-5  # of the refinement
_LEAST_LIKENESS: Final = 0.5  # correlation of outlines
_SMOOTH_PX: Final = 5  # side of the blur under which it looks

Matrix = NDArray[np.float64]
"""(3, 3), from a photo's pixels to a frame's."""


@dataclass(frozen=True)
class Found:
    """What features agree on.

    Attributes
    ----------
    transform : (3, 3) float64 ndarray
        From the photo's pixels to the frame's.
    spots : (N, 2) float64 ndarray
        Where the features lie in the photo, x and y.
    """

    transform: Matrix
    spots: NDArray[np.float64]


def by_features(photo: ByteArray, frame: ByteArray, where: BoolArray | None = None) -> Found | None:
    """Find the similarity under which most features of two pictures agree [1]_.

    Parameters
    ----------
    photo, frame : (H, W) uint8 ndarray
        Gray.
    where : (H, W) bool ndarray, optional
        The part of the photo whose features count.

    Returns
    -------
    Found
        None where too few features agree, or where they agree on more than a tripod moves by.
    """
    detector = cv2.SIFT_create(_FEATURES, contrastThreshold=0.01)  # type: ignore[attr-defined]
    mask = None if where is None else where.astype(np.uint8)
    spots, marks = detector.detectAndCompute(photo, mask)
    others, other_marks = detector.detectAndCompute(frame, None)
    if marks is None or other_marks is None or len(spots) < _FEWEST or len(others) < _FEWEST:
        return None
    pairs = cv2.BFMatcher().knnMatch(marks, other_marks, k=2)
    reach = _MOST_SHIFT * max(photo.shape)
    here, there = [], []
    for pair in pairs:
        if len(pair) == 2 and pair[0].distance < _RATIO * pair[1].distance:
            one, other = spots[pair[0].queryIdx].pt, others[pair[0].trainIdx].pt
            if np.hypot(one[0] - other[0], one[1] - other[1]) < reach:
                here.append(one)
                there.append(other)
    if len(here) < _FEWEST:
        return None
    cv2.setRNGSeed(1)
    found, agree = cv2.estimateAffinePartial2D(
        np.array(here), np.array(there), method=cv2.RANSAC, ransacReprojThreshold=_OFF_PX, maxIters=4000
    )
    count = 0 if agree is None else int(agree.sum())
    if found is None or count < _FEWEST or abs(np.hypot(found[0, 0], found[1, 0]) - 1) > _MOST_SCALE:
        return None
    return Found(np.vstack([found, [0, 0, 1]]), np.array(here)[agree.ravel() > 0])


def refined(photo: FloatArray, frame: FloatArray, where: BoolArray, start: Matrix) -> Matrix:
    """Move a transform to where a frame correlates best with a photo, by an affine change [2]_; or leave it.

    Parameters
    ----------
    photo, frame : (H, W) float32 ndarray
        Gray.
    where : (H, W) bool ndarray
        The part of the photo that counts.
    start : (3, 3) float64 ndarray
        From the photo's pixels to the frame's.
    """
    moved, inside = warped(frame, start, photo.shape)
    mask = (where & inside).astype(np.uint8) * 255
    if np.count_nonzero(mask) < 400 or float(photo[mask > 0].std()) < 1e-3:
        return start
    step = np.eye(2, 3, dtype=np.float32)
    stop = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, _ROUNDS, _LEAST_GAIN)
    try:
        _, step = cv2.findTransformECC(photo, moved, step, cv2.MOTION_AFFINE, stop, mask, _SMOOTH_PX)
    except cv2.error:  # nothing to hold on to: it does not converge
        return start
    corners = np.array([[0, 0, 1], [photo.shape[1], 0, 1], [0, photo.shape[0], 1]], np.float64).T
    if np.abs(step @ corners - corners[:2]).max() > 0.02 * max(photo.shape) + 2:
        return start
    return np.asarray(start @ np.vstack([step, [0, 0, 1]]), np.float64)


def by_outline(photo: FloatArray, frame: FloatArray) -> Matrix | None:
    """Find how a subject without features lies in a frame, by its outline: edges, whichever way they go [2]_.

    Pictures are gray, (H, W) float32. Returns None where the outlines do not agree.
    """
    factor = min(1.0, 500 / max(photo.shape))
    edges: list[FloatArray] = []
    for picture in (photo, frame):
        small = cv2.resize(picture, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
        ways = [cv2.Sobel(small, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1))]
        steep = np.sqrt(np.hypot(*ways))
        edges.append(cv2.GaussianBlur(steep / max(float(steep.max()), 1e-6), (0, 0), 1.5))
    height, width = edges[0].shape
    window = cv2.createHanningWindow((width, height), cv2.CV_32F)
    (right, down), _ = cv2.phaseCorrelate(edges[0], edges[1], window)
    step = np.eye(2, 3, dtype=np.float32)
    if max(abs(right), abs(down)) < _MOST_SHIFT * max(height, width):
        step[:, 2] = right, down
    stop = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 2 * _ROUNDS, _LEAST_GAIN)
    everywhere = np.full((height, width), 255, np.uint8)
    try:
        likeness, step = cv2.findTransformECC(
            edges[0], edges[1], step, cv2.MOTION_EUCLIDEAN, stop, everywhere, _SMOOTH_PX
        )
    except cv2.error:
        return None
    if likeness < _LEAST_LIKENESS:
        return None
    enlarge = np.diag([1 / factor, 1 / factor, 1])
    return np.asarray(enlarge @ np.vstack([step, [0, 0, 1]]) @ np.linalg.inv(enlarge))


def warped(picture: NDArray[Any], transform: Matrix, shape: tuple[int, ...]) -> tuple[NDArray[Any], BoolArray]:
    """Bring a frame over a photo; returns it at the photo's size, and where it has anything to show.

    Parameters
    ----------
    picture : (H, W) or (H, W, 3) ndarray
        float32, uint8 or uint16.
    transform : (3, 3) float64 ndarray
        From the photo's pixels to the frame's.
    shape : tuple of int
        Height and width of the photo.
    """
    height, width = shape[:2]
    how = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved = cv2.warpPerspective(picture, transform, (width, height), flags=how, borderMode=cv2.BORDER_REPLICATE)
    solid = np.full(picture.shape[:2], 255, np.uint8)
    inside = cv2.warpPerspective(solid, transform, (width, height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    return moved, inside == 255
