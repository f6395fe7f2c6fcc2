"""Other versions of a job's matte, from which a place that was better can be brushed in."""

from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np

from peel.files.drawn import read_mask
from peel.job.edits.finishing import as_solved, unfinished
from peel.job.edits.touching import SoftStroke, borrow, has_touches
from peel.job.edits.values import use_matte
from peel.job.history import History
from peel.job.job import Job, new_job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.work.stages import Stages

__all__ = ["Version", "borrow_from", "version_from_file", "versions_of"]

_MOST: Final = 6


@dataclass(frozen=True, eq=False)
class Version:
    """A state of the job whose matte can be a source.

    Attributes
    ----------
    name : str
        For people.
    job : Job
        Of the same photo.
    """

    name: str
    job: Job


def versions_of(history: History) -> tuple[Version, ...]:
    """List the versions that are at hand, those of use first: before touch-ups, then steps of undo, the latest first.

    Only steps with another matte than the ones listed count, and only such as are still in memory.
    """
    current = history.current.job
    assert current is not None
    found = []
    if has_touches(current):
        found.append(Version("Before touch-ups", as_solved(current)))
    seen = {_matte_key(current)}
    for number in range(len(history.states) - 1, -1, -1):
        state = history.states[number]
        if state.job is None or not state.job.has_subject or _matte_key(state.job) in seen:
            continue
        seen.add(_matte_key(state.job))
        undone = number > history.cursor
        found.append(Version(f"{state.label}{' (undone)' if undone else ''}", state.job))
    return tuple(found[:_MOST])


def _matte_key(job: Job) -> tuple[object, ...]:
    """Return what the touched-up matte depends on."""
    touches = (job.planes.get(name) for name in ("force", "firmness", "push_right", "push_down", "softness",
                                                  "borrowed_weight"))  # fmt: skip
    return job.matte, *touches


def version_from_file(path: Path, job: Job) -> Version:
    """Read a matte from a file, gray or the alpha of a picture, as a version.

    Raises
    ------
    PhotoError
        If it cannot be read, is no matte, or does not fit the photo.
    """
    return Version(path.name, use_matte(new_job(job.photo), read_mask(path, job.photo)))


def borrow_from(stages: Stages, job: Job, version: Version, stroke: SoftStroke) -> Job:
    """Brush a version's matte in; the edge profile shapes it as it shapes the rest."""
    other = unfinished(version.job)

    def alpha(window: Rect) -> FloatArray:
        return np.asarray(stages.alpha(other, window, 0), np.float32)

    return borrow(job, stroke, alpha)
