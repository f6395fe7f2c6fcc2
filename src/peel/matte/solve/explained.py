"""What a pixel's alpha would be without each of the terms of its solve."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.solve.closed_form import Given, solve_matte
from peel.matte.solve.evidence import Evidence
from peel.matte.solve.settings import SolveSettings

__all__ = ["Term", "explained_pixel"]

_REACH_PX: Final = 52  # around the pixel, within which alpha is solved anew
_OF_SETTINGS: Final = ("sampled_colour", "local_colour", "sparsity", "steps", "ramps")
_TOLERANCE: Final = 4e-3

Pull = tuple[FloatArray, FloatArray]
"""Weight and pull (H, W) of a sort of evidence; of lines weight and alpha."""


@dataclass(frozen=True)
class Term:
    """A term of the solve at a pixel.

    Attributes
    ----------
    name : str
        "sampled_colour", "local_colour", "sparsity", "steps", "ramps", "lines", or that of a sort of evidence.
    alpha, without : float
        The solution with it, and the one without it.
    """

    name: str
    alpha: float
    without: float

    @property
    def effect(self) -> float:
        """By how much it makes the pixel more solid."""
        return self.alpha - self.without


def explained_pixel(
    image: FloatArray,
    trimap: ByteArray,
    alpha: FloatArray,
    given: Given,
    sorts: Mapping[str, Pull],
    at: tuple[int, int],
    settings: SolveSettings,
) -> tuple[Term, ...]:
    """List what each term does to a pixel, the one with the most effect first; none where the zones fix it.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        A window of the photo around the pixel, as it is solved.
    trimap : (H, W) uint8 ndarray
    alpha : (H, W) float32 ndarray
        The matte as it was solved; it is held but for what lies near the pixel.
    given : Given
        As for `peel.matte.solve.closed_form.solve_matte`, with `prior` and without `rim` and `evidence`.
    sorts : mapping of str to (weight, pull)
        The evidence, sort by sort.
    at : (int, int)
        Row and column.
    settings : SolveSettings

    Notes
    -----
    The pixels near by are solved once as they were, and once without each term. Comparing weights instead would say
    little: a pull that is faint at one pixel decides where many pixels of like colour have it together.
    """
    unknown = (trimap != BACKGROUND) & (trimap != FOREGROUND)
    if not unknown[at]:
        return ()
    rows, columns = (slice(max(place - _REACH_PX, 0), place + _REACH_PX + 1) for place in at)
    held = alpha.astype(np.float32)
    held[rows, columns][unknown[rows, columns]] = np.nan
    quick = replace(settings, tolerance=max(settings.tolerance, _TOLERANCE))

    def solved(terms: SolveSettings, heard: Mapping[str, Pull]) -> float:
        evidence = _together(trimap.shape, heard)
        return float(solve_matte(image, trimap, replace(given, rim=held, evidence=evidence), settings=terms)[0][at])

    whole = solved(quick, sorts)
    found = []
    for name in _OF_SETTINGS:
        if getattr(quick.terms, name) > 0 and _is_asked(given, name):
            fewer = replace(quick, terms=replace(quick.terms, **{name: 0.0}))
            found.append(Term(name, whole, solved(fewer, sorts)))
    for name in sorts:
        others = {other: pull for other, pull in sorts.items() if other != name}
        found.append(Term(name, whole, solved(quick, others)))
    return tuple(sorted(found, key=lambda term: -abs(term.effect)))


def _is_asked(given: Given, name: str) -> bool:
    """Return whether a term has any weight in the window: edges are followed only where their kind was said."""
    return name not in ("steps", "ramps") or (given.maps is not None and bool((getattr(given.maps, name) > 0).any()))


def _together(shape: tuple[int, ...], sorts: Mapping[str, Pull]) -> Evidence:
    """Put sorts of evidence together."""
    evidence = Evidence.none(shape)
    for name, (weight, pull) in sorts.items():
        if name == "lines":
            own = {"line_weight": weight.astype(np.float16), "line_alpha": pull.astype(np.float16)}
            evidence = replace(evidence, **own)
        else:
            evidence = evidence.pulled(weight, pull)
    return evidence
