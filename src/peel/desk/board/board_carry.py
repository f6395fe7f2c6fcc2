"""Carrying on the board: what was found on one photo to others, looked at first or done, in the background."""

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from peel.desk.asking import Asker, Task, task
from peel.desk.display.tiles import image_from_rgb
from peel.errors import PeelError
from peel.files.photo import read_photo
from peel.job.job import Job, new_job
from peel.work.many.assignment import Assignment
from peel.work.many.batches import approve, carry_job, give_set, load_job
from peel.work.many.board import Entry
from peel.work.many.carrying import What, carried, preview
from peel.work.many.status import UNSEEN

__all__ = ["BoardCarry"]

_LOOK = task("look at what would be carried", "Peel could not tell what would be carried to a photo.")
_CARRY = task("carry", "A photo could not be carried to.")
_SET = task("give the set", "A photo could not be compared with its set.")
_APPROVE = task("take note that it was looked at", "It could not be noted that a photo was looked at.")


class BoardCarry(QObject):
    """Carries on a lane, one photo after another; one that fails stops no other.

    Parameters
    ----------
    asker : Asker
    assignment : Assignment
        Gives the sessions on jobs.
    parent : QObject

    Signals
    -------
    noted : (photo, text, share)
        What becomes of a photo, and how much of it is done.
    pictured : (photo, QImage)
        What a photo would look like.
    done : (Entry,)
        A photo has been carried to, or cannot be.
    """

    noted = Signal(str, str, object)
    pictured = Signal(str, object)
    done = Signal(object)

    def __init__(self, asker: Asker, assignment: Assignment, parent: QObject) -> None:
        super().__init__(parent)
        self._asker, self._assignment = asker, assignment

    def look(self, source: Job, entries: Sequence[Entry], what: What) -> None:
        """Show what would change on each photo; nothing is done."""
        for entry in entries:
            self.noted.emit(str(entry.photo), "looking…", None)
            self._ask(_LOOK, entry, partial(self._look, source, entry, what))

    def carry(self, source: Job, entries: Sequence[Entry], what: What) -> None:
        """Carry to each photo."""
        for entry in entries:
            self.noted.emit(str(entry.photo), "waiting…", 0.0)
            self._ask(_CARRY, entry, partial(self._carry, source, entry, what))

    def give_set(self, frame: Path, entries: Sequence[Entry]) -> None:
        """Give each photo the picture of the set without its subject."""
        for entry in entries:
            self.noted.emit(str(entry.photo), "waiting…", 0.0)
            self._ask(_SET, entry, partial(self._give, frame, entry))

    def _give(self, frame: Path, entry: Entry) -> str:
        self.noted.emit(str(entry.photo), "comparing…", 0.3)
        photo = entry.job if entry.job.exists() else entry.photo
        return give_set(frame, photo, entry.job, self._assignment.borrowed)

    def _ask(self, task: Task, entry: Entry, work: Callable[[], str]) -> None:
        """Ask for work on a photo; its card says what became of it."""

        def tell(says: str) -> None:
            self.noted.emit(str(entry.photo), says, None)
            if task is not _LOOK:
                self.done.emit(entry)

        def tell_failure(error: BaseException) -> None:
            tell(error.message if isinstance(error, PeelError) else f"Peel met an error it did not expect: {error!r}")

        self._asker.ask(task, work, tell, key=None, failed=tell_failure)

    def approve(self, entries: Sequence[Entry]) -> None:
        """Take note that the results on these photos were looked at; on those that need it."""
        for entry in entries:
            if entry.status.progress not in UNSEEN:
                continue
            self._ask(_APPROVE, entry, partial(self._approve, entry))

    def _approve(self, entry: Entry) -> str:
        with self._assignment.borrowed(entry.job) as session:
            approve(session)
        return "looked at"

    def _look(self, source: Job, entry: Entry, what: What) -> str:
        session = self._assignment.session_on(entry.job)
        if session is not None:
            target = session.job
        else:
            target = load_job(entry.job) if entry.job.exists() else new_job(read_photo(entry.photo))
        found = carried(source, target, what)
        self.pictured.emit(str(entry.photo), image_from_rgb(preview(found.job)))
        return f"would carry{found.says.removeprefix('Carried').rstrip('.')}"

    def _carry(self, source: Job, entry: Entry, what: What) -> str:
        self.noted.emit(str(entry.photo), "carrying…", 0.3)
        photo = entry.job if entry.job.exists() else entry.photo
        return carry_job(source, photo, entry.job, what, self._assignment.borrowed)
