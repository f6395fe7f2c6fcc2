"""Run pieces of numeric work beside each other; compiled kernels let go of the interpreter's lock while they run."""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from itertools import pairwise
from typing import TypeVar

__all__ = ["run_all", "spans"]

_T = TypeVar("_T")


@lru_cache(maxsize=1)
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=max(1, (os.cpu_count() or 1) - 1), thread_name_prefix="peel-matte")


def run_all(tasks: Sequence[Callable[[], _T]]) -> list[_T]:
    """Run all tasks, the first on the caller's thread, and give their results in order.

    How work is cut into tasks must not depend on the machine, so that results do not either.
    """
    if len(tasks) == 1:
        return [tasks[0]()]
    others = [_pool().submit(task) for task in tasks[1:]]
    first = tasks[0]()
    return [first, *(other.result() for other in others)]


def spans(size: int, pieces: int) -> list[slice]:
    """Cut a range into pieces of nearly equal length.

    >>> spans(5, 2)
    [slice(0, 2, None), slice(2, 5, None)]
    """
    bounds = [size * k // pieces for k in range(pieces + 1)]
    return [slice(a, b) for a, b in pairwise(bounds)]
