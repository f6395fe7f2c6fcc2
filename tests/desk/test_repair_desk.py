"""Repairs in the window: touch-up brushes, Release, one press, and touch-ups shown and hidden."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from desk.hand import Hand
from peel.desk.matte.again_desk import AgainDesk
from peel.desk.matte.repair_desk import RepairDesk
from peel.desk.steps import Step
from peel.job.edits.touching import has_touches


def _alpha(hand: Hand) -> np.ndarray:
    return hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)


@pytest.fixture
def repairing(marked: Hand) -> Hand:
    """A window with the disc solved, in Matte, with a small brush."""
    marked.step("Matte")
    marked.desk.set_brush(30)
    marked.desk.shape_brush(softness=0.0)
    marked.settle()
    return marked


def test_a_hole_is_closed_and_what_floats_is_cleared_by_the_two_buttons_of_solid(repairing: Hand) -> None:
    solved = _alpha(repairing)
    repairing.command("Solid")
    repairing.click(210, 150, right=True)
    repairing.settle()
    assert _alpha(repairing)[150, 210] == 0

    repairing.click(210, 150)
    repairing.settle()

    assert _alpha(repairing)[150, 210] == 1
    assert np.array_equal(_alpha(repairing)[:100], solved[:100])
    repairing.command("Undo")
    repairing.command("Undo")
    repairing.settle()
    assert np.array_equal(_alpha(repairing), solved)


def test_an_edge_is_nudged_and_released(repairing: Hand) -> None:
    solved = _alpha(repairing)
    repairing.command("Nudge")
    assert repairing.desk.brush_shape.strength == pytest.approx(0.15)  # it pushes, it does not throw
    repairing.command("Solid")
    assert repairing.desk.brush_shape.strength == 1
    repairing.command("Nudge")
    repairing.desk.shape_brush(strength=1.0)
    repairing.drag([(296, 150), (300, 150), (304, 150)])
    repairing.settle()
    assert (_alpha(repairing)[150] > 0.5).sum() > (solved[150] > 0.5).sum() + 3

    repairing.command("Release")
    repairing.desk.set_brush(200)
    repairing.drag([(290, 150), (310, 150)])
    repairing.settle()

    assert np.array_equal(_alpha(repairing), solved)


def test_soften_and_firm_are_steps_of_undo_with_their_names(repairing: Hand) -> None:
    for tool, label, right in (("Soften", "Soften", False), ("Firm", "Firm", False), ("Firm", "Thin", True)):
        repairing.command(tool)
        repairing.drag([(300, 130), (300, 170)], right=right)
        repairing.settle()
        assert repairing.session.history.undo_label == label


def test_a_brush_s_strength_and_softness_are_on_the_shelf(repairing: Hand) -> None:
    repairing.command("Solid")
    shelf = repairing.bench.shelf
    assert shelf.strength.isVisible()

    shelf.strength.set_value(50)
    repairing.click(30, 30)
    repairing.settle()

    assert _alpha(repairing)[30, 30] == pytest.approx(0.5, abs=0.02)
    repairing.command("Band")
    assert not shelf.strength.isVisible()


def test_pinholes_are_shown_before_they_are_closed(repairing: Hand) -> None:
    page = repairing.panel(Step.MATTE).repairs
    repairing.command("Solid")
    repairing.desk.set_brush(6)
    repairing.click(210, 150, right=True)
    repairing.settle()

    page.amount.set_value(12)
    repairing.press("repair PINHOLES")
    repairing.wait(lambda: repairing.bench.part(RepairDesk).is_idle and repairing.desk.overlay.image is not None)
    assert "would change" in page.found.text()
    assert _alpha(repairing)[150, 210] == 0
    page.do_it.click()
    repairing.settle()

    assert _alpha(repairing)[150, 210] == 1
    assert repairing.desk.overlay.image is None
    assert page.chosen is None


def test_touch_ups_are_hidden_for_comparison_and_cleared_by_sort(repairing: Hand) -> None:
    page = repairing.panel(Step.MATTE).repairs
    assert not page.hide_touches.isEnabled()
    repairing.command("Solid")
    repairing.click(30, 30)
    repairing.settle()

    page.hide_touches.click()
    compared = repairing.desk.compared
    assert compared is not None
    assert not has_touches(compared)
    page.hide_touches.click()
    assert repairing.desk.compared is None
    assert page.clear["solid and clear"].isEnabled()
    assert not page.clear["nudge"].isEnabled()
    page.clear["solid and clear"].click()
    repairing.settle()

    assert not has_touches(repairing.job)


def test_what_was_touched_up_is_shown_where_it_is(repairing: Hand) -> None:
    repairing.command("Solid")
    repairing.click(30, 30)
    repairing.settle()

    repairing.panel(Step.MATTE).repairs.show_touched.click()
    repairing.wait(lambda: repairing.desk.overlay.image is not None)

    image = repairing.desk.overlay.image
    assert image is not None
    assert image.pixelColor(30, 30).alpha() > 0
    assert image.pixelColor(200, 200).alpha() == 0


def test_all_of_a_drawn_area_is_made_solid_and_released(repairing: Hand) -> None:
    page = repairing.panel(Step.MATTE).repairs
    page.area.click()
    repairing.drag([(20, 20), (80, 20), (80, 60), (20, 60), (20, 25)])
    repairing.settle()

    repairing.press("fill Solid")
    repairing.settle()
    assert (_alpha(repairing)[24:56, 24:76] == 1).all()
    assert _alpha(repairing)[10, 10] == 0
    repairing.press("fill Release")
    repairing.settle()

    assert not has_touches(repairing.job)
    page.area.click()
    assert repairing.desk.overlay.area == ()


def test_an_area_is_solved_again_and_one_of_the_answers_is_taken(repairing: Hand) -> None:
    page, again = repairing.panel(Step.MATTE).repairs, repairing.bench.part(AgainDesk)
    page.area.click()
    repairing.drag([(240, 90), (360, 90), (360, 210), (240, 210), (240, 100)])
    repairing.settle()

    repairing.press("again")
    repairing.wait(lambda: bool(again.answers.buttons) and all(b.isEnabled() for b in again.answers.buttons))
    assert again.answers.isVisible()
    repairing.press("answer 3")
    repairing.settle()

    assert not again.answers.isVisible()
    assert repairing.session.history.undo_label == "Again here: cut by tone"
    assert repairing.job.settings.recipe.separations[0].applies == "stretch"
    assert repairing.job.is_solved


def test_the_matte_before_repairs_is_shown_while_a_key_is_held(repairing: Hand) -> None:
    repairing.command("Solid")
    repairing.click(30, 30)
    repairing.settle()

    QTest.keyPress(repairing.bench.canvas, Qt.Key.Key_Period)
    held = repairing.desk.compared
    QTest.keyRelease(repairing.bench.canvas, Qt.Key.Key_Period)

    assert held is not None
    assert not has_touches(held)
    assert repairing.desk.compared is None
    assert repairing.desk.look.before is not None
    assert not has_touches(repairing.desk.look.before), "the step before the last"


def test_an_enclosed_area_is_filled_by_one_press_and_an_open_one_is_not(repairing: Hand) -> None:
    repairing.command("Solid")
    repairing.desk.set_brush(40)
    repairing.click(210, 150, right=True)
    repairing.settle()

    repairing.click(210, 150, Qt.KeyboardModifier.ControlModifier)
    repairing.settle()
    assert (_alpha(repairing)[135:165, 195:225] == 1).all()
    repairing.click(10, 10, Qt.KeyboardModifier.ControlModifier)
    repairing.settle()

    assert "Nothing encloses" in repairing.window.message.text
    assert _alpha(repairing)[10, 10] == 0


def test_hidden_touch_ups_stay_hidden_when_the_key_is_let_go(repairing: Hand) -> None:
    repairing.command("Solid")
    repairing.click(30, 30)
    repairing.settle()
    repairing.panel(Step.MATTE).repairs.hide_touches.click()

    QTest.keyPress(repairing.bench.canvas, Qt.Key.Key_Period)
    QTest.keyRelease(repairing.bench.canvas, Qt.Key.Key_Period)

    assert repairing.desk.compared is not None
    assert not has_touches(repairing.desk.compared)


def test_a_comparison_of_another_part_is_left_alone_while_the_job_changes(repairing: Hand) -> None:
    other = repairing.job
    repairing.desk.compare(other)

    repairing.desk.job_changed.emit(repairing.job, repairing.job)

    assert repairing.desk.compared is other
    repairing.desk.compare(None)
