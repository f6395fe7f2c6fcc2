"""What each kind of edge makes of the weights of a solve, blended where kinds meet."""

from dataclasses import fields
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import KINDS, NO_KIND, Factors, Kind
from peel.matte.edge.laying import reduced
from peel.matte.solve.term_maps import MAP_STEP, TermMaps

__all__ = ["neutral_maps", "term_maps"]


_BLEND_PX: Final = 24  # photo pixels on either side of a boundary between kinds over which they blend


def term_maps(kinds: ByteArray, said: BoolArray | None = None) -> TermMaps | None:
    """Return the factors that the kinds of an edge ask for, blended where kinds meet.

    Parameters
    ----------
    kinds : (H, W) uint8 ndarray
        Values of `Kind`, or 0 where none is known.
    said : (H, W) bool ndarray, optional
        Where a person said so; everywhere if not given. Blurred steps act only there: strands before a blurred backdrop
        are taken for a soft edge too easily.

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
            change = getattr(KINDS[kind].factors, factor.name) - getattr(NO_KIND, factor.name)
            getattr(maps, factor.name)[...] += np.float32(change) * share
    if said is not None and Kind.SOFT in present:
        maps.ramps[...] *= np.minimum(spread(said.astype(np.uint8)) / known, 1)
    return maps


def neutral_maps(shape: tuple[int, int]) -> TermMaps:
    """Return the factors where no kind is known, for a picture of the given size."""
    small = tuple(-(-side // MAP_STEP) for side in shape)
    return TermMaps(
        **{factor.name: np.full(small, getattr(NO_KIND, factor.name), np.float32) for factor in fields(Factors)}
    )
