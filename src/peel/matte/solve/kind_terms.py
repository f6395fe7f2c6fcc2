"""What each kind of edge makes of the weights of a solve, blended where kinds meet."""

from dataclasses import dataclass, fields
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.kinds import Kind
from peel.matte.edge.laying import reduced
from peel.matte.solve.settings import MAP_STEP, NO_KIND, TermMaps

__all__ = ["FACTORS", "Factors", "term_maps"]


@dataclass(frozen=True)
class Factors:
    """What a kind makes of the weights of `peel.matte.solve.settings.EdgeTerms`; 1 leaves them as they are."""

    sampled_colour: float = 1.0
    local_colour: float = 1.0
    patches: float = 0.0
    lines: float = 0.0
    steps: float = 0.0
    sheer: float = 0.0


FACTORS: Final[dict[Kind, Factors]] = {
    Kind.HARD: Factors(sampled_colour=0.0, steps=1.0),
    Kind.SOFT: Factors(patches=0.25),
    Kind.STRAND: Factors(patches=1.0, lines=1.0),
    Kind.LACY: Factors(),
    Kind.SHEER: Factors(local_colour=0.3, sheer=1.0),
}
"""Every kind's parameters."""

_UNKNOWN: Final = Factors(1.0, 1.0, *NO_KIND)

_BLEND_PX: Final = 24  # photo pixels on either side of a boundary between kinds over which they blend


def term_maps(kinds: ByteArray) -> TermMaps | None:
    """Return the factors that the kinds of an edge ask for, blended where kinds meet.

    Parameters
    ----------
    kinds : (H, W) uint8 ndarray
        Values of `Kind`, or 0 where none is known.

    Returns
    -------
    TermMaps or None
        None where no kind is known. The kinds' shares add up to 1 at every pixel (a smooth partition of unity), so
        that no step is left in the matte.
    """
    present = [kind for kind in Kind if (kinds == kind).any()]
    if not present:
        return None
    window = (2 * (_BLEND_PX // MAP_STEP) + 1,) * 2

    def spread(mask: ByteArray) -> FloatArray:
        return cv2.blur(cv2.blur(reduced(mask * np.uint8(255), MAP_STEP), window), window)

    known = np.maximum(spread((kinds > 0).astype(np.uint8)), np.float32(1e-6))
    maps = {field.name: np.full_like(known, getattr(_UNKNOWN, field.name)) for field in fields(Factors)}
    for kind in present:
        share = spread((kinds == kind).astype(np.uint8)) / known
        for name, values in maps.items():
            values += np.float32(getattr(FACTORS[kind], name) - getattr(_UNKNOWN, name)) * share
    sampled, local, patches, lines, steps, sheer = maps.values()
    return TermMaps(sampled, local, patches, lines, steps, sheer)
