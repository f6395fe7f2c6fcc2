"""A region shown over the picture: a tint with a rim, so that it is seen on any photo."""

import cv2
import numpy as np
from PySide6.QtGui import QColor, QImage

from peel.matte.arrays import BoolArray

__all__ = ["overlay_image"]

_TINT = 0.42


def overlay_image(*regions: tuple[BoolArray, QColor]) -> QImage:
    """Draw regions, each in its colour, to be laid over the whole photo; any thread."""
    height, width = regions[0][0].shape
    codes = np.zeros((height, width), np.uint8)
    colours = [0]
    for region, colour in regions:
        inside = region.view(np.uint8)
        core = cv2.erode(inside, np.ones((3, 3), np.uint8), borderValue=1)
        np.maximum(codes, inside * np.uint8(len(colours) + 1) - core, out=codes)
        colours += [_premultiplied(colour, _TINT), _premultiplied(colour, 1.0)]
    pixels = np.array(colours, np.uint32)[codes]
    wrapped = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)
    return wrapped.copy()


def _premultiplied(colour: QColor, opacity: float) -> int:
    red, green, blue = (round(part * opacity) for part in (colour.red(), colour.green(), colour.blue()))
    return round(255 * opacity) << 24 | red << 16 | green << 8 | blue
