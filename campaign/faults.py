"""Failures put where none is expected: no thread may end of one, and none may go unsaid."""

import contextlib
import os
import random
import tempfile
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from PIL import Image

from campaign.made import picture
from peel.errors import PeelError
from peel.files.project import ProjectFile
from peel.work.many.assignment import Assignment
from peel.work.many.batches import propose_job
from peel.work.many.board import Board
from peel.work.many.runs import RunOrder, run_one
from peel.work.scheduler import Lane
from peel.work.session.session import Session
from peel.work.session.session_events import Trouble

__all__ = ["run"]

ROUNDS = 20


def run(seed: int) -> list[str]:
    """Inject the failures; give the figures."""
    rng = random.Random(seed)
    unsaid, ended = [], 0
    tries: tuple[Callable[[Path, random.Random], str], ...] = (_in_an_edit, _in_a_delivery, _in_a_lane, _in_a_file)
    for number in range(ROUNDS):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            os.environ["XDG_STATE_HOME"] = str(folder / "state")
            Image.fromarray(picture(200, 280)).save(folder / "disc.png")
            before = threading.active_count()
            fault = tries[number % len(tries)](folder, rng)
            if fault:
                unsaid.append(f"{tries[number % len(tries)].__name__}: {fault}")
            ended += threading.active_count() > before + 1
    return [
        *(f"BROKEN {line}" for line in unsaid),
        f"{'BROKEN ' if unsaid or ended else ''}{ROUNDS} injected failures: {len(unsaid)} unsaid or with something "
        f"lost, {ended} threads left over",
    ]


@contextlib.contextmanager
def _failing(owner: Any, name: str, error: BaseException, times: int = 1) -> Iterator[None]:
    """Let a function raise for some calls."""
    real, left = getattr(owner, name), [times]

    def wrapped(*given: Any, **named: Any) -> Any:
        if left[0] > 0:
            left[0] -= 1
            raise error
        return real(*given, **named)

    setattr(owner, name, wrapped)
    try:
        yield
    finally:
        setattr(owner, name, real)


def _error(rng: random.Random) -> BaseException:
    return rng.choice([OSError(28, "No space left"), MemoryError(), ValueError("odd"), KeyError("x"), RecursionError()])


def _in_an_edit(folder: Path, rng: random.Random) -> str:
    session = Session.begin(folder / "disc.png", folder / "disc.peel")
    said: list[object] = []
    session.listen(said.append)
    try:
        with _failing(ProjectFile, "append", _error(rng)):
            session.apply("First", lambda job: job.with_photo_settings(spill_shared=True))
            session.wait_idle()
        if not any(isinstance(event, Trouble) for event in said):
            return "nothing was said"
        session.apply("Second", lambda job: job.with_photo_settings(spill_found="none"))
        session.wait_idle()
        if not session.is_stored:
            return "the states were not written later"
    finally:
        session.close()
    project = ProjectFile.open(folder / "disc.peel")
    labels = [state.label for state in project.history().states]
    project.close()
    return "" if labels == ["Open", "First", "Second"] else f"states {labels}"


def _in_a_delivery(folder: Path, rng: random.Random) -> str:
    propose_job(folder / "disc.png", folder / "disc.peel")
    import peel.work.many.runs as runs

    with _failing(runs, "deliver_job", _error(rng)):
        row = run_one(folder / "disc.peel", RunOrder(str(folder / "out"), unseen=True))
    if not row.error:
        return "no error in the row"
    again = run_one(folder / "disc.peel", RunOrder(str(folder / "out"), unseen=True, resumes=True))
    return "" if len(again.files) == 3 and not again.error else f"not delivered later: {again}"


def _in_a_lane(folder: Path, rng: random.Random) -> str:
    del folder
    lane, done, error = Lane("fault"), [], _error(rng)

    def fails(*_given: object) -> None:
        raise error

    for work, told, failed in ((fails, None, fails), (lambda _t: 1, fails, fails), (fails, None, None)):
        lane.submit(None, work, told, failed)
    lane.submit(None, lambda _ticket: 1, done.append)
    lane.wait_idle(10)
    lane.close()
    return "" if done == [1] else "the lane ended"


def _in_a_file(folder: Path, rng: random.Random) -> str:
    """Delete or replace an open job, in a folder with a pipe, while the board looks on."""
    assignment = Assignment()
    try:
        session = assignment.begin(
            (folder / "disc.png").read_bytes(), folder / "disc.png", job=folder / "disc.peel"
        ).session
        os.mkfifo(folder / "pipe.png")
        (folder / "disc.peel").unlink()
        if rng.random() < 0.5:
            os.mkfifo(folder / "disc.peel")
        entries = Board(folder).scan()
        session.apply("First", lambda job: job.with_photo_settings(spill_shared=True))
        session.wait_idle()
        where = session.project.path
    finally:
        assignment.close()
    try:
        project = ProjectFile.open(where)
        labels = [state.label for state in project.history().states]
        project.close()
    except PeelError as error:
        return str(error)
    return "" if labels == ["Open", "First"] and len(entries) == 1 else f"{labels}, {len(entries)} cards"
