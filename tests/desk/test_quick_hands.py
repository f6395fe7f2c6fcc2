"""What a practised hand does everywhere: keys pressed fast, undo, views for the eye only; in every step alike."""

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from desk.hand import Hand
from peel.demo.backings import backing_file
from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.controls.number_field import NumberField
from peel.desk.steps import Step
from peel.job.edits.marking import Stroke, paint_mark
from peel.job.placing.sheet import sheet_of
from peel.work.views import Look, View, render


def _keys(hand: Hand, key: Qt.Key, count: int) -> None:
    """Press a key so fast that nothing is shown in between."""
    for _ in range(count):
        QTest.keyClick(hand.bench.canvas, key)


def test_ten_arrows_without_a_pause_move_the_backing_by_ten(marked: Hand) -> None:
    marked.step("Backing")
    marked.panel(Step.BACKING).behind.kinds["photo"].click()
    marked.bench.part(BackingDesk).take_file(backing_file("stage-curtain"))
    marked.settle()
    marked.choose(marked.panel(Step.BACKING).behind.fit, 1)
    marked.settle()
    marked.command("Behind")
    marked.bench.canvas.setFocus()
    _keys(marked, Qt.Key.Key_Right, 10)
    marked.settle()
    moved = marked.job.settings.recipe.backing.photo.move[0] * sheet_of(marked.job).space.width
    assert moved == pytest.approx(10, abs=1e-6)


def test_ten_arrows_on_a_number_are_ten_steps(marked: Hand) -> None:
    marked.step("Backing")
    panel = marked.panel(Step.BACKING)
    panel.turn_to("Shadow")
    panel.shadows.cast.click()
    marked.settle()
    field = panel.findChild(NumberField, "shadow cast.soft_px")
    assert field is not None
    before = marked.job.settings.recipe.shadow.cast.soft_px
    for _ in range(10):
        QTest.keyClick(field, Qt.Key.Key_Up)
        QApplication.processEvents()  # news of the first presses come in between
    marked.settle()
    assert marked.job.settings.recipe.shadow.cast.soft_px == before + 10


def test_undo_and_redo_say_over_what(marked: Hand) -> None:
    marked.step("Backing")
    marked.panel(Step.BACKING).behind.kinds["colour"].click()
    marked.settle()
    label = marked.session.history.undo_label
    marked.command("Undo")
    assert marked.bench.shelf.sentence == f"Undone: {label}"
    marked.settle()
    marked.command("Redo")
    assert marked.bench.shelf.sentence == f"Done again: {label}"
    marked.settle()


