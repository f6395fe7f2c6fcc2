"""Run pieces of numeric work beside each other, and call them off between two of them.

Compiled kernels let go of the interpreter's lock while they run. None of them can be stopped on its way, so long ones
are given their work in portions.
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

import numpy as np
from numpy.typing import NDArray

from peel.errors import Cancelled

__all__ = ["checkpoint", "in_portions", "picked", "portions", "run_all", "spans", "stopping"]

_T = TypeVar("_T")
_NAME: Final = "peel-matte"
_ROWS: Final = 256  # of a picture, looked through at a time
_wanted: ContextVar[Callable[[], bool] | None] = ContextVar("wanted", default=None)


@contextmanager
def stopping(wanted: Callable[[], bool]) -> Iterator[None]:
    """Let what is computed within be called off: from any `checkpoint` and between tasks, once `wanted` says False.

    `wanted` is asked often, and from several threads.
    """
    token = _wanted.set(wanted)
    try:
        yield
    finally:
        _wanted.reset(token)


def checkpoint() -> None:
    """Stop here if the answer is no longer wanted.

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
    return max(1, (os.cpu_count() or 1) - 1)


def run_all(tasks: Sequence[Callable[[], _T]]) -> list[_T]:
    """Run all tasks, some of them on the caller's thread, and give their results in order.

    How work is cut into tasks must not depend on the machine, so that results do not either.

    Raises
    ------
    Cancelled
        If the answer is no longer wanted; what the tasks write to is then left half done.
    """
    results: list[Any] = [None] * len(tasks)
    numbers = iter(range(len(tasks)))  # shared: the interpreter hands out each number once

    def work() -> None:
        for number in numbers:
            checkpoint()
            results[number] = tasks[number]()

    # a task that has tasks of its own would wait for the thread it holds
    alone = len(tasks) == 1 or threading.current_thread().name.startswith(_NAME)
    helpers = 0 if alone else min(_helpers(), len(tasks) - 1)
    others = [_pool().submit(copy_context().run, work) for _ in range(helpers)]
    try:
        work()
    finally:
        wait(others)  # they write to what the caller holds
    for other in others:
        other.result()
    return results


def spans(size: int, pieces: int) -> list[slice]:
    """Cut a range into pieces of nearly equal length.

    >>> spans(5, 2)
    [slice(0, 2, None), slice(2, 5, None)]
    """
    bounds = [size * k // pieces for k in range(pieces + 1)]
    return [slice(a, b) for a, b in pairwise(bounds)]


def portions(size: int, most: int) -> list[slice]:
    """Cut a range into an even number of pieces no longer than `most`.

    >>> portions(5, 2)
    [slice(0, 1, None), slice(1, 2, None), slice(2, 3, None), slice(3, 5, None)]
    """
    return spans(size, 2 * max(1, -(-size // (2 * most))))


def in_portions(work: Callable[[slice], _T], size: int, most: int) -> list[_T]:
    """Work on a range in portions no longer than `most`, and give the results in order; see `run_all`."""
    return run_all([partial(work, part) for part in portions(size, most)])


def picked(picture: NDArray[Any], mask: NDArray[np.bool_]) -> NDArray[Any]:
    """Give the pixels of a (H, W) or (H, W, C) picture that a (H, W) mask asks for, in reading order.

    >>> picked(np.arange(4).reshape(2, 2), np.array([[True, False], [False, True]])).tolist()
    [0, 3]
    """

    def pick(part: slice) -> NDArray[Any]:
        return picture[part][mask[part]]

    return np.concatenate(in_portions(pick, len(mask), _ROWS))
