"""What all settings have in common: immutable, validated, and nothing in them that is not known."""

from collections.abc import Collection, Iterable
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

__all__ = ["Coordinate", "Digest", "HexColour", "Point", "SettingsModel", "hex_from_rgb", "one_of", "rgb_from_hex"]

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Point = tuple[Coordinate, Coordinate]
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
HexColour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


class SettingsModel(BaseModel):
    """A group of settings."""

    model_config = ConfigDict(frozen=True, extra="forbid")


def one_of(what: str, names: Collection[str]) -> AfterValidator:
    """Return a check that a string is one of some names, for names that are not known before the program runs."""

    def known(name: str) -> str:
        if name not in names:
            msg = f"there is no {what} {name}; there are {', '.join(names)}"
            raise ValueError(msg)
        return name

    return AfterValidator(known)


def hex_from_rgb(colour: Iterable[float]) -> str:
    """Write three parts in [0, 1] as ``#rrggbb``.

    >>> hex_from_rgb((1.0, 0.0, 0.5))
    '#ff0080'
    """
    red, green, blue = (round(min(max(float(part), 0.0), 1.0) * 255) for part in colour)
    return f"#{red:02x}{green:02x}{blue:02x}"


def rgb_from_hex(colour: str) -> tuple[float, float, float]:
    """Return the three parts of ``#rrggbb`` in [0, 1].

    >>> rgb_from_hex("#ff0080")[0]
    1.0
    """
    red, green, blue = (int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue
