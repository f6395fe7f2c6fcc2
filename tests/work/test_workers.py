"""Work spread over processes: all of it is told of, whatever became of it."""

import os
from functools import partial
from typing import Any

import pytest

from peel.errors import Cancelled
from peel.work.many.workers import spread

Row = dict[str, Any]


def _square(number: int) -> Row:
    if number == 3:
        raise ValueError(number)
    return {"square": number**2, "process": os.getpid()}


def _failed(number: int, error: BaseException) -> Row:
    return {"error": f"{number}: {type(error).__name__}"}


def test_every_task_is_told_of_once_and_one_that_fails_stops_no_other() -> None:
    rows = dict(spread([partial(_square, number) for number in range(6)], 2, _failed))
    assert sorted(rows) == list(range(6))
    assert rows[3] == {"error": "3: ValueError"}
    assert [rows[number]["square"] for number in (0, 1, 2, 4, 5)] == [0, 1, 4, 16, 25]
    assert os.getpid() not in {row.get("process") for row in rows.values()}


def _die() -> Row:
    os._exit(9)


def test_a_process_that_dies_is_told_of() -> None:
    rows = dict(spread([_die], 2, _failed))
    assert rows == {0: {"error": "0: BrokenProcessPool"}}


def test_work_that_is_stopped_leaves_the_rest_undone() -> None:
    with pytest.raises(Cancelled):
        list(spread([partial(_square, number) for number in range(200)], 2, _failed, lambda _number: False))
