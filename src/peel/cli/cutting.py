"""Commands that cut one photo, and look at it: cut, separations."""

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from peel.cli.common import app, colour_of, progress, say
from peel.errors import UsageError

if TYPE_CHECKING:
    from peel.files.recipes import RecipeFile
    from peel.job.settings import Point, Separation

__all__ = ["cut", "separations"]

_Zones = Annotated[
    Path | None, typer.Option(help="Gray picture of 8 or 16 bits: black backdrop, white subject, between unsure.")
]
_Mark = Annotated[
    Path | None,
    typer.Option(help="Gray picture of 8 or 16 bits, white subject; the unsure band lays itself around it."),
]

_Tone = Annotated[
    str | None,
    typer.Option(
        help='Begin from a tone instead: a rendering, as "red" or "lightness", and if wanted its clear and its solid '
        'end, as "red:0.2:0.8".'
    ),
]

_Empty = Annotated[
    Path | None,
    typer.Option(help="The set without the subject, taken from the same place; alone, it marks what differs from it."),
]
_Again = Annotated[
    Path | None, typer.Option(help="The same subject before another backdrop, taken from the same place.")
]


@app.command()
def cut(
    photo: Annotated[Path, typer.Argument(help="The photograph: JPEG, PNG, TIFF or WebP.")],
    zones: _Zones = None,
    mark: _Mark = None,
    given: Annotated[
        Path | None,
        typer.Option(
            "--given-matte", help="A finished matte in gray, or a picture with alpha: used as it is, nothing is solved."
        ),
    ] = None,
    tone: _Tone = None,
    empty: _Empty = None,
    again: _Again = None,
    laid: Annotated[
        Path | None, typer.Option(help="Write the zones as they were laid here, as 8-bit gray PNG.")
    ] = None,
    kinds: Annotated[
        str | None,
        typer.Option(
            help="Kinds of edge: suggested, none, or an 8-bit gray picture (50 hard, 100 soft, 150 strand, 200 lacy, "
            "250 sheer). As the recipe says unless given."
        ),
    ] = None,
    recipe: Annotated[Path | None, typer.Option(help="JSON file with settings of the recipe.")] = None,
    shadow_strokes: Annotated[
        Path | None,
        typer.Option(help="JSON file with strokes of a painted shadow: points and radius_px, in pixels of the photo."),
    ] = None,
    strands: Annotated[
        Path | None,
        typer.Option(
            help="JSON file with strands to be followed and made subject: lists of points in pixels of the photo, one "
            "as for a press, or more along the strand."
        ),
    ] = None,
    matte: Annotated[Path | None, typer.Option(help="Write the matte here, as 16-bit gray PNG.")] = None,
    cutout: Annotated[Path | None, typer.Option(help="Write the cutout here, as PNG with straight alpha.")] = None,
    on: Annotated[str | None, typer.Option(help="Backing colour of the flat picture, as #rrggbb.")] = None,
    backing: Annotated[
        str | None,
        typer.Option(help='A kept gradient or pattern that the flat picture stands on, such as "Porcelain".'),
    ] = None,
    flat: Annotated[Path | None, typer.Option(help="Write the cutout on the colour here, as JPEG.")] = None,
    mixing: Annotated[str, typer.Option(help="How the photo mixes colours: found, value or light.")] = "found",
    own_colour: Annotated[
        list[str] | None, typer.Option(help="A colour of sheer material, as #rrggbb; may be given several times.")
    ] = None,
    exposure: Annotated[
        float, typer.Option(min=-2, max=3, help="Stops by which a camera file is developed lighter.")
    ] = 0.0,
    shortest: Annotated[
        float,
        typer.Option("--shortest-hair", min=0, max=4000, help="Leave strands out of which less is seen, in pixels."),
    ] = 0.0,
    faint: Annotated[
        float, typer.Option("--faint-hair", min=0, max=1, help="Bring out faint strands that the photo shows, 0 to 1.")
    ] = 0.0,
    propose_colour: Annotated[
        bool, typer.Option("--propose-colour", help="Take out spill and rims as proposed, and say what was seen.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print seconds per stage and peak memory.")] = False,
) -> None:
    """Cut a photo by a mark, by zones drawn in a picture, by a tone, or by what differs from the empty set."""
    from peel.work.cut import CutFiles, CutRequest
    from peel.work.cut import cut as run_cut
    from peel.work.session.leftovers import tidy_up

    if empty is None or (zones, mark, given, tone) != (None, None, None, None):
        _check_one(zones, mark, given, tone)
    if empty is not None and again is not None:
        raise UsageError("Give one second frame.", "The empty set says more, if it was taken from the same place.")
    files = CutFiles(matte, cutout, flat, laid)
    drawn = Path(kinds) if kinds not in (None, "suggested", "none") else None
    inputs = [path for path in (photo, zones, mark, given, empty, again, drawn, recipe) if path is not None]
    _check_outputs([path for path in (matte, cutout, flat, laid) if path is not None], inputs)
    if on is not None and backing is not None:
        raise UsageError("Give one of --on and --backing.", "The flat picture stands on one of them.")
    read, strokes = _recipe(recipe, on), _strokes(shadow_strokes)
    if backing is not None:
        read = _with_backing(read, backing)
    if shortest or faint:
        read = _with_hair(read, shortest, faint)
    if strokes:
        read = _with_painted_shadow(read)
    request = CutRequest(
        photo=photo,
        zones=zones,
        mark=mark,
        given=given,
        tone=None if tone is None else _tone(tone),
        empty=empty,
        again=again,
        kinds=drawn or kinds,  # type: ignore[arg-type]
        recipe=read.recipe,
        assets=read.assets,
        photo_settings={**_photo_settings(mixing, own_colour or []), **strokes},
        exposure=exposure,
        strands=_strands(strands),
        proposes_colour=propose_colour,
    )
    tidy_up()
    with progress() as tell:
        report = run_cut(request, files, tell)
    if as_json:
        typer.echo(json.dumps(report.as_json()))
        return
    if report.frame is not None:
        typer.echo(f"Second frame: {report.frame.says}")
    if report.colour:
        _say_colour(report.colour)


