"""The kinds of edge, with everything that makes one differ from another in one record each.

A sixth kind is a member of `Kind` and a record here, and its pattern and words in `peel.work.kind_looks`.
"""

from dataclasses import dataclass
from enum import IntEnum
from typing import Final

__all__ = ["KINDS", "NO_KIND", "Factors", "Kind", "KindSpec"]


class Kind(IntEnum):
    """What a stretch of edge is; the values are stored in planes."""

    HARD = 1
    SOFT = 2
    STRAND = 3
    LACY = 4
    SHEER = 5

    @property
    def id(self) -> str:
        """Its name in settings, on the command line and in reports."""
        return self.name.lower()

    @classmethod
    def of(cls, name: str) -> "Kind":
        """Return the kind of a name in settings.

        >>> Kind.of("lacy")
        <Kind.LACY: 4>
        """
        return cls[name.upper()]


@dataclass(frozen=True)
class Factors:
    """What a kind makes of the weights of `peel.matte.solve.settings.EdgeTerms`; 1 leaves them as they are."""

    sampled_colour: float = 1.0
    local_colour: float = 1.0
    patches: float = 0.0
    lines: float = 0.0
    steps: float = 0.0
    ramps: float = 0.0
    sheer: float = 0.0


@dataclass(frozen=True)
class KindSpec:
    """One kind.

    Attributes
    ----------
    mask_level : int
        The gray level that stands for it in a picture of kinds, from 1 to 255.
    factors : Factors
    typical : tuple of five numbers each
        Typical descriptions of stretches of it, measured on drawn edges with known kinds (``python -m bench edge``):
        width of the band, steepness, coherence of directions, share of half-clear pixels, ridges against slopes.
    widens : bool
        Whether evidence is followed farther where it was brushed.
    fills : bool
        Whether all that was brushed belongs to the band.
    needs_strands : bool
        Whether it is suggested only where strands leave the mark.
    suggests : bool
        Whether the solve uses it where it was only suggested.
    is_fine : bool
        Whether every pixel counts: where it prevails, a photo is solved at its own size.
    """

    mask_level: int
    factors: Factors
    typical: tuple[tuple[float, float, float, float, float], ...]
    widens: bool = False
    fills: bool = False
    needs_strands: bool = False
    suggests: bool = True
    is_fine: bool = False


KINDS: Final[dict[Kind, KindSpec]] = {
    Kind.HARD: KindSpec(
        mask_level=50,
        factors=Factors(steps=1.0),
        typical=((1.05, 0.32, 0.98, 0.38, 0.68), (2.2, 0.31, 0.84, 0.45, 0.69)),
        is_fine=True,
    ),
    Kind.SOFT: KindSpec(
        mask_level=100,
        factors=Factors(patches=0.25, ramps=1.0),
        typical=((4.1, 0.145, 0.97, 0.33, 0.32), (4.7, 0.077, 0.96, 0.41, 0.16), (7.2, 0.047, 0.96, 0.46, 0.11)),
        widens=True,
    ),
    Kind.STRAND: KindSpec(
        mask_level=150,
        factors=Factors(patches=1.0, lines=1.0),
        typical=(
            (8.1, 0.25, 0.55, 0.77, 1.13),
            (7.5, 0.22, 0.47, 0.45, 1.04),
            (5.0, 0.31, 0.36, 0.38, 0.70),
            (7.0, 0.31, 0.27, 0.61, 0.99),
            (4.0, 0.31, 0.75, 0.50, 0.90),
        ),
        widens=True,
        needs_strands=True,
    ),
    Kind.LACY: KindSpec(
        mask_level=200,
        factors=Factors(),
        typical=((7.0, 0.32, 0.19, 0.28, 0.81),),
        is_fine=True,
        widens=True,
        needs_strands=True,
    ),
    Kind.SHEER: KindSpec(
        mask_level=250,
        factors=Factors(local_colour=0.3, sheer=1.0),
        typical=((5.0, 0.12, 0.66, 0.55, 0.25),),
        fills=True,
        suggests=False,
    ),
}
"""Every kind; their order is that of the window."""

NO_KIND: Final = Factors(patches=0.5, lines=0.3)
"""The factors where no kind is known: the photo's own gates decide."""
