"""Grade a picture by hand, or match it to another: lightness and chroma, mean and spread.

References
----------
.. [1] E. Reinhard, M. Adhikhmin, B. Gooch, P. Shirley, "Color transfer between images", IEEE Computer Graphics and
   Applications 21(5), 2001, pp. 34-41: mean and spread of each axis of an opponent space given to another picture.
   :doi:`10.1109/38.946629`
.. [2] B. Ottosson, "A perceptual color space for image processing", 2020: the opponent space used here (Oklab). Its
   axes are linear in cube roots of light, so that exposure scales them, and matching takes it back exactly.
"""

from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["Grading", "Tones", "graded", "matched", "tones_of"]

_CONES: Final = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    np.float32,
)
_OPPONENTS: Final = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ],
    np.float32,
)
_CONES_BACK: Final = np.linalg.inv(_CONES.astype(np.float64)).astype(np.float32)
_OPPONENTS_BACK: Final = np.linalg.inv(_OPPONENTS.astype(np.float64)).astype(np.float32)
_LUMINANCE: Final = np.array([0.2126, 0.7152, 0.0722], np.float32)
_MOST_GAIN: Final = 4.0  # of a spread
_LEAST: Final = 0.004  # spread below which a picture is taken for even
_WARMTH_STOPS: Final = 0.5  # between red and the luminance, at the full amount
_CONTRAST_STOPS: Final = 1.5


@dataclass(frozen=True)
class Tones:
    """Mean and spread (one standard deviation) of lightness and of the two axes of chroma, in Oklab."""

    mean: tuple[float, float, float]
    spread: tuple[float, float, float]


@dataclass(frozen=True)
class Grading:
    """How a picture is graded; the defaults change nothing.

    Attributes
    ----------
    own, aim : Tones or None
        What the picture is matched from, and to.
    amount : float
        How much of that, in [0, 1].
    exposure : float
        Stops of light.
    warmth : float
        From -1, bluer, to 1, yellower; luminance stays.
    dark, light : float
        The encoded values that become black and white.
    middle : float
        The place between them that becomes the middle.
    contrast : float
        From -1 to 1, around the middle.
    saturation : float
        From -1, gray, to 1, twice as strong.
    hue_deg : float
        By how much hues are turned.
    """

    own: Tones | None = None
    aim: Tones | None = None
    amount: float = 1.0
    exposure: float = 0.0
    warmth: float = 0.0
    dark: float = 0.0
    light: float = 1.0
    middle: float = 0.5
    contrast: float = 0.0
    saturation: float = 0.0
    hue_deg: float = 0.0

    @property
    def matches(self) -> bool:
        """Whether it matches one picture to another."""
        return self.own is not None and self.aim is not None and self.amount > 0

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing."""
        return not self.matches and replace(self, own=None, aim=None, amount=1.0) == Grading()


def _opponents(colours: FloatArray) -> FloatArray:
    """Convert encoded colours (..., 3) to Oklab."""
    return np.asarray(np.cbrt(to_linear(colours) @ _CONES.T) @ _OPPONENTS.T, np.float32)


def _colours(opponents: FloatArray) -> FloatArray:
    """Convert Oklab (..., 3) to encoded colours in [0, 1]."""
    roots = opponents @ _OPPONENTS_BACK.T
    return to_encoded(np.asarray((roots * roots * roots) @ _CONES_BACK.T, np.float32))


def tones_of(colours: FloatArray, weights: FloatArray) -> Tones | None:
    """Measure the tones of colours (H, W, 3), encoded, under weights (H, W); None where nothing weighs."""
    total = float(weights.sum())
    if total < 1e-3:
        return None
    parts = _opponents(colours).reshape(-1, 3).astype(np.float64)
    shares = weights.reshape(-1) / total
    mean = shares @ parts
    spread = np.sqrt(np.maximum(shares @ np.square(parts - mean), 0))
    return Tones(
        (float(mean[0]), float(mean[1]), float(mean[2])), (float(spread[0]), float(spread[1]), float(spread[2]))
    )


def matched(colours: FloatArray, own: Tones, aim: Tones, amount: float = 1.0) -> FloatArray:
    """Give colours the tones of another picture.

    Parameters
    ----------
    colours : (..., 3) float32 ndarray
        Encoded, in [0, 1].
    own, aim : Tones
        Of the picture they are part of, and of the other one.
    amount : float
        How far, in [0, 1].

    Returns
    -------
    (..., 3) float32 ndarray
        A new array.
    """
    gain = [
        1.0 if mine < _LEAST else min(max(wanted / mine, 1 / _MOST_GAIN), _MOST_GAIN)
        for mine, wanted in zip(own.spread, aim.spread, strict=True)
    ]
    gains = 1 + np.float32(amount) * (np.array(gain, np.float32) - 1)
    means, aims = np.array(own.mean, np.float32), np.array(aim.mean, np.float32)
    moved = (_opponents(colours) - means) * gains + means + np.float32(amount) * (aims - means)
    return _colours(np.asarray(moved, np.float32))


def graded(colours: FloatArray, grading: Grading) -> FloatArray:
    """Grade colours: matched, then exposed and warmed, their ends and middle set, and their contrast and colours.

    Parameters
    ----------
    colours : (..., 3) float32 ndarray
        Encoded, in [0, 1].
    grading : Grading

    Returns
    -------
    (..., 3) float32 ndarray
        The same array where nothing changes.
    """
    if grading.own is not None and grading.aim is not None and grading.amount > 0:
        colours = matched(colours, grading.own, grading.aim, grading.amount)
    if grading.exposure or grading.warmth:
        colours = _lit(colours, grading)
    if (grading.dark, grading.light, grading.middle) != (0.0, 1.0, 0.5) or grading.contrast:
        colours = _toned(colours, grading)
    if grading.saturation or grading.hue_deg:
        colours = _turned(colours, grading)
    return colours


def _lit(colours: FloatArray, grading: Grading) -> FloatArray:
    """Scale the light: all of it by the exposure, red against blue by the warmth at an equal luminance."""
    tilt = _WARMTH_STOPS * grading.warmth
    gains = np.exp2(np.array([tilt, 0.0, -tilt], np.float32))
    gains *= np.exp2(np.float32(grading.exposure)) / (gains @ _LUMINANCE)
    return to_encoded(np.asarray(to_linear(colours) * gains, np.float32))


def _toned(colours: FloatArray, grading: Grading) -> FloatArray:
    """Stretch values between their ends, bend them by the middle, and stretch them around it."""
    span = max(grading.light - grading.dark, 1e-3)
    values = np.clip((colours - np.float32(grading.dark)) / np.float32(span), 0, 1)
    if grading.middle != 0.5:
        values **= np.float32(np.log(0.5) / np.log(grading.middle))
    slope = np.float32(np.exp2(_CONTRAST_STOPS * grading.contrast))
    return np.clip((values - np.float32(0.5)) * slope + np.float32(0.5), 0, 1).astype(np.float32)


def _turned(colours: FloatArray, grading: Grading) -> FloatArray:
    """Scale chroma and turn its hue."""
    parts = _opponents(colours)
    turn, gain = np.deg2rad(grading.hue_deg), 1 + grading.saturation
    cosine, sine = np.float32(gain * np.cos(turn)), np.float32(gain * np.sin(turn))
    a, b = parts[..., 1].copy(), parts[..., 2].copy()
    parts[..., 1], parts[..., 2] = cosine * a - sine * b, sine * a + cosine * b
    return _colours(parts)
