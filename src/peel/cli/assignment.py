"""Commands on many photos of one session: propose, carry."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from peel.cli.common import app, progress
from peel.errors import PeelError, UsageError, exit_code

__all__ = ["carry", "propose"]

_To = Annotated[Path, typer.Option(help="The folder that jobs are written into, each under its photo's name.")]
_Resume = Annotated[bool, typer.Option("--resume", help="Skip photos whose job is there already.")]
_Json = Annotated[bool, typer.Option("--json", help="Print a line of JSON for each photo.")]


@app.command()
def propose(
    photos: Annotated[list[Path], typer.Argument(help="The photographs, or folders of them.")],
    to: _To,
    recipe: Annotated[Path | None, typer.Option(help="JSON file with settings of the recipe.")] = None,
    resume: _Resume = False,
    as_json: _Json = False,
) -> None:
    """Begin a job on each photo, with Peel's own guess of the subject, solved."""
    from peel.files.recipes import read_recipe
    from peel.work.batches import propose_job

    read = None if recipe is None else read_recipe(recipe)
    _each(photos, to, lambda photo, job: propose_job(photo, job, read), resume=resume, as_json=as_json)


@app.command()
def carry(
    source: Annotated[Path, typer.Argument(help="The .peel job to carry from.")],
    photos: Annotated[list[Path], typer.Argument(help="Photographs, jobs, or folders of them.")],
    to: _To,
    what: Annotated[str, typer.Option(help="What to carry: recipe, marks or both.")] = "both",
    resume: _Resume = False,
    as_json: _Json = False,
) -> None:
    """Carry a job's recipe, and its marks where the framing is the same, to other photos of the session."""
    from peel.work.batches import carry_job, load_job

    if what not in ("recipe", "marks", "both"):
        raise UsageError(f"{what} cannot be carried.", "Choose recipe, marks or both.")
    job = load_job(source)
    _each(
        [photo for photo in photos if photo.resolve() != source.resolve()],
        to,
        lambda photo, path: carry_job(job, photo, path, what),  # type: ignore[arg-type]
        resume=resume,
        as_json=as_json,
    )


def _each(photos: list[Path], to: Path, work: Callable[[Path, Path], str], *, resume: bool, as_json: bool) -> None:
    """Do something for each photo; one that fails stops no other, and nothing is left half-written."""
    from peel.work.batches import job_path_for, photos_in

    listed = [found for path in photos for found in (photos_in(path) if path.is_dir() else [path])]
    if not listed:
        raise UsageError("There is no photo to work on.", "Give photographs, or folders of them.")
    first: PeelError | None = None
    with progress() as tell:
        for number, photo in enumerate(listed):
            tell(f"{photo.name}", number / len(listed))
            job = job_path_for(photo, to)
            row: dict[str, Any] = {"photo": str(photo), "job": str(job)}
            try:
                skipped = resume and job.exists()
                row["says"] = "there already" if skipped else work(photo, job)
            except PeelError as error:
                first = first or error
                row["error"] = str(error)
                typer.echo(f"peel: {photo}: {error}", err=True)
            if as_json:
                typer.echo(json.dumps(row))
            elif "error" not in row:
                typer.echo(f"{job}  {row['says']}")
    if first is not None:
        raise typer.Exit(exit_code(first))
