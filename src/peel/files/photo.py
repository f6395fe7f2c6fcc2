"""Read photographs, 8 or 16 bits, upright and with their profile: JPEG, PNG, TIFF, WebP, AVIF, JPEG 2000.

Camera files and OpenEXR are developed to 16 bits by `peel.files.developing`.
"""

import contextlib
import io
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from peel.errors import PhotoError, os_reason
from peel.files.developing import RAW_SUFFIXES, developed_exr, developed_raw, is_exr, is_raw
from peel.files.picture_limits import MAX_MEGAPIXELS, check_size
from peel.files.profiles import rgb_profile_or_none
from peel.job.job import Photo
from peel.matte.arrays import ByteArray

__all__ = [
    "MAX_MEGAPIXELS",
    "SUFFIXES",
    "decode_photo",
    "has_sixteen_bits",
    "quietly",
    "read_bytes",
    "read_opacity",
    "read_photo",
    "read_preview",
    "sixteen_bit_tiff",
    "upright",
]

SUFFIXES: Final = (
    ".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".avif", ".jp2", ".j2k", ".jpf", ".exr", *RAW_SUFFIXES
)  # fmt: skip
_FORMATS: Final = ("JPEG", "PNG", "TIFF", "WEBP", "AVIF", "JPEG2000")
_MAX_BYTES: Final = 2 * 1024**3 - 2**20  # what a value in a job file can hold
_MAX_SCANS: Final = 100  # of a progressive JPEG; encoders write about ten
_STRIP: Final = 256  # rows per step where a whole picture of floats would take too much memory
_ORIENTATION: Final = 0x0112
# Broken files must not spend memory before they are found out; the limit is checked by hand, with a sentence.
Image.MAX_IMAGE_PIXELS = None

Pixels = NDArray[Any]


def read_bytes(path: Path) -> bytes:
    """Read a file whole.

    Raises
    ------
    PhotoError
        If it is not there, cannot be read, or is larger than 2 GB.
    """
    try:
        if path.is_dir():
            message = f"{path} is a folder, not a photo."
            raise PhotoError(message, "Choose a file in it.")
        if not path.is_file() and path.exists():
            message = f"{path} is not a file but a device or a pipe."
            raise PhotoError(message, "Choose a photo.")
        with path.open("rb") as file:
            content = file.read(_MAX_BYTES + 1)  # whatever the system says about its size
        if len(content) > _MAX_BYTES:
            message = f"{path} is larger than 2 GB."
            raise PhotoError(message, "Save a smaller copy and open that.")
        return content
    except FileNotFoundError as error:
        message = f"{path} is not there (any more)."
        raise PhotoError(message, "Check the name, or whether the disk it is on is connected.") from error
    except (OSError, ValueError) as error:  # a name with a NUL in it
        message = f"{path} could not be read: {os_reason(error)}."
        raise PhotoError(message, "Check that you may read it.") from error


def read_photo(path: Path, exposure: float = 0.0) -> Photo:
    """Read a photograph from a file; see `decode_photo`."""
    return decode_photo(read_bytes(path), path.name, exposure)


def decode_photo(content: bytes, name: str, exposure: float = 0.0) -> Photo:
    """Decode a photograph, turn it upright, and keep its pixels in their own profile.

    Parameters
    ----------
    content : bytes
        The file.
    name : str
        What to call it when something is wrong; its end tells camera files.
    exposure : float
        Stops by which a camera file or OpenEXR is developed lighter or darker.

    Returns
    -------
    Photo
        8 or 16 bits a channel. Gray, palette and CMYK pictures become RGB; transparency is laid on white.

    Raises
    ------
    PhotoError
        If it is no such picture, damaged, or of a size Peel does not work with.
    """
    if is_raw(name):
        pixels, profile = developed_raw(content, name, exposure), None
    elif is_exr(content):
        pixels, profile = developed_exr(content, name, exposure), None
    else:
        pixels, profile = _decoded(content, name)
    pixels = np.ascontiguousarray(pixels)
    pixels.flags.writeable = False
    return Photo(name, pixels, profile)


def _decoded(content: bytes, name: str) -> tuple[Pixels, bytes | None]:
    with quietly():
        try:
            with Image.open(io.BytesIO(content), formats=_FORMATS) as image:
                check_size(image.size, name)
                _check_scans(image, content, name)
                if has_sixteen_bits(content, image):
                    return _sixteen_bit(content, image, name)
                return _eight_bit(image)
        except UnidentifiedImageError as error:
            raise _unreadable(content, name) from error
        except PhotoError:
            raise
        except MemoryError as error:
            message = f"{name} needs more memory than there is."
            raise PhotoError(message, "Close other programs, or open a smaller copy.") from error
        except Exception as error:
            raise _damaged(name) from error


