"""The edge profile in the window."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from desk.hand import Hand
from peel.desk.controls.profile_drawing import ProfileDrawing
from peel.desk.matte.finish_desk import FinishDesk
from peel.desk.steps import Step
from peel.job.settings import Finish
from peel.work.views import View


def _drawing(hand: Hand) -> ProfileDrawing:
    hand.step("Matte")
    hand.settle()
    hand.wait(lambda: hand.bench.part(FinishDesk).is_idle)
    hand.rest()
    return hand.panel(Step.MATTE).profile.drawing


def _drag(hand: Hand, drawing: ProfileDrawing, grip: str, by: int, *, lets_go: bool = True) -> None:
    at = drawing.grips()[grip].toPoint()
    QTest.mousePress(drawing, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    QTest.mouseMove(drawing, at + QPoint(by, 0))
    if lets_go:
        QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at + QPoint(by, 0))
        hand.settle()


def _finish(hand: Hand) -> Finish:
    return hand.job.settings.recipe.finish.everywhere


def test_the_edge_is_pulled_on_its_drawing_and_seen_before_it_is_let_go(marked: Hand) -> None:
    drawing = _drawing(marked)

    steps = len(marked.session.history.states)
    _drag(marked, drawing, "pull", -30, lets_go=False)
    marked.wait(lambda: _finish(marked).pull_px > 1)
    assert not marked.session.is_stored, "it is written when the drag ends"
    QTest.mouseRelease(drawing, Qt.MouseButton.LeftButton)
    marked.settle()
    assert marked.session.is_stored
    assert len(marked.session.history.states) == steps + 1
    marked.desk.undo()
    marked.settle()
    assert _finish(marked) == Finish()


def test_its_ends_make_it_crisper_and_its_wave_evens_bumps_out(marked: Hand) -> None:
    drawing = _drawing(marked)

    _drag(marked, drawing, "shoulder", -18)
    _drag(marked, drawing, "even", 60)

    assert _finish(marked).crisp > 0.2
    assert _finish(marked).even_px > 5
    marked.panel(Step.MATTE).profile.as_solved.click()
    marked.settle()
    assert _finish(marked) == Finish()


def test_numbers_do_the_same_and_ends_that_would_cross_are_left(marked: Hand) -> None:
    _drawing(marked)
    fields = marked.panel(Step.MATTE).profile.fields

    fields["pull_px"].set_value(2.5)
    fields["clear_below"].set_value(40)
    fields["solid_above"].set_value(30)
    marked.settle()

    assert (_finish(marked).pull_px, _finish(marked).clear_below, _finish(marked).solid_above) == (2.5, 0.4, 1.0)


def test_one_kind_of_edge_and_a_drawn_area_have_finishes_of_their_own(marked: Hand) -> None:
    _drawing(marked)
    page = marked.panel(Step.MATTE).profile
    marked.choose(page.edges.target, 1)
    page.fields["crisp"].set_value(50)
    marked.settle()
    assert marked.job.settings.recipe.finish.hard == Finish(crisp=0.5)

    page.edges.area.click()
    marked.drag([(20, 20), (200, 20), (200, 280), (20, 280), (20, 40)])
    marked.settle()
    page.fields["pull_px"].set_value(-3)
    page.edges.fade.set_value(60)
    marked.settle()

    (area,) = marked.job.settings.photo.finish_areas
    assert (area.finish.pull_px, area.fade_px) == (-3, 60)
    assert page.edges.target.currentText() == "Area 1"
    page.edges.drop.click()
    marked.settle()
    assert marked.job.settings.photo.finish_areas == ()


def test_the_further_views_are_behind_more_and_on_the_last_keys(marked: Hand) -> None:
    marked.key(Qt.Key.Key_9)
    assert marked.desk.view is View.FAINT
    marked.key(Qt.Key.Key_0)
    assert marked.desk.view is View.RESIDUE
    marked.settle()
    assert marked.sees(marked.bench.shelf, "Residue")


def test_what_counts_as_clear_is_dragged_over_the_values_of_the_matte(marked: Hand) -> None:
    _drawing(marked)
    axis, whole = marked.panel(Step.MATTE).profile.values, marked.job.photo.bounds
    before = marked.session.stages.alpha(marked.job, whole, 0)
    at = QPoint(round(axis.place(0.0)), 30)

    QTest.mousePress(axis, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    QTest.mouseMove(axis, at + QPoint(40, 0))
    QTest.mouseRelease(axis, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at + QPoint(40, 0))
    marked.settle()

    assert 0.05 < _finish(marked).clear_below < 0.3
    after = marked.session.stages.alpha(marked.job, whole, 0)
    assert (after > 0).sum() < (before > 0).sum()
    assert (after[before < 0.05] == 0).all()
