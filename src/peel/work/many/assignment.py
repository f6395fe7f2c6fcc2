"""An assignment: many photos, a few of which are open at a time and share the lanes and one memory budget."""

import contextlib
import threading
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Final

from peel.files.project import ProjectFile
from peel.work.many.photo_jobs import note_job
from peel.work.session.job_files import new_working_path
from peel.work.session.recovery import Opened, open_job
from peel.work.session.resources import Resources
from peel.work.session.session import Session

__all__ = ["Assignment"]

_MOST_OPEN: Final = 3


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
        self._opening = threading.RLock()  # held while a job is opened, so that two do not open one file
        self._sources: dict[Path, Path] = {}  # the photos that jobs were begun on
        self._sessions: list[Session] = []  # the longest unused first
        self._in_use: Counter[Session] = Counter()
        self._only_borrowed: set[Session] = set()
        self._on_desk: Session | None = None

    @property
    def sessions(self) -> list[Session]:
        """The open sessions, the longest unused first."""
        with self._turn:
            return list(self._sessions)

    def session_on(self, job: Path) -> Session | None:
        """Return the open session on a job file, or None."""
        with self._turn:
            return next((session for session in self._sessions if session.project.path == job), None)

    def put_on_desk(self, session: Session | None) -> None:
        """Say which session is worked on by hand: it is never closed by anyone else."""
        with self._turn:
            self._on_desk = session

    @contextlib.contextmanager
    def borrowed(self, job: Path) -> Iterator[Session]:
        """Work on a job for a while, in the session that is open on it or in one of its own; waits for it to open.

        Nobody closes the session meanwhile; one that was opened for this alone is closed afterwards.

        Raises
        ------
        PeelError
            If the job cannot be opened.
        """
        with self._opening:
            session = self.session_on(job.absolute())
            if session is None:
                session = Session.resume(ProjectFile.open(job), self.resources)
                with self._turn:
                    self._sessions.insert(0, session)
                    self._only_borrowed.add(session)
            with self._turn:
                self._in_use[session] += 1
        try:
            yield session
        finally:
            with self._opening:  # else somebody could be about to put it on the desk
                with self._turn:
                    self._in_use -= Counter([session])  # which drops it at 0
                    is_over = not self._in_use[session] and session in self._only_borrowed
                if is_over:
                    self.close_session(session)

    def source_of(self, session: Session) -> Path | None:
        """Return the file of the photo that a session was begun on; None where it began with a job file."""
        with self._turn:
            return self._sources.get(session.project.path)

    def begin(self, content: bytes, photo: Path, *, exposure: float = 0.0, job: Path | None = None) -> Opened:
        """Begin work on a photo whose bytes are at hand, in a working file or one given; waits.

        See `Session.begin_with`.
        """
        path = job or new_working_path(photo.name)
        session = Session.begin_with(content, photo.name, path, self.resources, exposure=exposure)
        return self._opened(photo.absolute(), Opened(session))

    def open_job(self, path: Path, photo: Path | None = None) -> Opened:
        """Open a job file, or go back to it if it is open; waits. See `peel.work.session.recovery.open_job`."""
        path = path.absolute()
        with self._opening:
            session = self.session_on(path)
            opened = Opened(session) if session is not None else open_job(path, self.resources)
            return self._opened(photo.absolute() if photo is not None else None, opened)

    def keep_as(self, session: Session, path: Path) -> None:
        """Keep a job under a name and go on in that file; waits. See `Session.keep_as`."""
        old = session.project.path
        session.keep_as(path)
        with self._turn:
            source = self._sources.pop(old, None)
            if source is not None:
                self._sources[session.project.path] = source
        note_job(self.source_of(session), session.project.photo_of(path).digest, path)

    def close_session(self, session: Session) -> None:
        """Close one session; waits until all is on disk. One that is borrowed stays open until it is given back."""
        with self._opening:  # whoever opens the job again waits until its file is free
            with self._turn:
                if self._in_use[session] > 0:
                    return
                if session in self._sessions:
                    self._sessions.remove(session)
                self._only_borrowed.discard(session)
                if session is self._on_desk:
                    self._on_desk = None
            session.close()

    def close(self) -> None:
        """Close every session and the shared lanes; waits until all is on disk."""
        with self._turn:
            self._in_use.clear()
        for session in self.sessions:
            self.close_session(session)
        self.resources.close()

    def _opened(self, source: Path | None, opened: Opened) -> Opened:
        session = opened.session
        path = session.project.path
        with self._turn:
            source = source or self._sources.get(path)
            if source is not None:
                self._sources[path] = source
            if session in self._sessions:
                self._sessions.remove(session)
            self._sessions.append(session)
            self._only_borrowed.discard(session)
            spare = [own for own in self._sessions if own not in (session, self._on_desk) and not self._in_use[own]]
            spare = spare[: max(0, len(self._sessions) - self._most_open)]
        note_job(source, ProjectFile.photo_of(path).digest, path)
        for own in spare:
            self.close_session(own)
        return opened
