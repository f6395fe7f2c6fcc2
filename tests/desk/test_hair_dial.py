"""How much hair, in the window: the dial drops whole strands, counts them, and small files propose a value."""

from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from desk.hand import LEFT, Hand
from peel.desk.steps import Step
from peel.job.edits.values import use_matte
from peel.job.job import Job


def _with_hair(job: Job) -> Job:
    """Give a job a matte with twelve upright strands, six of them short."""
    alpha = np.zeros((job.photo.height, job.photo.width), np.float32)
    bottom = job.photo.height * 3 // 4
    alpha[bottom:] = 1
    for k in range(12):
        x = 12 + k * (job.photo.width - 24) // 12
        alpha[bottom - (14 if k % 2 else 60) : bottom, x : x + 2] = 1
    return use_matte(job, alpha)


@pytest.fixture
def page(marked: Hand) -> Any:
    marked.desk.edit("Hair", _with_hair)
    marked.settle()
    marked.step("Matte")
    page = marked.panel(Step.MATTE).profile
    page.hair.setFocus()
    marked.wait(lambda: page.counted.text().startswith("12 strands"))
    return page


def _drag(page: Any, *spots: float) -> None:
    dial = page.hair
    places = [QPoint(round(dial.x_of(spot)), 20) for spot in spots]
    QTest.mousePress(dial, LEFT, pos=places[0])
    for place in places[1:]:
        QTest.mouseMove(dial, place)
    QTest.mouseRelease(dial, LEFT, pos=places[-1])


def test_dragging_the_dial_leaves_the_short_strands_out_and_says_how_many(marked: Hand, page: Any) -> None:
    before = len(marked.session.history.states)
    _drag(page, 0.0, -0.3, -0.75)
    marked.settle()
    assert 14 < marked.job.settings.recipe.finish.overall.shortest_px < 60
    assert "6 of them left out" in page.counted.text()
    alpha = marked.session.stages.alpha(marked.job, marked.job.photo.bounds, 0)
    bottom = marked.job.photo.height * 3 // 4
    assert (alpha[bottom - 8] > 0.5).sum() == 12  # two pixels each of the six that stay
    assert len(marked.session.history.states) == before + 1  # one step of undo for the drag
    marked.command("Undo")
    marked.settle()
    assert "left out" not in page.counted.text()


def test_a_double_click_and_the_arrows_step_it(marked: Hand, page: Any) -> None:
    _drag(page, -0.5, -0.6)
    marked.settle()
    page.hair.setFocus()
    QTest.keyClick(page.hair, Qt.Key.Key_Right)
    marked.settle()
    stepped = page.hair.spot
    assert stepped == pytest.approx(-0.58, abs=0.015)
    QTest.mouseDClick(page.hair, LEFT, pos=QPoint(20, 20))
    marked.settle()
    assert page.hair.spot == 0
    _drag(page, 0.2, 0.5)
    marked.settle()
    finish = marked.job.settings.recipe.finish.overall
    assert (finish.shortest_px, finish.faint) == (0.0, pytest.approx(0.5, abs=0.02))


def test_numbers_are_typed_too(marked: Hand, page: Any) -> None:
    field = page.fields["shortest_px"]
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_3)
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_0)
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    marked.settle()
    assert marked.job.settings.recipe.finish.overall.shortest_px == 30
    marked.wait(lambda: "6 of them left out" in page.counted.text())
    QTest.mouseClick(page.as_solved, LEFT)
    marked.settle()
    assert marked.job.settings.recipe.finish.overall.shortest_px == 0


def test_strands_are_counted_only_when_the_hand_comes_near_or_some_are_left_out(marked: Hand, page: Any) -> None:
    marked.desk.edit("Hair again", lambda job: _with_hair(job))
    marked.settle()
    assert "Point at the dial" in page.counted.text()
    page.fields["crisp"].setFocus()
    page.hair.setFocus()
    marked.wait(lambda: page.counted.text().startswith("12 strands"))
    _drag(page, -0.5, -0.75)
    marked.settle()
    marked.desk.edit("Hair once more", lambda job: _with_hair(job))
    marked.settle()
    marked.wait(lambda: "left out" in page.counted.text())
