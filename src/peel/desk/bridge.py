"""One object that turns a session's news, which come from worker threads, into Qt signals."""

from PySide6.QtCore import QObject, Signal

from peel.job.job import Job
from peel.work.session import Session
from peel.work.session_events import Changed, SessionEvent, Solving, Stored, Trouble

__all__ = ["SessionBridge"]


class SessionBridge(QObject):
    """The open session, seen from the window.

    Signals
    -------
    changed : (Job, Job)
        The job now and before.
    solving : (object,)
        Share done as a float, or None.
    stored : (bool,)
        Whether every change is on disk.
    trouble : (Trouble,)
    """

    changed = Signal(object, object)
    solving = Signal(object)
    stored = Signal(bool)
    trouble = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._is_closed = False
        session.listen(self._pass_on)

    @property
    def job(self) -> Job:
        """The job as it stands."""
        return self.session.job

    def close(self) -> None:
        """Close the session; waits until all is on disk."""
        self._is_closed = True
        self.session.close()

    def _pass_on(self, news: SessionEvent) -> None:
        """Emit a signal; on the worker's thread, so that Qt queues it to the window's."""
        if self._is_closed:
            return
        if isinstance(news, Changed):
            self.changed.emit(news.job, news.previous)
        elif isinstance(news, Solving):
            self.solving.emit(news.share)
        elif isinstance(news, Stored):
            self.stored.emit(news.is_complete)
        elif isinstance(news, Trouble):
            self.trouble.emit(news)
