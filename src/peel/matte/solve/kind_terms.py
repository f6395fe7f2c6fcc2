"""What each kind of edge makes of the weights of a solve, blended where kinds meet."""

from dataclasses import dataclass, fields
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.laying import reduced
from peel.matte.solve.term_maps import MAP_STEP, TermMaps

__all__ = ["FACTORS", "NO_KIND", "Factors", "neutral_maps", "term_maps"]


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

NO_KIND: Final = Factors(patches=0.5, lines=0.3)
"""The parameters where no kind is known: the photo's own gates decide."""

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
    maps = neutral_maps((kinds.shape[0], kinds.shape[1]))
    for kind in present:
        share = spread((kinds == kind).astype(np.uint8)) / known
        for factor in fields(Factors):
            change = getattr(FACTORS[kind], factor.name) - getattr(NO_KIND, factor.name)
            getattr(maps, factor.name)[...] += np.float32(change) * share
    return maps


def neutral_maps(shape: tuple[int, int]) -> TermMaps:
    """Return the factors where no kind is known, for a picture of the given size."""
    small = tuple(-(-side // MAP_STEP) for side in shape)
    return TermMaps(
        **{factor.name: np.full(small, getattr(NO_KIND, factor.name), np.float32) for factor in fields(Factors)}
    )
