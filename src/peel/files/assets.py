"""Read pictures that stand on a sheet: backing photographs, tiles, and cutouts with alpha."""

import io
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from peel.errors import PhotoError
from peel.files.developing import is_developed
from peel.files.photo import decode_photo, has_sixteen_bits, quietly, read_bytes, sixteen_bit_tiff, upright
from peel.files.profiles import between_profiles, rgb_profile_or_none
from peel.job.assets import Asset

__all__ = ["decode_asset", "read_asset", "read_cutout"]


def read_asset(path: Path) -> Asset:
    """Read a picture to stand on a sheet, with or without alpha.

    Raises
    ------
    PhotoError
        If it cannot be read, is damaged, or of a size that Peel does not work with.
    """
    content = read_bytes(path)
    height, width = _straight(content, path.name)[0].shape[:2]
    return Asset(path.name, content, height, width)


def read_cutout(path: Path) -> Asset:
    """Read a picture with alpha to stand on a sheet.

    Raises
    ------
    PhotoError
        If it cannot be read, or nothing of it is transparent.
    """
    content = read_bytes(path)
    pixels = _straight(content, path.name)[0]
    if pixels.shape[2] == 3 or (pixels[..., 3] == np.iinfo(pixels.dtype).max).all():
        message = f"{path} has no transparency: there is no cutout in it."
        raise PhotoError(message, "Cut its subject out first, or use it as a backing photo.")
    return Asset(path.name, content, *pixels.shape[:2])


def decode_asset(asset: Asset, profile: bytes | None) -> NDArray[Any]:
    """Decode an asset, its colours converted to a profile.

    Parameters
    ----------
    asset : Asset
    profile : bytes or None
        Of the sheet; None means sRGB.

    Returns
    -------
    (H, W, 3) or (H, W, 4) uint8 or uint16 ndarray
        Straight alpha.

    Raises
    ------
    PhotoError
    """
    pixels, own = _straight(asset.content, asset.name)
    if pixels.shape[:2] != (asset.height, asset.width):
        message = f"{asset.name} is not of the size that the job says."
        raise PhotoError(message, "Place it anew.")
    return between_profiles(pixels, own, profile)


def _straight(content: bytes, name: str) -> tuple[NDArray[Any], bytes | None]:
    """Decode a picture with its alpha, where it has any."""
    photo = decode_photo(content, name)  # every check, and every picture without alpha
    if is_developed(content, name):
        return photo.pixels, photo.profile
    try:
        with quietly(), Image.open(io.BytesIO(content)) as image:
            profile = rgb_profile_or_none(image.info.get("icc_profile"))
            turn = int(image.getexif().get(0x0112, 1))
            if image.format in {"PNG", "TIFF"} and has_sixteen_bits(content, image):
                pixels = imagecodecs.png_decode(content) if image.format == "PNG" else sixteen_bit_tiff(content, name)
                if pixels.ndim == 3 and pixels.shape[2] in {2, 4}:
                    return np.ascontiguousarray(upright(_four(pixels), turn)), profile
            elif image.mode in {"RGBA", "LA", "PA"} or "transparency" in image.info:
                return np.asarray(ImageOps.exif_transpose(image).convert("RGBA")), profile
    except (OSError, ValueError, Image.DecompressionBombError) as error:
        message = f"{name} is damaged or cut short and cannot be decoded."
        raise PhotoError(message, "Get the file again from where it came.") from error
    return photo.pixels, photo.profile


def _four(pixels: NDArray[Any]) -> NDArray[Any]:
    return pixels if pixels.shape[2] == 4 else pixels[..., [0, 0, 0, 1]]
