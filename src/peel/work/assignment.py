"""An assignment: many photos, a few of which are open at a time and share the lanes and one memory budget."""

import threading
from dataclasses import dataclass
from enum import Enum
from pathlib import Path
from typing import Final

from peel.work.job_files import new_working_path
from peel.work.recovery import Opened, open_job
from peel.work.resources import Resources
from peel.work.session import Session

__all__ = ["Assignment", "Item", "ItemState"]

_MOST_OPEN: Final = 3


class ItemState(Enum):
    """How far the work on a photo has come."""

    UNTOUCHED = "not begun"
    MARKED = "marked"
    SOLVED = "solved"


@dataclass(frozen=True)
class Item:
    """One photo of an assignment.

    Attributes
    ----------
    source : Path or None
        The photo's file; None where the work began with a job file.
    job : Path or None
        The job file; None before the work has begun.
    state : ItemState
    """

    source: Path | None
    job: Path | None = None
    state: ItemState = ItemState.UNTOUCHED


class Assignment:
    """The photos one works on, and the sessions that are open on them. Any thread.

    A session that is opened stays open while others are, so that going back to it costs nothing; beyond a few, the
    one that was used longest ago is closed.

    Parameters
    ----------
    most_open : int
        Sessions to keep open at a time.
    """

    def __init__(self, most_open: int = _MOST_OPEN) -> None:
        self.resources = Resources()
        self._most_open = most_open
        self._turn = threading.RLock()
        self._items: dict[Path, Item] = {}
        self._open: dict[Path, Session] = {}  # by job file, the longest unused first

    @property
    def items(self) -> list[Item]:
        """Every photo in the order in which it was added, with its present state."""
        with self._turn:
            return [_with_state(item, self._open.get(item.job)) if item.job else item for item in self._items.values()]

    @property
    def sessions(self) -> list[Session]:
        """The open sessions, the longest unused first."""
        with self._turn:
            return list(self._open.values())

    def add(self, photo: Path) -> Item:
        """Add a photo without beginning to work on it."""
        with self._turn:
            return self._items.setdefault(photo.absolute(), Item(photo.absolute()))

    def source_of(self, session: Session) -> Path | None:
        """Return the file of the photo that a session was begun on; None where it began with a job file."""
        with self._turn:
            found = (item.source for item in self._items.values() if item.job == session.project.path)
            return next(found, None)

    def let_go(self, job: Path) -> None:
        """Close the session on a job file, if one is open; waits until all is on disk."""
        with self._turn:
            session = self._open.get(job)
        if session is not None:
            self.close_session(session)

    def begin(self, content: bytes, photo: Path, *, exposure: float = 0.0, job: Path | None = None) -> Opened:
        """Begin work on a photo whose bytes are at hand, in a working file or one given; waits.

        See `Session.begin_with`.
        """
        path = job or new_working_path(photo.name)
        session = Session.begin_with(content, photo.name, path, self.resources, exposure=exposure)
        return self._opened(photo.absolute(), photo.absolute(), Opened(session))

    def open_job(self, path: Path) -> Opened:
        """Open a job file, or go back to it if it is open; waits. See `peel.work.recovery.open_job`."""
        path = path.absolute()
        with self._turn:
            session = self._open.get(path)
            if session is not None:
                self._open[path] = self._open.pop(path)
                return Opened(session)
        return self._opened(path, None, open_job(path, self.resources))

    def keep_as(self, session: Session, path: Path) -> None:
        """Keep a job under a name and go on in that file; waits. See `Session.keep_as`."""
        old = session.project.path
        session.keep_as(path)
        with self._turn:
            if self._open.pop(old, None) is not None:
                self._open[session.project.path] = session
            for key, item in self._items.items():
                if item.job == old:
                    self._items[key] = Item(item.source, session.project.path, item.state)

    def close_session(self, session: Session) -> None:
        """Close one session; waits until all is on disk."""
        with self._turn:
            self._open.pop(session.project.path, None)
            for key, item in self._items.items():
                if item.job == session.project.path:
                    self._items[key] = _with_state(item, session)
        session.close()

    def close(self) -> None:
        """Close every session and the shared lanes; waits until all is on disk."""
        for session in self.sessions:
            self.close_session(session)
        self.resources.close()

    def _opened(self, key: Path, source: Path | None, opened: Opened) -> Opened:
        path = opened.session.project.path
        with self._turn:
            known = self._items.get(key)
            self._items[key] = Item(known.source if known else source, path)
            self._open[path] = opened.session
            surplus = [session for session in self._open.values() if session is not opened.session]
            surplus = surplus[: max(0, len(self._open) - self._most_open)]
        for session in surplus:
            self.close_session(session)
        return opened


def _with_state(item: Item, session: Session | None) -> Item:
    """Return an item with the state of its open session; what is closed keeps its last one."""
    if session is None:
        return item
    job = session.job
    state = ItemState.UNTOUCHED
    if job.has_subject:
        state = ItemState.SOLVED if job.is_solved else ItemState.MARKED
    return Item(item.source, item.job, state)
