"""From a tone to a matte: what counts as surely backdrop, as surely subject, and what lies half-way between."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["ToneCurve", "clipped_detail", "propose_ends"]

_LEAST: Final = 1e-3  # difference of tone between the ends
_MIDDLES: Final = (0.02, 0.98)
_OUTER: Final = 90  # percentile of the samples of a side that its end leaves on the other side of it, from 100
_DETAIL_PX: Final = 2.0
_NOISE: Final = 3.0  # deviations of the sure backdrop above which fine contrast counts as detail
_FLAT: Final = 0.1  # share of its contrast that detail keeps when it counts as clipped away


@dataclass(frozen=True)
class ToneCurve:
    """How alpha follows from a tone.

    Attributes
    ----------
    low, high : float
        The tones at which alpha is 0 and 1; `low` is the larger one where the subject is the darker one.
    middle : float
        Where between them alpha is one half, in (0, 1).
    """

    low: float
    high: float
    middle: float = 0.5

    @property
    def turned(self) -> "ToneCurve":
        """The curve with subject and backdrop exchanged.

        >>> ToneCurve(0.2, 0.8, 0.25).turned.turned == ToneCurve(0.2, 0.8, 0.25)
        True
        """
        return ToneCurve(self.high, self.low, 1 - self.middle)

    def place(self, tone: FloatArray) -> FloatArray:
        """Return where tones lie between the ends: 0 at `low`, 1 at `high`, beyond them unclipped."""
        span = self.high - self.low
        if abs(span) < _LEAST:
            span = _LEAST if span >= 0 else -_LEAST
        return np.asarray((tone - np.float32(self.low)) / np.float32(span), np.float32)

    def alpha(self, tone: FloatArray) -> FloatArray:
        """Return alpha in [0, 1] for tones."""
        place = np.clip(self.place(tone), 0, 1)
        least, most = _MIDDLES
        exponent = np.log(0.5) / np.log(min(max(self.middle, least), most))
        return place if abs(exponent - 1) < 1e-6 else np.asarray(place ** np.float32(exponent), np.float32)


def propose_ends(subject: FloatArray, backdrop: FloatArray) -> tuple[float, float]:
    """Propose the ends of a curve from the tones of sure subject and sure backdrop near the edge.

    Returns
    -------
    low, high : float
        The outer tenth of each side lies beyond its end; where the sides overlap that far, the ends are the medians.
    """
    backdrop_is_darker = np.median(subject) >= np.median(backdrop)
    beyond = _OUTER if backdrop_is_darker else 100 - _OUTER
    low, high = float(np.percentile(backdrop, beyond)), float(np.percentile(subject, 100 - beyond))
    if (high - low if backdrop_is_darker else low - high) <= _LEAST:
        low, high = float(np.median(backdrop)), float(np.median(subject))
    return low, high


def clipped_detail(tone: FloatArray, curve: ToneCurve, band: BoolArray, backdrop: BoolArray) -> tuple[float, BoolArray]:
    """Measure what share of the fine detail in the band the ends clip away.

    Parameters
    ----------
    tone : (H, W) float32 ndarray
    curve : ToneCurve
    band, backdrop : (H, W) bool ndarray
        Where detail counts, and where all fine contrast is noise or the backdrop's own.

    Returns
    -------
    float
        In [0, 1]; 0 where there is no detail.
    (H, W) bool ndarray
        Where it is lost.
    """
    place = curve.place(tone)
    before = _fine(place)
    kept = _fine(np.clip(place, 0, 1))
    floor = _NOISE * float(np.sqrt(np.mean(before[backdrop] ** 2))) if backdrop.any() else 0.0
    detail = band & (before > max(floor, 1e-3))
    total = float(before[detail].sum())
    lost = detail & (kept < _FLAT * before)
    return (float(before[lost].sum()) / total if total > 0 else 0.0), lost


def _fine(tone: FloatArray) -> FloatArray:
    return np.asarray(np.abs(tone - cv2.GaussianBlur(tone, (0, 0), _DETAIL_PX)), np.float32)
