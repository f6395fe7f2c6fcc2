"""Commands on jobs: check, deliver, compact, presets."""

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from peel.cli.common import app, share_of, solved
from peel.errors import PeelError, UsageError

__all__ = ["check", "compact", "deliver", "presets"]


@app.command()
def check(
    jobs: Annotated[list[Path], typer.Argument(help="The .peel jobs.")],
    severity: Annotated[
        str, typer.Option(help="The least severity that fails the check: slight, plain or grave.")
    ] = "plain",
    reference: Annotated[
        Path | None, typer.Option(help="A true matte of one job as gray picture: adds the error at each place.")
    ] = None,
    preset: Annotated[
        list[str] | None, typer.Option(help="Also look at what this preset would make; may be given several times.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all figures, as JSON.")] = False,
) -> None:
    """Inspect jobs; exit 1 if anything is wrong that was not accepted."""
    from peel.files.presets import find_preset
    from peel.work.checking import check_job, check_order, fails

    if severity not in ("slight", "plain", "grave"):
        message = f"{severity} is no severity."
        raise UsageError(message, "Choose slight, plain or grave.")
    if reference is not None and len(jobs) > 1:
        raise UsageError("A reference is the true matte of one job.", "Check the jobs one by one.")
    wanted = [find_preset(name) for name in preset or []]
    failed = False
    for path in jobs:
        with solved(path) as (session, tell):
            rows = check_job(session.job, session.stages, reference, share_of(tell, "Inspecting"))
            rows += check_order(session.job, session.stages, wanted)
        failed |= fails(rows, severity)
        if as_json:
            typer.echo(json.dumps({"job": str(path), "snags": rows}))
            continue
        if len(jobs) > 1:
            typer.echo(f"{path}: {len(rows)} snags")
        for row in rows:
            typer.echo(_snag_line(row))
    if failed:
        raise typer.Exit(1)


def _snag_line(row: dict[str, Any]) -> str:
    x, y = row["at"]
    accepted = " (accepted)" if row["accepted"] else ""
    error = f", error {row['error_px']:.0f} px" if "error_px" in row else ""
    return f"{row['severity']:7}{x:7.0f} {y:6.0f}  {row['says']}{error}{accepted}"


@app.command()
def deliver(
    jobs: Annotated[list[Path], typer.Argument(help="The .peel jobs.")],
    to: Annotated[Path, typer.Option(help="The folder to deliver into.")],
    preset: Annotated[
        list[str] | None,
        typer.Option(
            help="A preset by its name, or as JSON file; may be given several times. Else what the job asks for."
        ),
    ] = None,
    report: Annotated[Path | None, typer.Option(help="Write what was delivered here, as .json or .csv.")] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Replace files where a preset says to ask.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print what was written.")] = False,
) -> None:
    """Deliver files of jobs; one that fails stops no other."""
    from peel.files.presets import find_preset
    from peel.work.delivery_report import write_report
    from peel.work.leftovers import tidy_up

    wanted = [find_preset(name) for name in preset or []]
    tidy_up()
    rows, failure = [], None
    for number, path in enumerate(jobs, start=1):
        try:
            rows.append(_delivered(path, to, wanted, number=number, replaces=replace))
        except PeelError as error:
            if len(jobs) == 1:
                raise
            failure = failure or error
            rows.append({"photo": path.stem, "job": str(path), "files": [], "snags_open": None, "snags_accepted": [],
                         "seconds": 0.0, "error": str(error)})  # fmt: skip
            typer.echo(f"peel: {path}: {error}", err=True)
    if report is not None:
        write_report(rows, report)
    files = [item for row in rows for item in row["files"]]
    if as_json:
        typer.echo(json.dumps(files))
    else:
        for item in files:
            typer.echo(f"{item['file']}  {item['what']}")
    if failure is not None:
        raise failure


def _delivered(path: Path, to: Path, presets: list[Any], *, number: int, replaces: bool) -> dict[str, Any]:
    """Deliver one job, and say what was written."""
    from peel.job.settings import Delivery
    from peel.work.delivery import deliver as run_deliver
    from peel.work.delivery import orders_of, planned, wanted_presets
    from peel.work.delivery_report import report_row

    with solved(path) as (session, tell):
        job = session.job
        # presets that are named take the place of what the recipe ticks
        own = job.with_recipe(delivery=Delivery(cutout=False, flat=False, matte=False)) if presets else job
        orders = orders_of(own, to, presets or wanted_presets(job), number=number)
        original = session.project.photo()[1]
        orders = planned(orders, replaces=replaces)
        delivered = run_deliver(own, session.stages, orders, share_of(tell, "Delivering"), original=original)
        return report_row(job, delivered, source=str(path))


@app.command()
def presets(
    add: Annotated[Path | None, typer.Option(help="Add a preset from a JSON file to your own.")] = None,
    show: Annotated[str | None, typer.Option(help="Print one preset as JSON.")] = None,
) -> None:
    """List the presets that files can be delivered by."""
    from peel.files.presets import find_preset, import_preset
    from peel.files.presets import presets as known

    if add is not None:
        import_preset(add)
    if show is not None:
        typer.echo(json.dumps(find_preset(show).model_dump(mode="json", exclude_defaults=True), indent=2))
        return
    for name, preset in known().items():
        typer.echo(f"{name:24}{preset.words}")


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
