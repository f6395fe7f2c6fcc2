"""A region shown over the picture: a tint with a rim, so that it is seen on any photo."""

import cv2
import numpy as np
from PySide6.QtGui import QColor, QImage

from peel.matte.arrays import BoolArray

__all__ = ["overlay_image"]


def overlay_image(*regions: tuple[BoolArray, QColor]) -> QImage:
    """Draw regions, each in its colour, to be laid over the whole photo; any thread."""
    height, width = regions[0][0].shape
    out = np.zeros((height, width, 4), np.uint8)
    for region, colour in regions:
        inside = region.astype(np.uint8)
        rim = cv2.morphologyEx(inside, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) & inside
        # premultiplied, in the order of Format_ARGB32_Premultiplied on this byte order
        tint = [round(part * 0.42) for part in (colour.blue(), colour.green(), colour.red(), 255)]
        out[region] = tint
        out[rim > 0] = (colour.blue(), colour.green(), colour.red(), 255)
    image = QImage(out.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)
    return image.copy()
