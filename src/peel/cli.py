"""Peel on the command line: the window, and cutting and delivering without one.

Exit codes: 0 done, 1 a check found snags, 2 the command makes no sense, 3 an input cannot be read or does not fit,
4 an output cannot be written, 5 an error Peel did not expect.
"""

import errno
import json
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from rich.console import Console
from rich.progress import Progress, TextColumn

from peel.errors import DeliveryError, PeelError, PhotoError, ProjectError, SolveError, UsageError

if TYPE_CHECKING:
    from peel.files.recipes import RecipeFile
    from peel.work.session import Session

__all__ = ["app", "main"]

app = typer.Typer(
    help="Cut a photograph's subject from its backdrop as a clean alpha matte.",
    no_args_is_help=False,
    add_completion=False,
    pretty_exceptions_enable=False,
)
_errors = Console(stderr=True)
_COMMANDS = ("check", "compact", "cut", "deliver", "demo", "separations", "window")


_Zones = Annotated[Path | None, typer.Option(help="8-bit gray picture: 0 backdrop, 255 subject, between unsure.")]
_Mark = Annotated[
    Path | None, typer.Option(help="8-bit gray picture, 255 subject; the unsure band lays itself around it.")
]


@app.command()
def window(
    files: Annotated[
        list[Path] | None, typer.Argument(help="A photo or .peel job; of several the first is opened.")
    ] = None,
) -> None:
    """Open the window (also what `peel FILES` does)."""
    raise typer.Exit(_show(files or [], demo=False))


@app.command()
def demo() -> None:
    """Open the window on the demo assignment."""
    raise typer.Exit(_show([], demo=True))


def _show(files: list[Path], *, demo: bool) -> int:
    from peel.desk.app import run

    return run(files, demo=demo)


@app.command()
def cut(
    photo: Annotated[Path, typer.Argument(help="The photograph: JPEG, PNG, TIFF or WebP.")],
    zones: _Zones = None,
    mark: _Mark = None,
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
    matte: Annotated[Path | None, typer.Option(help="Write the matte here, as 16-bit gray PNG.")] = None,
    cutout: Annotated[Path | None, typer.Option(help="Write the cutout here, as PNG with straight alpha.")] = None,
    on: Annotated[str | None, typer.Option(help="Backing colour of the flat picture, as #rrggbb.")] = None,
    flat: Annotated[Path | None, typer.Option(help="Write the cutout on the colour here, as JPEG.")] = None,
    mixing: Annotated[str, typer.Option(help="How the photo mixes colours: found, value or light.")] = "found",
    own_colour: Annotated[
        list[str] | None, typer.Option(help="A colour of sheer material, as #rrggbb; may be given several times.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print seconds per stage and peak memory.")] = False,
) -> None:
    """Cut a photo by a mark or by zones drawn in a picture."""
    from peel.work.cut import CutFiles, CutRequest
    from peel.work.cut import cut as run_cut
    from peel.work.leftovers import tidy_up

    _check_one(zones, mark)
    files = CutFiles(matte, cutout, flat, laid)
    drawn = Path(kinds) if kinds not in (None, "suggested", "none") else None
    inputs = [path for path in (photo, zones, mark, drawn, recipe) if path is not None]
    _check_outputs([path for path in (matte, cutout, flat, laid) if path is not None], inputs)
    read = _recipe(recipe, on)
    request = CutRequest(
        photo=photo,
        zones=zones,
        mark=mark,
        kinds=drawn or kinds,  # type: ignore[arg-type]
        recipe=read.recipe,
        assets=read.assets,
        photo_settings=_photo_settings(mixing, own_colour or []),
    )
    tidy_up()
    with _progress() as tell:
        report = run_cut(request, files, tell)
    if as_json:
        typer.echo(json.dumps(report.as_json()))


def _check_one(zones: Path | None, mark: Path | None) -> None:
    if (zones is None) == (mark is None):
        raise UsageError("Give either --zones or --mark.", "A mark is enough: the unsure band lays itself around it.")


