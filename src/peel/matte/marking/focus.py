"""Tell what is in focus from what is not, where a photo parts in two.

References
----------
.. [1] N. Otsu, "A threshold selection method from gray-level histograms", IEEE Transactions on Systems, Man, and
   Cybernetics 9(1), 1979, pp. 62-66. :doi:`10.1109/TSMC.1979.4310076`
"""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import ByteArray
from peel.matte.marking.cells import Cells, Values

__all__ = ["focus_of"]

_LUMA: Final = np.array([0.299, 0.587, 0.114], np.float32)
_NOISE: Final = 0.3  # energy of fine detail, in squared values, that any photo has
_APART: Final = 2.5  # natural logarithm of energies by which both parts must differ
_SOFT_FRAME: Final = 0.7  # share of the frame that must be out of focus


def focus_of(cells: Cells, picture: ByteArray) -> Values | None:
    """Return how far each cell is in focus, in [0, 1]; None where the photo does not part in two.

    Parameters
    ----------
    cells : Cells
        Of a smaller picture of the same photo.
    picture : (H, W, 3) uint8 ndarray
        The photo, large enough that its sharpness shows.
    """
    gray = picture.astype(np.float32) @ _LUMA
    octave = cv2.GaussianBlur(gray, (0, 0), 1.0) - cv2.GaussianBlur(gray, (0, 0), 2.0)
    energy = np.log(cv2.GaussianBlur(octave**2, (0, 0), 5) + np.float32(_NOISE))
    height, width = cells.labels.shape
    sharpness = cells.mean(cv2.resize(energy, (width, height), interpolation=cv2.INTER_AREA))
    span = np.ptp(sharpness)
    if span < _APART:
        return None
    levels = ((sharpness - sharpness.min()) / span * 255).astype(np.uint8).reshape(-1, 1)
    threshold, _ = cv2.threshold(levels, 0, 255, cv2.THRESH_OTSU)
    sharp = levels[:, 0] > threshold
    low, high = float(sharpness[~sharp].mean()), float(sharpness[sharp].mean())
    if high - low < _APART or (~sharp[cells.framed]).mean() < _SOFT_FRAME:
        return None
    return np.asarray(np.clip((sharpness - low) / (high - low), 0, 1))
