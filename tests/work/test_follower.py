"""Solves that follow a job: once for each question, never for one that has been overtaken."""

import threading
from typing import Any

import pytest

from conftest import soft_disc
from peel.errors import SolveError
from peel.job.edits.values import set_value, use_zones
from peel.job.job import Job, new_job
from peel.work.scheduler import Lane
from peel.work.solving.follower import Follower, News, with_solution


@pytest.fixture
def marked(disc_job: Job) -> Job:
    return use_zones(disc_job, soft_disc(300, 420, 90)[2])


class Heard:
    """What a follower said, and a lane for it to work on."""

    def __init__(self) -> None:
        self.shares: list[float | None] = []
        self.wholes: list[Job] = []
        self.failures: list[BaseException] = []
        self.lane = Lane("solve", in_order=True)
        news = News(
            self.shares.append,
            lambda _asked, _part: None,
            lambda _asked, whole: self.wholes.append(whole),
            self.failures.append,
        )
        self.follower = Follower(self.lane.share(), news)


def test_a_question_is_solved_once_and_answered(marked: Job) -> None:
    heard = Heard()

    heard.follower.follow(marked, None)
    heard.follower.follow(marked, None)
    assert heard.follower.wait_idle(60)

    (whole,) = heard.wholes
    solved = with_solution(marked, whole)
    assert solved.is_solved
    assert heard.shares[0] == 0.0
    heard.follower.answered()
    heard.follower.follow(solved, None)
    assert heard.follower.wait_idle(60)
    assert len(heard.wholes) == 1
    assert heard.shares[-1] is None
    heard.lane.close()


def test_a_job_that_is_overtaken_or_cancelled_hands_in_nothing(marked: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    heard, begun, go_on = Heard(), threading.Event(), threading.Event()

    def slow(job: Job, *_given: Any, **_named: Any) -> tuple[Job, None]:
        begun.set()
        go_on.wait(10)
        return job, None

    monkeypatch.setattr("peel.work.solving.follower.solve_job", slow)
    other = set_value(marked, "recipe.solving.lines", False)
    heard.follower.follow(marked, None)
    assert begun.wait(10)
    heard.follower.follow(other, None)
    go_on.set()
    assert heard.follower.wait_idle(60)
    assert [whole is other for whole in heard.wholes] == [True]

    go_on.clear()
    begun.clear()
    heard.follower.follow(marked, None)
    assert begun.wait(10)
    heard.follower.cancel()
    go_on.set()
    assert heard.follower.wait_idle(60)
    assert len(heard.wholes) == 1
    heard.lane.close()


def test_what_cannot_be_solved_yet_is_no_failure_and_what_fails_is_told(
    marked: Job, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard = Heard()
    heard.follower.follow(new_job(marked.photo), None)
    assert heard.shares == [None]

    def failing(*_given: Any, **_named: Any) -> None:
        raise SolveError("No.", "Nor now.")

    monkeypatch.setattr("peel.work.solving.follower.solve_job", failing)
    for _ in range(2):  # after a failure the same question may be asked again
        heard.follower.follow(marked, None)
        assert heard.follower.wait_idle(60)
    assert [type(error) for error in heard.failures] == [SolveError, SolveError]

    heard.follower.close()
    heard.follower.follow(marked, None)
    assert len(heard.failures) == 2
    heard.lane.close()