def _recipe(path: Path | None, colour: str | None) -> "RecipeFile":
    """Read a recipe; without one, or with a colour given, the backing is that colour, white unless given."""
    from peel.files.recipes import RecipeFile, read_recipe
    from peel.job.settings import Recipe

    file = RecipeFile(Recipe()) if path is None else read_recipe(path)
    if colour is None and path is not None and file.recipe.backing.kind != "nothing":
        return file
    backing = {"kind": "colour", "colour": _colour(colour or "#ffffff")}
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
    return {"mixing": chosen, "sheer_colours": tuple(_colour(text) for text in sheer_colours)}


def _colour(text: str) -> str:
    import re

    if not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        message = f"{text} is not a colour."
        raise UsageError(message, "Give it as #rrggbb, for example #ffffff.")
    return text.lower()


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
    """List renderings of a photo, ranked by how well each tells subject from backdrop at the edge."""
    from peel.job.mixing import with_mixing
    from peel.work.cut import CutRequest, prepared
    from peel.work.separation_sheet import figures_of, read_sheet

    _check_one(zones, mark)
    job = with_mixing(prepared(CutRequest(photo=photo, zones=zones, mark=mark)))
    sheet = read_sheet(job)
    rows = [figures_of(job, row) for row in sheet.rows]
    if as_json:
        typer.echo(json.dumps({"alike": sheet.alike, "keyable": sheet.keyable, "renderings": rows}))
        return
    for row in rows:
        typer.echo(f"{row['separability']:7.4f}  {row['rendering']}")
    if sheet.alike:
        typer.echo("Subject and backdrop have the same colours at the edge: no rendering tells them apart.")


@app.command()
def check(
    job: Annotated[Path, typer.Argument(help="The .peel job.")],
    severity: Annotated[
        str, typer.Option(help="The least severity that fails the check: slight, plain or grave.")
    ] = "plain",
    reference: Annotated[
        Path | None, typer.Option(help="A true matte as gray picture: adds the measured error at each place.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all figures, as JSON.")] = False,
) -> None:
    """Inspect a job's matte; exit 1 if anything is wrong that was not accepted."""
    from peel.work.checking import check_job, fails

    if severity not in ("slight", "plain", "grave"):
        message = f"{severity} is no severity."
        raise UsageError(message, "Choose slight, plain or grave.")
    with _solved(job) as (session, tell):
        rows = check_job(session.job, session.stages, reference, _share_of(tell, "Inspecting"))
    if as_json:
        typer.echo(json.dumps({"job": str(job), "snags": rows}))
    else:
        for row in rows:
            typer.echo(_snag_line(row))
    if fails(rows, severity):
        raise typer.Exit(1)


def _snag_line(row: dict[str, Any]) -> str:
    x, y = row["at"]
    accepted = " (accepted)" if row["accepted"] else ""
    error = f", error {row['error_px']:.0f} px" if "error_px" in row else ""
    return f"{row['severity']:7}{x:7.0f} {y:6.0f}  {row['says']}{error}{accepted}"


@app.command()
def deliver(
    job: Annotated[Path, typer.Argument(help="The .peel job.")],
    to: Annotated[Path, typer.Option(help="The folder to deliver into.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print what was written.")] = False,
) -> None:
    """Deliver the files that a job asks for."""
    from peel.work.delivery import deliver as run_deliver
    from peel.work.delivery import orders_of
    from peel.work.leftovers import tidy_up

    tidy_up()
    with _solved(job) as (session, tell):
        delivered = run_deliver(session.job, session.stages, orders_of(session.job, to), _share_of(tell, "Delivering"))
    if as_json:
        rows = [{"file": str(item.path), "what": item.what, "bytes": item.size_bytes} for item in delivered]
        typer.echo(json.dumps(rows))
    else:
        for item in delivered:
            typer.echo(f"{item.path}  {item.what}")


@contextmanager
def _solved(path: Path) -> "Iterator[tuple[Session, Callable[[str, float], None]]]":
    """Open a job, solve what is unsolved, and give its session with something to tell progress to.

    Raises
    ------
    SolveError
        If it has no subject, or cannot be solved.
    """
    from peel.files.project import ProjectFile
    from peel.work.session import Session
    from peel.work.solving import check_solvable

    session = Session.resume(ProjectFile.open(path))
    try:
        if not session.job.has_subject:
            message = f"{path} has no subject marked yet."
            raise SolveError(message, "Open it in the window and mark one.")
        with _progress() as tell:
            tell("Solving", 0.0)
            check_solvable(session.job)
            session.wait_idle(24 * 3600)
            if not session.job.is_solved:
                message = f"The matte of {path} could not be solved."
                raise SolveError(message, "Open it in the window to see why.")
            yield session, tell
    finally:
        session.close()


