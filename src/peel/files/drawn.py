"""Read what was drawn over a photo, or made of it elsewhere: zones, marks, kinds of edge, masks, mattes."""

import io
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from peel.errors import PhotoError
from peel.files.photo import decode_photo, quietly, read_bytes, read_opacity, read_photo
from peel.files.picture_limits import check_size
from peel.job.job import Photo
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.pixels import bytes_of_words, unit_floats

__all__ = ["decode_channels", "read_drawn", "read_mask", "read_reference"]


def decode_channels(content: bytes) -> NDArray[Any] | None:
    """Decode a PNG of four channels that are no colours, (H, W, 4) uint8; None if it is anything else."""
    try:
        with quietly(), Image.open(io.BytesIO(content), formats=("PNG",)) as image:
            check_size(image.size, "the picture")
            return np.asarray(image) if image.mode == "RGBA" else None
    except Exception:  # noqa: BLE001 - whoever asks says what is missing
        return None


def read_drawn(path: Path, photo: Photo, what: str, levels: str) -> ByteArray:
    """Read something drawn over a photo in gray of 8 or 16 bits, such as zones, a mark or kinds of edge, as 8 bits.

    Parameters
    ----------
    path : Path
    photo : Photo
    what : str
        What is drawn, for people.
    levels : str
        How to draw it, as a sentence.

    Returns
    -------
    (H, W) uint8 ndarray

    Raises
    ------
    PhotoError
        If it cannot be read, is not gray, or is not of the photo's size.
    """
    drawn = _gray(path, photo, what, levels)
    return bytes_of_words(drawn) if drawn.dtype == np.uint16 else drawn


def read_mask(path: Path, photo: Photo) -> FloatArray:
    """Read a mask that was made elsewhere: gray of 8 or 16 bits, or the alpha that a picture has of its own.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1], of the photo's size: one of other size and the same proportions is scaled.

    Raises
    ------
    PhotoError
        If it cannot be read, is neither gray nor has alpha, or has other proportions.
    """
    content = read_bytes(path)
    values = read_opacity(content, path.name)
    if values is None:
        pixels = decode_photo(content, path.name).pixels
        if not _is_gray(pixels):
            message = f"{path.name} is in colour and has no alpha: it is no mask."
            raise PhotoError(message, "Save it in gray, black for backdrop and white for the subject.")
        values = pixels[..., 0]
    mask = unit_floats(np.ascontiguousarray(values))
    if not _is_alike(mask.shape, (photo.height, photo.width)):
        raise _other_size(path, mask.shape, photo, "Save the mask at the size of the photo, or in its proportions.")
    if mask.shape != (photo.height, photo.width):
        smaller = mask.shape[0] > photo.height
        way = cv2.INTER_AREA if smaller else cv2.INTER_LINEAR
        mask = cv2.resize(mask, (photo.width, photo.height), interpolation=way)
    return np.asarray(np.clip(mask, 0, 1), np.float32)


def _is_alike(size: tuple[int, ...], wanted: tuple[int, int]) -> bool:
    """Return whether a size has the proportions of another, to a pixel."""
    scale = size[0] / wanted[0]
    return abs(size[1] - scale * wanted[1]) <= max(1.0, scale)


def _is_gray(pixels: NDArray[Any]) -> bool:
    """Return whether all three channels of a picture are the same."""
    return bool(np.array_equal(pixels[..., 0], pixels[..., 1]) and np.array_equal(pixels[..., 1], pixels[..., 2]))


def _other_size(path: Path, size: tuple[int, ...], photo: Photo, hint: str) -> PhotoError:
    return PhotoError(
        f"{path} is {size[1]} × {size[0]} pixels but {photo.name} is {photo.width} × {photo.height}.", hint
    )


def read_reference(path: Path, photo: Photo) -> FloatArray:
    """Read a matte to compare with, gray of 8 or 16 bits and of the photo's size, as float32 in [0, 1].

    Returns (H, W) float32.

    Raises
    ------
    PhotoError
        If it cannot be read, is not gray, or is not of the photo's size.
    """
    return unit_floats(_gray(path, photo, "a matte", "Give the true matte, gray."))


def _gray(path: Path, photo: Photo, what: str, levels: str) -> NDArray[Any]:
    """Read a gray picture of a photo's size, in its own depth."""
    drawn = read_photo(path).pixels
    if not _is_gray(drawn):
        message = f"{path} is not a gray picture of {what}."
        raise PhotoError(message, levels)
    if drawn.shape != photo.pixels.shape:
        raise _other_size(path, drawn.shape, photo, f"Draw the {what} at the size of the photo.")
    return np.ascontiguousarray(drawn[..., 0])
