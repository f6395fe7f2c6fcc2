"""Right as it is, and measured ways, in the window."""

from typing import Any

import numpy as np

from desk.hand import Hand
from peel.desk.matte.measure_desk import MeasureDesk
from peel.desk.steps import Step
from peel.job.edits.touching import lay_over
from peel.job.job import Job
from peel.job.rect import Rect

_LEFT = [(60.0, 40.0), (200.0, 40.0), (200.0, 260.0), (60.0, 260.0), (60.0, 40.0)]
_RIGHT = [(220.0, 40.0), (360.0, 40.0), (360.0, 260.0), (220.0, 260.0), (220.0, 40.0)]


def _crisp(job: Job) -> Job:
    """Make the left half of the edge crisp by hand."""
    part = Rect(0, 0, job.photo.height, 205)
    alpha = np.clip((job.alpha(part) - 0.5) * 4 + 0.5, 0, 1).astype(np.float32)
    return lay_over(job, part, alpha, np.ones(alpha.shape, np.float32))


def _draw(hand: Hand, area: list[tuple[float, float]]) -> Any:
    page = hand.panel(Step.MATTE).repairs
    page.area.click()
    hand.drag(area)
    hand.settle()
    assert page.area.text() == "In the drawn area"
    return page


def test_ways_are_measured_on_what_was_taken_for_right_and_one_is_taken(marked: Hand) -> None:
    marked.desk.edit("By hand", _crisp)
    marked.settle()
    marked.step("Matte")
    page = _draw(marked, _LEFT)
    marked.press("confirm")
    marked.settle()
    assert page.confirmed.text() == "1 stretch taken for right"
    page.area.click()
    _draw(marked, _RIGHT)
    marked.press("measure")
    answers = marked.bench.part(MeasureDesk).answers
    marked.wait(lambda: bool(answers.buttons) and all(own.isEnabled() for own in answers.buttons))
    assert 1 <= len(answers.buttons) <= 3
    assert "% off" in answers.buttons[0].text()
    before = marked.session.stages.alpha(marked.job, marked.job.photo.bounds, 0)
    marked.press("answer 0")
    marked.settle()
    assert not answers.isVisible()
    assert marked.session.history.states[-1].label.startswith("Measured: ")
    after = marked.session.stages.alpha(marked.job, marked.job.photo.bounds, 0)
    half = ((after > 0.05) & (after < 0.95))[:, 225:].sum() / ((before > 0.05) & (before < 0.95))[:, 225:].sum()
    assert half < 0.95  # crisper, as the other side was made
    marked.press("forget confirmed")
    marked.settle()
    assert marked.job.settings.photo.confirmed == ()


def test_without_anything_taken_for_right_the_way_there_is_said(marked: Hand) -> None:
    marked.step("Matte")
    _draw(marked, _RIGHT)
    marked.press("measure")
    marked.wait(lambda: "nothing to measure on" in marked.window.message.text)
    assert not marked.bench.part(MeasureDesk).answers.isVisible()
