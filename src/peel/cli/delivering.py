"""Commands on jobs: check, deliver, compact, presets."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from peel.cli.common import app, code_of, colour_of, complain, progress, say, share_of, solved
from peel.errors import PeelError, UsageError, exit_code

if TYPE_CHECKING:
    from peel.work.delivering.rows import RunRow

__all__ = ["check", "compact", "deliver", "presets"]


@app.command()
def check(
    jobs: Annotated[list[Path], typer.Argument(help="The .peel jobs, or folders of them.")],
    severity: Annotated[
        str, typer.Option(help="The least severity that fails the check: slight, plain or grave.")
    ] = "plain",
    reference: Annotated[
        Path | None, typer.Option(help="A true matte of one job as gray picture: adds the error at each place.")
    ] = None,
    preset: Annotated[
        list[str] | None, typer.Option(help="Also look at what this preset would make; may be given several times.")
    ] = None,
    on: Annotated[
        list[str] | None,
        typer.Option(help="Rank by what shows on this colour, as #rrggbb; as ordered unless given."),
    ] = None,
    size: Annotated[
        int | None, typer.Option(min=16, max=65_000, help="The longer side, in pixels, at which it is looked at.")
    ] = None,
    prove_mends: Annotated[bool, typer.Option("--prove", help="Try the mend of each snag out, and judge it.")] = False,
    report: Annotated[
        Path | None, typer.Option(help="Write a page with a picture of each snag here, as one HTML file.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all figures, as JSON.")] = False,
) -> None:
    """Inspect jobs; exit 1 if anything is wrong that was not accepted. One that fails stops no other."""
    from peel.files.presets import find_preset
    from peel.work.inspecting.checking import CheckRequest, check_job, check_order, fails
    from peel.work.inspecting.snag_report import PICTURE_PX, section_of, write_snag_report

    if severity not in ("slight", "plain", "grave"):
        message = f"{severity} is no severity."
        raise UsageError(message, "Choose slight, plain or grave.")
    listed = _listed(jobs)
    if reference is not None and len(listed) > 1:
        raise UsageError("A reference is the true matte of one job.", "Check the jobs one by one.")
    wanted = [find_preset(name) for name in preset or []]
    asked = CheckRequest(
        reference, tuple(colour_of(text) for text in on or []), size, prove_mends, PICTURE_PX if report else 0
    )
    failed, broken = False, 0
    sections: list[str] = []
    for path in listed:
        try:
            with solved(path) as (session, tell):
                rows = check_job(session.job, session.stages, asked, share_of(tell, "Inspecting"))
                rows += check_order(session.job, session.stages, wanted)
        except PeelError as error:  # one job stops no other
            broken = broken or exit_code(error)
            complain(str(path), str(error), alone=len(listed) == 1)
            if as_json:
                typer.echo(json.dumps({"job": str(path), "error": str(error)}))
            continue
        failed |= fails(rows, severity)
        if report is not None:
            sections.append(section_of(str(path), rows))
            for row in rows:
                row.pop("picture", None)
        _say_snags(path, rows, as_json=as_json, alone=len(listed) == 1)
    if report is not None:
        write_snag_report(sections, report)
    if failed or broken:
        raise typer.Exit(broken or 1)


def _say_snags(path: Path, rows: list[dict[str, Any]], *, as_json: bool, alone: bool) -> None:
    if as_json:
        typer.echo(json.dumps({"job": str(path), "snags": rows}))
        return
    if not alone:
        say(f"{path}: {len(rows)} snags")
    for row in rows:
        say(_snag_line(row))


def _snag_line(row: dict[str, Any]) -> str:
    x, y = row["at"]
    accepted = " (accepted)" if row["accepted"] else ""
    error = f", error {row['error_px']:.0f} px" if "error_px" in row else ""
    mend = f" {row['mend']['says']}" if row.get("mend") else ""
    return f"{row['severity']:7}{x:7.0f} {y:6.0f}  {row['says']}{mend}{error}{accepted}"


@app.command()
def deliver(
    jobs: Annotated[list[Path], typer.Argument(help="The .peel jobs, or folders of them.")],
    to: Annotated[str, typer.Option(help="The folder to deliver into, or the address of a client's drop-off.")],
    preset: Annotated[
        list[str] | None,
        typer.Option(
            help="A preset by its name, or as JSON file; may be given several times. Else what the job asks for."
        ),
    ] = None,
    report: Annotated[Path | None, typer.Option(help="Write what was delivered here, as .json or .csv.")] = None,
    sheet: Annotated[Path | None, typer.Option(help="Write a contact sheet here, as one HTML file.")] = None,
    workers: Annotated[int, typer.Option("--jobs", min=1, max=64, help="How many jobs to work on at a time.")] = 1,
    resume: Annotated[bool, typer.Option("--resume", help="Skip what was delivered before and is there.")] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Replace files where a preset says to ask.")] = False,
    unseen: Annotated[
        bool, typer.Option("--unseen", help="Deliver guesses of Peel's too that nobody has looked at.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print a line of JSON for each job.")] = False,
) -> None:
    """Deliver files of jobs; one that fails stops no other."""
    from peel.files.presets import find_preset
    from peel.work.delivering.contact_sheet import write_contact_sheet
    from peel.work.delivering.delivery_report import write_report
    from peel.work.delivering.rows import RunRow
    from peel.work.many.runs import RunOrder, run
    from peel.work.session.leftovers import tidy_up

    order = RunOrder(
        to, tuple(find_preset(name) for name in preset or []), resumes=resume, replaces=replace, unseen=unseen
    )
    tidy_up()
    listed = _listed(jobs)
    rows = [RunRow(path.stem, str(path)) for path in listed]
    with progress() as tell:
        for number, row in run(listed, order, workers=workers, told=_told(tell, listed)):
            rows[number] = row
            _say(row, as_json=as_json, alone=len(listed) == 1)
    if report is not None:
        write_report(rows, report)
    if sheet is not None:
        write_contact_sheet(rows, sheet, f"Delivered on {order.date}")
    if any(row.error for row in rows):
        raise typer.Exit(code_of(rows))


def _listed(paths: list[Path]) -> list[Path]:
    """Return jobs, with folders replaced by the jobs in them."""
    from peel.work.many.batches import jobs_in

    found = [job for path in paths for job in (jobs_in(path) if path.is_dir() else [path])]
    if not found:
        raise UsageError(f"There is no job in {paths[0]}.", "Give .peel files, or a folder of them.")
    return found


def _told(tell: Callable[[str, float], None], jobs: list[Path]) -> Callable[[int, float], bool]:
    def told(number: int, share: float) -> bool:
        tell(f"Delivering {jobs[number].stem}", (number + share) / len(jobs))
        return True

    return told


def _say(row: "RunRow", *, as_json: bool, alone: bool) -> None:
    if row.error:
        complain(row.job, row.error, alone=alone)
    if as_json:
        plain = row.as_json()
        typer.echo(json.dumps(plain["files"] if alone and not row.error else plain))
        return
    for item in row.files:
        say(f"{item.file}  {item.what}" + ("  (as before)" if row.skipped else ""))


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
        say(f"{name:24}{preset.words}")


@app.command()
def compact(
    job: Annotated[Path, typer.Argument(help="The .peel job.")],
) -> None:
    """Forget a job's steps of undo, and give back the room they take."""
    from peel.files.project import ProjectFile
    from peel.work.session.session import Session

    session = Session.resume(ProjectFile.open(job))
    before = job.stat().st_size
    try:
        session.compact()
    finally:
        session.close()
    say(f"{job}: {before / 1e6:.1f} MB before, {job.stat().st_size / 1e6:.1f} MB now")
