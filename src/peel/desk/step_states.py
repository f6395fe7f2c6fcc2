"""The small type under each step: what it has come to, and what is missing."""

from peel.desk.controls.step_line import Step
from peel.job import contours
from peel.job.job import Job
from peel.work.shares import matte_shares, zone_shares

__all__ = ["step_states"]


def step_states(job: Job, solving: float | None) -> dict[Step, tuple[str, bool]]:
    """Return each step's words, and whether it has come to something."""
    subject = job.has_subject
    zones = zone_shares(job)
    settings = job.settings
    backing = settings.backing.colour if settings.backing.kind == "colour" else "nothing"
    files = sum((settings.delivery.cutout, settings.delivery.flat, settings.delivery.matte))
    return {
        Step.MARK: (_mark(job), subject),
        Step.EDGE: (
            f"unsure {zones.some * 100:.1f} %" if subject else "no band yet",
            subject and zones.some > 0,
        ),
        Step.MATTE: (_matte(job, solving), subject and job.is_solved),
        Step.COLOUR: (f"cleaned {settings.colour.clean * 100:.0f} %", settings.colour.clean > 0),
        Step.BACKING: (backing, settings.backing.kind == "colour"),
        Step.DELIVER: (f"{files or 'no'} file{'' if files == 1 else 's'}", False),
    }


def _mark(job: Job) -> str:
    if contours.open_contour(job) is not None:
        return "contour open"
    return f"subject {zone_shares(job).full * 100:.0f} %" if job.has_subject else "no subject yet"


def _matte(job: Job, solving: float | None) -> str:
    if solving is not None:
        return f"solving {solving * 100:.0f} %"
    if not job.has_subject:
        return "nothing to solve"
    return f"solved, solid {matte_shares(job).full * 100:.0f} %" if job.is_solved else "mark both sides"
