"""A cache of arrays with a byte budget."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any

from numpy.typing import NDArray

__all__ = ["Cache"]


class Cache:
    """Arrays by what they were made from; the least recently used are dropped beyond the budget. Any thread.

    Keys hold numbers that stand for tiles, never the tiles themselves: only the arrays count as memory. What one thread
    makes another waits for instead of making it as well; what is made may need only what stands before it in a chain,
    so that nobody waits in a circle.

    Parameters
    ----------
    budget_bytes : int
    """

    def __init__(self, budget_bytes: int) -> None:
        self._budget, self._spent = budget_bytes, 0
        self._kept: OrderedDict[Hashable, NDArray[Any]] = OrderedDict()
        self._turn = threading.Lock()
        self._making: dict[Hashable, threading.Event] = {}

    @property
    def spent_bytes(self) -> int:
        """Memory that the kept arrays take."""
        return self._spent

    def get(self, key: Hashable, make: Callable[[], NDArray[Any]]) -> NDArray[Any]:
        """Return what is kept under a key, or make and keep it; the array is read-only.

        Of any shape.
        """
        while True:
            with self._turn:
                if key in self._kept:
                    self._kept.move_to_end(key)
                    return self._kept[key]
                other = self._making.get(key)
                if other is None:
                    mine = self._making[key] = threading.Event()
                    break
            other.wait()  # it may have failed, or what it made may be dropped already: then it is made here
        try:
            made = make()
            made.flags.writeable = False
            with self._turn:
                self._keep(key, made)
        finally:
            with self._turn:
                del self._making[key]
            mine.set()
        return made

    def _keep(self, key: Hashable, made: NDArray[Any]) -> None:
        self._kept[key] = made
        self._spent += made.nbytes
        while self._spent > self._budget and len(self._kept) > 1:
            _, dropped = self._kept.popitem(last=False)
            self._spent -= dropped.nbytes
