"""How a matte is solved, and by which separations it is helped."""

from typing import Annotated, Final, Literal

from pydantic import Field, model_validator

from peel.job.settings.base import HexColour, SettingsModel, one_of
from peel.job.settings.edges import KIND_IDS

__all__ = ["MOST_SEPARATIONS", "MOST_TONE", "Mixing", "RenderingName", "Separation", "Solving"]

MOST_SEPARATIONS: Final = 12
MOST_TONE: Final = 8.0

Mixing = Literal["value", "light"]
Tone = Annotated[float, Field(ge=-MOST_TONE, le=MOST_TONE, allow_inf_nan=False)]
Weight = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
RenderingName = Literal[
    "red", "green", "blue", "lightness", "green to rose", "blue to yellow", "saturation",
    "red less green", "red less blue", "green less blue", "mix", "key",
]  # fmt: skip


class Solving(SettingsModel):
    """How strongly each prior acts when the matte is solved, relative to the default of 1.

    Attributes
    ----------
    sampled_colour, local_colour, sparsity, patches, lines, steps, sheer : factors on the weights of
        `peel.matte.solve.settings.EdgeTerms`; 0 leaves a term out.
    denoising : share of the denoised matte in the result; 0 keeps the photo's noise.
    """

    sampled_colour: Annotated[float, Field(ge=0, le=100)] = 1.0
    local_colour: Annotated[float, Field(ge=0, le=100)] = 1.0
    sparsity: Annotated[float, Field(ge=0, le=100)] = 1.0
    patches: Annotated[float, Field(ge=0, le=100)] = 1.0
    lines: Annotated[float, Field(ge=0, le=100)] = 1.0
    steps: Annotated[float, Field(ge=0, le=100)] = 1.0
    sheer: Annotated[float, Field(ge=0, le=100)] = 1.0
    denoising: Annotated[float, Field(ge=0, le=1)] = 1.0


Applies = Annotated[str, one_of("place for a separation called", ("everywhere", *KIND_IDS, "stretch"))]
"""Where a separation counts: everywhere, along a kind of edge by its name, or on its stretches."""


class Separation(SettingsModel):
    """A rendering of the photo in one tone that tells subject from backdrop; for the computation only.

    What is None is found in the photo when the matte is solved: the best mix, the backdrop's hue, ends and strength.

    Attributes
    ----------
    applies : where it counts: everywhere, along one kind of edge, or on the stretches drawn for it. Stretches come
        before kinds, kinds before everywhere.
    use : what it does: nothing yet, guide the solver (what it looks at), pull it, or be the matte there.
    rendering : one of `peel.matte.separation.renderings`, "mix", or "key" of the backdrop's hue.
    weights : of red, green and blue in a mix.
    hue : the backdrop's colour for a key, in the photo's profile.
    gain : how strongly a key counts.
    low, high : the tones that are surely backdrop and surely subject, in [0, 1] for most renderings.
    middle : where between them alpha is one half.
    local_contrast, sharpening : how much of both is added to the tone.
    strength : of guide or pull, relative to the default; found: as far as the tone can be trusted.
    """

    applies: Applies = "everywhere"
    use: Literal["look", "guide", "pull", "matte"] = "look"
    rendering: RenderingName = "mix"
    weights: tuple[Weight, Weight, Weight] | None = None
    hue: HexColour | None = None
    gain: Annotated[float, Field(ge=0.1, le=5)] = 1.0
    low: Tone | None = None
    high: Tone | None = None
    middle: Annotated[float, Field(ge=0.05, le=0.95)] = 0.5
    local_contrast: Annotated[float, Field(ge=0, le=4)] = 0.0
    sharpening: Annotated[float, Field(ge=0, le=4)] = 0.0
    strength: Annotated[float, Field(ge=0, le=100)] | None = None

    @model_validator(mode="after")
    def _mixes_something(self) -> "Separation":
        if self.weights is not None and not any(abs(weight) > 1e-6 for weight in self.weights):
            msg = "a mix needs a weight other than 0"
            raise ValueError(msg)
        return self
