"""How each kind of edge looks in Zones, and what it is for, in a few words."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.matte.arrays import BoolArray, IntArray
from peel.matte.edge.kind import Kind

__all__ = ["KIND_LOOKS", "KindLook", "kind_pattern"]

Ink = Callable[[IntArray, IntArray, int], BoolArray]
"""Given rows (h, 1), columns (1, w) and the distance of its marks in pixels, returns where a pattern has ink."""


@dataclass(frozen=True)
class KindLook:
    """What the window shows of a kind.

    Attributes
    ----------
    means : str
        For what it is, and how its band is laid.
    ink : callable
    """

    means: str
    ink: Ink


def _lines(rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    return np.broadcast_to(rows % (every + 1) < _thin(every), (len(rows), columns.shape[1]))


def _strokes(rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    return (columns + rows // 3) % every < _thin(every)


def _mesh(rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    return (rows % every < _thin(every)) ^ (columns % every < _thin(every))


def _dashes(rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    wide = 2 * every
    return (rows % wide < _thin(every)) & (_staggered(rows, columns, wide) < wide // 2 + _thin(every))


def _blocks(rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    wide = 2 * every
    return (rows % wide < wide // 2) & (_staggered(rows, columns, wide) < wide // 2)


def _dots(rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    return (rows % every < _thin(every)) & (_staggered(rows, columns, every) < _thin(every))


def _staggered(rows: IntArray, columns: IntArray, wide: int) -> IntArray:
    """Return how far into its mark each pixel lies, every second row of marks being moved by half of one."""
    return (columns + wide // 2 * (rows // wide % 2)) % wide


def _thin(every: int) -> int:
    return max(every // 3, 1)


KIND_LOOKS: Final[dict[Kind, KindLook]] = {
    Kind.HARD: KindLook("clothes, products: narrow, even", _lines),
    Kind.SOFT: KindLook("out of focus: as wide as the blur", _blocks),
    Kind.STRAND: KindLook("hair, fur, feather: wide", _strokes),
    Kind.LACY: KindLook("leaves, lace, mesh: many small gaps", _mesh),
    Kind.SHEER: KindLook("gauze, glass: half-clear all through", _dashes),
}
"""Every kind of edge as the window shows it."""


def kind_pattern(kind: Kind | None, rows: IntArray, columns: IntArray, every: int) -> BoolArray:
    """Return where the pattern of a kind has ink.

    Parameters
    ----------
    kind : Kind or None
        None for a band without one: small dots.
    rows : (h, 1) int32 ndarray
    columns : (1, w) int32 ndarray
    every : int
        Distance of its marks, in pixels.
    """
    return (_dots if kind is None else KIND_LOOKS[kind].ink)(rows, columns, every)
