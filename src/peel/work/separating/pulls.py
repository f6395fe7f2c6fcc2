"""What a job's separations ask of the solve: a guide to look at, a pull, and stretches where the tone is the matte."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.job.edits.kinds import kinds_in
from peel.job.edits.separations import FADE_PX, curve_of, separated_in
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Separation
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.work.separating.tones import tone_reach, tone_window

__all__ = ["Separated", "separate", "tone_alpha"]

_WIDE_PX: Final = FADE_PX // 2  # half the width over which ways of cutting cross-fade along soft edges and hair
_NARROW_PX: Final = 4  # ... along hard ones
_PULL: Final = 1.5e-4  # weight of a pull of strength 1
_GUIDED: Final = 0.1  # share of the tone in what the Laplacian looks at, at strength 1
_MOST_GUIDED: Final = 0.9  # most of that share: the tone alone would leave the Laplacian blind where it is flat
_BEYOND: Final = 0.25  # how far a guide goes on beyond the ends


@dataclass(frozen=True)
class Separated:
    """What separations say in a window; all (H, W) float32 unless said otherwise.

    Attributes
    ----------
    guide : (H, W, 3) ndarray or None
        What the Laplacian looks at in place of the photo; None where it looks at the photo.
    weight, pull : ndarray
        The term ``weight alpha^2 - 2 pull alpha``.
    share, alpha : ndarray
        How much of the matte the tone is, and the alpha it gives.
    """

    guide: FloatArray | None
    weight: FloatArray
    pull: FloatArray
    share: FloatArray
    alpha: FloatArray


def separate(job: Job, rect: Rect, encoded: Callable[[FloatArray], FloatArray]) -> Separated | None:
    """Return what the separations in use say in a window; None where none is in use.

    Parameters
    ----------
    job : Job
        With everything that its separations leave to Peel found.
    rect : Rect
    encoded : callable
        Encodes colours as the solve does: what the Laplacian would look at without a guide.
    """
    numbers = separated_in(job, rect)
    separations = job.settings.recipe.separations
    used = [number for number in np.unique(numbers) if number and separations[number - 1].use != "look"]
    if not used:
        return None
    plane = np.zeros(numbers.shape, np.float32)
    guide, weight, pull, share, alpha = None, plane, plane.copy(), plane.copy(), plane.copy()
    widths = _wide_share(kinds_in(job, rect))
    for number in used:
        separation = separations[number - 1]
        part = _cross_faded(numbers == number, widths)
        tone = _tone(job, separation, rect)
        curve = curve_of(separation)
        if separation.use == "guide":
            colours = encoded(job.photo.colours(rect))
            look = np.clip(curve.place(tone), -_BEYOND, 1 + _BEYOND)[..., None]
            guide = colours.copy() if guide is None else guide
            guided = min(_GUIDED * (separation.strength or 0.0), _MOST_GUIDED)
            guide += np.float32(guided) * part[..., None] * (look - colours)
        elif separation.use == "pull":
            strength = np.float32(_PULL * (separation.strength or 0.0)) * part
            weight += strength
            pull += strength * curve.alpha(tone)
        else:
            alpha += part * curve.alpha(tone)
            share += part
    return Separated(guide, weight, pull, share, np.asarray(alpha / np.maximum(share, np.float32(1e-6)), np.float32))


def tone_alpha(job: Job, separation: Separation, rect: Rect) -> FloatArray:
    """Return the matte that a separation alone gives in a window, (H, W) in [0, 1]."""
    return curve_of(separation).alpha(_tone(job, separation, rect))


def _tone(job: Job, separation: Separation, rect: Rect) -> FloatArray:
    around = rect.grown(tone_reach(separation)).intersection(job.photo.bounds)
    tone = tone_window(job, separation, job.photo.colours(around), around)
    return tone[rect.within(around)]


def _blurred(mask: FloatArray, half: int) -> FloatArray:
    window = (half + 1, half + 1)
    return np.asarray(cv2.blur(cv2.blur(mask, window), window), np.float32)


def _wide_share(kinds: ByteArray) -> FloatArray:
    """Return how widely stretches fade into each other: 0 along hard edges, 1 elsewhere."""
    return _blurred((kinds != Kind.HARD).astype(np.float32), _WIDE_PX)


def _cross_faded(mask: BoolArray, wide: FloatArray) -> FloatArray:
    """Fade a stretch into its neighbours; the shares of stretches that fill the picture add up to 1."""
    part = mask.astype(np.float32)
    if mask.all():
        return part
    return np.asarray((1 - wide) * _blurred(part, _NARROW_PX) + wide * _blurred(part, _WIDE_PX), np.float32)
