"""What a number among the settings may be, read from the settings themselves."""

from dataclasses import dataclass, replace
from types import UnionType
from typing import Any, Union, get_args, get_origin

from annotated_types import Ge, Gt, Le, Lt
from pydantic import BaseModel

from peel.job.settings import JobSettings

__all__ = ["Bounds", "bounds_in", "bounds_of"]


@dataclass(frozen=True)
class Bounds:
    """The lowest and highest value of a number, infinite where there is none, its default, and whether it is whole."""

    low: float
    high: float
    default: float
    is_whole: bool = False


def bounds_of(path: str) -> Bounds:
    """Return the bounds of a setting by its path.

    Raises
    ------
    AttributeError
        If there is no such setting, or it is no number.

    >>> bounds_of("recipe.band.trust")
    Bounds(low=0.0, high=1.0, default=0.5, is_whole=False)
    """
    *holders, name = path.split(".")
    model: Any = JobSettings
    for holder in holders:
        model = _model_in(model.model_fields[holder].annotation)
    default: Any = JobSettings()
    for part in (*holders, name):
        default = getattr(default, part, None)
    return replace(bounds_in(model, name), default=_number(default))


def bounds_in(model: type[BaseModel], name: str) -> Bounds:
    """Return the bounds of a number that a model of settings holds; see `bounds_of`."""
    field = model.model_fields.get(name)
    if field is None:
        msg = f"{model.__name__} has no {name}"
        raise AttributeError(msg)
    low, high = float("-inf"), float("inf")
    for limit in [*field.metadata, *_limits_in(field.annotation)]:
        if isinstance(limit, Ge | Gt):
            low = float(limit.ge if isinstance(limit, Ge) else limit.gt)  # type: ignore[arg-type]
        elif isinstance(limit, Le | Lt):
            high = float(limit.le if isinstance(limit, Le) else limit.lt)  # type: ignore[arg-type]
    return Bounds(low, high, _number(field.default), field.annotation is int)


def _number(value: object) -> float:
    return float(value) if isinstance(value, int | float) else 0.0


def _limits_in(annotation: Any) -> list[Any]:
    """Return the limits of a number that may be missing, or that stands in an alias."""
    parts = get_args(annotation) if get_origin(annotation) in (Union, UnionType) else (annotation,)
    found: list[Any] = []
    for part in parts:
        for limit in getattr(part, "__metadata__", ()):
            found += getattr(limit, "metadata", [limit])
    return found


def _model_in(annotation: Any) -> type[BaseModel]:
    """Return the model that a field holds, which may be missing."""
    parts = get_args(annotation) or (annotation,)
    return next(part for part in parts if isinstance(part, type) and issubclass(part, BaseModel))
