"""Write the pictures that are delivered: PNG with 8 or 16 bits, and JPEG."""

import io
import struct
import zlib
from pathlib import Path
from typing import Any, Final

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from peel.files.atomic import write_whole

__all__ = ["encoded_png", "write_jpeg", "write_png"]

_HEADER_END: Final = 33  # the PNG signature and its first chunk, IHDR
_LEVEL: Final = 4  # of 9: near the smallest size for photographs in a quarter of the time


def write_png(path: Path, pixels: NDArray[Any], profile: bytes | None = None) -> None:
    """Write a PNG.

    Parameters
    ----------
    path : Path
    pixels : (H, W), (H, W, 3) or (H, W, 4) ndarray of uint8 or uint16
        Straight alpha.
    profile : bytes, optional
        ICC profile to embed.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    encoded = encoded_png(pixels, profile)
    write_whole(path, lambda file: file.write(encoded))


def encoded_png(pixels: NDArray[Any], profile: bytes | None = None) -> bytes:
    """Encode a PNG; see `write_png`."""
    encoded = bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=_LEVEL))
    extra = _profile_chunk(profile) if profile else b""
    return encoded[:_HEADER_END] + extra + encoded[_HEADER_END:]


def _profile_chunk(profile: bytes) -> bytes:
    """Build the iCCP chunk (PNG specification, third edition, 11.3.2.3)."""
    body = b"iCCP" + b"profile\0\0" + zlib.compress(profile)
    return struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))


def write_jpeg(path: Path, pixels: NDArray[np.uint8], quality: int, profile: bytes | None = None) -> None:
    """Write a JPEG with full colour resolution.

    Parameters
    ----------
    path : Path
    pixels : (H, W, 3) uint8 ndarray
    quality : int
        40 to 100.
    profile : bytes, optional
        ICC profile to embed.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    buffer = io.BytesIO()
    extra = {"icc_profile": profile} if profile else {}
    Image.fromarray(pixels).save(buffer, "JPEG", quality=quality, subsampling=0, **extra)
    write_whole(path, lambda file: file.write(buffer.getbuffer()))
