"""Check a job: its snags as plain values, and how far each is from a reference."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from peel.files.drawn import read_reference
from peel.job.job import Job
from peel.job.preset import Preset
from peel.job.rect import Rect
from peel.matte.inspect.snags import Severity, Snag
from peel.work.delivering.delivery_snags import delivery_snags, is_delivery_snag_accepted
from peel.work.inspecting.inspector import Inspector
from peel.work.inspecting.looks import ANY, SnagLook, looks_at, snag_picture
from peel.work.inspecting.proving import Proof, proof_words, prove
from peel.work.inspecting.snag_specs import snag_row
from peel.work.stages import Stages

__all__ = ["CheckRequest", "check_job", "check_order", "fails"]

_AROUND_PX = 12  # around a snag, within which its error is measured


@dataclass(frozen=True)
class CheckRequest:
    """How a job is inspected.

    Attributes
    ----------
    reference : Path or None
        A true matte, gray of 8 or 16 bits, of the photo's size.
    on : tuple of str
        Colours, ``#rrggbb``, on which snags are ranked by how far they show; as ordered if there are none.
    longest_px : int or None
        The longer side at which it is looked at there; the photo's unless given.
    proves : bool
        Whether mends are tried out and judged.
    pictures_px : int
        Side of a picture of each snag; 0 for none.
    """

    reference: Path | None = None
    on: tuple[str, ...] = ()
    longest_px: int | None = None
    proves: bool = False
    pictures_px: int = 0

    def looks(self, job: Job) -> list[SnagLook] | None:
        """Return on what snags are ranked; None for as ordered."""
        if not self.on and self.longest_px is None:
            return None
        longest = max(job.photo.height, job.photo.width)
        return looks_at({colour: colour for colour in self.on} or ANY, (self.longest_px or longest) / longest)


def check_job(
    job: Job,
    stages: Stages,
    request: CheckRequest | None = None,
    progress: Callable[[float], object] | None = None,
) -> list[dict[str, Any]]:
    """Inspect a job; what shows most comes first.

    Parameters
    ----------
    job : Job
    stages : Stages
    request : CheckRequest, optional
    progress : callable, optional
        Called with the share done.

    Raises
    ------
    PhotoError
        If the reference cannot be read or is of another size.
    """
    asked = request or CheckRequest()
    truth = None if asked.reference is None else read_reference(asked.reference, job.photo)
    looks = asked.looks(job)
    rows = []
    for snag in Inspector(stages).inspect(job, progress, looks).snags:
        row = snag_row(job, snag)
        if truth is not None:
            row["error_px"] = round(_error(job, stages, snag, truth), 1)
        if asked.proves:
            row["mend"] = _proof_row(snag, prove(stages, job, snag))
        if asked.pictures_px:
            row["picture"] = snag_picture(stages, job, snag, asked.pictures_px, looks)
        rows.append(row)
    return rows


def _proof_row(snag: Snag, proof: Proof | None) -> dict[str, Any] | None:
    if proof is None:
        return None
    return {
        "says": proof_words(snag, proof),
        "improves": proof.improves,
        "before": round(proof.before, 4),
        "after": round(proof.after, 4),
        "objection": proof.objection,
    }


def check_order(job: Job, stages: Stages, presets: Sequence[Preset]) -> list[dict[str, Any]]:
    """Look at what presets would make of a job; as rows like those of `check_job`."""
    return [
        {
            "sort": snag.sort,
            "severity": snag.severity.value,
            "at": [round(part, 1) for part in snag.at],
            "says": snag.says,
            "tool": snag.mend,
            "accepted": is_delivery_snag_accepted(job, snag),
        }
        for snag in delivery_snags(job, stages, presets)
    ]


def _error(job: Job, stages: Stages, snag: Snag, truth: np.ndarray) -> float:
    """Sum the absolute difference from a reference around a snag's faults, counting no pixel twice."""
    whole = Rect(*snag.box).grown(_AROUND_PX).intersection(job.photo.bounds)
    near = np.zeros((whole.height, whole.width), bool)
    for find in snag.finds:
        near[Rect(*find.box).grown(_AROUND_PX).intersection(whole).within(whole)] = True
    difference = np.abs(stages.alpha(job, whole, 0) - truth[whole.slices])
    return float(difference[near].sum())


def fails(rows: Sequence[dict[str, Any]], severity: str) -> bool:
    """Return whether anything of a severity, or worse, was not accepted."""
    least = Severity(severity).rank
    return any(not row["accepted"] and Severity(row["severity"]).rank >= least for row in rows)
