"""One object that turns a session's events, which come from worker threads, into Qt signals."""

from PySide6.QtCore import QObject, Signal

from peel.job.job import Job
from peel.work.session.session import Session
from peel.work.session.session_events import Changed, SessionEvent, SolveShare, Stored, Trouble

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
        self._is_released = False
        session.listen(self._pass_on)

    @property
    def job(self) -> Job:
        """The job as it stands."""
        return self.session.job

    def release(self) -> None:
        """Pass on no more events; the session itself stays open."""
        if not self._is_released:
            self._is_released = True
            self.session.ignore(self._pass_on)
            self.deleteLater()

    def _pass_on(self, event: SessionEvent) -> None:
        """Emit a signal; on the worker's thread, so that Qt queues it to the window's."""
        if self._is_released:
            return
        if isinstance(event, Changed):
            self.changed.emit(event.job, event.previous)
        elif isinstance(event, SolveShare):
            self.solving.emit(event.share)
        elif isinstance(event, Stored):
            self.stored.emit(event.is_complete)
        elif isinstance(event, Trouble):
            self.trouble.emit(event)
