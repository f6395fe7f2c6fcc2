"""Grades as the numeric code takes them."""

from functools import lru_cache

from peel.job.settings import Grade
from peel.matte.composite.grading import Grading, Tones

__all__ = ["grading_of", "tones_from", "tones_row"]

_Row = tuple[float, float, float, float, float, float]


@lru_cache(maxsize=64)
def grading_of(grade: Grade) -> Grading:
    """Return a grade as a grading."""
    by_hand = grade.model_dump(exclude={"match"})
    if grade.match is None:
        return Grading(**by_hand)
    match = grade.match
    return Grading(tones_from(match.own), tones_from(match.aim), match.amount, **by_hand)


def tones_from(row: _Row) -> Tones:
    """Return mean and spread from six numbers."""
    return Tones(row[:3], row[3:])


def tones_row(tones: Tones) -> _Row:
    """Return mean and spread as six numbers, rounded so that they read well in a recipe."""
    mean, spread = (tuple(round(part, 5) for part in parts) for parts in (tones.mean, tones.spread))
    return (*mean, *spread)  # type: ignore[return-value]
