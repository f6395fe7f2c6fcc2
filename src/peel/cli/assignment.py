"""Commands on many photos of one session: propose, carry."""

import json
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from peel.cli.common import app, code_of, complain, progress, say
from peel.errors import UsageError

if TYPE_CHECKING:
    from peel.work.many.carrying import What
    from peel.work.many.each import Work, WorkRow

__all__ = ["carry", "propose"]

_To = Annotated[Path, typer.Option(help="The folder that jobs are written into, each under its photo's name.")]
_Resume = Annotated[bool, typer.Option("--resume", help="Skip photos that were done before.")]
_Workers = Annotated[int, typer.Option("--jobs", min=1, max=64, help="How many photos to work on at a time.")]
_Json = Annotated[bool, typer.Option("--json", help="Print a line of JSON for each photo.")]


@app.command()
def propose(
    photos: Annotated[list[Path], typer.Argument(help="The photographs, or folders of them.")],
    to: _To,
    recipe: Annotated[Path | None, typer.Option(help="JSON file with settings of the recipe.")] = None,
    workers: _Workers = 1,
    resume: _Resume = False,
    as_json: _Json = False,
) -> None:
    """Begin a job on each photo, with Peel's own guess of the subject, solved."""
    from peel.files.recipes import read_recipe
    from peel.work.many.batches import photos_in
    from peel.work.many.each import propose_row

    read = None if recipe is None else read_recipe(recipe)
    listed = [found for path in photos for found in (photos_in(path) if path.is_dir() else [path])]
    _each(partial(propose_row, read, resume), listed, to, workers, as_json=as_json)


@app.command()
def carry(
    source: Annotated[Path, typer.Argument(help="The .peel job to carry from.")],
    photos: Annotated[list[Path], typer.Argument(help="Photographs, jobs, or folders of them.")],
    to: _To,
    what: Annotated[str, typer.Option(help="What to carry: recipe, marks or both.")] = "both",
    workers: _Workers = 1,
    resume: _Resume = False,
    as_json: _Json = False,
) -> None:
    """Carry a job's recipe, and its marks where the framing is the same, to other photos of the session."""
    from peel.work.many.each import carry_row, source_job, works_in
    from peel.work.many.photo_jobs import job_path_for

    if what not in ("recipe", "marks", "both"):
        raise UsageError(f"{what} cannot be carried.", "Choose recipe, marks or both.")
    source_job(source)  # what is wrong with it is said once, not for each photo
    listed = [found for path in photos for found in (works_in(path) if path.is_dir() else [path])]
    own = source.resolve()  # nothing is carried to itself, be it given as a job or as the photo whose job it is
    listed = [path for path in listed if own not in (path.resolve(), job_path_for(path, to).resolve())]
    carried: What = what  # type: ignore[assignment]
    _each(partial(carry_row, source, carried, resume), listed, to, workers, as_json=as_json)


def _each(work: "Work", photos: list[Path], to: Path, workers: int, *, as_json: bool) -> None:
    """Do something for each photo; one that fails stops no other, and nothing is left half-written."""
    from peel.work.many.each import in_turn
    from peel.work.session.leftovers import tidy_up

    tidy_up()
    if not photos:
        raise UsageError("There is no photo to work on.", "Give photographs, or folders of them.")
    rows: list[WorkRow] = []
    with progress() as tell:
        tell(photos[0].name, 0.0)
        for number, row in in_turn(work, photos, to, workers):
            rows.append(row)
            tell(photos[number].name, len(rows) / len(photos))
            if row.error:
                complain(row.photo, row.error)
            if as_json:
                typer.echo(json.dumps(row.as_json()))
            elif not row.error:
                say(f"{row.job}  {row.says}")
    if any(row.error for row in rows):
        raise typer.Exit(code_of(rows))
