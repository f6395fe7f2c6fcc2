"""Run numeric tasks in parallel, and cancel them between two tasks.

Compiled kernels release the interpreter's lock while they run. A running kernel cannot be interrupted, so long ones
get their work in chunks.
"""

import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from functools import lru_cache, partial
from itertools import pairwise
from typing import Any, Final, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import Cancelled

__all__ = [
    "cancellable",
    "checkpoint",
    "chunks",
    "map_chunks",
    "masked_values",
    "run_all",
    "share_cores",
    "split_range",
]

_T = TypeVar("_T")
_NAME: Final = "peel-matte"
_ROWS: Final = 256  # of a picture, per task
_WHOLE: Final = 4  # a task is not split where it is so many times smaller than tasks may be
_most_helpers: int | None = None
_wanted: ContextVar[Callable[[], bool] | None] = ContextVar("wanted", default=None)


@contextmanager
def cancellable(wanted: Callable[[], bool]) -> Iterator[None]:
    """Cancel the computation within, at any `checkpoint` and between tasks, once `wanted` returns False.

    `wanted` is called often, and from several threads.
    """
    token = _wanted.set(wanted)
    try:
        yield
    finally:
        _wanted.reset(token)


def checkpoint() -> None:
    """Raise if the result is no longer wanted.

    Raises
    ------
    Cancelled
    """
    wanted = _wanted.get()
    if wanted is not None and not wanted():
        raise Cancelled


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=_helpers(), thread_name_prefix=_NAME)


def _helpers() -> int:
    return _most_helpers if _most_helpers is not None else max(1, (os.cpu_count() or 1) - 1)


def share_cores(processes: int) -> None:
    """Use no more than this process's share of the cores, of several that work at once; before anything is run."""
    global _most_helpers
    own = max(1, (os.cpu_count() or 1) // processes)
    _most_helpers = own - 1
    cv2.setNumThreads(own)


def run_all(tasks: Sequence[Callable[[], _T]]) -> list[_T]:
    """Run all tasks, some of them on the caller's thread, and return their results in order.

    How work is split into tasks must not depend on the machine, so that results do not either.

    Raises
    ------
    Cancelled
        If the result is no longer wanted; what the tasks write to is then incomplete.
    """
    results: list[Any] = [None] * len(tasks)
    numbers = iter(range(len(tasks)))  # shared: the interpreter hands out each number once

    def work() -> None:
        for number in numbers:
            checkpoint()
            results[number] = tasks[number]()

    # a task that has tasks of its own would wait for the thread it holds
    alone = len(tasks) == 1 or _most_helpers == 0 or threading.current_thread().name.startswith(_NAME)
    helpers = 0 if alone else min(_helpers(), len(tasks) - 1)
    others = [_pool().submit(copy_context().run, work) for _ in range(helpers)]
    try:
        work()
    finally:
        # one that has not begun, since its thread is busy with somebody else's tasks, has nothing left to do
        begun = [other for other in others if not other.cancel()]
        wait(begun)  # they write to what the caller holds
    for other in begun:
        other.result()
    return results


def split_range(size: int, pieces: int) -> list[slice]:
    """Split a range into slices of nearly equal length.

    >>> split_range(5, 2)
    [slice(0, 2, None), slice(2, 5, None)]
    """
    bounds = [size * k // pieces for k in range(pieces + 1)]
    return [slice(a, b) for a, b in pairwise(bounds)]


def chunks(size: int, most: int) -> list[slice]:
    """Split a range into an even number of slices no longer than `most`; what is a small part of that stays whole.

    >>> chunks(5, 2)
    [slice(0, 1, None), slice(1, 2, None), slice(2, 3, None), slice(3, 5, None)]
    """
    return split_range(size, 2 * max(1, -(-size // (2 * most))) if size > most // _WHOLE else 1)


def map_chunks(work: Callable[[slice], _T], size: int, most: int) -> list[_T]:
    """Apply `work` to slices of a range no longer than `most`; return the results in order. See `run_all`."""
    return run_all([partial(work, part) for part in chunks(size, most)])


def masked_values(picture: NDArray[Any], mask: NDArray[np.bool_]) -> NDArray[Any]:
    """Return the pixels of a (H, W) or (H, W, C) picture under a (H, W) mask, in reading order.

    >>> masked_values(np.arange(4).reshape(2, 2), np.array([[True, False], [False, True]])).tolist()
    [0, 3]
    """

    def pick(part: slice) -> NDArray[Any]:
        return picture[part][mask[part]]

    return np.concatenate(map_chunks(pick, len(mask), _ROWS))
