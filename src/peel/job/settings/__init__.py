"""The settings of a job: validated, immutable, and the same JSON in the job file and on the command line."""

from collections.abc import Iterable
from typing import Annotated, Any, Final, Literal

from pydantic import AfterValidator, Field, model_validator

from peel.job.settings.base import HexColour, Point, SettingsModel
from peel.job.settings.colour import MOST_OUTWARD, MOST_TINTS, Colour, ColourArea, EdgeColour, SpillHue, Tint
from peel.job.settings.cutouts import MOST_CUTOUTS, Corners, PlacedCutout, is_placeable
from peel.job.settings.delivery import Delivery
from peel.job.settings.edges import KIND_IDS, EdgeArea, by_kind
from peel.job.settings.shadow import CastShadow, ContactShadow, KeptShadow, Shadow
from peel.job.settings.sheet import (
    MOST_SIDE,
    MOST_STOPS,
    Backing,
    BackingPhoto,
    Grade,
    Gradient,
    GradientStop,
    LightWrap,
    Pattern,
    SheetFrame,
    ToneMatch,
)
from peel.job.settings.snags import MOST_SETTLED, DeliverySnagName, Inspection, SettledSnag, SnagLimit, SnagName

__all__ = [
    "MOST_CONTOURS",
    "MOST_CUTOUTS",
    "MOST_FINISH_AREAS",
    "MOST_OUTWARD",
    "MOST_SEPARATIONS",
    "MOST_SETTLED",
    "MOST_SHEER_COLOURS",
    "MOST_SIDE",
    "MOST_STOPS",
    "MOST_TINTS",
    "MOST_TONE",
    "Backing",
    "BackingPhoto",
    "Band",
    "CastShadow",
    "Colour",
    "ColourArea",
    "ContactShadow",
    "Contour",
    "Corners",
    "Delivery",
    "DeliverySnagName",
    "EdgeColour",
    "Finish",
    "FinishArea",
    "Finishes",
    "Grade",
    "Gradient",
    "GradientStop",
    "HexColour",
    "Inspection",
    "JobSettings",
    "KeptShadow",
    "LightWrap",
    "Mixing",
    "Node",
    "Pattern",
    "PhotoSettings",
    "PlacedCutout",
    "Point",
    "Recipe",
    "RenderingName",
    "Separation",
    "SettledSnag",
    "Shadow",
    "SheetFrame",
    "SnagLimit",
    "SnagName",
    "Solving",
    "SpillHue",
    "Tint",
    "ToneMatch",
    "hex_from_rgb",
    "is_placeable",
    "pictures_of",
    "rgb_from_hex",
    "value_of",
    "with_open_ends",
    "with_value",
]

MOST_SHEER_COLOURS: Final = 8
MOST_CONTOURS: Final = 2_000
MOST_SEPARATIONS: Final = 12
MOST_FINISH_AREAS: Final = 50

Mixing = Literal["value", "light"]
MOST_TONE: Final = 8.0
Tone = Annotated[float, Field(ge=-MOST_TONE, le=MOST_TONE, allow_inf_nan=False)]
Weight = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
RenderingName = Literal[
    "red", "green", "blue", "lightness", "green to rose", "blue to yellow", "saturation",
    "red less green", "red less blue", "green less blue", "mix", "key",
]  # fmt: skip


class Node(SettingsModel):
    """A point of a contour, and the stretch that leads to it from the point before.

    Attributes
    ----------
    at : x, y in photo pixels.
    back, out : handles of the curves that arrive and leave, measured from `at`; (0, 0) where the run is straight.
    smooth : whether the two handles are kept in one line.
    trust : in the stretch that leads here, as `Band.trust`, which holds where it is None. At 1 the stretch is exact: a
        hard edge, with a band of a few pixels.
    fitted : whether it was put in between the ends of a freehand or followed run, rather than set by hand.
    """

    at: Point
    back: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)
    smooth: bool = False
    trust: Annotated[float, Field(ge=0, le=1)] | None = None
    fitted: bool = False

    @model_validator(mode="before")
    @classmethod
    def _from_exact(cls, data: Any) -> Any:
        """Accept points of the first seven file formats, whose stretches were exact or not."""
        if not isinstance(data, dict) or "exact" not in data:
            return data
        rest = {key: value for key, value in data.items() if key != "exact"}
        return {**rest, "trust": 1.0 if data["exact"] is True else None}

    @property
    def exact(self) -> bool:
        """Whether the stretch that leads here is exact."""
        return self.trust == 1


class Contour(SettingsModel):
    """A drawn outline.

    Attributes
    ----------
    nodes : its points, in order; the stretch to the first one closes it.
    closed : whether it encloses an area yet.
    hole : whether that area is taken out of the subject rather than added.
    """

    nodes: Annotated[tuple[Node, ...], Field(max_length=200_000)] = ()
    closed: bool = False
    hole: bool = False

    @model_validator(mode="before")
    @classmethod
    def _from_first_format(cls, data: Any) -> Any:
        """Accept contours of the first file format: plain points joined by straight runs."""
        if isinstance(data, dict) and "points" in data:
            points = data["points"] if isinstance(data["points"], list) else []
            rest = {key: value for key, value in data.items() if key != "points"}
            return {**rest, "nodes": [{"at": point} for point in points]}
        return data