def _say_colour(found: dict[str, Any]) -> None:
    """Print what was proposed for the edge's colours, in words."""
    spill, rim = found["spill"], found["rim"]
    way = spill["way"] or "nothing takes more out"
    typer.echo(
        f"Spill: seen on {spill['before'] * 100:.1f} % of the edge, now on {spill['after'] * 100:.1f} % ({way})."
    )
    if rim["pull_px"]:
        typer.echo(f"The edge has backdrop in it, as if it lay {rim['pull_px']:g} px too far out. It was not moved.")
    else:
        typer.echo("Rims: corrected." if rim["colour"] else "Rims: none stands out all along the edge.")


def _check_one(*ways: object) -> None:
    if sum(way is not None for way in ways) != 1:
        raise UsageError(
            "Give one of --zones, --mark, --given-matte and --tone.",
            "A mark is enough: the unsure band lays itself around it.",
        )


def _tone(text: str) -> "Separation":
    from pydantic import ValidationError

    from peel.job.settings import Separation
    from peel.matte.separation.renderings import RENDERINGS

    name, *ends = text.split(":")
    try:
        low, high = (float(end) for end in ends) if ends else (None, None)
        separation = Separation.model_validate({"rendering": name, "low": low, "high": high})
    except (ValueError, ValidationError):
        separation = None
    if separation is None or name not in RENDERINGS:
        message = f"{text} is no rendering with its two ends."
        raise UsageError(message, f"Write it as red:0.2:0.8; the renderings are {', '.join(RENDERINGS)}.")
    return separation


def _recipe(path: Path | None, colour: str | None) -> "RecipeFile":
    """Read a recipe; without one, or with a colour given, the backing is that colour, white unless given."""
    from peel.files.recipes import RecipeFile, read_recipe
    from peel.job.settings import Recipe

    file = RecipeFile(Recipe()) if path is None else read_recipe(path)
    if colour is None and path is not None and file.recipe.backing.kind != "nothing":
        return file
    backing = {"kind": "colour", "colour": colour_of(colour or "#ffffff")}
    return RecipeFile(Recipe.model_validate({**dict(file.recipe), "backing": backing}), file.assets)


