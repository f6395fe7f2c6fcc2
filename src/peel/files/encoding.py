"""Encode what is delivered: PNG, TIFF, WebP, AVIF, JPEG and OpenEXR; OpenRaster and SVG have files of their own.

One library does what it is best at: imagecodecs encodes PNG, tifffile TIFF, OpenEXR its own, Pillow all else. Nothing
that is written says when or where, so that the same picture gives the same bytes.
"""

import io
import struct
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Final

import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from peel.errors import DeliveryError
from peel.files.atomic import temporary_folder
from peel.files.metadata import Metadata, image_resources

__all__ = ["Encoding", "encoded_exr", "encoded_jpeg", "encoded_picture", "encoded_png", "encoded_tiff"]

_LEVEL: Final = 4  # of 9: near the smallest size for photographs in a quarter of the time
_PATH: Final = 2000  # the first numbered path of image resources
_CLIPPING: Final = 2999  # which of them clips
_IPTC: Final = 0x0404
_RESOURCES: Final = bytes.fromhex("50686f746f73686f7020332e3000")  # how JPEG names its segment of image resources
_HEADER_END: Final = 33  # the PNG signature and its first chunk, IHDR
_PNG_EXTRAS: Final = (b"iCCP", b"pHYs", b"iTXt", b"eXIf")
_PNG_XMP: Final = bytes.fromhex("584d4c3a636f6d2e61646f62652e786d70").decode()  # how PNG names its text of XMP
_PNG_FIRST: Final = 8


@dataclass(frozen=True)
class Encoding:
    """How pixels are encoded, and what goes with them.

    Attributes
    ----------
    quality, lossless : of formats that lose something.
    profile : ICC profile to embed; None embeds none.
    ppi : resolution to note; None notes none.
    premultiplied : whether the colours are.
    metadata : Metadata
    path : an outline as bytes of a path resource, for TIFF and JPEG; empty for none.
    """

    quality: int = 92
    lossless: bool = False
    profile: bytes | None = None
    ppi: int | None = None
    premultiplied: bool = False
    metadata: Metadata = field(default_factory=Metadata)
    path: bytes = b""


def encoded_picture(pixels: NDArray[Any], kind: str, how: Encoding) -> bytes:
    """Encode pixels (H, W), (H, W, 2), (H, W, 3) or (H, W, 4), gray or RGB, with alpha last.

    Raises
    ------
    DeliveryError
        If the picture is larger than the format takes.
    """
    pixels = np.ascontiguousarray(pixels)
    try:
        return _ENCODERS[kind](pixels, how)
    except (ValueError, OSError, imagecodecs.ImcdError) as error:  # beyond a format's own limits
        size = f"{pixels.shape[1]} × {pixels.shape[0]} pixels"
        raise DeliveryError(f"A picture of {size} cannot be a {kind.upper()}: {error}.", "Order it smaller.") from error


def encoded_png(pixels: NDArray[Any], how: Encoding | None = None) -> bytes:
    """Encode a PNG of 8 or 16 bits; profile, resolution, EXIF and XMP go with it.

    Takes (H, W), (H, W, 2), (H, W, 3) or (H, W, 4) uint8 or uint16.
    """
    how = how or Encoding()
    encoded = bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=_LEVEL))
    return encoded[:_HEADER_END] + _png_extras(how, gray=pixels.ndim == 2) + encoded[_HEADER_END:]


def _png_extras(how: Encoding, *, gray: bool) -> bytes:
    """Have Pillow write the chunks that go with a picture, and take them from a picture of one pixel."""
    buffer = io.BytesIO()
    extras: dict[str, Any] = {"icc_profile": how.profile} if how.profile else {}
    if how.ppi:
        extras["dpi"] = (how.ppi, how.ppi)
    if how.metadata.exif:
        extras["exif"] = how.metadata.exif
    if how.metadata.xmp:
        extras["pnginfo"] = said = PngInfo()
        said.add_itxt(_PNG_XMP, how.metadata.xmp.decode("utf-8", "replace"))
    if not extras:
        return b""
    Image.new("L" if gray else "RGB", (1, 1)).save(buffer, "PNG", **extras)
    content, at, out = buffer.getvalue(), _PNG_FIRST, b""
    while at + 8 <= len(content):
        size, name = struct.unpack(">I", content[at : at + 4])[0], content[at + 4 : at + 8]
        if name in _PNG_EXTRAS:
            out += content[at : at + 12 + size]
        at += 12 + size
    return out


