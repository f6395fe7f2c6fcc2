"""Write the plain pictures of the command line: PNG with 8 or 16 bits, and JPEG."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from peel.files.atomic import write_whole
from peel.files.encoding import Encoding, encoded_png

__all__ = ["write_png"]


def write_png(path: Path, pixels: NDArray[Any], profile: bytes | None = None) -> None:
    """Write a PNG.

    Parameters
    ----------
    path : Path
    pixels : (H, W), (H, W, 3) or (H, W, 4) ndarray of uint8 or uint16
        Straight alpha.
    profile : bytes, optional
        ICC profile to embed.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    encoded = encoded_png(np.ascontiguousarray(pixels), Encoding(profile=profile))
    write_whole(path, lambda file: file.write(encoded))