@contextlib.contextmanager
def quietly() -> Iterator[None]:
    """Keep decoders from warning about odd metadata that does not touch the picture."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield


def _damaged(name: str) -> PhotoError:
    return PhotoError(
        f"{name} is damaged or cut short and cannot be decoded.", "Get the file again from where it came."
    )


def _unreadable(content: bytes, name: str) -> PhotoError:
    if not content:
        return PhotoError(f"{name} is empty.", "Get the file again from where it came.")
    what = "is not a JPEG, PNG, TIFF, WebP, AVIF, JPEG 2000 or OpenEXR picture, whatever its name says"
    return PhotoError(f"{name} {what}, or is damaged from its start.", "Save it as one of these and open that.")


def _check_scans(image: Image.Image, content: bytes, name: str) -> None:
    """Refuse a progressive JPEG whose hundreds of scans would each be decoded over the whole picture."""
    if image.format == "JPEG" and content.count(b"\xff\xda") > _MAX_SCANS:
        message = f"{name} is a JPEG of more than {_MAX_SCANS} scans, which would take minutes to decode."
        raise PhotoError(message, "Save it again as a plain JPEG and open that.")


def has_sixteen_bits(content: bytes, image: Image.Image) -> bool:
    """Return whether an opened PNG or TIFF has more than 8 bits a channel, which Pillow would cut off."""
    if image.format == "PNG":
        return content[24:25] == b"\x10"
    if image.format == "JPEG2000":
        return image.mode.startswith("I;16") or imagecodecs.jpeg2k_decode(content).dtype == np.uint16
    if image.format == "TIFF":
        bits = image.tag_v2.get(258, (8,))  # type: ignore[attr-defined]
        return max(bits if isinstance(bits, tuple) else (bits,)) > 8
    return False


def _sixteen_bit(content: bytes, image: Image.Image, name: str) -> tuple[Pixels, bytes | None]:
    """Decode 16 bits a channel, which Pillow would cut to 8."""
    if image.format == "TIFF":
        pixels = sixteen_bit_tiff(content, name)
    else:
        pixels = imagecodecs.png_decode(content) if image.format == "PNG" else imagecodecs.jpeg2k_decode(content)
    if pixels.size == 0:
        raise _damaged(name)
    if pixels.dtype != np.uint16:
        message = f"{name} holds {pixels.dtype} values; Peel reads 8- and 16-bit whole numbers."
        raise PhotoError(message, "Save it as 16-bit and open that.")
    if pixels.ndim == 3 and pixels.shape[2] not in {1, 2, 3, 4}:
        message = f"{name} has {pixels.shape[2]} channels; Peel reads gray and RGB."
        raise PhotoError(message, "Save it as RGB and open that.")
    if image.format == "TIFF" and image.tag_v2.get(262) == 5:  # type: ignore[attr-defined]
        message = f"{name} is a 16-bit CMYK picture, which Peel does not read."
        raise PhotoError(message, "Convert it to RGB and open that.")
    colours = upright(_three_channels(pixels), int(image.getexif().get(_ORIENTATION, 1)))
    return colours, rgb_profile_or_none(image.info.get("icc_profile"))


def sixteen_bit_tiff(content: bytes, name: str) -> Pixels:
    """Decode a TIFF of more than 8 bits a channel, all of its channels.

    Returns (H, W) or (H, W, C) uint16.
    """
    try:
        with tifffile.TiffFile(io.BytesIO(content)) as file:
            page = file.pages[0]
            pixels = (
                page.asarray() if page.nbytes <= MAX_MEGAPIXELS * 8_000_000 else np.empty(0)
            )  # what its tags ask for
            if int(getattr(page, "planarconfig", 1) or 1) == 2 and pixels.ndim == 3:
                pixels = np.moveaxis(pixels, 0, -1)
            return np.asarray(pixels)
    except PhotoError:
        raise
    except Exception as error:
        raise _damaged(name) from error


def _three_channels(pixels: Pixels) -> Pixels:
    """Make gray RGB, and lay transparency on white."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    height, width, channels = pixels.shape
    if channels == 3:
        return pixels
    out = np.empty((height, width, 3), pixels.dtype)
    for top in range(0, height, _STRIP):
        strip = pixels[top : top + _STRIP]
        out[top : top + _STRIP] = _on_white(strip) if channels in {2, 4} else strip
    return out


