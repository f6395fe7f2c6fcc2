"""What all settings have in common: immutable, validated, and nothing in them that is not known."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

__all__ = ["Coordinate", "Digest", "HexColour", "Point", "SettingsModel"]

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Point = tuple[Coordinate, Coordinate]
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
HexColour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


class SettingsModel(BaseModel):
    """A group of settings."""

    model_config = ConfigDict(frozen=True, extra="forbid")