class Band(SettingsModel):
    """How the unsure band is laid around the marked boundary; lengths in photo pixels.

    Attributes
    ----------
    lay : "laid" where the photo is unsure, or "plain": as far from the boundary as the widths say.
    trust : in the mark, from 0 (rough) to 1 (exact): how deep and how far out the photo's own evidence may move a laid
        band away from the marked boundary.
    margin_px : how far a laid band reaches at least, both ways.
    outward_px, inward_px : how far a plain band reaches into the backdrop and into the subject.
    exact_px : how far either reaches along hard edges, both ways.
    kinds : whether Peel's suggestions of kinds count, or only what was brushed.
    """

    lay: Literal["laid", "plain"] = "laid"
    trust: Annotated[float, Field(ge=0, le=1)] = 0.5
    margin_px: Annotated[float, Field(ge=0, le=400)] = 4.0
    kinds: Literal["suggested", "none"] = "suggested"
    outward_px: Annotated[float, Field(ge=0, le=400)] = 14.0
    inward_px: Annotated[float, Field(ge=0, le=400)] = 8.0
    exact_px: Annotated[float, Field(ge=0, le=40)] = 3.0

    @model_validator(mode="before")
    @classmethod
    def _from_third_format(cls, data: Any) -> Any:
        """Take widths that come alone, as in the first three file formats, for those of a plain band without kinds."""
        if isinstance(data, dict) and data.keys() & {"outward_px", "inward_px"} and not data.keys() & {"lay", "kinds"}:
            return {**data, "lay": "plain", "kinds": "none"}
        return data


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


def _known_application(applies: str) -> str:
    if applies not in ("everywhere", *KIND_IDS, "stretch"):
        msg = f"a separation cannot count on {applies}"
        raise ValueError(msg)
    return applies


Applies = Annotated[str, AfterValidator(_known_application)]
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


class Finish(SettingsModel):
    """How edges are shaped once they are solved and touched up; see `peel.matte.repair.profile.EdgeShape`."""

    pull_px: Annotated[float, Field(ge=-12, le=12)] = 0.0
    crisp: Annotated[float, Field(ge=-1, le=1)] = 0.0
    even_px: Annotated[float, Field(ge=0, le=40)] = 0.0
    clear_below: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    solid_above: Annotated[float, Field(ge=0.1, le=1)] = 1.0
    middle: Annotated[float, Field(ge=0.05, le=0.95)] = 0.5
    strength: Annotated[float, Field(ge=0, le=1)] = 1.0

    @model_validator(mode="after")
    def _ends_in_order(self) -> "Finish":
        if self.clear_below >= self.solid_above:
            msg = "clear_below has to lie below solid_above"
            raise ValueError(msg)
        return self


class _OverallFinish(SettingsModel):
    everywhere: Finish = Finish()


class Finishes(by_kind(Finish, _OverallFinish)):  # type: ignore[misc] # made from the list of kinds
    """How edges are shaped: everywhere, and in place of that along kinds of edge that have a shape of their own."""

    everywhere: Finish = Finish()

    @property
    def overall(self) -> Finish:
        """The finish of edges that have none of their own."""
        return self.everywhere

    def with_overall(self, finish: Finish) -> "Finishes":
        """Return the finishes with another one for edges that have none of their own."""
        return self.model_copy(update={"everywhere": finish})


class FinishArea(EdgeArea):
    """A drawn part of the photo whose edges are shaped in a way of their own."""

    finish: Finish = Finish()


