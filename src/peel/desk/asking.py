"""Ask a worker: what is computed beside the window, and what the window does with the answer."""

import logging
import traceback
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial
from typing import Any, Final, TypeVar

from PySide6.QtCore import QObject, Signal

from peel.errors import Cancelled, PeelError
from peel.matte.parallel import cancellable
from peel.work.scheduler import Lane, LaneShare, Ticket

__all__ = ["TASKS", "Asker", "Say", "Task", "task"]

_log = logging.getLogger(__name__)
_T = TypeVar("_T")

Say = Callable[[str, str, str], object]
"""Shows a sentence, a hint and a trace to the person."""

TASKS: Final[dict[str, "Task"]] = {}
"""Everything that the window asks workers for, by name."""


@dataclass(frozen=True)
class Task:
    """Something that the window asks a worker for.

    Attributes
    ----------
    name : str
        Unique. Unless it is asked with a key of its own, a new request takes the place of the one before.
    failure : str
        The sentence that is shown if it fails for a reason that has no sentence of its own.
    stops : bool
        Whether it ends at the next `peel.matte.parallel.checkpoint` once it is overtaken or dropped. What leaves parts
        behind that a newer request can use goes on.
    """

    name: str
    failure: str
    stops: bool = False


def task(name: str, failure: str, *, stops: bool = False) -> Task:
    """Register a task; see `Task`.

    Raises
    ------
    ValueError
        If there is one of that name.
    """
    if name in TASKS:
        msg = f"there is a task {name} already"
        raise ValueError(msg)
    TASKS[name] = Task(name, failure, stops)
    return TASKS[name]


@dataclass(eq=False)
class _Reply:
    """A request on its way: to the worker, and back to the window."""

    task: Task
    slot: Hashable
    then: Callable[[Any], object]
    wanted: Callable[[], bool]
    ended: Callable[[], object] | None
    failed: Callable[[BaseException], object] | None
    value: Any = None
    error: BaseException | None = None
    was_cancelled: bool = False


class Asker(QObject):
    """One part of the window, as far as it asks workers. Main thread only.

    Parameters
    ----------
    lane : Lane or LaneShare
    say : callable
    parent : QObject, optional
    """

    _came = Signal(object)
    _posted = Signal(object)

    def __init__(self, lane: Lane | LaneShare, say: Say, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lane, self._say = lane, say
        self._latest: dict[Hashable, _Reply] = {}
        self._came.connect(self._on_came)
        self._posted.connect(self._on_posted)

    def ask(
        self,
        task: Task,
        work: Callable[[], _T],
        then: Callable[[_T], object],
        *,
        key: Hashable = "",
        wanted: Callable[[], bool] = lambda: True,
        ended: Callable[[], object] | None = None,
        failed: Callable[[BaseException], object] | None = None,
    ) -> Ticket:
        """Ask for work, and do something with its answer.

        Parameters
        ----------
        task : Task
        work : callable
            Runs on the worker.
        then : callable
            Gets the answer on the window's thread, unless it is no longer wanted.
        key : hashable
            A new request takes the place of an earlier one with the same task and key; with None each is answered.
        wanted : callable
            Asked on the window's thread when the answer has come.
        ended : callable, optional
            Called before `then`, whatever became of the request, unless a newer one has taken its place: clears what
            shows that something is under way.
        failed : callable, optional
            Called, beside the failure being shown, with the error.
        """
        slot = None if key is None else (task.name, key)
        reply = _Reply(task, slot, then, wanted, ended, failed)
        if slot is not None:
            self._latest[slot] = reply
        return self._lane.submit(slot, partial(self._work, reply, work))

    def post(self, do: Callable[[], object]) -> None:
        """Have something done on the window's thread; from any thread."""
        self._posted.emit(do)

    def keep_only(self, is_kept: Callable[[Hashable], bool]) -> None:
        """Drop the requests whose keys are no longer wanted."""
        self._lane.keep_only(lambda slot: slot is None or is_kept(slot[1]))  # type: ignore[index]
        for slot, reply in [*self._latest.items()]:
            if not is_kept(slot[1]):  # type: ignore[index]
                del self._latest[slot]
                self._end(reply)

    def forget(self) -> None:
        """Drop every request that has a key."""
        self.keep_only(lambda _key: False)

    @property
    def is_idle(self) -> bool:
        """Whether nothing is asked for, and every answer has been dealt with."""
        return not self._latest and self._lane.is_idle

    def close(self) -> None:
        """Drop what waits, wait for what runs, and ask for nothing more. Any thread."""
        self._lane.close()

    def _on_posted(self, do: Callable[[], object]) -> None:
        do()

    def _work(self, reply: _Reply, work: Callable[[], Any], ticket: Ticket) -> None:
        """Run on the worker; nothing that goes wrong leaves here."""
        try:
            with cancellable(lambda: not (reply.task.stops and ticket.is_cancelled)):
                reply.value = work()
        except Cancelled:
            reply.was_cancelled = True
        except BaseException as error:  # noqa: BLE001 - whatever happens on a worker is shown and logged
            reply.error = error
            if not isinstance(error, PeelError):
                _log.error("%s failed", reply.task.name, exc_info=error)
        reply.was_cancelled |= ticket.is_cancelled
        try:
            self._came.emit(reply)
        except RuntimeError:  # the window has gone
            _log.info("nobody is left to hear of %s", reply.task.name)

    def _on_came(self, reply: _Reply) -> None:
        if reply.slot is not None:
            if self._latest.get(reply.slot) is not reply:
                return  # overtaken: the newer one will end
            del self._latest[reply.slot]
        self._end(reply)
        if reply.was_cancelled or not reply.wanted():
            return
        if reply.error is None:
            self._guard(reply, partial(reply.then, reply.value))
            return
        if reply.failed is not None:
            self._guard(reply, partial(reply.failed, reply.error))
        self._tell(reply.task, reply.error)

    def _end(self, reply: _Reply) -> None:
        if reply.ended is not None:
            self._guard(reply, reply.ended)

    def _guard(self, reply: _Reply, do: Callable[[], object]) -> None:
        """Do something with an answer; if that fails, it is shown and logged like a failure of the work."""
        try:
            do()
        except Exception as error:  # noqa: BLE001 - as above
            _log.exception("the answer of %s could not be used", reply.task.name)
            self._tell(reply.task, error)

    def _tell(self, task: Task, error: BaseException) -> None:
        if isinstance(error, PeelError):
            self._say(error.message, error.hint, "")
        else:
            self._say(task.failure, "", "".join(traceback.format_exception(error)))
