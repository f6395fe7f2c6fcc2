"""The files of products: which pixels a preset needs, and the bytes of its file, made of them.

Whole pictures are worked on a few rows at a time, so that what is between takes little room.
"""

from collections.abc import Callable, Iterator
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.files.delivery_profiles import converted, profile_named
from peel.files.encoding import Encoding, encoded_exr, encoded_picture
from peel.files.metadata import Metadata, rights_only
from peel.files.open_raster import RasterLayer, encoded_open_raster
from peel.files.outlines import path_resource, svg_outline
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.preset import FORMATS, Preset
from peel.matte.edge.half_way import half_way_curves
from peel.matte.pixels import bytes_of_words, to_words, unit_floats
from peel.matte.srgb import to_linear
from peel.work.delivering.products import Want

__all__ = ["Made", "content_of", "wants_of"]

_CHROMATICITIES: Final = {
    "srgb": (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290),
    "display-p3": (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.3290),
    "oprgb": (0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.3290),
}
_OPRGB_GAMMA: Final = 563 / 256
_ROWS: Final = 256

Made = dict[Want, NDArray[Any]]


def wants_of(preset: Preset) -> list[Want]:
    """Return the pixels that a preset needs; more than 8 bits wherever they are worked on further."""
    if preset.product == "outline":
        return [Want("matte", 16)]
    if preset.product == "layers":
        return [Want("cutout", framed=True), Want("shadow"), Want("backing"), Want("matte", framed=True), Want("flat")]
    works_on = preset.size.fit != "as it is" or preset.profile != "photo" or FORMATS[preset.format].is_linear
    bits = 16 if works_on or preset.bits > 8 or preset.alpha == "premultiplied" else 8
    framed = preset.is_framed and preset.product in {"cutout", "matte"}
    own = [Want(preset.product, bits, framed, preset.continued)]
    return [*own, Want("matte", 16, framed or preset.product == "flat")] if preset.clipping_path else own


def content_of(job: Job, preset: Preset, made: Made, metadata: Metadata) -> tuple[bytes, tuple[int, int]]:
    """Return a file's bytes, and its height and width."""
    wants = wants_of(preset)
    profile = job.photo.profile if preset.profile == "photo" else profile_named(preset.profile)
    said = {"kept": metadata, "rights": rights_only(metadata), "stripped": Metadata()}[preset.metadata]
    if preset.product == "outline":
        alpha = unit_floats(made[wants[0]])
        height, width = preset.size.size_for(*alpha.shape)
        factor = height / alpha.shape[0]
        runs = [[piece * factor for piece in run] for run in half_way_curves(alpha)]
        return svg_outline(runs, height, width), (height, width)
    how = Encoding(preset.quality, preset.lossless, profile, preset.ppi, preset.alpha == "premultiplied", said)
    if preset.product == "layers":
        return _layers(job, made, wants, how)
    pixels = _resized(made[wants[0]], preset)
    size = pixels.shape[0], pixels.shape[1]
    if FORMATS[preset.format].is_linear:
        return _exr(job, preset, pixels), size
    if preset.product == "matte":
        how = Encoding(preset.quality, preset.lossless, None, preset.ppi, metadata=said)
    elif preset.profile != "photo":
        pixels = _by_rows(pixels, lambda part: converted(part, job.photo.profile, preset.profile, preset.intent))
    pixels = _finished(pixels, preset)
    if preset.clipping_path:
        runs = half_way_curves(unit_floats(made[wants[1]]))
        how = Encoding(how.quality, how.lossless, how.profile, how.ppi, how.premultiplied, said,
                       path_resource(runs, *made[wants[1]].shape))  # fmt: skip
    return encoded_picture(pixels, preset.format, how), size


def _by_rows(pixels: NDArray[Any], work: Callable[[NDArray[Any]], NDArray[Any]]) -> NDArray[Any]:
    """Apply something that looks at single pixels to a few rows after another."""
    first = work(pixels[:_ROWS])
    out = np.empty((len(pixels), *first.shape[1:]), first.dtype)
    out[:_ROWS] = first
    for top in range(_ROWS, len(pixels), _ROWS):
        out[top : top + _ROWS] = work(pixels[top : top + _ROWS])
    return out


