"""Layers in one file: OpenRaster, a ZIP of PNGs with their order.

References
----------
.. [1] freedesktop.org, "OpenRaster file layout and layer stack specification", version 0.0.6.
"""

import io
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Final
from xml.sax.saxutils import quoteattr

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.files.encoding import Encoding, encoded_png

__all__ = ["RasterLayer", "encoded_open_raster"]

_THUMB: Final = 256
_DATE: Final = (1980, 1, 1, 0, 0, 0)  # the earliest that a ZIP can say: it would differ in every file


@dataclass(frozen=True)
class RasterLayer:
    """A layer of the size of the whole: name, (H, W, 4) uint8 pixels with straight alpha, and whether it is seen."""

    name: str
    pixels: NDArray[Any]
    is_seen: bool = True


def encoded_open_raster(layers: Iterable[RasterLayer], merged: NDArray[Any], how: Encoding) -> bytes:
    """Encode layers, the foremost first, and how they look together, (H, W, 3) or (H, W, 4) uint8."""
    height, width = merged.shape[:2]
    rows, files = [], []
    for number, layer in enumerate(layers):
        source = f"data/layer{number}.png"
        seen = "visible" if layer.is_seen else "hidden"
        rows.append(
            f'<layer name={quoteattr(layer.name)} src="{source}" x="0" y="0" opacity="1.0" '
            f'visibility="{seen}" composite-op="svg:src-over"/>'
        )
        files.append((source, encoded_png(layer.pixels, how)))
    ppi = f' xres="{how.ppi}" yres="{how.ppi}"' if how.ppi else ""
    stack = (
        f'<?xml version="1.0" encoding="UTF-8"?><image version="0.0.6" w="{width}" h="{height}"{ppi}>'
        f"<stack>{''.join(rows)}</stack></image>"
    )
    scale = min(1.0, _THUMB / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    thumb = cv2.resize(merged, size, interpolation=cv2.INTER_AREA)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        _add(archive, "mimetype", b"image/openraster")
        _add(archive, "stack.xml", stack.encode())
        for name, content in files:
            _add(archive, name, content)
        _add(archive, "mergedimage.png", encoded_png(np.ascontiguousarray(merged), how))
        _add(archive, "Thumbnails/thumbnail.png", encoded_png(np.ascontiguousarray(thumb)))
    return buffer.getvalue()


def _add(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    """Add a file, stored: PNGs are compressed already."""
    archive.writestr(zipfile.ZipInfo(name, _DATE), content)
