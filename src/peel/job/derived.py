"""What is made of an immutable value on first use: it is kept with that value, and freed with it."""

import threading
from collections.abc import Callable, Hashable
from typing import Any, Concatenate, Final, ParamSpec, TypeVar

__all__ = ["Derived"]

_T = TypeVar("_T")
_P = ParamSpec("_P")
_MOST: Final = 4  # results of one function with different arguments


class Derived:
    """Derives values from itself, each once, whichever thread asks first.

    Notes
    -----
    A result must not hold the value that it was derived from: the two would keep each other until the next collection
    of cycles, and a photo is large.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._slots: dict[Hashable, dict[Hashable, _Slot]] = {}

    def get(self, make: Callable[Concatenate[Any, _P], _T], owner: Any, *args: _P.args, **kwargs: _P.kwargs) -> _T:
        """Return ``make(owner, *args)``, made at the first request; the last few different requests are kept.

        Parameters
        ----------
        make : callable
            A pure function defined at the top of a module: it names the value.
        owner : object
            The immutable value that this belongs to.
        *args
            Hashable.
        """
        return self._filled(_MOST, make, owner, *args, **kwargs)

    def latest(self, make: Callable[Concatenate[Any, _P], _T], owner: Any, *args: _P.args, **kwargs: _P.kwargs) -> _T:
        """Do the same, but keep the last request alone: for what is as large as its owner."""
        return self._filled(1, make, owner, *args, **kwargs)

    def _filled(
        self, most: int, make: Callable[Concatenate[Any, _P], _T], owner: Any, *args: _P.args, **kwargs: _P.kwargs
    ) -> _T:
        key = (args, tuple(sorted(kwargs.items())))
        with self._lock:
            slots = self._slots.setdefault(make, {})
            slot = slots.pop(key, None) or _Slot()
            slots[key] = slot
            while len(slots) > most:
                del slots[next(iter(slots))]
        value: _T = slot.filled(lambda: make(owner, *args, **kwargs))
        return value


class _Slot:
    """One value; a second thread that asks for it waits for the first."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._filled: tuple[Any] | None = None

    def filled(self, make: Callable[[], Any]) -> Any:
        with self._lock:
            if self._filled is None:
                self._filled = (make(),)
            return self._filled[0]
