"""The matte's half-way line as curves.

References
----------
.. [1] W. E. Lorensen, H. E. Cline, "Marching cubes: a high resolution 3D surface construction algorithm", Computer
   Graphics (SIGGRAPH '87) 21(4), 1987, pp. 163-169; here its two-dimensional form, by contourpy.
   :doi:`10.1145/37402.37422`
"""

from typing import Any, Final

import contourpy
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import FloatArray
from peel.matte.marking.curves import fit_curves

__all__ = ["half_way_curves"]

_LEAST_AREA: Final = 12.0  # square pixels of a part that is worth an outline


def half_way_curves(alpha: FloatArray, tolerance_px: float = 0.7) -> list[list[NDArray[Any]]]:
    """Fit curves to the line at which alpha is one half.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    tolerance_px : float
        How far curves may stray from the line.

    Returns
    -------
    list of lists of (4, 2) float64 ndarrays
        Closed runs of cubic curves, x and y in pixels from the picture's top left corner; subjects and holes alike,
        for the even-odd rule. The subject is closed along the picture's border where it is cut off there.
    """
    padded = np.pad(np.asarray(alpha, np.float32), 1)
    runs = []
    for line in contourpy.contour_generator(z=padded, line_type="Separate").lines(0.5):
        points = np.asarray(line, np.float64) - 0.5  # from pixel middles of the padded picture to corners of its own
        x, y = points[:, 0], points[:, 1]
        if len(points) < 4 or abs(float(x[:-1] @ y[1:] - x[1:] @ y[:-1])) / 2 < _LEAST_AREA:
            continue
        np.clip(points, 0, (alpha.shape[1], alpha.shape[0]), out=points)
        runs.append(fit_curves(points, tolerance_px))
    return runs