def encoded_tiff(pixels: NDArray[Any], how: Encoding) -> bytes:
    """Encode a TIFF of 8 or 16 bits, its alpha associated or unassociated; a path becomes its clipping path.

    Takes (H, W), (H, W, 2), (H, W, 3) or (H, W, 4) uint8 or uint16.
    """
    buffer = io.BytesIO()
    channels = 1 if pixels.ndim == 2 else pixels.shape[2]
    extras = ("assocalpha" if how.premultiplied else "unassalpha",) if channels in {2, 4} else ()
    tags: list[tuple[int, int, int, bytes, bool]] = []
    if how.metadata.xmp:
        tags.append((700, 1, len(how.metadata.xmp), how.metadata.xmp, True))
    if how.metadata.iptc:
        tags.append((33723, 7, len(how.metadata.iptc), how.metadata.iptc, True))
    said = how.metadata.said
    for number, text in ((315, said.creator), (33432, said.rights)):
        if text and (how.metadata.exif or how.metadata.xmp):
            plain = text.encode() + b"\0"
            tags.append((number, 2, len(plain), plain, True))
    if how.path:
        block = image_resources(_path_blocks(how.path))
        tags.append((34377, 1, len(block), block, True))
    tifffile.imwrite(
        buffer,
        pixels,
        photometric="minisblack" if channels in {1, 2} else "rgb",
        planarconfig="contig" if channels > 1 else None,
        extrasamples=extras,
        compression="zlib",
        predictor=True,
        iccprofile=how.profile,
        resolution=(Fraction(how.ppi), Fraction(how.ppi)) if how.ppi else None,
        resolutionunit="INCH" if how.ppi else None,
        extratags=tags,
        metadata=None,
        software=False,
        rowsperstrip=64,
    )
    return buffer.getvalue()


def encoded_jpeg(pixels: NDArray[Any], how: Encoding) -> bytes:
    """Encode a JPEG with full colour resolution.

    Takes (H, W) or (H, W, 3) uint8.
    """
    blocks = _path_blocks(how.path) if how.path else {}
    if how.metadata.iptc:
        blocks[_IPTC] = ("", how.metadata.iptc)
    content = image_resources(blocks) if blocks else b""
    extra = b""
    if content:
        segment = _RESOURCES + content
        if len(segment) + 2 > 0xFFFF:
            raise ValueError("its outline has too many points for a JPEG")
        extra = b"\xff\xed" + struct.pack(">H", len(segment) + 2) + segment
    return _by_pillow(pixels, "JPEG", how, quality=how.quality, subsampling=0, extra=extra)


def _path_blocks(path: bytes) -> dict[int, tuple[str, bytes]]:
    return {_PATH: ("Outline", path), _CLIPPING: ("", b"\x07Outline" + b"\0" * 6)}


def _encoded_webp(pixels: NDArray[Any], how: Encoding) -> bytes:
    return _by_pillow(pixels, "WEBP", how, quality=how.quality, lossless=how.lossless, exact=True, method=4)


def _encoded_avif(pixels: NDArray[Any], how: Encoding) -> bytes:
    quality = 100 if how.lossless else how.quality
    return _by_pillow(pixels, "AVIF", how, quality=quality, subsampling="4:4:4", speed=6, max_threads=1)


def _by_pillow(pixels: NDArray[Any], kind: str, how: Encoding, **own: Any) -> bytes:
    """Encode by Pillow, with everything that goes with the picture."""
    buffer = io.BytesIO()
    extras: dict[str, Any] = {"icc_profile": how.profile} if how.profile else {}
    if how.metadata.exif:
        extras["exif"] = how.metadata.exif
    if how.metadata.xmp:
        extras["xmp"] = how.metadata.xmp
    if how.ppi and kind == "JPEG":
        extras["dpi"] = (how.ppi, how.ppi)
    if pixels.ndim == 3 and pixels.shape[2] == 2:
        pixels = pixels[..., [0, 0, 0, 1]]
    image = Image.fromarray(np.ascontiguousarray(pixels))
    if kind in {"WEBP", "AVIF"} and image.mode == "L":
        image = image.convert("RGB")
    image.save(buffer, kind, **own, **extras)
    return buffer.getvalue()


def encoded_exr(pixels: NDArray[Any], *, chromaticities: tuple[float, ...]) -> bytes:
    """Encode linear light as OpenEXR, premultiplied.

    Parameters
    ----------
    pixels : (H, W), (H, W, 3) or (H, W, 4) float16 or float32 ndarray
    chromaticities : eight floats
        x and y of red, green, blue and white.
    """
    names = {2: ("Y",), 3: tuple("RGBA"[: pixels.shape[-1]])}[pixels.ndim]
    parts = {name: np.ascontiguousarray(pixels if pixels.ndim == 2 else pixels[..., k]) for k, name in enumerate(names)}
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": tuple(chromaticities),
    }
    with temporary_folder("exr") as folder:  # the library writes to a path only
        path = folder / "made.exr"
        with OpenEXR.File(header, parts) as file:
            file.write(str(path))
        return path.read_bytes()


_ENCODERS: Final = {
    "png": encoded_png,
    "tiff": encoded_tiff,
    "jpeg": encoded_jpeg,
    "webp": _encoded_webp,
    "avif": _encoded_avif,
}
