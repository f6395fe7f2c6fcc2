"""Solves that follow the edits: always for the job as it stands, never for one that has been overtaken."""

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from peel.errors import SolveError
from peel.job.job import Job
from peel.job.question import Question, question
from peel.job.rect import Rect
from peel.matte.parallel import cancellable
from peel.work.scheduler import LaneShare, Ticket
from peel.work.separating.tones import with_found
from peel.work.solving.solve import check_solvable, solve_job

__all__ = ["Follower", "News", "with_solution"]


@dataclass(frozen=True)
class News:
    """What a follower calls, from its own thread unless it says otherwise.

    Attributes
    ----------
    share : callable
        With the share of a solve that is done, from 0; with None when nothing is left to solve or a solve has failed.
        Also on the caller's thread.
    part, whole : callable
        With the question that was asked, and a job with a part of the matte that answers it, or with all of it.
    failed : callable
        With what a solve raised.
    """

    share: Callable[[float | None], None]
    part: Callable[[Question, Job], None]
    whole: Callable[[Question, Job], None]
    failed: Callable[[BaseException], None]


_SILENT: Final = News(*(lambda *_given: None for _ in range(4)))


class Follower:
    """Solves one job after another; a job that asks something else cancels the solve under way.

    Parameters
    ----------
    lane : LaneShare
    news : News
    """

    def __init__(self, lane: LaneShare, news: News) -> None:
        self._lane = lane
        self._news = news
        self._turn = threading.RLock()
        self._asked: Question | None = None  # by the solve that is running
        self._is_closed = False

    @property
    def is_idle(self) -> bool:
        """Whether nothing is being solved."""
        return self._lane.is_idle

    def wait_idle(self, timeout: float) -> bool:
        """Wait until nothing is being solved; returns whether that came about in so many seconds."""
        return self._lane.wait_idle(timeout)

    def follow(self, job: Job, first: Rect | None) -> None:
        """Solve what a job leaves unsolved, the given part of it first."""
        asked = question(job)
        with self._turn:
            if self._asked == asked or self._is_closed:
                return
            self._asked = None
        if job.is_solved or not _is_solvable(job):
            self._lane.keep_only(lambda _key: False)
            self._news.share(None)
            return
        with self._turn:
            self._asked = asked
        self._news.share(0.0)
        self._lane.submit(
            "solve",
            lambda ticket: self._solve(job, asked, first, ticket),
            lambda solved: self._news.whole(asked, solved),
            self._on_failed,
        )

    def answered(self) -> None:
        """Take note that the job has its whole matte."""
        with self._turn:
            self._asked = None
        self._news.share(None)

    def cancel(self) -> None:
        """Cancel the solve under way; following the same job again restarts it."""
        with self._turn:
            self._asked = None
        self._lane.keep_only(lambda _key: False)

    def close(self) -> None:
        """Cancel the solve under way, and follow no more; waits."""
        with self._turn:
            self._is_closed = True
        self._lane.close()
        self._news = _SILENT  # which refers to whoever follows: the two would keep each other

    def _solve(self, job: Job, asked: Question, first: Rect | None, ticket: Ticket) -> Job:
        def show_partial(part: Job) -> None:
            if not ticket.is_cancelled:
                self._news.part(asked, part)

        with cancellable(lambda: not ticket.is_cancelled):
            return solve_job(job, self._news.share, show_partial, first=first)[0]

    def _on_failed(self, error: BaseException) -> None:
        with self._turn:
            self._asked = None
        self._news.share(None)
        self._news.failed(error)


def with_solution(job: Job, solved: Job) -> Job:
    """Put a matte, whole or partial, and what was found on the way to it, into the job that asked for it."""
    after = job.with_planes(matte=solved.matte, unsolved=solved.unsolved)
    found = solved.settings.photo
    if job.settings.photo.mixing_found is None:
        after = after.with_photo_settings(mixing_found=found.mixing_found)
    if job.settings.photo.spill_found is None:
        after = after.with_photo_settings(spill_found=found.spill_found, spill_shared=found.spill_shared)
    # not before all is solved: what is found from a partial matte would make the job ask another question
    return with_found(after) if solved.is_solved else after


def _is_solvable(job: Job) -> bool:
    """Return whether both sides are marked; before that nothing is wrong, the person has only begun."""
    try:
        check_solvable(job)
    except SolveError:
        return False
    return True
