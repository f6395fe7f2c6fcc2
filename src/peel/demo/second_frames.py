"""Second frames of demo photographs, taken a moment later: a tripod that gave a little, light that drifted."""

from collections.abc import Callable
from pathlib import Path
from typing import Final

import cv2
import numpy as np
from PIL import Image

from peel.demo.bramble import bramble_set
from peel.demo.moth_queen import moth_queen_again
from peel.demo.photos import PHOTOS, demo_photo
from peel.demo.russet import russet_set
from peel.matte.arrays import FloatArray
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["write_second_frames"]

_DRAWN: Final[dict[str, tuple[Callable[[int], FloatArray], tuple[float, float, float, float]]]] = {
    # what draws it; pixels to the right and down per 2000 of height, degrees, stops
    "bramble": (bramble_set, (5.5, -3.0, 0.2, 0.12)),
    "russet": (russet_set, (-3.5, 4.5, -0.3, -0.2)),
    "moth-queen": (moth_queen_again, (2.5, 4.0, 0.1, 0.08)),
}


def write_second_frames(folder: Path = PHOTOS) -> None:
    """Draw the second frames at the size of their photographs."""
    for name, (draw, drift) in _DRAWN.items():
        photo = demo_photo(name)
        with Image.open(photo.photo) as image:
            height = image.height
        right, down, turn_deg, stops = drift
        picture = _drifted(draw(height), right * height / 2000, down * height / 2000, turn_deg, stops)
        assert photo.second_frame is not None
        out = Image.fromarray((picture * 255 + 0.5).astype(np.uint8))
        out.save(folder / photo.second_frame.name, quality=91, subsampling=0, optimize=True)


def _drifted(picture: FloatArray, right: float, down: float, turn_deg: float, stops: float) -> FloatArray:
    height, width = picture.shape[:2]
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), turn_deg, 1.0)
    matrix[:, 2] += right, down
    moved = cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return np.clip(to_encoded(np.clip(to_linear(np.clip(moved, 0, 1)) * 2**-stops, 0, 1)), 0, 1)
