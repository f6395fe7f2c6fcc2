"""The settings of delivery: which files are made of a job."""

from collections.abc import Iterable, Mapping
from typing import Annotated, Literal

from pydantic import Field

from peel.job.preset import Preset
from peel.job.settings.base import SettingsModel

__all__ = ["Delivery"]

_MOST_PRESETS = 50


class Delivery(SettingsModel):
    """Which files are delivered, and how: three plain ones, and those of presets.

    Attributes
    ----------
    presets : by their names.
    copies : the same as they were when they were ticked, for a machine that has none of the name.
    """

    cutout: bool = True
    cutout_bits: Literal[8, 16] = 8
    flat: bool = True
    flat_quality: Annotated[int, Field(ge=40, le=100)] = 92
    matte: bool = True
    matte_bits: Literal[8, 16] = 8
    presets: Annotated[tuple[Annotated[str, Field(max_length=80)], ...], Field(max_length=_MOST_PRESETS)] = ()
    copies: Annotated[tuple[Preset, ...], Field(max_length=_MOST_PRESETS)] = ()

    def with_presets(self, names: Iterable[str], known: Mapping[str, Preset]) -> "Delivery":
        """Return the settings with other presets ticked, which are remembered as far as they are known."""
        chosen, there = tuple(names), {preset.name: preset for preset in self.copies} | dict(known)
        copies = tuple(there[name] for name in chosen if name in there)
        return self.model_copy(update={"presets": chosen, "copies": copies})
