"""Colour profiles: what a photo's numbers mean, and how they look on the screen.

A photo's pixels stay in the photo's own profile all the way to the delivered file. Only what is shown, and the
backing colour that a person picked on the screen, are converted.
"""

import io
from functools import lru_cache
from typing import Any, Final, Literal

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

from peel.matte.arrays import ByteArray
from peel.matte.pixels import to_bytes

__all__ = ["between_profiles", "colour_into_profile", "is_srgb", "rgb_profile_or_none", "to_screen", "transformed"]

_SRGB: Final = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
_INTENT: Final = ImageCms.Intent.RELATIVE_COLORIMETRIC


def _opened(profile: bytes) -> ImageCms.ImageCmsProfile | None:
    try:
        return ImageCms.ImageCmsProfile(io.BytesIO(profile))
    except (OSError, ImageCms.PyCMSError, ValueError):
        return None


def rgb_profile_or_none(profile: bytes | None) -> bytes | None:
    """Return the profile back if it can be read and describes RGB; photos with a broken one count as sRGB."""
    if not profile:
        return None
    opened = _opened(profile)
    if opened is None or opened.profile.xcolor_space.strip() != "RGB":
        return None
    return profile


@lru_cache(maxsize=8)
def is_srgb(profile: bytes | None) -> bool:
    """Return whether colours in a profile look the same as sRGB on the screen."""
    if profile is None:
        return True
    # full colours of a wider gamut are clipped to those of sRGB, so it is muted ones that tell the two apart
    muted = [[160, 60, 30], [30, 160, 60], [60, 30, 160], [128, 128, 128]]
    probe = np.array([[[0, 0, 0], [255, 0, 0], [0, 255, 0], [0, 0, 255], *muted]], np.uint8)
    return int(np.abs(_converted(probe, profile, to_screen=True).astype(int) - probe).max()) <= 2


@lru_cache(maxsize=8)
def _transform(profile: bytes, to_screen: bool) -> ImageCms.ImageCmsTransform | None:
    opened = _opened(profile)
    if opened is None:
        return None
    ends = (opened, _SRGB) if to_screen else (_SRGB, opened)
    return ImageCms.buildTransform(*ends, "RGB", "RGB", _INTENT)


def _converted(rgb: ByteArray, profile: bytes, *, to_screen: bool) -> ByteArray:
    transform = _transform(profile, to_screen)
    if transform is None:
        return rgb
    return np.asarray(ImageCms.applyTransform(Image.fromarray(rgb), transform), np.uint8)


def to_screen(rgb: ByteArray, profile: bytes | None) -> ByteArray:
    """Convert (H, W, 3) uint8 from the photo's profile to sRGB; the same array when nothing changes."""
    if profile is None or is_srgb(profile):
        return rgb
    return _converted(rgb, profile, to_screen=True)


def colour_into_profile(colour: tuple[float, float, float], profile: bytes | None) -> tuple[float, float, float]:
    """Convert one sRGB colour, parts in [0, 1], into the photo's profile."""
    if profile is None or is_srgb(profile):
        return colour
    pixel = to_bytes(np.array([[colour]]))
    red, green, blue = (float(part) / 255 for part in _converted(pixel, profile, to_screen=False)[0, 0])
    return red, green, blue


def between_profiles(pixels: NDArray[Any], own: bytes | None, wanted: bytes | None) -> NDArray[Any]:
    """Convert (H, W, 3) or (H, W, 4) pixels, uint8 or uint16, from one profile to another; None means sRGB.

    Alpha stays, and a profile that cannot be read counts as sRGB.
    """
    if own == wanted or (is_srgb(own) and is_srgb(wanted)):
        return pixels
    source, target = (profile if profile and _opened(profile) else _SRGB.tobytes() for profile in (own, wanted))
    return transformed(pixels, source, target, intent=int(_INTENT))


def transformed(
    pixels: NDArray[Any], source: bytes, target: bytes, *, intent: int, kind: Literal["rgb", "gray"] = "rgb"
) -> NDArray[Any]:
    """Convert colours from one profile to another at their own depth; alpha, if there is one, stays.

    Parameters
    ----------
    pixels : (H, W, 3) or (H, W, 4) uint8 or uint16 ndarray
    source, target : bytes
    intent : int
        As LittleCMS numbers them.
    kind : "rgb" or "gray"
        Of the target; of gray, (H, W) or (H, W, 2) comes back.
    """
    colours = np.ascontiguousarray(pixels[..., :3])
    made = imagecodecs.cms_transform(colours, source, target, colorspace="rgb", outcolorspace=kind, intent=intent)
    made = np.asarray(made).reshape(pixels.shape[:2] + (() if kind == "gray" else (3,)))
    return made if pixels.shape[2] == 3 else np.dstack([made, pixels[..., 3]])
