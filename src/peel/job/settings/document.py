"""All settings of a job in two halves, and how single ones are read and replaced by their paths."""

from typing import Annotated, Any, Final, Literal

from pydantic import Field, model_validator

from peel.job.settings.base import Digest, HexColour, Point, SettingsModel
from peel.job.settings.colour import MOST_TINTS, Colour, ColourArea, Tint
from peel.job.settings.cutouts import MOST_CUTOUTS, PlacedCutout
from peel.job.settings.delivery import Delivery
from peel.job.settings.finish import MOST_FINISH_AREAS, FinishArea, Finishes
from peel.job.settings.marks import MOST_CONTOURS, Band, Contour
from peel.job.settings.second_frame import FrameNudge, SecondFrame
from peel.job.settings.shadow import MOST_SHADOW_STROKES, Shadow, ShadowStroke
from peel.job.settings.sheet import MOST_SIDE, Backing, Grade, LightWrap, SheetFrame
from peel.job.settings.snags import MOST_SETTLED, Inspection, SettledSnag
from peel.job.settings.solving import MOST_SEPARATIONS, Mixing, Separation, Solving

__all__ = [
    "MOST_CONFIRMED",
    "MOST_KEPT_MARKS",
    "MOST_SHEER_COLOURS",
    "JobSettings",
    "KeptMark",
    "PhotoSettings",
    "Recipe",
    "pictures_of",
    "value_of",
    "with_open_ends",
    "with_value",
]

MOST_SHEER_COLOURS: Final = 8
MOST_KEPT_MARKS: Final = 32
MOST_CONFIRMED: Final = 64

Outline = Annotated[tuple[Point, ...], Field(min_length=3, max_length=20_000)]


class KeptMark(SettingsModel):
    """A mark that was kept under a name.

    Attributes
    ----------
    name : for people; unique among those of a job.
    picture : digest of the picture that holds what was brushed, in four channels; see `peel.work.marking.masks`.
    contours : the outlines that were drawn.
    unmarked : what was taken for the photo where nothing was marked.
    """

    name: Annotated[str, Field(min_length=1, max_length=80)]
    picture: Digest
    contours: Annotated[tuple[Contour, ...], Field(max_length=MOST_CONTOURS)] = ()
    unmarked: Literal["backdrop", "subject"] = "backdrop"


class PhotoSettings(SettingsModel):
    """What belongs to one photo and cannot be carried to another.

    Attributes
    ----------
    unmarked : what the photo is taken for where nothing was marked.
    guess : how sure Peel was of a guess that nobody has looked at yet, in [0, 1]; None for everything else.
    carried : whether recipe, marks or a shared set were carried over, and nobody has looked at it yet.
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
    spill_width_deg : angle around it that leaves out the subject's own colours.
    settled_snags : snags that were mended or accepted, in that order.
    confirmed : outlines of edges that were taken for right as they are.
    cutouts : what stands on the sheet, the lowest first.
    kept_marks : marks that were kept under names.
    frame_nudge : by how much the second frame is moved by hand.
    ground : two points of the line that the subject stands on; None for the lowest of the subject.
    wall_px : how far above that line, in the picture, floor and wall meet; None for a share of the subject's height.
    shadow_painted : strokes of the shadow that was painted, in the order in which they were painted.
    shadow_shaded : strokes that made shadows stronger, or with `takes` weaker.
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
    spill_width_deg: Annotated[float, Field(ge=10, le=170)] = 100.0
    settled_snags: Annotated[tuple[SettledSnag, ...], Field(max_length=MOST_SETTLED)] = ()
    confirmed: Annotated[tuple[Outline, ...], Field(max_length=MOST_CONFIRMED)] = ()
    cutouts: Annotated[tuple[PlacedCutout, ...], Field(max_length=MOST_CUTOUTS)] = (PlacedCutout(),)
    kept_marks: Annotated[tuple[KeptMark, ...], Field(max_length=MOST_KEPT_MARKS)] = ()
    frame_nudge: FrameNudge = FrameNudge()
    ground: tuple[Point, Point] | None = None
    wall_px: Annotated[float, Field(ge=0, le=MOST_SIDE)] | None = None
    shadow_painted: Annotated[tuple[ShadowStroke, ...], Field(max_length=MOST_SHADOW_STROKES)] = ()
    shadow_shaded: Annotated[tuple[ShadowStroke, ...], Field(max_length=MOST_SHADOW_STROKES)] = ()

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

    second_frame: SecondFrame = SecondFrame()
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
    named = [backing.photo.picture, backing.pattern.picture, settings.recipe.second_frame.picture]
    named += [kept.picture for kept in settings.photo.kept_marks]
    named += [cutout.source for cutout in settings.photo.cutouts if cutout.source != "subject"]
    return list(dict.fromkeys(digest for digest in named if digest is not None))


def with_open_ends(settings: JobSettings) -> JobSettings:
    """Return the settings with ends and strength of every separation left to Peel again."""
    open_again = {"low": None, "high": None, "strength": None}
    separations = tuple(own.model_copy(update=open_again) for own in settings.recipe.separations)
    return with_value(settings, "recipe.separations", separations) if separations else settings
