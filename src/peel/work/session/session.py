"""The open job: its history, its file, and the solving that follows every edit. Free of Qt."""

import contextlib
import logging
import threading
import time
import traceback
from collections.abc import Callable, Hashable
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from peel.errors import PeelError, ProjectError
from peel.files.names import clean_name
from peel.files.photo import decode_photo, read_bytes, read_opacity
from peel.files.project import ProjectFile
from peel.files.project_checks import LostProjectError
from peel.job.edits.marking import looked_at
from peel.job.history import UNSTORED, History, State
from peel.job.job import Job, Photo, new_job
from peel.job.question import Question, question
from peel.job.rect import Rect
from peel.matte.pixels import unit_floats
from peel.work.inspecting.shares import matte_shares, zone_shares
from peel.work.marking.finding import Finder
from peel.work.scheduler import Lane, Ticket
from peel.work.session.job_files import forget, is_unkept, new_working_path
from peel.work.session.resources import Resources
from peel.work.session.session_events import Changed, Listener, SessionEvent, SolveShare, Stored, Trouble
from peel.work.solving.follower import Follower, News, with_solution
from peel.work.solving.given import take_matte
from peel.work.stages import Stages

__all__ = ["OWN_ALPHA", "Session"]

_T = TypeVar("_T")
_log = logging.getLogger(__name__)
_STORING_S = 120.0
OWN_ALPHA = "The picture's own alpha as matte"
"""The step of undo by which a photo with alpha begins."""


