"""How well a tone tells subject from backdrop at the edge, and the mix of channels that does so best.

References
----------
.. [1] R. A. Fisher, "The use of multiple measurements in taxonomic problems", Annals of Eugenics 7(2), 1936,
   pp. 179-188. :doi:`10.1111/j.1469-1809.1936.tb02137.x`
.. [2] J. A. Hanley, B. J. McNeil, "The meaning and use of the area under a receiver operating characteristic (ROC)
   curve", Radiology 143(1), 1982, pp. 29-36. :doi:`10.1148/radiology.143.1.7063747`
"""

from typing import Final

import numpy as np

from peel.matte.arrays import FloatArray

__all__ = ["best_mix", "roc_area", "separability"]

_RIDGE: Final = 1e-3  # share of the mean variance added to every channel, so that noise cannot choose the mix
_LEAST: Final = 1e-5  # variance that is always added


def best_mix(subject: FloatArray, backdrop: FloatArray) -> tuple[float, float, float]:
    """Return the linear combination of channels that best separates two sets of colours [1]_.

    Parameters
    ----------
    subject, backdrop : (N, 3), (M, 3) float32 ndarray
        Neither empty.

    Returns
    -------
    three floats
        Weights whose magnitudes add up to 1; the subject is the brighter one. Equal weights where the two sets have
        the same mean.

    Notes
    -----
    The regularised discriminant ``(S_F + S_B + r I)^-1 (mean_F - mean_B)``, with equal weight for both sides.
    """
    spread = sum(np.cov(side.astype(np.float64), rowvar=False, bias=True) for side in (subject, backdrop))
    spread = np.asarray(spread) + (_RIDGE * np.trace(spread) / 3 + _LEAST) * np.eye(3)
    apart = subject.mean(axis=0, dtype=np.float64) - backdrop.mean(axis=0, dtype=np.float64)
    weights = np.linalg.solve(spread, apart)
    total = np.abs(weights).sum()
    if not total > 1e-6:
        return (1 / 3, 1 / 3, 1 / 3)
    red, green, blue = (float(weight) for weight in weights / total)
    return red, green, blue


def roc_area(subject: FloatArray, backdrop: FloatArray) -> float:
    """Return the probability that a subject sample is brighter than a backdrop sample; ties count half [2]_.

    >>> roc_area(np.array([0.2, 0.9], np.float32), np.array([0.1, 0.2], np.float32))
    0.875
    """
    ordered = np.sort(backdrop)
    below, up_to = (np.searchsorted(ordered, subject, side) for side in ("left", "right"))  # equal ones count half
    return float((below + up_to).mean() / (2 * len(backdrop)))


def separability(subject: FloatArray, backdrop: FloatArray) -> float:
    """Return how well a tone separates two sets of samples, whichever is the brighter: 0.5 not at all, 1 fully.

    >>> separability(np.zeros(3, np.float32), np.ones(3, np.float32))
    1.0
    """
    area = roc_area(subject, backdrop)
    return max(area, 1 - area)
