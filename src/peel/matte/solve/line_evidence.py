"""Single strands: thin lines, light or dark, that hang together with the subject keep their tips, and lose their haze.

References
----------
.. [1] C. Steger, "An unbiased detector of curvilinear structures", IEEE Transactions on Pattern Analysis and Machine
   Intelligence 20(2), 1998, pp. 113-125: lines as ridges of second derivatives, linked along their direction.
   :doi:`10.1109/34.659930`
"""

from collections.abc import Callable
from functools import partial
from typing import Any, Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import run_all
from peel.matte.solve.backdrop_detail import backdrop_detail, local_spread
from peel.matte.solve.line_kernels import (
    ACROSS_PX,
    LEAST,
    add_response,
    fill_in,
    find_crests,
    lengthen,
    trace_lines,
    write_lines,
)

__all__ = ["line_evidence"]

_WIDTHS: Final = (0.7, 1.3)  # sigmas of the second derivatives, for lines about 1 to 4 pixels wide
_SURE: Final = 6.0  # deviations of the backdrop by which a line surely stands out
_MEASURED_PX: Final = 49  # side of the window around the band over which the backdrop's own lines are measured
_ALONG_PX: Final = 3  # over which responses are averaged along a line, each way
_FINE_PX: Final = 3.0  # blur against which noise and weave are measured
_COARSE_PX: Final = 10.0  # ... and detail
# deviation of the backdrop from which on a line has to be seen to reach the subject, more and more
_QUIET: Final = (0.012, 0.045)
_BUSY: Final = (0.03, 0.10)  # ... and at which the evidence begins to fade, and is gone
_NEAR_PX: Final = 12  # how far from a strand plain backdrop is said to be plain
_PLAIN_WEIGHT: Final = 10.0  # of plain backdrop, where a sure line has 1


def line_evidence(
    image: FloatArray, trimap: ByteArray, wanted: BoolArray | None = None
) -> tuple[FloatArray, FloatArray]:
    """Find strands in the band and what is plain backdrop between them.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1], in the encoding in which they mix.
    trimap : (H, W) uint8 ndarray
    wanted : (H, W) bool ndarray, optional
        Where in the band an answer is needed; elsewhere it may be incomplete. All of the band if not given.

    Returns
    -------
    (H, W) float32 ndarray
        Weight of the pull: 1 on a sure strand, 10 on plain backdrop beside one, 0 where nothing is said. Where the
        backdrop has detail of its own only lines count that are seen to reach the subject, and the weight fades.
    (H, W) float32 ndarray
        The alpha to which it pulls.
    """
    weight, alpha = np.zeros(trimap.shape, np.float32), np.zeros(trimap.shape, np.float32)
    backdrop = (trimap == BACKGROUND).astype(np.uint8)
    zone = np.where(trimap == BACKGROUND, 0, np.where(trimap == FOREGROUND, 2, 1)).astype(np.uint8)
    band = zone == 1
    detail = backdrop_detail(image, backdrop, _COARSE_PX)
    speaks = _fading(detail, _BUSY)
    if not backdrop.any() or not (speaks[band] > 0).any():
        return weight, alpha
    tasks: list[Callable[[], Any]] = [
        partial(_ridges_in_deviations, image, backdrop, band),
        partial(backdrop_detail, image, backdrop, _FINE_PX),
    ]
    (ridge, angle), deviation = run_all(tasks)
    behind, plain = np.zeros_like(image), np.zeros_like(zone)
    fill_in(image, zone, np.abs(ridge), deviation, behind, plain)
    asked = band if wanted is None else band & _grown(wanted, _NEAR_PX + ACROSS_PX)
    seeds = find_crests(ridge, angle, image, behind, np.ascontiguousarray(asked & (speaks > 0)))
    colours, kept = np.empty((len(seeds), 3), np.float32), np.empty((len(seeds), 3), np.float32)
    trace_lines(ridge, angle, zone, image, behind, seeds, colours, kept)
    quiet = _fading(detail[seeds[:, 0], seeds[:, 1]], _QUIET)
    strand = kept[:, 2] + quiet * (kept[:, 1] - kept[:, 2])
    sure = np.clip((kept[:, 0] - LEAST) / (_SURE - LEAST), 0, 1) * strand
    write_lines(image, behind, deviation, zone, seeds, colours, sure.astype(np.float32), weight, alpha)
    weight[(plain > 0) & band & _grown(weight > 0, _NEAR_PX) & (weight == 0)] = _PLAIN_WEIGHT
    return weight * speaks, alpha


def _fading(detail: FloatArray, ends: tuple[float, float]) -> FloatArray:
    """Return 1 where there is little detail, falling to 0 between the two given amounts."""
    first, last = ends
    return np.clip((last - detail) / (last - first), 0, 1).astype(np.float32)


def _grown(mask: BoolArray, radius: int) -> BoolArray:
    return cv2.dilate(mask.astype(np.uint8), np.ones((2 * radius + 1,) * 2, np.uint8)) > 0


def _ridges_in_deviations(image: FloatArray, backdrop: ByteArray, band: BoolArray) -> tuple[FloatArray, FloatArray]:
    """Return the response to lines [1]_ around the band, in deviations of that of the backdrop, and the normal's angle.

    The response is below 0 for dark lines.
    """
    measured = _grown(band, _MEASURED_PX // 2).astype(np.uint8)
    around = _grown(band, _MEASURED_PX // 2 + _ALONG_PX).astype(np.uint8)
    gray = cv2.transform(image, np.full((1, 3), 1 / 3))
    response, angle = np.zeros_like(gray), np.zeros_like(gray)
    for sigma in _WIDTHS:
        add_response(cv2.GaussianBlur(gray, (0, 0), sigma), around, sigma**1.5, response, angle)
    ridge = np.zeros_like(response)
    lengthen(response, angle, measured, ridge)
    ridge /= local_spread(ridge, backdrop, 1e-8)
    return ridge, angle