class Session:
    """One photo being worked on.

    Edits are applied one after another on a thread of their own, shown at once, and written to the job file; what
    they left unsolved is solved on another. Every method may be called from any thread and returns at once, unless
    it says that it waits.

    Parameters
    ----------
    project : ProjectFile
    photo : Photo
    history : History
        Its current state must be at hand.
    resources : Resources, optional
        Shared with other sessions; the session's own if not given.
    """

    def __init__(
        self, project: ProjectFile, photo: Photo, history: History, resources: Resources | None = None
    ) -> None:
        self.project = project
        self.photo = photo
        self._own_resources = Resources() if resources is None else None
        shared = resources or self._own_resources
        assert shared is not None
        self.stages = Stages(photo, shared.cache)
        self.finder = Finder(photo, self.stages.pyramid)
        self._history = history
        self._listeners: list[Listener] = []
        self._edits = Lane("edits", in_order=True)
        news = News(lambda share: self._emit(SolveShare(share)), self._hand_in_part, self._hand_in, self._report)
        self._follower = Follower(shared.solving.share(), news)
        self._closing = threading.Lock()
        self._gesture: Hashable = None
        self._is_closed = False
        self._failure: PeelError | None = None
        self._changed_last: Rect | None = None
        self._edits.submit(None, lambda _ticket: self._solve_if_needed(), None, self._report)

    @classmethod
    def begin(cls, photo_path: Path, project_path: Path, resources: Resources | None = None) -> "Session":
        """Start on a photo; waits for the photo to be read.

        Raises
        ------
        PhotoError, ProjectError
        """
        content = read_bytes(photo_path)
        return cls.begin_with(content, photo_path.name, project_path, resources)

    @classmethod
    def begin_with(
        cls,
        content: bytes,
        name: str,
        project_path: Path,
        resources: Resources | None = None,
        *,
        exposure: float = 0.0,
    ) -> "Session":
        """Start on a photo whose bytes are at hand, developed by so many stops; waits for them to be decoded."""
        name = clean_name(name)
        photo = decode_photo(content, name, exposure)
        project = ProjectFile.create(project_path, content, name, exposure)
        try:
            job = new_job(photo)
            states = [State(project.append("Open", job), "Open", job)]
            opacity = read_opacity(content, name)
            if opacity is not None:
                job = take_matte(job, unit_floats(opacity))
                states.append(State(project.append(OWN_ALPHA, job), OWN_ALPHA, job))
        except BaseException:
            project.close()
            project_path.unlink(missing_ok=True)
            raise
        return cls(project, photo, History(tuple(states), len(states) - 1), resources)

    @classmethod
    def resume(cls, project: ProjectFile, resources: Resources | None = None) -> "Session":
        """Go on with an open job file; waits for the photo and the current state.

        Raises
        ------
        PhotoError, ProjectError
        """
        try:
            photo = project.read_photo()
            history = project.history()
            job = project.load(history.current.number, photo)
            project.trust()
        except BaseException:
            project.close()
            raise
        return cls(project, photo, history.amended(job), resources)

    @property
    def job(self) -> Job:
        """The job as it stands."""
        job = self._history.current.job
        assert job is not None
        return job

    @property
    def history(self) -> History:
        """The states, and where the work stands among them."""
        return self._history

    @property
    def is_stored(self) -> bool:
        """Whether every change is on disk."""
        return self._all_stored() and self._edits.is_idle

    @property
    def is_idle(self) -> bool:
        """Whether every edit is made and the matte has caught up."""
        return self._edits.is_idle and self._follower.is_idle

    def listen(self, listener: Listener) -> None:
        """Send a listener all events from now on."""
        self._listeners.append(listener)

    def ignore(self, listener: Listener) -> None:
        """Send a listener no more events."""
        self._listeners.remove(listener)

    def apply(
        self,
        label: str,
        edit: Callable[[Job], Job],
        *,
        gesture: Hashable = None,
        ends: bool = True,
        by_hand: bool = True,
    ) -> None:
        """Make an edit, one step of undo.

        Parameters
        ----------
        label : str
            What undo will show.
        edit : callable
            From a job to a new one; run on the edits' thread.
        gesture : hashable, optional
            Edits of one gesture, such as dragging a value, are one step of undo.
        ends : bool
            Whether the gesture ends with this edit: only then is the step written to disk.
        by_hand : bool
            Whether a person makes it, who has then looked at the job: it is no unseen guess any more.
        """
        seen = (lambda job: _seen(edit, job)) if by_hand else edit
        self._submit(lambda _ticket: self._apply(label, seen, gesture, ends))

    def _submit(self, work: Callable[[Ticket], object]) -> None:
        """Do something among the edits; a session that is closed says so instead."""
        try:
            self._edits.submit(None, work, None, self._report)
        except RuntimeError:
            self._emit(Trouble(f"The job on {self.photo.name} is closed: nothing was changed.", "Open it again."))

    def pause_solving(self) -> None:
        """Cancel the solve under way while a gesture needs the machine; the next edit starts it again."""
        self._follower.cancel()

    def resume_solving(self) -> None:
        """Start again what `pause_solving` cancelled."""
        self._submit(lambda _ticket: self._solve_if_needed())

    def undo(self) -> None:
        """Step back."""
        self._submit(lambda _ticket: self._move(-1))

    def redo(self) -> None:
        """Step forward again."""
        self._submit(lambda _ticket: self._move(1))

    def keep_as(self, path: Path) -> None:
        """Keep the job under a name and go on in that file; waits.

        The hand-over is an edit among the others: what was edited before is in the kept file, and what is edited
        after goes there.

        Raises
        ------
        ProjectError
            If it cannot be written, or another window has that file open; the session goes on as it was.
        """
        self._on_edits_lane(lambda: self._hand_over(path))

    def _hand_over(self, path: Path) -> None:
        self._end_gesture()
        self._store_all()
        kept = self.project.copied_to(path)
        old, self.project = self.project, kept
        old.close()
        if is_unkept(old.path):
            forget(old.path)

    def compact(self) -> int:
        """Forget all steps of undo, and give back the room they take; waits. Returns the bytes given back.

        Raises
        ------
        ProjectError
            If the file cannot be written; then nothing is forgotten.
        """
        return self._on_edits_lane(self._compact)

    def _compact(self) -> int:
        self._end_gesture()
        self._store_all()
        before = self.project.size_bytes()
        current = self._history.current
        self.project.compact(current.number)
        self._history = History((current,))
        self._emit(Changed(self.job, self.job))
        return before - self.project.size_bytes()

    def _on_edits_lane(self, work: Callable[[], _T]) -> _T:
        """Do something between two edits, and wait for it; what it raises is raised here."""
        outcome: list[_T] = []
        failure: list[BaseException] = []
        done = threading.Event()

        def run(_ticket: Ticket) -> None:
            try:
                outcome.append(work())
            except BaseException as error:  # noqa: BLE001 - raised again on the caller's thread
                failure.append(error)
            finally:
                done.set()

        self._edits.submit(None, run)
        done.wait()
        if failure:
            raise failure[0]
        return outcome[0]

    def note(self, key: str, value: str) -> None:
        """Store a remark about the job in its file, such as the view it was left in; a failure is not reported."""

        def write(_ticket: Ticket) -> None:
            with contextlib.suppress(ProjectError):  # not worth keeping anyone from closing the window
                self.project.write_note(key, value)

        if not self._is_closed:
            self._submit(write)

    def read_note(self, key: str) -> str | None:
        """Return a stored remark, or None; waits.

        Raises
        ------
        ProjectError
        """
        return self.project.read_note(key)

    def wait_idle(self, timeout: float = 120.0) -> bool:
        """Wait until every edit is made and stored and the matte has caught up."""
        end = time.monotonic() + timeout
        while time.monotonic() < end:
            if not all(lane.wait_idle(end - time.monotonic()) for lane in (self._edits, self._follower)):
                return False
            if self.is_idle:
                return True
        return False

    def check_stored(self) -> None:
        """Make sure that every change is on disk; waits.

        Raises
        ------
        ProjectError
            With what stood in the way.
        """
        if not self._edits.wait_idle(_STORING_S) or not self._all_stored():
            what = f" {self._failure}" if self._failure is not None else ""
            message = f"{self.project.path} could not be written.{what}"
            raise ProjectError(message, "" if what else "Make room, or choose another folder.")

    def close(self) -> None:
        """Cancel solving, write what is still to be written, close the file; waits. A second call does nothing."""
        with self._closing:
            if self._is_closed:
                return
            self._is_closed = True
        self._follower.close()
        self._edits.submit(None, lambda _ticket: self._store_all(), None, self._report)
        self._edits.close()
        if self._own_resources is not None:
            self._own_resources.close()
        self.project.close()

    def _emit(self, event: SessionEvent) -> None:
        for listener in list(self._listeners):
            listener(event)

    def _report(self, error: BaseException) -> None:
        if isinstance(error, PeelError):
            self._failure = error
            self._emit(Trouble(error.message, error.hint))
        else:
            trace = "".join(traceback.format_exception(error))
            _log.error("unexpected error in a session:\n%s", trace)
            self._emit(Trouble("Peel met an error it did not expect; the job is safe on disk.", "", trace))

    # edits

    def _apply(self, label: str, edit: Callable[[Job], Job], gesture: Hashable, ends: bool) -> None:
        before = self.job
        try:
            after = edit(before)
        except BaseException:
            if ends:
                self._end_gesture()
            raise
        joins = gesture is not None and gesture == self._gesture
        if after is not before:
            history = self._history
            self._gesture = None if ends else gesture
            after_history = history.amended(after) if joins else history.pushed(State(UNSTORED, label, after))
            self._go_to(after_history, before)
        elif joins and ends:
            self._gesture = None
        else:
            self._emit(Changed(before, before))  # whoever drew a preview can take it away again
            return
        if ends:
            self._store_current()

    def _move(self, by: int) -> None:
        self._end_gesture()
        history = self._history.moved(by)
        if history.cursor == self._history.cursor:
            return
        state = history.current
        if state.job is None:
            history = history.amended(self.project.load(state.number, self.photo))
        self._go_to(history, self.job)
        if state.number != UNSTORED:
            self._stored(lambda: self.project.stand_at(state.number))
        self._emit(Stored(is_complete=self._all_stored()))

    def _end_gesture(self) -> None:
        if self._gesture is not None:
            self._gesture = None
            self._store_all()

    def _go_to(self, history: History, before: Job) -> None:
        self._history = history
        self._changed_last = _changed_rect(before, self.job) or self._changed_last
        self._emit(Stored(is_complete=False))
        self._show(before)
        self._solve_if_needed()

    def _show(self, before: Job) -> None:
        """Announce the new job; its shares are counted here, so that the window's thread need only add them up."""
        job = self.job
        zone_shares(job)
        matte_shares(self.stages, job)
        self._emit(Changed(job, before))

    # storing

    def _all_stored(self) -> bool:
        return all(state.number != UNSTORED for state in self._history.states)

    def _store_all(self) -> None:
        """Write the states that are not on disk yet, in their order; after a full disk there can be several."""
        self._stored(self._write_states)

    def _stored(self, write: Callable[[], None]) -> None:
        """Write; if the file was deleted or replaced meanwhile, write the whole job again and say so."""
        try:
            try:
                write()
            finally:
                self.project.check_place()
        except LostProjectError as error:
            old = self.project
            path = old.path if not old.path.exists() else new_working_path(self.photo.name)
            self.project = old.copied_to(path)
            old.close()
            where = "was written there anew" if path == old.path else f"goes on in {path}"
            self._emit(Trouble(error.message, f"The job {where}; nothing is lost."))
            self._write_states()

    def _write_states(self) -> None:
        states = list(self._history.states)
        for at, state in enumerate(states):
            if state.number == UNSTORED and state.job is not None:
                states[at] = replace(state, number=self.project.append(state.label, state.job))
                self._history = replace(self._history, states=tuple(states))
        self._emit(Stored(is_complete=self._all_stored()))

    def _store_current(self) -> None:
        """Write the current state, again if it was written before."""
        state = self._history.current
        if state.number != UNSTORED:
            self._stored(lambda: self.project.replace(state.number, self.job))
        self._store_all()

    # solving

    def _solve_if_needed(self) -> None:
        self._follower.follow(self.job, self._changed_last)

    def _hand_in(self, asked: Question, solved: Job) -> None:
        self._edits.submit(None, lambda _ticket: self._use_solution(asked, solved), None, self._report)

    def _hand_in_part(self, asked: Question, part: Job) -> None:
        self._edits.submit("part", lambda _ticket: self._use_solution(asked, part), None, self._report)

    def _use_solution(self, asked: Question, solved: Job) -> None:
        """Put a matte, whole or partial, into the state that asked for it; part of the same step of undo."""
        before = self.job
        if before.is_solved or question(before) != asked:
            return
        after = with_solution(before, solved)
        self._history = self._history.amended(after)
        self._show(before)
        if solved.is_solved:
            self._follower.answered()
            if self._gesture is None:
                self._store_current()


def _seen(edit: Callable[[Job], Job], job: Job) -> Job:
    after = edit(job)
    return after if after is job else looked_at(after)


def _changed_rect(before: Job, after: Job) -> Rect | None:
    """Return the tiles whose zones differ, or None where none do."""
    rect = Rect.around(after.zones.changes(before.zones))
    return None if rect.is_empty else rect
