"""Run pieces of numeric work beside each other; compiled kernels let go of the interpreter's lock while they run."""

import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from functools import lru_cache
from itertools import pairwise
from typing import Final, TypeVar

__all__ = ["run_all", "spans"]

_T = TypeVar("_T")
_NAME: Final = "peel-matte"


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=max(1, (os.cpu_count() or 1) - 1), thread_name_prefix=_NAME)


def run_all(tasks: Sequence[Callable[[], _T]]) -> list[_T]:
    """Run all tasks, the first on the caller's thread, and give their results in order.

    How work is cut into tasks must not depend on the machine, so that results do not either.
    """
    # a task that has tasks of its own would wait for the thread it holds
    if len(tasks) == 1 or threading.current_thread().name.startswith(_NAME):
        return [task() for task in tasks]
    others = [_pool().submit(task) for task in tasks[1:]]
    try:
        first = tasks[0]()
    finally:
        wait(others)  # they write to what the caller holds
    return [first, *(other.result() for other in others)]


def spans(size: int, pieces: int) -> list[slice]:
    """Cut a range into pieces of nearly equal length.

    >>> spans(5, 2)
    [slice(0, 2, None), slice(2, 5, None)]
    """
    bounds = [size * k // pieces for k in range(pieces + 1)]
    return [slice(a, b) for a, b in pairwise(bounds)]
