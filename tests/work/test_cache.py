"""The cache of made arrays: its budget, and threads that ask for the same."""

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from peel.work.stages import Cache


def test_the_least_recently_used_is_dropped_beyond_the_budget() -> None:
    cache, made = Cache(2000), list[str]()

    def make(name: str) -> np.ndarray:
        return cache.get(name, lambda: (made.append(name), np.zeros(100))[1])

    for name in ("a", "b", "a", "c", "a", "b"):
        make(name)

    assert made == ["a", "b", "c", "b"]
    assert cache.spent_bytes == 1600


def test_what_one_thread_makes_another_waits_for() -> None:
    cache, begun, may_end, made = Cache(10_000), threading.Event(), threading.Event(), list[int]()

    def make() -> np.ndarray:
        made.append(1)
        begun.set()
        assert may_end.wait(20)
        return np.arange(5)

    with ThreadPoolExecutor(2) as pool:
        first = pool.submit(cache.get, "key", make)
        assert begun.wait(20)
        second = pool.submit(cache.get, "key", make)
        may_end.set()
        assert first.result(20) is second.result(20)
    assert made == [1]


def test_what_failed_in_one_thread_is_made_by_the_next() -> None:
    cache, begun, may_end = Cache(10_000), threading.Event(), threading.Event()

    def fail() -> np.ndarray:
        begun.set()
        assert may_end.wait(20)
        message = "broken"
        raise ValueError(message)

    with ThreadPoolExecutor(2) as pool:
        first = pool.submit(cache.get, "key", fail)
        assert begun.wait(20)
        second = pool.submit(cache.get, "key", lambda: np.arange(3))
        may_end.set()
        assert second.result(20).tolist() == [0, 1, 2]
        with pytest.raises(ValueError, match="broken"):
            first.result()
