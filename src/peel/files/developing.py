"""Develop camera files, white balance as shot, and scene light from OpenEXR: both become 16-bit sRGB.

Exposure is shifted on the sensor's own values, before anything else is done to them.
"""

import io
from pathlib import Path
from typing import Any, Final

import numpy as np
import OpenEXR
import rawpy
from numpy.typing import NDArray

from peel.errors import PhotoError
from peel.files.atomic import temporary_folder
from peel.files.picture_limits import check_size
from peel.matte.pixels import to_words
from peel.matte.srgb import to_encoded

__all__ = [
    "MOST_EXPOSURE",
    "RAW_SUFFIXES",
    "developed_exr",
    "developed_raw",
    "is_developed",
    "is_developed_name",
    "is_exr",
    "is_raw",
]

RAW_SUFFIXES: Final = (
    ".3fr", ".arw", ".cr2", ".cr3", ".dng", ".erf", ".fff", ".iiq", ".kdc", ".mef", ".mos", ".mrw", ".nef", ".nrw",
    ".orf", ".pef", ".raf", ".raw", ".rw2", ".rwl", ".sr2", ".srf", ".srw", ".x3f",
)  # fmt: skip
MOST_EXPOSURE: Final = 3.0
"""Stops by which a file can be developed lighter; 2 fewer for darker."""

_EXR_MAGIC: Final = b"\x76\x2f\x31\x01"
_LEAST_EXPOSURE: Final = -2.0


def is_raw(name: str) -> bool:
    """Return whether a name is that of a camera file."""
    return Path(name).suffix.lower() in RAW_SUFFIXES


def is_exr(content: bytes) -> bool:
    """Return whether a file is OpenEXR, by its first bytes."""
    return content.startswith(_EXR_MAGIC)


def is_developed_name(name: str) -> bool:
    """Return whether a photo of a name is developed, so that its exposure can be chosen."""
    return is_raw(name) or name.lower().endswith(".exr")


def is_developed(content: bytes, name: str) -> bool:
    """Return whether a photo is developed, so that its exposure can be chosen."""
    return is_raw(name) or is_exr(content)


def developed_raw(content: bytes, name: str, exposure: float = 0.0) -> NDArray[np.uint16]:
    """Develop a camera file.

    Parameters
    ----------
    content : bytes
    name : str
    exposure : float
        Stops, from -2 to 3.

    Returns
    -------
    (H, W, 3) uint16 ndarray
        sRGB, upright, the white balance as shot.

    Raises
    ------
    PhotoError
    """
    try:
        with rawpy.imread(io.BytesIO(content)) as raw:
            check_size((raw.sizes.width, raw.sizes.height), name)
            made = raw.postprocess(
                use_camera_wb=True,
                no_auto_bright=True,
                output_bps=16,
                output_color=rawpy.ColorSpace.sRGB,
                gamma=(2.4, 12.92),
                exp_shift=float(2 ** np.clip(exposure, _LEAST_EXPOSURE, MOST_EXPOSURE)),
                exp_preserve_highlights=0.6 if exposure > 0 else 0.0,
            )
    except PhotoError:
        raise
    except (rawpy.LibRawError, ValueError, OSError) as error:
        message = f"{name} is a damaged camera file, or of a camera that is not known."
        raise PhotoError(message, "Get the file again, or save it as TIFF and open that.") from error
    except MemoryError as error:
        raise PhotoError(f"{name} needs more memory than there is.", "Close other programs first.") from error
    return np.asarray(made, np.uint16)


def developed_exr(content: bytes, name: str, exposure: float = 0.0) -> NDArray[np.uint16]:
    """Encode the light of an OpenEXR picture as 16-bit sRGB; what is brighter than white is white.

    Returns (H, W, 3) uint16.

    Raises
    ------
    PhotoError
        If it cannot be read, or has no colours or gray in it.
    """
    try:
        with temporary_folder("exr") as folder:  # the library reads from a path only
            path = folder / "light.exr"
            path.write_bytes(content)
            with OpenEXR.File(str(path), separate_channels=True) as file:
                window = file.header()["dataWindow"]
                width, height = (int(window[1][k] - window[0][k]) + 1 for k in range(2))
                check_size((width, height), name)
                found = {key: np.asarray(channel.pixels, np.float32) for key, channel in file.channels().items()}
    except PhotoError:
        raise
    except Exception as error:
        message = f"{name} is damaged or cut short and cannot be decoded."
        raise PhotoError(message, "Get the file again from where it came.") from error
    light = _light(found, name) * np.float32(2 ** np.clip(exposure, _LEAST_EXPOSURE, MOST_EXPOSURE))
    light = np.nan_to_num(light, nan=0.0, posinf=1.0, neginf=0.0)
    return to_words(to_encoded(np.clip(light, 0, 1)))


def _light(channels: dict[str, NDArray[Any]], name: str) -> NDArray[np.float32]:
    """Return colours, straight, from what channels there are; what is clear is laid on white."""
    if "Y" in channels and "R" not in channels:
        channels = {**channels, **dict.fromkeys("RGB", channels["Y"])}
    if not {"R", "G", "B"} <= channels.keys():
        message = f"{name} holds no picture in colour or gray."
        raise PhotoError(message, "Open a picture with the channels R, G and B, or Y.")
    light = np.stack([channels[key] for key in "RGB"], axis=-1)
    if "A" in channels:
        light = light + np.clip(1 - channels["A"], 0, 1)[..., None]
    return np.asarray(light, np.float32)