def _photo_settings(mixing: str, sheer_colours: list[str]) -> dict[str, Any]:
    from peel.job.settings import MOST_SHEER_COLOURS

    if mixing not in ("found", "value", "light"):
        message = f"{mixing} is no way of mixing colours."
        raise UsageError(message, "Choose found, value or light.")
    if len(sheer_colours) > MOST_SHEER_COLOURS:
        message = f"{len(sheer_colours)} colours of sheer material are too many."
        raise UsageError(message, f"Give at most {MOST_SHEER_COLOURS}.")
    chosen = None if mixing == "found" else mixing
    return {"mixing": chosen, "sheer_colours": tuple(colour_of(text) for text in sheer_colours)}


def _with_backing(read: "RecipeFile", name: str) -> "RecipeFile":
    """Put a kept gradient or pattern behind."""
    from peel.files.recipes import RecipeFile
    from peel.work.arranging.kept_backings import backing_named

    changed = backing_named(name).on(read.recipe.backing)
    return RecipeFile(read.recipe.model_copy(update={"backing": changed}), read.assets)


def _strokes(path: Path | None) -> dict[str, Any]:
    """Read the strokes of a painted shadow, as settings of the photo."""
    from peel.files.recipes import read_strokes

    return {} if path is None else {"shadow_painted": read_strokes(path)}


def _strands(path: Path | None) -> "tuple[tuple[Point, ...], ...]":
    """Read the strands that are to be followed."""
    from peel.files.recipes import read_strands

    return () if path is None else read_strands(path)


def _with_painted_shadow(read: "RecipeFile") -> "RecipeFile":
    """Turn the painted shadow of a recipe on."""
    from peel.files.recipes import RecipeFile

    shadow = read.recipe.shadow
    painted = shadow.painted.model_copy(update={"on": True})
    shadow = shadow.model_copy(update={"painted": painted})
    return RecipeFile(read.recipe.model_copy(update={"shadow": shadow}), read.assets)


def _with_hair(read: "RecipeFile", shortest: float, faint: float) -> "RecipeFile":
    """Leave strands out, or bring faint ones out, along all edges that have no profile of their own."""
    from peel.files.recipes import RecipeFile

    finishes = read.recipe.finish
    wanted = {name: value for name, value in (("shortest_px", shortest), ("faint", faint)) if value}
    finishes = finishes.with_overall(finishes.overall.model_copy(update=wanted))
    return RecipeFile(read.recipe.model_copy(update={"finish": finishes}), read.assets)


def _check_outputs(outputs: list[Path], inputs: list[Path]) -> None:
    if not outputs:
        raise UsageError("Nothing to write.", "Give at least one of --matte, --cutout, --flat and --laid.")
    taken = {path.resolve() for path in inputs}
    for path in outputs:
        if path.resolve() in taken:
            message = f"{path} would be written over or twice."
            raise UsageError(message, "Give every file a name of its own.")
        taken.add(path.resolve())


@app.command()
def separations(
    photo: Annotated[Path, typer.Argument(help="The photograph: JPEG, PNG, TIFF or WebP.")],
    zones: _Zones = None,
    mark: _Mark = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all figures, as JSON.")] = False,
) -> None:
    """List renderings of a photo, ranked by how well each tells subject from backdrop at the edge.

    Without a mark: by how well each parts the photo in two, to begin from with cut --tone.
    """
    from peel.work.cut import CutRequest, prepared
    from peel.work.separating.separation_sheet import figures_of, read_sheet
    from peel.work.solving.mixing import with_mixing

    if zones is not None or mark is not None:
        _check_one(zones, mark)
    job = with_mixing(prepared(CutRequest(photo=photo, zones=zones, mark=mark)))
    sheet = read_sheet(job)
    rows = [figures_of(job, row) for row in sheet.rows]
    if as_json:
        typer.echo(json.dumps({"alike": sheet.alike, "keyable": sheet.keyable, "renderings": rows}))
        return
    for row in rows:
        say(f"{row['separability']:7.4f}  {row['rendering']}")
    if sheet.alike:
        say("Subject and backdrop have the same colours at the edge: no rendering tells them apart.")
