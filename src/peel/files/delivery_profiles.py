"""Profiles that files are delivered in, and the conversion to them.

References
----------
.. [1] IEC 61966-2-1 (sRGB), IEC 61966-2-5 (opRGB), SMPTE EG 432-1 (the primaries of Display P3).
"""

from functools import lru_cache
from typing import Any, Final, Literal

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from peel.files.profiles import transformed
from peel.matte.pixels import words_of_bytes

__all__ = ["INTENTS", "converted", "out_of_gamut", "profile_named"]

INTENTS: Final = {"perceptual": 0, "relative": 1, "saturation": 2, "absolute": 3}
_D65: Final = (0.3127, 0.3290, 1.0)
_PRIMARIES: Final = {
    "srgb": (0.64, 0.33, 1, 0.30, 0.60, 1, 0.15, 0.06, 1),
    "display-p3": (0.68, 0.32, 1, 0.265, 0.69, 1, 0.15, 0.06, 1),
    "oprgb": (0.64, 0.33, 1, 0.21, 0.71, 1, 0.15, 0.06, 1),
}
_STEPS: Final = 1024  # of a profile's transfer function
_DATE: Final = slice(24, 36)  # of a profile's header, which would differ in every file
_FIXED_DATE: Final = bytes([0x07, 0xE9, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0])


@lru_cache(maxsize=8)
def profile_named(name: str) -> bytes:
    """Make the profile "srgb", "display-p3", "oprgb" or "gray"; the same bytes every time."""
    if name == "gray":
        made = imagecodecs.cms_profile("gray", whitepoint=list(_D65), gamma=2.2)
    elif name == "oprgb":
        made = imagecodecs.cms_profile("rgb", whitepoint=list(_D65), primaries=list(_PRIMARIES[name]), gamma=563 / 256)
    else:
        steps = np.arange(_STEPS) / (_STEPS - 1)
        light = np.where(steps <= 0.04045, steps / 12.92, ((steps + 0.055) / 1.055) ** 2.4).astype(np.float32)
        made = imagecodecs.cms_profile(
            "rgb", whitepoint=list(_D65), primaries=list(_PRIMARIES[name]), transferfunction=light
        )
    fixed = bytearray(made)
    fixed[_DATE] = _FIXED_DATE
    return bytes(fixed)


def converted(pixels: NDArray[Any], own: bytes | None, wanted: str, intent: str) -> NDArray[Any]:
    """Convert colours to a profile.

    Parameters
    ----------
    pixels : (H, W, 3) or (H, W, 4) uint8 or uint16 ndarray
        Straight; alpha is kept.
    own : bytes or None
        None means sRGB.
    wanted : str
        See `profile_named`; of "gray", (H, W) or (H, W, 2) comes back.
    intent : str
        One of `INTENTS`.
    """
    if wanted == "srgb" and own is None:
        return pixels
    source = own or profile_named("srgb")
    kind: Literal["rgb", "gray"] = "gray" if wanted == "gray" else "rgb"
    return transformed(pixels, source, profile_named(wanted), intent=INTENTS[intent], kind=kind)


def out_of_gamut(pixels: NDArray[Any], own: bytes | None, wanted: str) -> NDArray[np.bool_]:
    """Return which colours (H, W, 3) uint8 do not come back from a profile: they lie outside its gamut."""
    if wanted in {"photo", "gray"} or (own is None and wanted == "srgb"):
        return np.zeros(pixels.shape[:2], bool)
    source, target = own or profile_named("srgb"), profile_named(wanted)
    deep = words_of_bytes(pixels)
    there = transformed(deep, source, target, intent=INTENTS["relative"])
    back = transformed(there, target, source, intent=INTENTS["relative"])
    return np.asarray(np.abs(back.astype(np.int64) - deep).max(axis=2) > 1500)
