"""The open job: its history, its file, and the solving that follows every edit. Free of Qt."""

import logging
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from peel.errors import PeelError, SolveError
from peel.files.photo import decode_photo, read_bytes, read_opacity
from peel.files.project import ProjectFile
from peel.job.edits import use_zones
from peel.job.history import History, State
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Matte
from peel.matte.parallel import stopping
from peel.matte.trimap import trimap_from_gray
from peel.work.finding import Finder
from peel.work.news import Changed, Listener, News, Solving, Stored, Trouble
from peel.work.scheduler import Lane, Ticket
from peel.work.shares import matte_shares, zone_shares
from peel.work.solving import check_solvable, solve_job
from peel.work.stages import Stages

__all__ = ["UNSTORED", "Session"]

UNSTORED = -1
"""Number of a state that is not on disk yet."""

_log = logging.getLogger(__name__)


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
    """

    def __init__(self, project: ProjectFile, photo: Photo, history: History) -> None:
        self.project = project
        self.photo = photo
        self.stages = Stages(photo)
        self.finder = Finder(photo, self.stages.pyramid)
        self._history = history
        self._listeners: list[Listener] = []
        self._edits = Lane("edits", in_order=True)
        self._solves = Lane("solve")
        self._turn = threading.RLock()
        self._solving: Job | None = None
        self._changed_last: Rect | None = None
        self._edits.submit(None, lambda _ticket: self._solve_if_needed())

    @classmethod
    def begin(cls, photo_path: Path, project_path: Path) -> "Session":
        """Start on a photo; waits for the photo to be read.

        Raises
        ------
        PhotoError, ProjectError
        """
        content = read_bytes(photo_path)
        return cls.begin_with(content, photo_path.name, project_path)

    @classmethod
    def begin_with(cls, content: bytes, name: str, project_path: Path) -> "Session":
        """Start on a photo whose bytes are at hand; waits for them to be decoded."""
        photo = decode_photo(content, name)
        project = ProjectFile.create(project_path, content, name)
        try:
            job = new_job(photo)
            opacity = read_opacity(content, name)
            if opacity is not None:
                job = use_zones(job, trimap_from_gray(opacity))
            number = project.append("Open", job)
        except BaseException:
            project.close()
            project_path.unlink(missing_ok=True)
            raise
        return cls(project, photo, History((State(number, "Open", job),)))

    @classmethod
    def resume(cls, project: ProjectFile) -> "Session":
        """Go on with an open job file; waits for the photo and the current state.

        Raises
        ------
        PhotoError, ProjectError
        """
        try:
            name, content = project.photo()
            photo = decode_photo(content, name)
            history = project.history()
            job = project.load(history.current.number, photo)
        except BaseException:
            project.close()
            raise
        return cls(project, photo, history.amended(job))

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
        return all(state.number != UNSTORED for state in self._history.states) and self._edits.is_idle

    @property
    def is_editing(self) -> bool:
        """Whether an edit is still to be made."""
        return not self._edits.is_idle

    def listen(self, listener: Listener) -> None:
        """Tell a listener all news from now on."""
        self._listeners.append(listener)

    def apply(self, label: str, edit: Callable[[Job], Job], *, joins_last: bool = False) -> None:
        """Make an edit, one step of undo.

        Parameters
        ----------
        label : str
            What undo will show.
        edit : callable
            From a job to a new one; run on the edits' thread.
        joins_last : bool
            Whether it replaces a last step of the same label: for a value that is dragged.
        """
        self._edits.submit(None, lambda _ticket: self._apply(label, edit, joins_last), None, self._report)

    def rest(self) -> None:
        """Call off the solve under way while the hand needs the machine for itself; the next edit takes it up again."""
        with self._turn:
            self._solving = None
        self._solves.keep_only(lambda _key: False)

    def resume_solving(self) -> None:
        """Take up again what `rest` called off."""
        self._edits.submit(None, lambda _ticket: self._solve_if_needed(), None, self._report)

    def undo(self) -> None:
        """Step back."""
        self._edits.submit(None, lambda _ticket: self._move(-1), None, self._report)

    def redo(self) -> None:
        """Step forward again."""
        self._edits.submit(None, lambda _ticket: self._move(1), None, self._report)

    def wait_idle(self, timeout: float = 120.0) -> bool:
        """Wait until every edit is made and stored and the matte has caught up."""
        end = time.monotonic() + timeout
        while time.monotonic() < end:
            if not self._edits.wait_idle(end - time.monotonic()) or not self._solves.wait_idle(end - time.monotonic()):
                return False
            if self._edits.is_idle and self._solves.is_idle:
                return True
        return False

    def close(self) -> None:
        """Call off solving, write what is still to be written, close the file; waits."""
        self._solves.close()
        self._edits.close()
        self.project.close()

    def _tell(self, news: News) -> None:
        for listener in self._listeners:
            listener(news)

    def _report(self, error: BaseException) -> None:
        if isinstance(error, PeelError):
            self._tell(Trouble(error.message, error.hint))
        else:
            trace = "".join(traceback.format_exception(error))
            _log.error("unexpected error in a session:\n%s", trace)
            self._tell(Trouble("Peel met an error it did not expect; the job is safe on disk.", "", trace))

    def _apply(self, label: str, edit: Callable[[Job], Job], joins_last: bool) -> None:
        before = self.job
        after = edit(before)
        if after is before:
            self._tell(Changed(before, before))  # whoever drew what was to come can take it away again
            return
        history = self._history
        joined = joins_last and history.cursor > 0 and history.current.label == label
        if joined and history.redo_label is None:
            self._go_to(history.amended(after), before)
            self._restore_number()
        else:
            self._go_to(history.pushed(State(UNSTORED, label, after)), before)
            self._store()

    def _move(self, by: int) -> None:
        history = self._history.moved(by)
        if history.cursor == self._history.cursor:
            return
        state = history.current
        if state.job is None:
            history = history.amended(self.project.load(state.number, self.photo))
        self._go_to(history, self.job)
        if state.number != UNSTORED:
            self.project.stand_at(state.number)
        self._tell(Stored(is_complete=self._nothing_waits()))

    def _go_to(self, history: History, before: Job) -> None:
        self._history = history
        self._changed_last = _changed_rect(before, self.job) or self._changed_last
        self._tell(Stored(is_complete=False))
        self._show(before)
        self._solve_if_needed()

    def _show(self, before: Job) -> None:
        """Tell of the new job; its shares are counted here, so that the window's thread need only add them up."""
        job = self.job
        zone_shares(job)
        matte_shares(job)
        self._tell(Changed(job, before))

    def _store(self) -> None:
        """Write the states that are not on disk yet, in their order; after a full disk there can be several."""
        history = self._history
        states = list(history.states)
        for at, state in enumerate(states):
            if state.number == UNSTORED and state.job is not None:
                states[at] = replace(state, number=self.project.append(state.label, state.job))
                self._history = replace(history, states=tuple(states))
        self._tell(Stored(is_complete=self._nothing_waits()))

    def _restore_number(self) -> None:
        state = self._history.current
        if state.number == UNSTORED:
            self._store()
            return
        self.project.replace(state.number, self.job)
        self._tell(Stored(is_complete=self._nothing_waits()))

    def _nothing_waits(self) -> bool:
        return all(state.number != UNSTORED for state in self._history.states)

    def _solve_if_needed(self) -> None:
        job = self.job
        with self._turn:
            running = self._solving
            same_zones = running is not None and running.zones is job.zones
            if running is not None and same_zones and _answers(running.settings.matte, job.settings.matte):
                return
            self._solving = None
        if job.is_solved:
            self._solves.keep_only(lambda _key: False)
            self._tell(Solving(None))
            return
        try:
            check_solvable(job)
        except SolveError:
            # Nothing is wrong yet: the person has only begun to mark.
            self._tell(Solving(None))
            return
        with self._turn:
            self._solving = job
        self._tell(Solving(0.0))
        self._solves.submit("solve", lambda ticket: self._solve(job, ticket), self._solved, self._solve_failed)

    def _solve(self, job: Job, ticket: Ticket) -> Job:
        def look_at(part: Job) -> None:
            self._look_at(part, ticket)

        with stopping(lambda: not ticket.is_cancelled):
            return solve_job(job, lambda share: self._tell(Solving(share)), look_at, first=self._changed_last)[0]

    def _look_at(self, part: Job, ticket: Ticket) -> None:
        """Show a matte as far as it is computed; it is not written to disk yet."""
        if not ticket.is_cancelled:
            self._edits.submit("part", lambda _ticket: self._take_in(part), None, self._report)

    def _solve_failed(self, error: BaseException) -> None:
        with self._turn:
            self._solving = None
        self._tell(Solving(None))
        self._report(error)

    def _solved(self, solved: Job) -> None:
        self._edits.submit(None, lambda _ticket: self._take_in(solved), None, self._report)

    def _take_in(self, solved: Job) -> None:
        """Put a solved matte into the state that asked for it; part of the same step of undo."""
        before = self.job
        if before.zones is not solved.zones or before.is_solved:
            return
        if not _answers(solved.settings.matte, before.settings.matte):
            return
        settings = before.settings.model_copy(update={"matte": solved.settings.matte})
        after = replace(before, settings=settings, matte=solved.matte, unsolved=solved.unsolved)
        self._history = self._history.amended(after)
        self._show(before)
        if solved.is_solved:
            with self._turn:
                self._solving = None
            self._tell(Solving(None))
            self._restore_number()


def _changed_rect(before: Job, after: Job) -> Rect | None:
    """Give the tiles whose zones differ, or None where none do."""
    pairs = enumerate(zip(before.zones.tiles, after.zones.tiles, strict=True))
    rect = Rect.around(after.zones.tile_rect(number) for number, (old, new) in pairs if old is not new)
    return None if rect.is_empty else rect


def _answers(solved: Matte, wanted: Matte) -> bool:
    """Tell whether a matte solved one way is what is wanted; how colours mix may still be open on either side."""
    same_mixing = None in {solved.mixing, wanted.mixing} or solved.mixing == wanted.mixing
    return same_mixing and solved.own_colours == wanted.own_colours