@pytest.mark.parametrize("step", list(Step))
def test_keys_and_wheel_do_the_same_in_every_step(marked: Hand, step: Step) -> None:
    marked.step(step.value)
    canvas = marked.bench.canvas
    canvas.setFocus()
    for key, view in ((Qt.Key.Key_3, View.MATTE), (Qt.Key.Key_5, View.BLACK), (Qt.Key.Key_1, View.PHOTO)):
        QTest.keyClick(canvas, key)
        assert marked.desk.view is view
    before = canvas.frame.scale
    at = QPointF(canvas.width() / 2, canvas.height() / 2)
    turn = QWheelEvent(
        at, canvas.mapToGlobal(at), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(canvas, turn)
    assert canvas.frame.scale == pytest.approx(1.25 * before)
    QTest.keyClick(canvas, Qt.Key.Key_Home)
    assert marked.desk.look.lift == "shadows"
    lift = marked.bench.shelf.findChild(QPushButton, "lift")
    assert lift.isChecked()
    assert lift.text() == "Darks"
    QTest.keyClick(canvas, Qt.Key.Key_Home)
    QTest.keyClick(canvas, Qt.Key.Key_Home)
    assert marked.desk.look.lift == ""
    marked.settle()


def test_lifting_darks_changes_what_is_seen_and_nothing_else(marked: Hand) -> None:
    job, stages = marked.job, marked.session.stages
    whole = job.photo.bounds
    for view in (View.PHOTO, View.ZONES, View.WHITE, View.BACKING):
        plain = render(stages, job, view, whole, 0, Look())
        darks, lights = (render(stages, job, view, whole, 0, Look(lift=lift)) for lift in ("shadows", "highlights"))
        middle = (plain > 20) & (plain < 235)
        assert (darks[middle] > plain[middle]).all()
        assert (lights[middle] < plain[middle]).all()
    matte = render(stages, job, View.MATTE, whole, 0, Look())
    assert np.array_equal(matte, render(stages, job, View.MATTE, whole, 0, Look(lift="shadows")))


def test_grey_of_any_tone_is_seen_without_changing_the_backing(marked: Hand) -> None:
    job, stages = marked.job, marked.session.stages
    for tone in (0x80, 0x30):
        grey = render(stages, job, View.GREY, job.photo.bounds, 0, Look(grey=f"#{tone:02x}{tone:02x}{tone:02x}"))
        assert (grey[0, 0] == tone).all()
    assert job.settings.recipe.backing.kind == "nothing"
    proof = marked.bench.proofs.proofs[0]
    marked.bench.proofs.give(proof, View.GREY)
    marked.settle()
    assert proof.view is View.GREY


def test_where_the_cursor_was_last_is_known(marked: Hand) -> None:
    marked.hover(210, 150)
    assert (marked.desk.spot.x(), marked.desk.spot.y()) == pytest.approx((210, 150), abs=1)
    marked.hover(100, 40)
    assert (marked.desk.spot.x(), marked.desk.spot.y()) == pytest.approx((100, 40), abs=1)


def test_a_chosen_loud_colour_stays_when_the_matte_changes(marked: Hand) -> None:
    marked.desk.choose_loud("#123456")
    marked.bench._show_loud("#00d0ff")
    assert marked.desk.look.loud == "#123456"


def test_a_pens_pressure_drives_the_width_of_marking_brushes_too(marked: Hand) -> None:
    path = ((20.0, 20.0), (60.0, 20.0), (100.0, 20.0))
    full = paint_mark(marked.job, Stroke(path, 10), subject=True).marks.read()
    thin = paint_mark(marked.job, Stroke(path, 10, (0.3, 0.3, 0.3)), subject=True).marks.read()
    assert np.count_nonzero(full[:, 60] == 2) == pytest.approx(20, abs=2)
    assert np.count_nonzero(thin[:, 60] == 2) == pytest.approx(6, abs=2)


def test_a_backing_that_fills_the_sheet_goes_on_filling_it_while_it_is_dragged(marked: Hand, tmp_path: Path) -> None:
    del tmp_path
    marked.step("Backing")
    marked.bench.part(BackingDesk).take_file(backing_file("stage-curtain"))
    marked.settle()
    marked.command("Behind")
    marked.drag([(100, 100), (200, 150), (400, 280)])
    marked.settle()
    seen = render(marked.session.stages, marked.job, View.BACKING, marked.job.photo.bounds, 0, Look())
    plain = render(marked.session.stages, marked.job, View.PHOTO, marked.job.photo.bounds, 0, Look())
    assert seen.shape == plain.shape
    edge = np.concatenate([seen[:2].reshape(-1, 3), seen[:, :2].reshape(-1, 3)])
    assert (edge.max(axis=1) < 250).all()  # nothing of the plain colour beneath it


def test_the_tolerance_of_alike_is_typed_on_the_shelf(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.command("Alike")
    field = hand.bench.shelf.findChild(NumberField, "number tolerance")
    assert field is not None
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_3)
    QTest.keyClicks(QApplication.focusWidget(), "4")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert hand.desk.tool.tolerance == 34
    hand.click(210, 150)
    hand.settle()
    assert hand.job.has_subject
    hand.command("Contour")
    assert hand.bench.shelf.findChild(NumberField, "number tolerance") is None


def test_what_would_be_filled_is_counted_before_it_is_done(marked: Hand) -> None:
    panel = marked.panel(Step.MARK)
    marked.press("change FILL_HOLES")
    assert panel.amount.accessibleName() == "holes up to"
    marked.wait(lambda: marked.sees(panel, "No hole is as small as that."))
    before = marked.job
    marked.press_text(panel, "Do it")
    marked.settle()
    assert "no hole of up to 8 × 8 px" in marked.window.message.text
    assert marked.job is before
    marked.press("change GROW")
    assert panel.amount.accessibleName() == "by"
    marked.wait(lambda: marked.sees(panel, "changes sides"))


def test_firm_on_clear_says_why_nothing_happens_and_climbs_elsewhere(marked: Hand) -> None:
    marked.step("Matte")
    marked.command("Firm")
    marked.desk.set_brush(12)
    marked.drag([(20, 20), (30, 20)])
    marked.settle()
    assert "everything there is clear" in marked.window.message.text
    alpha = marked.session.stages.alpha(marked.job, marked.job.photo.bounds, 0)
    x = int(np.flatnonzero((alpha[150, 290:310] > 0.4) & (alpha[150, 290:310] < 0.8))[0]) + 290
    climbs = [float(alpha[150, x])]
    for _ in range(3):
        marked.drag([(x, 146), (x, 154)])
        marked.settle()
        climbs.append(float(marked.session.stages.alpha(marked.job, marked.job.photo.bounds, 0)[150, x]))
    assert climbs == sorted(climbs)
    assert climbs[-1] > climbs[0] + 0.05


@pytest.mark.parametrize("step", [Step.MARK, Step.DELIVER])
def test_the_main_button_stays_in_sight_however_far_the_panel_is_scrolled(marked: Hand, step: Step) -> None:
    marked.step(step.value)
    marked.settle()
    panel, side = marked.panel(step), marked.bench.side
    main = panel.propose if step is Step.MARK else panel.go
    bar = side.scroller.verticalScrollBar()
    for place in (bar.minimum(), bar.maximum()):
        bar.setValue(place)
        assert main.visibleRegion().boundingRect().size() == main.size()
        low = main.mapTo(marked.window, main.rect().bottomLeft()).y()
        assert low <= marked.window.height()


def test_lists_grow_to_their_content_and_never_scroll_by_themselves(marked: Hand) -> None:
    marked.step("Deliver")
    marked.settle()
    rows = marked.panel(Step.DELIVER).presets.list
    marked.wait(lambda: rows.count() >= 7)
    marked.settle()
    last = rows.visualItemRect(rows.item(rows.count() - 1))
    assert rows.viewport().rect().contains(last)
    assert rows.verticalScrollBar().maximum() == 0
