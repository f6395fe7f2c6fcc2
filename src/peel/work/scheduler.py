"""Background computing: newest request first, overtaken ones dropped, cancellable."""

import logging
import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Any

from peel.errors import Cancelled

__all__ = ["Lane", "Ticket"]

_log = logging.getLogger(__name__)


@dataclass(eq=False)
class Ticket:
    """One request: ask `is_cancelled` while working on it; `cancel` it from any thread."""

    key: Hashable
    work: Callable[["Ticket"], Any]
    done: Callable[[Any], None] | None = None
    failed: Callable[[BaseException], None] | None = None
    _stop: threading.Event = field(default_factory=threading.Event)

    @property
    def is_cancelled(self) -> bool:
        """Whether the answer is no longer wanted."""
        return self._stop.is_set()

    def cancel(self) -> None:
        """Say that the answer is no longer wanted."""
        self._stop.set()

    def check(self) -> None:
        """Raise Cancelled if the answer is no longer wanted."""
        if self.is_cancelled:
            raise Cancelled


class Lane:
    """One or more worker threads with a stack of requests.

    Parameters
    ----------
    name : str
        For the threads, and so for logs.
    threads : int
    in_order : bool
        Oldest first instead of newest first: for edits, which must not overtake each other.
    """

    def __init__(self, name: str, threads: int = 1, *, in_order: bool = False) -> None:
        self._in_order = in_order
        self._waiting: list[Ticket] = []
        self._running: list[Ticket] = []
        self._closed = False
        self._changed = threading.Condition()
        self._threads = [
            threading.Thread(target=self._run, name=f"{name}-{number}", daemon=True) for number in range(threads)
        ]
        for thread in self._threads:
            thread.start()

    def submit(
        self,
        key: Hashable,
        work: Callable[[Ticket], Any],
        done: Callable[[Any], None] | None = None,
        failed: Callable[[BaseException], None] | None = None,
    ) -> Ticket:
        """Ask for work; a waiting or running request with the same key is called off (None is never the same).

        `done` and `failed` are called on the worker's thread; a cancelled request calls neither.
        """
        ticket = Ticket(key, work, done, failed)
        with self._changed:
            if key is not None:
                self._waiting = [other for other in self._waiting if other.key != key]
                for other in self._running:
                    if other.key == key:
                        other.cancel()
            self._waiting.append(ticket)
            self._changed.notify_all()
        return ticket

    def keep_only(self, wanted: Callable[[Hashable], bool]) -> None:
        """Drop every request whose key is no longer wanted."""
        with self._changed:
            self._waiting = [ticket for ticket in self._waiting if wanted(ticket.key)]
            for ticket in self._running:
                if not wanted(ticket.key):
                    ticket.cancel()

    @property
    def is_idle(self) -> bool:
        """Whether nothing waits or runs."""
        with self._changed:
            return not self._waiting and not self._running

    def wait_idle(self, timeout: float | None = None) -> bool:
        """Wait until nothing waits or runs."""
        with self._changed:
            return self._changed.wait_for(lambda: not self._waiting and not self._running, timeout)

    def close(self) -> None:
        """Call off everything that is not an edit in order, and end the threads."""
        with self._changed:
            self._closed = True
            if not self._in_order:
                self._waiting.clear()
                for ticket in self._running:
                    ticket.cancel()
            self._changed.notify_all()
        for thread in self._threads:
            if thread is not threading.current_thread():
                thread.join()

    def _next(self) -> Ticket | None:
        with self._changed:
            self._changed.wait_for(lambda: bool(self._waiting) or self._closed)
            if not self._waiting:
                return None
            ticket = self._waiting.pop(0 if self._in_order else -1)
            self._running.append(ticket)
            return ticket

    def _run(self) -> None:
        while (ticket := self._next()) is not None:
            try:
                self._answer(ticket)
            finally:
                with self._changed:
                    self._running.remove(ticket)
                    self._changed.notify_all()

    def _answer(self, ticket: Ticket) -> None:
        try:
            answer = ticket.work(ticket)
            if ticket.done is not None and not ticket.is_cancelled:
                ticket.done(answer)
        except Cancelled:
            return
        except BaseException as error:  # noqa: BLE001 - whatever happens on a worker is reported, never lost
            if ticket.failed is not None:
                ticket.failed(error)
            else:
                _log.exception("a background request failed")
