import itertools
import threading
from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.errors import Cancelled
from peel.matte.parallel import cancellable, checkpoint, chunks, masked_values, run_all


def test_results_come_in_the_order_of_the_tasks() -> None:
    together = threading.Barrier(2, timeout=10)

    def wait_for_the_other(number: int) -> int:
        together.wait()  # only two threads at once get past
        return number

    assert run_all([partial(wait_for_the_other, number) for number in range(6)]) == list(range(6))


def test_tasks_of_tasks_do_not_wait_for_each_other() -> None:
    inner = [lambda: 1] * 3

    assert run_all([lambda: sum(run_all(inner))] * 4) == [3] * 4


def test_an_error_of_any_task_is_raised_once_all_threads_are_done() -> None:
    done: list[int] = []

    def task(number: int) -> None:
        if number == 3:
            raise ZeroDivisionError
        done.append(number)

    with pytest.raises(ZeroDivisionError):
        run_all([partial(task, number) for number in range(6)])

    assert set(done) >= {0, 1, 2}


def test_no_task_is_begun_once_called_off() -> None:
    begun = itertools.count()

    def task() -> None:
        next(begun)

    with pytest.raises(Cancelled), cancellable(lambda: False):
        run_all([task] * 8)
    assert next(begun) == 0


def test_helping_threads_hear_of_it_too() -> None:
    wanted = threading.Event()
    heard: list[str] = []

    def task() -> None:
        wanted.set()
        try:
            checkpoint()
        except Cancelled:
            heard.append(threading.current_thread().name)
            raise

    with pytest.raises(Cancelled), cancellable(lambda: not wanted.is_set()):
        run_all([task] * 8)
    assert heard


def test_what_is_called_off_inside_does_not_call_off_what_follows() -> None:
    with pytest.raises(Cancelled), cancellable(lambda: False):
        checkpoint()

    checkpoint()


@given(st.integers(0, 500), st.integers(1, 60))
def test_portions_cover_a_range_without_gaps(size: int, most: int) -> None:
    cut = chunks(size, most)

    assert len(cut) == 1 or len(cut) % 2 == 0
    assert [at for part in cut for at in range(part.start, part.stop)] == list(range(size))
    assert all(part.stop - part.start <= most for part in cut)


def test_pixels_are_picked_in_reading_order_however_tall_the_picture() -> None:
    picture = np.arange(700 * 9 * 3).reshape(700, 9, 3)
    mask = np.random.default_rng(1).random((700, 9)) < 0.3

    np.testing.assert_array_equal(masked_values(picture, mask), picture[mask])
    np.testing.assert_array_equal(masked_values(picture[:1], mask[:1]), picture[:1][mask[:1]])
    assert masked_values(picture, np.zeros_like(mask)).shape == (0, 3)
