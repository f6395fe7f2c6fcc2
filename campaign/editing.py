"""A process that edits a job until it is killed, and reports what is stored: ``python -m campaign.editing``."""

import random
import sys
from pathlib import Path

from peel.errors import PeelError
from peel.files.project import ProjectFile
from peel.job.edits import marking
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.work.session.session import Session
from peel.work.session.session_events import SessionEvent, Stored


def _edit(rng: random.Random, job: Job) -> Job:
    spots = tuple((rng.uniform(0, 210), rng.uniform(0, 150)) for _ in range(3))
    stroke = Stroke(spots, rng.uniform(3, 25))
    kind = rng.randrange(5)
    if kind == 0:
        return marking.paint_zone(job, stroke, rng.choice(list(Zone)))
    if kind == 1:
        return set_value(job, "recipe.band.outward_px", round(rng.uniform(1, 40), 2))
    return marking.paint_mark(job, stroke, subject=kind > 2)


def main(photo: Path, path: Path, seed: int) -> None:
    """Edit without end; each line on stdout names the file and the labels that are surely stored in it."""
    rng = random.Random(seed)
    session = Session.begin(photo, path)

    def report(event: SessionEvent) -> None:
        if isinstance(event, Stored):
            stored = [state.label for state in session.history.states if state.number > 0]
            print(session.project.path, len(stored), stored[-1], flush=True)

    session.listen(report)
    folder, kept = path.parent, 0
    for step in range(10_000):
        session.apply(f"edit-{step}", lambda job: _edit(rng, job))
        if rng.random() < 0.2:
            session.wait_idle(5)
        chance = rng.random()
        try:
            if chance < 0.06:
                kept += 1
                session.keep_as(folder / f"kept-{kept % 2}.peel")
            elif chance < 0.09:  # the disk is full for some edits, and then is not
                _limit(session.project, 1)
                session.apply(f"edit-{step}b", lambda job: _edit(rng, job))
                session.wait_idle(5)
                _limit(session.project, 1_000_000)
        except PeelError:
            continue


def _limit(project: ProjectFile, pages: int) -> None:
    with project._turn:
        project._sql.execute(f"PRAGMA max_page_count = {pages:d}")


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]))