@app.command()
def compact(
    job: Annotated[Path, typer.Argument(help="The .peel job.")],
) -> None:
    """Forget a job's steps of undo, and give back the room they take."""
    from peel.files.project import ProjectFile
    from peel.work.session import Session

    session = Session.resume(ProjectFile.open(job))
    before = job.stat().st_size
    try:
        session.compact()
    finally:
        session.close()
    typer.echo(f"{job}: {before / 1e6:.1f} MB before, {job.stat().st_size / 1e6:.1f} MB now")


def _share_of(tell: Callable[[str, float], None], stage: str) -> Callable[[float], bool]:
    def told(share: float) -> bool:
        tell(stage, share)
        return True

    return told


class _progress:  # noqa: N801 - used like a function
    """Show progress on stderr: a bar on a terminal, a line per stage in a log."""

    def __init__(self) -> None:
        self._bar = Progress(
            *Progress.get_default_columns()[:2],
            TextColumn("{task.percentage:>3.0f} %"),
            console=_errors,
            transient=True,
        )
        self._task = self._bar.add_task("", total=1.0)
        self._stage = ""

    def __enter__(self) -> Callable[[str, float], None]:
        if _errors.is_terminal:
            self._bar.start()
        return self._tell

    def __exit__(self, *_error: object) -> None:
        if _errors.is_terminal:
            self._bar.stop()

    def _tell(self, stage: str, share: float) -> None:
        if stage != self._stage and not _errors.is_terminal:
            typer.echo(stage, err=True)
        self._stage = stage
        self._bar.update(self._task, description=stage, completed=share)


def _exit_code(error: PeelError) -> int:
    if isinstance(error, UsageError):
        return 2
    if isinstance(error, DeliveryError):
        return 4
    if isinstance(error, PhotoError | ProjectError | SolveError):
        return 3
    return 5


def main(arguments: list[str] | None = None) -> int:
    """Run Peel; the exit code is given to the shell."""
    given = sys.argv[1:] if arguments is None else arguments
    # `peel photo.jpg` opens the window on it, without a command's name
    if not given or (given[0] not in _COMMANDS and not given[0].startswith("-")):
        given = ["window", *given]
    try:
        code = app(given, standalone_mode=False, prog_name="peel")
        sys.stdout.flush()
    except OSError as error:
        if not _concerns_output(error):
            return _unexpected(error)
        _leave_stdout()
        return _exit_code(DeliveryError("Standard output cannot be written."))
    except PeelError as error:
        typer.echo(f"peel: {error}", err=True)
        return _exit_code(error)
    except typer.Exit as stop:
        return int(stop.exit_code)
    except typer.Abort:
        return 130
    except typer.TyperException as error:
        error.show()  # type: ignore[attr-defined]
        return 2
    except Exception as error:  # noqa: BLE001 - the top: everything else is a bug, and is logged
        return _unexpected(error)
    return int(code or 0)


def _concerns_output(error: OSError) -> bool:
    """Return whether an error is about standard output: full, or closed by whoever read it."""
    return error.errno in {errno.ENOSPC, errno.EPIPE, errno.EIO, errno.EBADF} and error.filename is None


def _leave_stdout() -> None:
    """Say that standard output cannot be written, and keep the interpreter from trying once more."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    typer.echo("peel: standard output cannot be written: the disk is full, or nobody reads it.", err=True)


def _unexpected(error: Exception) -> int:
    import traceback

    from peel.work.memory import log_file

    try:
        with log_file().open("a", encoding="utf-8") as log:
            traceback.print_exception(error, file=log)
        where = f"the details are in {log_file()}"
    except (OSError, PeelError):
        where = f"and it could not be logged: {error!r}"
    typer.echo(f"peel: an error Peel did not expect; {where}.", err=True)
    return 5


if __name__ == "__main__":
    sys.exit(main())
