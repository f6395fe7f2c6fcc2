"""Background computing: newest request first, overtaken ones dropped, cancellable, shared by several owners."""

import logging
import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Any

from peel.errors import Cancelled

__all__ = ["Lane", "LaneShare", "Ticket"]

_log = logging.getLogger(__name__)


@dataclass(eq=False)
class Ticket:
    """One request; the work checks `is_cancelled` as it goes, and any thread may `cancel` it."""

    key: Hashable
    work: Callable[["Ticket"], Any]
    done: Callable[[Any], None] | None = None
    failed: Callable[[BaseException], None] | None = None
    owner: object = None
    _stop: threading.Event = field(default_factory=threading.Event)

    @property
    def is_cancelled(self) -> bool:
        """Whether the result is no longer wanted."""
        return self._stop.is_set()

    def cancel(self) -> None:
        """Declare the result no longer wanted."""
        self._stop.set()

    def check(self) -> None:
        """Raise Cancelled if the result is no longer wanted."""
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
        self._name, self._in_order = name, in_order
        self._waiting: list[Ticket] = []
        self._running: list[Ticket] = []
        self._closed = False
        self._changed = threading.Condition()
        self._threads = [
            threading.Thread(target=self._run, name=f"{name}-{number}", daemon=True) for number in range(threads)
        ]
        for thread in self._threads:
            thread.start()

    def share(self, *, is_serial: bool = False) -> "LaneShare":
        """Return a part of the lane for one owner, whose requests can be waited for and cancelled by themselves.

        Parameters
        ----------
        is_serial : bool
            Whether the owner's requests are done one after another, however many threads there are.
        """
        return LaneShare(self, is_serial=is_serial)

    def submit(
        self,
        key: Hashable,
        work: Callable[[Ticket], Any],
        done: Callable[[Any], None] | None = None,
        failed: Callable[[BaseException], None] | None = None,
        *,
        owner: object = None,
    ) -> Ticket:
        """Request work; a waiting or running request of the same owner and key is cancelled (None never matches).

        `done` and `failed` are called on the worker's thread; a cancelled request calls neither.

        Raises
        ------
        RuntimeError
            If the lane is closed.
        """
        ticket = Ticket(key, work, done, failed, owner)
        with self._changed:
            if self._closed:
                msg = f"the {self._name} lane is closed"
                raise RuntimeError(msg)
            if key is not None:
                self._drop(lambda other: other.owner is owner and other.key == key)
            self._waiting.append(ticket)
            self._changed.notify_all()
        return ticket

    def keep_only(self, wanted: Callable[[Hashable], bool], *, owner: object = None) -> None:
        """Drop every request of an owner whose key is no longer wanted."""
        with self._changed:
            self._drop(lambda ticket: ticket.owner is owner and not wanted(ticket.key))
            self._changed.notify_all()

    def _drop(self, is_meant: Callable[[Ticket], bool]) -> None:
        for ticket in [*self._waiting, *self._running]:
            if is_meant(ticket):
                ticket.cancel()
        self._waiting = [ticket for ticket in self._waiting if not ticket.is_cancelled]

    @property
    def is_idle(self) -> bool:
        """Whether nothing waits or runs."""
        with self._changed:
            return not self._waiting and not self._running

    def is_idle_for(self, owner: object) -> bool:
        """Return whether nothing of an owner waits or runs."""
        with self._changed:
            return self._has_nothing_of(owner)

    def _has_nothing_of(self, owner: object) -> bool:
        return all(ticket.owner is not owner for ticket in (*self._waiting, *self._running))

    def wait_idle(self, timeout: float | None = None) -> bool:
        """Wait until nothing waits or runs."""
        with self._changed:
            return self._changed.wait_for(lambda: not self._waiting and not self._running, timeout)

    def wait_idle_for(self, owner: object, timeout: float | None = None) -> bool:
        """Wait until nothing of an owner waits or runs."""
        with self._changed:
            return self._changed.wait_for(lambda: self._has_nothing_of(owner), timeout)

    def close(self) -> None:
        """Cancel everything, except edits in order, which are finished; end the threads."""
        with self._changed:
            self._closed = True
            if not self._in_order:
                self._drop(lambda _ticket: True)
            self._changed.notify_all()
        for thread in self._threads:
            if thread is not threading.current_thread():
                thread.join()

    def _next(self) -> Ticket | None:
        with self._changed:
            self._changed.wait_for(lambda: self._ready() is not None or (self._closed and not self._waiting))
            ticket = self._ready()
            if ticket is not None:
                self._waiting.remove(ticket)
                self._running.append(ticket)
            return ticket

    def _ready(self) -> Ticket | None:
        """Return the request whose turn it is; those of a serial owner wait until none of them runs."""
        owners = [ticket.owner for ticket in self._running]
        busy = [owner for owner in owners if isinstance(owner, LaneShare) and owner.is_serial]
        for ticket in self._waiting if self._in_order else reversed(self._waiting):
            if not any(ticket.owner is owner for owner in busy):
                return ticket
        return None

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
            result = ticket.work(ticket)
            if ticket.done is not None and not ticket.is_cancelled:
                ticket.done(result)
        except Cancelled:
            return
        except BaseException as error:  # noqa: BLE001 - whatever happens on a worker is reported, never lost
            self._tell_failure(ticket, error)

    def _tell_failure(self, ticket: Ticket, error: BaseException) -> None:
        """Hand a failure to whoever asked; that this fails as well must not end the thread."""
        try:
            if ticket.failed is not None and not ticket.is_cancelled:
                ticket.failed(error)
                return
        except BaseException:  # noqa: BLE001 - as above
            _log.exception("a failure could not be told")
        _log.error("a background request failed", exc_info=error)


class LaneShare:
    """One owner's part of a lane. Any thread.

    Parameters
    ----------
    lane : Lane
    is_serial : bool
        Whether its requests are done one after another.
    """

    def __init__(self, lane: Lane, *, is_serial: bool = False) -> None:
        self._lane, self.is_serial = lane, is_serial
        self._closed = False

    def submit(
        self,
        key: Hashable,
        work: Callable[[Ticket], Any],
        done: Callable[[Any], None] | None = None,
        failed: Callable[[BaseException], None] | None = None,
    ) -> Ticket:
        """Request work; see `Lane.submit`."""
        if self._closed:
            msg = "this part of the lane is closed"
            raise RuntimeError(msg)
        return self._lane.submit(key, work, done, failed, owner=self)

    def keep_only(self, wanted: Callable[[Hashable], bool]) -> None:
        """Drop every request of this owner whose key is no longer wanted."""
        self._lane.keep_only(wanted, owner=self)

    @property
    def is_idle(self) -> bool:
        """Whether nothing of this owner waits or runs."""
        return self._lane.is_idle_for(self)

    def wait_idle(self, timeout: float | None = None) -> bool:
        """Wait until nothing of this owner waits or runs."""
        return self._lane.wait_idle_for(self, timeout)

    def close(self) -> None:
        """Cancel everything of this owner, wait for what runs, and take no more."""
        self._closed = True
        self.keep_only(lambda _key: False)
        self.wait_idle()
