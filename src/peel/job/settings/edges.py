"""Values that count for every edge, for kinds of edge, or in drawn areas."""

from typing import Annotated, Any, Final

from pydantic import Field, create_model

from peel.job.settings.base import Point, SettingsModel
from peel.matte.edge.kind import Kind

__all__ = ["KIND_IDS", "EdgeArea", "by_kind", "own_of"]

KIND_IDS: Final = tuple(kind.id for kind in Kind)
"""The kinds of edge, as settings call them."""


class EdgeArea(SettingsModel):
    """A drawn part of the photo whose edges have values of their own; its border fades over `fade_px`."""

    outline: Annotated[tuple[Point, ...], Field(min_length=3, max_length=20_000)]
    fade_px: Annotated[float, Field(ge=0, le=400)] = 24.0


def by_kind(value: type[SettingsModel], base: type[SettingsModel]) -> Any:
    """Return a model with everything that `base` holds, and a value of its own, or None, for each kind of edge."""
    fields: dict[str, Any] = dict.fromkeys(KIND_IDS, (value | None, None))
    return create_model(f"{value.__name__}ByKind", __base__=base, **fields)


def own_of(values: SettingsModel) -> dict[str, Any]:
    """Return the values of the kinds that have some of their own, by the kinds' names."""
    own = {name: getattr(values, name) for name in KIND_IDS}
    return {name: value for name, value in own.items() if value is not None}
