"""Independent pieces of work, done by several processes that share the cores."""

import multiprocessing
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from typing import TypeVar

from peel.errors import Cancelled
from peel.matte.parallel import share_cores
from peel.work.session.leftovers import tidy_up

__all__ = ["spread"]

_Row = TypeVar("_Row")


def _begin(workers: int) -> None:
    """Get a worker ready: it takes its share of the cores, and what it leaves if it is killed is noted."""
    tidy_up()
    share_cores(workers)


def spread(
    tasks: Sequence[Callable[[], _Row]],
    workers: int,
    failed: Callable[[int, BaseException], _Row],
    told: Callable[[int], bool] = lambda _number: True,
) -> Iterator[tuple[int, _Row]]:
    """Do tasks in processes; gives the number and the row of each as it is done, whatever became of it.

    Parameters
    ----------
    tasks : sequence of callables
        Each can be pickled.
    workers : int
        Processes.
    failed : callable
        Returns the row of a task whose process ended, or whose work raised.
    told : callable
        Called now and then with the first number that is not done; returns False to stop.

    Raises
    ------
    Cancelled
        If `told` said to stop; tasks that were begun are brought to their end, the others are not begun.
    """
    context = multiprocessing.get_context("spawn")  # threads and locks are not forked
    with ProcessPoolExecutor(workers, context, _begin, (workers,)) as pool:
        waiting: dict[Future[_Row], int] = {pool.submit(task): number for number, task in enumerate(tasks)}
        while waiting:
            done, _ = wait(waiting, timeout=0.5, return_when=FIRST_COMPLETED)
            for future in done:
                number = waiting.pop(future)
                error = future.exception()
                yield number, future.result() if error is None else failed(number, error)
            if waiting and not told(min(waiting.values())):
                for future in waiting:
                    future.cancel()
                raise Cancelled