def _deep(values: NDArray[Any]) -> NDArray[Any]:
    """Round to 16 bits."""
    return to_words(values)


def _premultiplied(pixels: NDArray[Any]) -> NDArray[Any]:
    values = unit_floats(pixels)
    values[..., :-1] *= values[..., -1:]
    return _deep(values)


def _straight(pixels: NDArray[Any]) -> NDArray[Any]:
    values = unit_floats(pixels)
    values[..., :-1] /= np.maximum(values[..., -1:], np.float32(1e-5))
    return _deep(values)


def _resized(pixels: NDArray[Any], preset: Preset) -> NDArray[Any]:
    """Bring pixels to a preset's size, premultiplied while that is done."""
    height, width = preset.size.size_for(*pixels.shape[:2])
    if (height, width) == pixels.shape[:2]:
        return pixels
    with_alpha = pixels.ndim == 3 and pixels.shape[2] == 4
    shrinks = height < pixels.shape[0]
    values = _by_rows(pixels, _premultiplied) if with_alpha else pixels
    values = cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)
    return _by_rows(values, _straight) if with_alpha else values


def _finished(pixels: NDArray[Any], preset: Preset) -> NDArray[Any]:
    """Premultiply where that is asked for, and round to the preset's depth."""
    if preset.alpha == "premultiplied" and pixels.ndim == 3 and pixels.shape[2] in {2, 4}:
        pixels = _by_rows(pixels, _premultiplied)
    if preset.bits == 8 and pixels.dtype == np.uint16:
        pixels = _by_rows(pixels, bytes_of_words)
    return pixels


def _exr(job: Job, preset: Preset, pixels: NDArray[Any]) -> bytes:
    """Encode linear, premultiplied light, in the primaries that are asked for."""
    name = "srgb" if preset.profile == "photo" else preset.profile
    half = preset.bits == 16

    def light_of(part: NDArray[Any]) -> NDArray[Any]:
        if part.ndim == 2:
            return unit_floats(part).astype(np.float16 if half else np.float32)
        encoded = unit_floats(converted(part, job.photo.profile, name, preset.intent))
        light = encoded[..., :3] ** np.float32(_OPRGB_GAMMA) if name == "oprgb" else to_linear(encoded[..., :3])
        if encoded.shape[2] == 4:
            light = np.dstack([light * encoded[..., 3:], encoded[..., 3]])
        return light.astype(np.float16 if half else np.float32)

    return encoded_exr(_by_rows(pixels, light_of), chromaticities=_CHROMATICITIES[name])


def _layers(job: Job, made: Made, wants: list[Want], how: Encoding) -> tuple[bytes, tuple[int, int]]:
    """Put photo, backing, shadow, cutout and matte into one file, all of the sheet's size."""
    cutout, shadow, backing, matte, flat = (made[want] for want in wants)
    height, width = flat.shape[:2]
    solid = np.full((height, width), 255, np.uint8)

    def layers() -> Iterator[RasterLayer]:
        yield RasterLayer("Matte", np.dstack([matte, matte, matte, solid]), is_seen=False)
        yield RasterLayer("Cutout", cutout)
        yield RasterLayer("Shadow", shadow)
        yield RasterLayer("Backing", np.dstack([backing, solid]))
        yield RasterLayer("Photo", _photo_on_sheet(job, height, width), is_seen=False)

    return encoded_open_raster(layers(), np.dstack([flat, solid]), how), (height, width)


def _photo_on_sheet(job: Job, height: int, width: int) -> NDArray[Any]:
    """Return the photo at its own place on the sheet, clear around it."""
    out = np.zeros((height, width, 4), np.uint8)
    sheet, pixels = sheet_of(job), job.photo.pixels
    top, left = max(sheet.top, 0), max(sheet.left, 0)
    part = pixels[max(-sheet.top, 0) :, max(-sheet.left, 0) :][: max(height - top, 0), : max(width - left, 0)]
    shown = bytes_of_words(part)
    out[top : top + part.shape[0], left : left + part.shape[1], :3] = shown
    out[top : top + part.shape[0], left : left + part.shape[1], 3] = 255
    return out
