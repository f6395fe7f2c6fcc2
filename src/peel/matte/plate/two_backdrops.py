"""Alpha from the same subject before two backdrops.

The difference of both frames is ``(1 - alpha) (B1 - B2)``, whatever the subject's colour is [1]_: none where it is
opaque, and all of the difference of the backdrops where it is clear. That difference is seen beside the band and
followed into it; where either backdrop has structure it is known only as well as it is even.

References
----------
.. [1] A. R. Smith, J. F. Blinn, "Blue screen matting", SIGGRAPH 1996, pp. 259-268. :doi:`10.1145/237170.237263`
"""

from typing import Final

import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import mean_part
from peel.matte.edge.zones import FOREGROUND
from peel.matte.parallel import checkpoint
from peel.matte.plate.told import Compared, Told, blurred
from peel.matte.solve.noise import NoiseCurve

__all__ = ["followed", "still_subject", "two_backdrops"]

_LEVELS: Final = (120.0, 40.0, 14.0)  # standard deviations, in photo pixels, by which backdrops are followed inwards
_GUESSED: Final = 0.25  # share of how much backdrops change near by, squared, by which they may be off in the band
_MOVED_PX: Final = 12.0  # around which a subject that moved is not relied on
_STILL: Final = 2.5  # times the difference that noise explains, at which a subject is believed by half
_MISFIT: Final = 0.008
_SURE: Final = 0.05
_PULL: Final = 8.0
_BUSY, _PLAIN = 0.3, 0.45  # share of the band between even backdrops from which it counts, and counts in full
_AROUND_PX: Final = 40.0  # standard deviation of the neighbourhood that has to be even, too
_EVEN: Final = 0.004  # variance of the backdrops' difference, relative to its square, at which a quarter is believed
_EDGES_OFF_PX: Final = 0.3  # by which edges within the subject may be off


def still_subject(
    image: FloatArray, frame: FloatArray, subject: BoolArray, noise: NoiseCurve, scale: int = 1
) -> FloatArray:
    """Return how far a subject stood still, in [0, 1]; (H, W) float32, carried over a little around it.

    Parameters
    ----------
    image, frame : (H, W, 3) float32 ndarray
    subject : (H, W) bool ndarray
        What is solid subject in the photo.
    noise : NoiseCurve
    scale : int
        Photo pixels per pixel.
    """
    slope = sum(3 * mean_part(np.square(part)) for part in np.gradient(image, axis=(0, 1)))
    allowed = np.float32(2 * noise.variance.mean() + _MISFIT**2) + np.float32(_EDGES_OFF_PX**2 / 3) * slope
    off = np.minimum(mean_part(np.square(image - frame)) / allowed, 100) * subject
    share = blurred(subject.astype(np.float32), max(1.0, _MOVED_PX / scale))
    near = blurred(np.asarray(off, np.float32), max(1.0, _MOVED_PX / scale)) / np.maximum(share, 1e-4)
    wide = max(1.0, 5 * _MOVED_PX / scale)
    far_share = blurred(subject.astype(np.float32), wide)
    far = blurred(np.asarray(off, np.float32), wide) / np.maximum(far_share, 1e-4)
    close = share / (share + np.float32(0.05))
    level = close * near + (1 - close) * far
    seen = far_share / (far_share + np.float32(0.002))
    return np.asarray(seen / (1 + np.square(level / _STILL)), np.float32)


def two_backdrops(compared: Compared) -> Told:
    """Find what a second backdrop says of alpha.

    Parameters
    ----------
    compared : Compared
        With the same subject before another backdrop as its frame.
    """
    scale, wanted = compared.scale, compared.wanted
    difference = compared.image - compared.frame
    apart, variance = followed(difference, compared.clear, scale)
    checkpoint()
    length = np.maximum(3 * mean_part(np.square(apart)), np.float32(1e-6))
    clear = np.clip(3 * mean_part(difference * apart) / length, 0, 1)
    spread = np.float32(2 * compared.noise.variance.mean() + _MISFIT**2)
    doubt = (spread + np.square(clear) * variance) / length
    solid = compared.trimap == FOREGROUND
    still = still_subject(compared.image, compared.frame, solid, compared.noise, scale)
    belief = still * _even(np.asarray(variance / length, np.float32), wanted, scale) * (compared.inside & wanted)
    weight = belief * np.float32(_PULL) / np.square(1 + doubt / np.float32(_SURE**2))
    return Told(np.asarray(weight, np.float32), np.asarray(weight * (1 - clear), np.float32))


def _even(variance: FloatArray, wanted: BoolArray, scale: int) -> FloatArray:
    """Return how far the difference of the backdrops can be relied on, by its variance relative to its square.

    Uneven backdrops are alike here and there, which looks like an opaque subject: where much around is uneven, even
    spots are chance.
    """
    even = 1 / np.square(1 + 3 * variance / np.float32(_EVEN))
    if wanted.any():
        even = even * np.clip((even[wanted].mean() - _BUSY) / (_PLAIN - _BUSY), 0, 1)
    sigma = max(2.0, _AROUND_PX / scale)
    share = np.maximum(blurred(wanted.astype(np.float32), sigma), 1e-4)
    return np.asarray(even * np.square(blurred(np.asarray(even * wanted, np.float32), sigma) / share), np.float32)


def followed(values: FloatArray, known: FloatArray, scale: int = 1) -> tuple[FloatArray, FloatArray]:
    """Follow what is seen beside the band into it; return it, and its variance over the channels.

    Parameters
    ----------
    values : (H, W, 3) float32 ndarray
    known : (H, W) float32 ndarray
        Weight of the pixels that show it.
    scale : int
        Photo pixels per pixel.
    """
    field = coarse = np.zeros_like(values)
    for number, level in enumerate(_LEVELS):
        sigma = max(1.5, level / scale)
        share = blurred(known, sigma) + np.float32(1e-3)
        field = field + blurred((values - field) * known[..., None], sigma) / share[..., None]
        coarse = field if number == 0 else coarse
    off = mean_part(np.square(values - field)) * known
    sigma = max(1.5, _LEVELS[1] / scale)
    near = blurred(np.asarray(off, np.float32), sigma) / (blurred(known, sigma) + np.float32(1e-3))
    # what changes from place to place may change on the way in, too
    return field, near + np.float32(_GUESSED) * mean_part(np.square(field - coarse))
