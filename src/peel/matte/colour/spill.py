"""Spill: the light of a coloured backdrop on the subject, taken out for any hue.

References
----------
.. [1] P. Vlahos, "Comprehensive electronic compositing system", US patent 4,100,569, 1978: a colour's excess over what
   the others allow is the backdrop's.
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import writable

__all__ = ["BACK", "PLANE", "USUAL_WIDTH", "FoundSpill", "Spill", "chroma_axis", "despilled", "find_spill"]

PLANE: Final = np.array([[1, -0.5, -0.5], [0, np.sqrt(3) / 2, -np.sqrt(3) / 2]], np.float32) * np.float32(2 / 3)
"""From red, green and blue to the plane of chroma."""

BACK: Final = np.linalg.pinv(PLANE).astype(np.float32)
"""... and back, with a mean of 0."""

_LUMINANCE: Final = np.array([0.2126, 0.7152, 0.0722], np.float32)
_SKIN: Final = np.deg2rad(28.0)  # hue of skin, wood and leather in that plane, from red towards yellow
_SKIN_WIDTH: Final = np.deg2rad(28.0)
_NEUTRAL: Final = 0.10  # chroma up to which a colour is nearly neutral
_CHROMATIC: Final = 0.14  # chroma of the backdrop from which it is a coloured one
_OWN: Final = 0.12  # chroma of the subject from which it has a hue
_TINGED: Final = 0.04  # ... from which taking spill out could change it
_EARTHEN: Final = 0.4  # likeness to skin and wood from which a backdrop's hue is no spill
_COHERENT: Final = 0.85  # length of its mean chroma over its mean length
_SAME: Final = np.arccos(0.85)  # angle up to which a colour has the hue
_ROOM: Final = np.deg2rad(20.0)  # between the wedge of the spill and the subject's own colours
_NARROWEST: Final = np.deg2rad(20.0)
_WIDEST: Final = np.deg2rad(150.0)
_SHARED: Final = 0.06  # share of the deep inside that has the hue from which it is the subject's own
_NEAR: Final = np.deg2rad(45.0)  # angle from the hue up to which solid colours at the edge may have it in full
_IN_FULL: Final = 0.75  # of the backdrop's chroma
_SHARED_RIM: Final = 0.002  # share of them from which the hue is the subject's own

USUAL_WIDTH: Final = float(np.deg2rad(100.0))
"""Angle around a hue within which colours count as spill while nothing is known of the subject."""


@dataclass(frozen=True)
class Spill:
    """How spill of a hue is taken out.

    Attributes
    ----------
    hue : (3,) float32 ndarray
        A colour of it, encoded, in [0, 1].
    width : float
        Angle around the hue, in radians, within which a colour counts as spill.
    give_back : float
        Share of the brightness lost that is given back.
    protect : float
        How far nearly neutral and skin-like colours are spared.
    """

    hue: FloatArray
    width: float = USUAL_WIDTH
    give_back: float = 0.5
    protect: float = 0.5


@dataclass(frozen=True)
class FoundSpill:
    """The hue of a coloured backdrop.

    Attributes
    ----------
    hue : (3,) float32 ndarray or None
        None if it has none.
    is_shared : bool
        Whether the subject has that hue itself.
    width : float
        Angle around the hue, in radians, that leaves out the subject's own colours.
    """

    hue: FloatArray | None
    is_shared: bool
    width: float = USUAL_WIDTH


def chroma_axis(hue: FloatArray) -> FloatArray:
    """Return the direction of a colour in the plane of chroma, of length 1; (0, 0) for a gray."""
    across = PLANE @ np.asarray(hue, np.float32)
    length = float(np.hypot(*across))
    return across / np.float32(length) if length > 1e-4 else np.zeros(2, np.float32)


def despilled(colours: FloatArray, spill: Spill, amount: FloatArray | float) -> FloatArray:
    """Take spill out of colours.

    Parameters
    ----------
    colours : (H, W, 3) float32 ndarray
        Encoded, in [0, 1].
    spill : Spill
    amount : (H, W) float32 ndarray or float
        How much of it, 0 to 1.

    Returns
    -------
    (H, W, 3) float32 ndarray
        A new array; exactly the colours where there is no spill or nothing is asked for.

    Notes
    -----
    In the plane of chroma, turned so that the hue lies along the first axis, a colour (a, b) has the excess
    ``max(0, a - |b| / tan(width / 2))`` [1]_; it is taken off along the axis, which moves a colour to the rim of the
    wedge and never beyond. The three parts' mean stays; of the luminance that is lost a share is given back.
    """
    axis = chroma_axis(spill.hue)
    turned = np.array([axis, [-axis[1], axis[0]]], np.float32) @ PLANE  # along the hue, and across it
    off = BACK @ axis  # of red, green and blue for a unit along the axis; their sum is 0
    change = (-off + np.float32(spill.give_back * float(_LUMINANCE @ off))).astype(np.float32)
    amounts = writable(np.broadcast_to(np.asarray(amount, np.float32), colours.shape[:2]))
    out = np.empty(colours.shape, np.float32)
    slope, protect = np.float32(1 / np.tan(spill.width / 2)), np.float32(spill.protect)
    _take_out(writable(colours), amounts, turned, change, slope, protect, out)
    return out


@njit(cache=True, nogil=True)
def _spared_share(x: Any, y: Any) -> Any:
    """Return how nearly neutral or skin-like a colour in the plane of chroma is, from 0 to 1."""
    neutral = 1 - np.sqrt(x * x + y * y) / np.float32(_NEUTRAL)
    skin = 1 - abs(np.arctan2(y, x) - np.float32(_SKIN)) / np.float32(_SKIN_WIDTH)
    return min(max(neutral, skin, np.float32(0)), np.float32(1))


@njit(
    "void(float32[:,:,::1], float32[:,::1], float32[:,::1], float32[::1], float32, float32, float32[:,:,::1])",
    cache=True,
    nogil=True,
)
def _take_out(colours: Any, amounts: Any, turned: Any, change: Any, slope: Any, protect: Any, out: Any) -> None:
    """See `despilled`; a colour that has no excess stays to the bit."""
    zero, one = np.float32(0), np.float32(1)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            r, g, b = colours[y, x, 0], colours[y, x, 1], colours[y, x, 2]
            along = turned[0, 0] * r + turned[0, 1] * g + turned[0, 2] * b
            aside = turned[1, 0] * r + turned[1, 1] * g + turned[1, 2] * b
            by = (along - abs(aside) * slope) * amounts[y, x]
            if by > 0 and protect > 0:
                by *= one - protect * _spared_share(
                    PLANE[0, 0] * r + PLANE[0, 1] * g + PLANE[0, 2] * b, PLANE[1, 1] * g + PLANE[1, 2] * b
                )
            for k in range(3):
                value = colours[y, x, k]
                out[y, x, k] = min(max(value + by * change[k], zero), one) if by > 0 else value


def find_spill(photo: FloatArray, clear: BoolArray, deep: BoolArray, rim: BoolArray) -> FoundSpill:
    """Find the hue of a coloured backdrop.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    clear : (H, W) bool ndarray
        The backdrop near the subject.
    deep : (H, W) bool ndarray
        The subject far from its edge.
    rim : (H, W) bool ndarray
        Its solid part next to the edge, where thin parts such as stalks lie too.
    """
    if not clear.any():
        return FoundSpill(None, is_shared=False)
    chroma = photo[clear] @ PLANE.T
    mean = chroma.mean(axis=0)
    lengths = np.hypot(chroma[:, 0], chroma[:, 1])
    if np.hypot(*mean) < _CHROMATIC or np.hypot(*mean) < _COHERENT * lengths.mean():
        return FoundSpill(None, is_shared=False)
    hue = np.asarray(np.median(photo[clear], axis=0), np.float32)
    if _spared_share(np.float32(mean[0]), np.float32(mean[1])) > _EARTHEN:
        return FoundSpill(None, is_shared=False)  # wood and plaster: the subject is as likely to be of it
    axis, strength = chroma_axis(hue), float(np.hypot(*(PLANE @ hue)))
    smooth = cv2.blur(photo, (3, 3))
    chroma, away = _seen_from(axis, smooth[deep])
    shares = [(chroma > _OWN) & (away < _SAME)]
    # next to the edge spill tinges what is solid, but hardly ever gives it the hue in full
    chroma_rim, away_rim = _seen_from(axis, smooth[rim])
    shares.append((chroma_rim * np.cos(away_rim) > _IN_FULL * strength) & (away_rim < _NEAR))
    is_shared = any(part.size and part.mean() > most for part, most in zip(shares, (_SHARED, _SHARED_RIM), strict=True))
    if not chroma.size:
        return FoundSpill(hue, is_shared)
    nearest = np.quantile(np.where(chroma > _TINGED, away, np.pi), _SHARED)  # most of it is farther from the hue
    return FoundSpill(hue, is_shared, float(np.clip(2 * nearest - _ROOM, _NARROWEST, _WIDEST)))


def _seen_from(axis: FloatArray, colours: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return the chroma of colours (N, 3), and the angle of their hues from an axis; both (N,)."""
    plane = colours @ PLANE.T
    chroma = np.hypot(plane[:, 0], plane[:, 1])
    return chroma, np.arccos(np.clip(plane @ axis / np.maximum(chroma, 1e-6), -1, 1))
