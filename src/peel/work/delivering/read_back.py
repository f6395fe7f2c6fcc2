"""Read a delivered file back from disk, and the photo as it lies under it."""

import io
import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from peel.errors import PhotoError
from peel.files.assets import decode_asset
from peel.files.photo import read_bytes
from peel.files.profiles import to_screen
from peel.job.assets import Asset
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.preset import Preset
from peel.matte.arrays import ByteArray
from peel.matte.composite.over import checker
from peel.matte.pixels import bytes_of_words, to_bytes, unit_floats
from peel.work.delivering.order import job_for

__all__ = ["photo_under", "read_delivered"]

_CELL = 12


def read_delivered(path: Path) -> ByteArray:
    """Read a delivered picture as it looks, (H, W, 3) uint8 in sRGB; what is clear shows a check.

    Raises
    ------
    PhotoError
        If it is not there any more, or no picture.
    """
    content = read_bytes(path)
    if path.suffix.lower() == ".ora":
        try:
            with zipfile.ZipFile(io.BytesIO(content)) as archive:
                content = archive.read("mergedimage.png")
        except (zipfile.BadZipFile, KeyError) as error:
            raise PhotoError(f"{path} is damaged.", "Deliver it again.") from error
    try:
        with Image.open(io.BytesIO(content)) as image:
            size = image.size
    except OSError:
        size = (0, 0)  # OpenEXR, whose size is found by decoding it
    pixels = _decoded(content, path, size)
    values = unit_floats(pixels)
    if values.shape[2] == 4:
        check = checker(0, 0, values.shape[0], values.shape[1], _CELL)
        values = values[..., :3] * values[..., 3:] + (1 - values[..., 3:]) * check
    return to_bytes(values)


def _decoded(content: bytes, path: Path, size: tuple[int, int]) -> NDArray[Any]:
    from peel.files.photo import decode_photo

    if not all(size):
        return decode_photo(content, path.name).pixels
    photo = decode_photo(content, path.name)
    return decode_asset(Asset(path.name, content, photo.height, photo.width), None)


def photo_under(job: Job, preset: Preset, size: tuple[int, int]) -> ByteArray:
    """Return the untouched photo as it lies under a delivered file of a size (height, width); mid-gray beside it."""
    own = job_for(job, preset)
    height, width = size
    sheet = sheet_of(own)
    space = sheet.space if preset.is_framed else own.photo.space
    top, left = (sheet.top, sheet.left) if preset.is_framed else (0, 0)
    across, down = width / space.width, height / space.height
    pixels = bytes_of_words(own.photo.pixels)
    if across < 1:
        pixels = cv2.resize(pixels, None, fx=across, fy=down, interpolation=cv2.INTER_AREA)
    matrix = np.array([[max(across, 1.0), 0, left * across], [0, max(down, 1.0), top * down]])
    out = cv2.warpAffine(
        pixels, matrix, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=(128,) * 3
    )
    return to_screen(np.asarray(out, np.uint8), own.photo.profile)