def _on_white(pixels: Pixels) -> Pixels:
    most = np.iinfo(pixels.dtype).max
    alpha = pixels[..., -1:].astype(np.float32) / most
    return np.round(pixels[..., :-1] * alpha + most * (1 - alpha)).astype(pixels.dtype)


def upright(pixels: Pixels, orientation: int) -> Pixels:
    """Turn upright by the EXIF orientation, 1 to 8.

    Takes and returns (H, W) or (H, W, C) of any depth; width and height change places for 5 to 8.
    """
    if orientation in {5, 6, 7, 8}:
        pixels = pixels.swapaxes(0, 1)
    if orientation in {2, 3, 6, 7}:
        pixels = pixels[:, ::-1]
    if orientation in {3, 4, 7, 8}:
        pixels = pixels[::-1]
    return pixels


def _eight_bit(image: Image.Image) -> tuple[Pixels, bytes | None]:
    embedded = image.info.get("icc_profile")
    image.load()
    turned = ImageOps.exif_transpose(image)
    if turned.mode == "RGB":
        return np.asarray(turned), rgb_profile_or_none(embedded)
    if turned.mode in {"CMYK", "LAB", "L"} and embedded:
        converted = _to_srgb(turned, embedded)
        if converted is not None:
            return np.asarray(converted), None
    if turned.mode in {"RGBA", "LA", "PA"} or "transparency" in turned.info:
        return _laid_on_white(turned), rgb_profile_or_none(embedded)
    return np.asarray(turned.convert("RGB")), rgb_profile_or_none(embedded)


def _laid_on_white(image: Image.Image) -> Pixels:
    """Lay a picture with transparency on white, some rows at a time."""
    out = np.empty((image.height, image.width, 3), np.uint8)
    for top in range(0, image.height, _STRIP):
        bottom = min(top + _STRIP, image.height)
        strip = image.crop((0, top, image.width, bottom)).convert("RGBA")
        out[top:bottom] = _on_white(np.asarray(strip))
    return out


def _to_srgb(image: Image.Image, profile: bytes) -> Image.Image | None:
    """Convert a picture that is not RGB by its profile, or give None if the profile is of no use."""
    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        return ImageCms.profileToProfile(image, source, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (OSError, ImageCms.PyCMSError, ValueError):
        return None


def read_preview(content: bytes, name: str, longest_px: int) -> ByteArray | None:
    """Decode a JPEG quickly at a fraction of its size, for a first look; None for other pictures.

    Returns
    -------
    (h, w, 3) uint8 ndarray
        Upright; the longer side at least `longest_px` where the photo has that many.
    """
    try:
        with quietly(), Image.open(io.BytesIO(content), formats=("JPEG",)) as image:
            check_size(image.size, name)
            _check_scans(image, content, name)
            if image.mode != "RGB":
                return None
            shrink = max(image.size) / max(longest_px, 1)
            image.draft("RGB", (max(int(image.width / shrink), 1), max(int(image.height / shrink), 1)))
            return np.array(ImageOps.exif_transpose(image), np.uint8)
    except Exception:  # noqa: BLE001 - whatever is wrong is said when the photo itself is decoded
        return None


def read_opacity(content: bytes, name: str) -> Pixels | None:
    """Return the alpha that a photo's file already carries, upright; None if there is none, or only one value of it.

    Returns
    -------
    (H, W) uint8 or uint16 ndarray, in the file's own depth, or None
    """
    try:
        with quietly(), Image.open(io.BytesIO(content), formats=("PNG", "TIFF", "WEBP", "AVIF")) as image:
            check_size(image.size, name)
            if has_sixteen_bits(content, image):
                is_tiff = image.format == "TIFF"
                pixels = sixteen_bit_tiff(content, name) if is_tiff else imagecodecs.png_decode(content)
                if pixels.ndim != 3 or pixels.shape[2] not in {2, 4} or pixels.dtype != np.uint16:
                    return None
                alpha = upright(pixels, int(image.getexif().get(_ORIENTATION, 1)))[..., -1]
            elif image.mode in {"RGBA", "LA", "PA"} or "transparency" in image.info:
                alpha = _alpha_of(ImageOps.exif_transpose(image))
            else:
                return None
    except Exception:  # noqa: BLE001 - the same
        return None
    return None if alpha.min() == alpha.max() else np.ascontiguousarray(alpha)


def _alpha_of(image: Image.Image) -> ByteArray:
    """Return a picture's alpha, some rows at a time."""
    out = np.empty((image.height, image.width), np.uint8)
    for top in range(0, image.height, _STRIP):
        bottom = min(top + _STRIP, image.height)
        out[top:bottom] = np.asarray(image.crop((0, top, image.width, bottom)).convert("RGBA"))[..., 3]
    return out
