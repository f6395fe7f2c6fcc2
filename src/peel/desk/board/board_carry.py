"""Carrying on the board: what was found on one photo to others, looked at first or done, in the background."""

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QObject, Signal

from peel.desk.display.tiles import image_from_rgb
from peel.errors import PeelError
from peel.files.photo import read_photo
from peel.job.job import Job, new_job
from peel.work.many.assignment import Assignment
from peel.work.many.batches import approve, carry_job, load_job
from peel.work.many.board import Entry
from peel.work.many.carrying import What, carried, preview
from peel.work.many.status import UNSEEN
from peel.work.scheduler import Lane, Ticket

__all__ = ["BoardCarry"]


class BoardCarry(QObject):
    """Carries on a lane, one photo after another; one that fails stops no other.

    Parameters
    ----------
    lane : Lane
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

    def __init__(self, lane: Lane, assignment: Assignment, parent: QObject) -> None:
        super().__init__(parent)
        self._lane, self._assignment = lane, assignment

    def look(self, source: Job, entries: Sequence[Entry], what: What) -> None:
        """Show what would change on each photo; nothing is done."""
        for entry in entries:
            self.noted.emit(str(entry.photo), "looking…", None)
            self._lane.submit(None, partial(self._look, source, entry, what), None, partial(self._failed, entry))

    def carry(self, source: Job, entries: Sequence[Entry], what: What) -> None:
        """Carry to each photo."""
        for entry in entries:
            self.noted.emit(str(entry.photo), "waiting…", 0.0)
            self._lane.submit(None, partial(self._carry, source, entry, what), None, partial(self._failed, entry))

    def _failed(self, entry: Entry, error: BaseException) -> None:
        self.noted.emit(str(entry.photo), f"Peel met an error it did not expect: {error!r}", None)
        self.done.emit(entry)

    def approve(self, entries: Sequence[Entry]) -> None:
        """Take note that the results on these photos were looked at; on those that need it."""
        for entry in entries:
            if entry.status.progress not in UNSEEN:
                continue
            self._lane.submit(None, partial(self._approve, entry), None, partial(self._failed, entry))

    def _approve(self, entry: Entry, _ticket: Ticket) -> None:
        says = "looked at"
        try:
            with self._assignment.borrowed(entry.job) as session:
                approve(session)
        except PeelError as error:
            says = error.message
        self.noted.emit(str(entry.photo), says, None)
        self.done.emit(entry)

    def _look(self, source: Job, entry: Entry, what: What, _ticket: Ticket) -> None:
        key = str(entry.photo)
        try:
            session = self._assignment.session_on(entry.job)
            if session is not None:
                target = session.job
            else:
                target = load_job(entry.job) if entry.job.exists() else new_job(read_photo(entry.photo))
            found = carried(source, target, what)
            self.pictured.emit(key, image_from_rgb(preview(found.job)))
            self.noted.emit(key, f"would carry{found.says.removeprefix('Carried').rstrip('.')}", None)
        except PeelError as error:
            self.noted.emit(key, error.message, None)

    def _carry(self, source: Job, entry: Entry, what: What, _ticket: Ticket) -> None:
        key = str(entry.photo)
        self.noted.emit(key, "carrying…", 0.3)
        try:
            photo = entry.job if entry.job.exists() else entry.photo
            says = carry_job(source, photo, entry.job, what, self._assignment.borrowed)
        except PeelError as error:
            says = error.message
        self.noted.emit(key, says, None)
        self.done.emit(entry)
