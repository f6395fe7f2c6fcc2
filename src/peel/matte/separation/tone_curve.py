"""From a tone to a matte: what counts as surely backdrop, as surely subject, and what lies half-way between."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["ToneCurve", "clipped_detail", "detail_floor", "propose_ends", "trust_in_tone"]

_LEAST: Final = 1e-3  # difference of tone between the ends
_MIDDLES: Final = (0.02, 0.98)
_OUTER: Final = (90, 60)  # percentiles of the backdrop's and of the subject's samples, towards each other, at the ends
_NOISY: Final = 0.08  # of the gap between the sides, by which the backdrop's tones may differ and still be one
_SPREADS: Final = (0.1, 0.6)  # spread of a side's tones, in gaps between the sides, up to which a tone is trusted
_DETAIL_PX: Final = 2.0
_NOISE: Final = 3.0  # deviations of the sure backdrop above which fine contrast counts as detail


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
        """Return where tones lie between the ends: 0 at `low`, 1 at `high`, beyond them unclipped.

        Of any shape, float32.
        """
        span = self.high - self.low
        if abs(span) < _LEAST:
            span = _LEAST if span >= 0 else -_LEAST
        return np.asarray((tone - np.float32(self.low)) / np.float32(span), np.float32)

    def alpha(self, tone: FloatArray) -> FloatArray:
        """Return alpha in [0, 1] for tones.

        Of any shape, float32.
        """
        place = np.clip(self.place(tone), 0, 1)
        least, most = _MIDDLES
        exponent = np.log(0.5) / np.log(min(max(self.middle, least), most))
        return place if abs(exponent - 1) < 1e-6 else np.asarray(place ** np.float32(exponent), np.float32)


def propose_ends(subject: FloatArray, backdrop: FloatArray) -> tuple[float, float]:
    """Propose the ends of a curve from the tones of sure subject and sure backdrop near the edge.

    Tones are (N,) and (M,) float32.

    Returns
    -------
    low, high : float
        The median of the backdrop, or what nearly all of it stays below if its tones differ by little more than noise;
        and the tone beyond which three fifths of the subject lie: half-clear pixels of a subject of many tones are not
        taken for solid. The medians where the sides overlap too much for it.
    """
    middles = float(np.median(backdrop)), float(np.median(subject))
    backdrop_is_darker = middles[1] >= middles[0]
    outer, inner = _OUTER if backdrop_is_darker else tuple(100 - share for share in _OUTER)
    low, high = float(np.percentile(backdrop, outer)), float(np.percentile(subject, 100 - inner))
    if abs(low - middles[0]) > _NOISY * abs(middles[1] - middles[0]):
        low = middles[0]
    if (high - low if backdrop_is_darker else low - high) <= _LEAST:
        return middles
    return low, high


def trust_in_tone(subject: FloatArray, backdrop: FloatArray) -> float:
    """Return how far alpha can be read off a tone, from 0 to 1: not where a side has many tones.

    >>> trust_in_tone(np.full(9, 0.9, np.float32), np.full(9, 0.1, np.float32))
    1.0
    """
    gap = abs(float(np.median(subject)) - float(np.median(backdrop)))
    if gap < _LEAST:
        return 0.0
    spreads = [float(np.percentile(side, 90) - np.percentile(side, 10)) / 2 for side in (subject, backdrop)]
    least, most = _SPREADS
    return float(np.clip((most - max(spreads) / gap) / (most - least), 0, 1)) ** 2


def detail_floor(tone: FloatArray, backdrop: BoolArray) -> float:
    """Return the fine contrast of a tone up to which it is noise or the backdrop's own texture.

    Parameters
    ----------
    tone : (H, W) float32 ndarray
    backdrop : (H, W) bool ndarray
        What is surely backdrop.
    """
    own = _fine(tone)[backdrop]
    return max(_NOISE * float(np.sqrt(np.mean(own**2))) if own.size else 0.0, 1e-3)


def clipped_detail(tone: FloatArray, curve: ToneCurve, band: BoolArray, floor: float) -> tuple[float, BoolArray]:
    """Measure what share of the fine detail in the band the ends clip away: strands made clear, gaps made solid.

    Parameters
    ----------
    tone : (H, W) float32 ndarray
    curve : ToneCurve
    band : (H, W) bool ndarray
        Where detail counts.
    floor : float
        See `detail_floor`.

    Returns
    -------
    float
        In [0, 1]; 0 where there is no detail.
    (H, W) bool ndarray
        Where it is lost.
    """
    towards_subject = _fine(tone) * np.float32(1 if curve.high >= curve.low else -1)
    place = curve.place(tone)
    lost = band & ((towards_subject > floor) & (place <= 0) | (towards_subject < -floor) & (place >= 1))
    detail = np.abs(towards_subject) * (band & (np.abs(towards_subject) > floor))
    total = float(detail.sum())
    return (float(detail[lost].sum()) / total if total > 0 else 0.0), lost


def _fine(tone: FloatArray) -> FloatArray:
    return np.asarray(tone - cv2.GaussianBlur(tone, (0, 0), _DETAIL_PX), np.float32)