class PhotoSettings(SettingsModel):
    """What belongs to one photo and cannot be carried to another.

    Attributes
    ----------
    unmarked : what the photo is taken for where nothing was marked.
    guess : how sure Peel was of a guess that nobody has looked at yet, in [0, 1]; None for everything else.
    carried : whether recipe or marks were carried from another photo, and nobody has looked at it yet.
    contours : the drawn outlines, in the order in which they were begun.
    sheer_colours : colours that sheer material has of its own, in the photo's profile, where nothing solid shows them.
    mixing : how the person says that subject and backdrop mix, in linear light or by encoded value; None leaves it to
        Peel.
    mixing_found : what Peel found, once the first matte was solved.
    finish_areas : drawn parts whose edges are shaped in a way of their own, the later over the earlier.
    colour_areas : drawn parts whose edges are coloured in a way of their own, the later over the earlier.
    tints : brushed patches, in the order of their numbers in the plane `patch`.
    spill_found : the hue of a coloured backdrop, "none" if it has none, None while nobody has looked.
    spill_shared : whether the subject has that hue itself.
    settled_snags : snags that were mended or accepted, in that order.
    cutouts : what stands on the sheet, the lowest first.
    ground : two points of the line that the subject stands on; None for the lowest of the subject.
    """

    unmarked: Literal["backdrop", "subject"] = "backdrop"
    guess: Annotated[float, Field(ge=0, le=1)] | None = None
    carried: bool = False
    contours: Annotated[tuple[Contour, ...], Field(max_length=MOST_CONTOURS)] = ()
    sheer_colours: Annotated[tuple[HexColour, ...], Field(max_length=MOST_SHEER_COLOURS)] = ()
    mixing: Mixing | None = None
    mixing_found: Mixing | None = None
    finish_areas: Annotated[tuple[FinishArea, ...], Field(max_length=MOST_FINISH_AREAS)] = ()
    colour_areas: Annotated[tuple[ColourArea, ...], Field(max_length=MOST_FINISH_AREAS)] = ()
    tints: Annotated[tuple[Tint, ...], Field(max_length=MOST_TINTS)] = ()
    spill_found: HexColour | Literal["none"] | None = None
    spill_shared: bool = False
    settled_snags: Annotated[tuple[SettledSnag, ...], Field(max_length=MOST_SETTLED)] = ()
    cutouts: Annotated[tuple[PlacedCutout, ...], Field(max_length=MOST_CUTOUTS)] = (PlacedCutout(),)
    ground: tuple[Point, Point] | None = None

    @property
    def known_mixing(self) -> Mixing | None:
        """How colours mix: as chosen or, failing that, as found; None before either."""
        return self.mixing or self.mixing_found

    @property
    def is_linear(self) -> bool:
        """Whether linear light is mixed rather than encoded values."""
        return self.known_mixing == "light"

    @property
    def is_unseen(self) -> bool:
        """Whether Peel made it alone, and nobody has looked at it yet."""
        return self.guess is not None or self.carried


class Recipe(SettingsModel):
    """What can be carried from one photo to another, in the order of the work."""

    band: Band = Band()
    separations: Annotated[tuple[Separation, ...], Field(max_length=MOST_SEPARATIONS)] = ()
    solving: Solving = Solving()
    finish: Finishes = Finishes()
    inspection: Inspection = Inspection()
    colour: Colour = Colour()
    backing: Backing = Backing()
    subject: Grade = Grade()
    wrap: LightWrap = LightWrap()
    shadow: Shadow = Shadow()
    frame: SheetFrame = SheetFrame()
    delivery: Delivery = Delivery()


class JobSettings(SettingsModel):
    """Everything about a job that is not pixels, in two halves: the photo's own, and the recipe."""

    photo: PhotoSettings = PhotoSettings()
    recipe: Recipe = Recipe()

    @model_validator(mode="before")
    @classmethod
    def _from_second_format(cls, data: Any) -> Any:
        """Sort the settings of the first two file formats, which were in one piece, into the two halves."""
        if not isinstance(data, dict) or not data or {"photo", "recipe"} & data.keys():
            return data
        rest = dict(data)
        matte = rest.pop("matte", {})
        photo = {
            "unmarked": rest.pop("ground", "backdrop"),
            "contours": rest.pop("contours", ()),
            "sheer_colours": matte.get("own_colours", ()) if isinstance(matte, dict) else matte,
            "mixing_found": matte.get("mixing") if isinstance(matte, dict) else matte,
        }
        return {"photo": photo, "recipe": rest}


def value_of(settings: JobSettings, path: str) -> Any:
    """Return one setting by its path.

    >>> value_of(JobSettings(), "recipe.colour.clean")
    1.0
    """
    found: Any = settings
    for name in path.split("."):
        found = getattr(found, name)
    return found


def with_value(settings: JobSettings, path: str, value: Any) -> JobSettings:
    """Return the settings with one of them replaced by a validated value.

    Raises
    ------
    ValueError
        If the value is out of bounds or of another type (`pydantic.ValidationError`).
    AttributeError
        If there is no such setting.

    >>> with_value(JobSettings(), "recipe.colour.clean", 0.5).recipe.colour.clean
    0.5
    """
    holder_path, _, name = path.rpartition(".")
    holder = value_of(settings, holder_path) if holder_path else settings
    getattr(holder, name)
    changed = type(holder).model_validate({**dict(holder), name: value})
    return with_value(settings, holder_path, changed) if holder_path else changed


def pictures_of(settings: JobSettings) -> list[str]:
    """List the digests of all pictures that settings name, each once."""
    backing = settings.recipe.backing
    named = [backing.photo.picture, backing.pattern.picture]
    named += [cutout.source for cutout in settings.photo.cutouts if cutout.source != "subject"]
    return list(dict.fromkeys(digest for digest in named if digest is not None))


def with_open_ends(settings: JobSettings) -> JobSettings:
    """Return the settings with ends and strength of every separation left to Peel again."""
    open_again = {"low": None, "high": None, "strength": None}
    separations = tuple(own.model_copy(update=open_again) for own in settings.recipe.separations)
    return with_value(settings, "recipe.separations", separations) if separations else settings


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
