import itertools
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QFileDialog

from desk.hand import Hand
from peel.demo.photos import NAMES, demo_photo
from peel.desk.steps import Step
from peel.job.job import MATTE_ONE
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.session import job_files
from peel.work.views import View

ALT, SHIFT = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier


def _job(hand: Hand) -> object:
    return hand.job


def _colour(hand: Hand, x: float, y: float) -> QColor:
    return hand.bench.canvas.grab().toImage().pixelColor(hand.at(x, y))


def test_an_empty_window_offers_to_begin(hand: Hand) -> None:
    assert hand.window.welcome.isVisible()
    assert hand.window.welcome.open.isVisible()
    assert [card.text() for card in hand.window.welcome.cards] == [demo_photo(name).title for name in NAMES]


def test_clicks_and_return_mark_and_the_matte_follows(marked: Hand) -> None:
    zones, matte = _job(marked).zones.read(), _job(marked).matte.read()

    assert zones[150, 210] == FOREGROUND
    assert zones[60, 210] == UNKNOWN
    assert zones[10, 10] == BACKGROUND
    assert matte[150, 210] == MATTE_ONE
    assert _job(marked).is_solved
    assert marked.bench.step_line.state_of(Step.MARK) == "subject 18 %"
    assert marked.bench.step_line.state_of(Step.MATTE).startswith("solved")


def test_freehand_and_straight_runs_make_one_contour(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)

    hand.click(100, 100)
    hand.drag([(110, 100), (150, 60), (200, 50), (260, 70)])
    hand.click(300, 200)
    hand.click(100, 100)  # the first point closes
    hand.settle()

    (contour,) = _job(hand).settings.photo.contours
    assert contour.closed
    assert len(contour.nodes) >= 4
    assert any(node.out != (0.0, 0.0) for node in contour.nodes)


def test_backspace_takes_back_the_last_point(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.click(100, 100)
    hand.click(200, 100)

    hand.key(Qt.Key.Key_Backspace)
    hand.settle()

    (contour,) = _job(hand).settings.photo.contours
    assert len(contour.nodes) == 1


def test_a_point_can_be_dragged_and_a_hole_cut(marked: Hand) -> None:
    marked.drag([(300, 60), (330, 40), (360, 30)])
    for x, y in ((190, 130), (230, 130), (230, 170), (190, 170)):
        marked.click(x, y, right=True)
    marked.key(Qt.Key.Key_Return)
    marked.settle()

    outline, hole = _job(marked).settings.photo.contours
    assert outline.nodes[1].at == pytest.approx((360, 30), abs=1)
    assert hole.hole
    assert _job(marked).zones.read()[150, 210] == BACKGROUND


def test_a_click_on_a_closed_line_inserts_a_point(marked: Hand) -> None:
    marked.click(210, 60)
    marked.settle()

    (contour,) = _job(marked).settings.photo.contours
    assert len(contour.nodes) == 5


def test_brushes_do_what_their_sentence_says(marked: Hand) -> None:
    _window, desk, _bench = marked.window, marked.desk, marked.bench
    marked.key(Qt.Key.Key_B)
    desk.set_brush(40)
    marked.drag([(210, 150), (360, 150)])
    marked.settle()
    assert _job(marked).zones.read()[150, 350] != BACKGROUND

    marked.key(Qt.Key.Key_E)
    assert desk.step is Step.EDGE
    marked.drag([(150, 120), (190, 120)])
    marked.settle()
    assert _job(marked).zones.read()[120, 170] == UNKNOWN

    marked.drag([(150, 120), (190, 120)], right=True)
    marked.settle()
    assert _job(marked).zones.read()[120, 170] == FOREGROUND

    marked.key(Qt.Key.Key_D)
    marked.drag([(170, 200), (180, 200)], right=True)
    marked.settle()
    assert _job(marked).zones.read()[200, 175] == BACKGROUND


def test_one_stroke_is_one_undo(marked: Hand) -> None:
    before = _job(marked).zones.read()
    marked.key(Qt.Key.Key_E)
    marked.drag([(150, 120), (170, 140), (190, 120)])
    marked.settle()

    marked.command("Undo")
    marked.settle()

    assert np.array_equal(_job(marked).zones.read(), before)


def test_number_keys_choose_views_and_holding_only_peeks(marked: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    _window, desk, bench = marked.window, marked.desk, marked.bench
    marked.key(Qt.Key.Key_4)
    assert desk.view is View.WHITE

    clock = iter((10.0, 11.0))
    monkeypatch.setattr("peel.desk.held_keys.time.monotonic", lambda: next(clock))
    QTest.keyPress(bench.canvas, Qt.Key.Key_5)
    assert desk.view is View.BLACK
    QTest.keyRelease(bench.canvas, Qt.Key.Key_5)

    assert desk.view is View.WHITE


def test_the_views_show_what_they_say(marked: Hand) -> None:
    _window, desk, bench = marked.window, marked.desk, marked.bench
    expected = {
        View.PHOTO: (38, 76, 153),
        View.MATTE: (0, 0, 0),
        View.WHITE: (255, 255, 255),
        View.BLACK: (0, 0, 0),
    }
    for view, colour in expected.items():
        desk.show_view(view)
        bench.canvas.repaint()
        marked.settle()
        marked.wait(lambda colour=colour: _colour(marked, 12, 12).getRgb()[:3] == colour)


def test_the_wipe_line_shows_the_photo_on_its_left(marked: Hand) -> None:
    _window, desk, bench = marked.window, marked.desk, marked.bench
    desk.show_view(View.MATTE)
    desk.show_wipe(True)

    marked.wait(lambda: _colour(marked, 12, 12).getRgb()[:3] == (38, 76, 153))
    marked.wait(lambda: _colour(marked, 408, 12).getRgb()[:3] == (0, 0, 0))
    middle = QPoint(bench.canvas.width() // 2, bench.canvas.height() // 2)
    QTest.mousePress(bench.canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    QTest.mouseMove(bench.canvas, QPoint(bench.canvas.width() // 10, middle.y()))
    QTest.mouseRelease(bench.canvas, Qt.MouseButton.LeftButton)

    assert bench.canvas.wipe == pytest.approx(0.1, abs=0.02)


def test_the_wheel_zooms_at_the_cursor_and_space_pans(marked: Hand) -> None:
    canvas = marked.bench.canvas
    spot = QPointF(marked.at(100, 80))
    before = canvas.frame.to_space(spot)

    canvas.zoom_to(canvas.frame.scale * 3, spot)

    assert (canvas.frame.to_space(spot) - before).manhattanLength() < 1e-6
    origin = QPointF(canvas.frame.origin)
    QTest.keyPress(canvas, Qt.Key.Key_Space)
    marked.drag([(100, 80), (110, 90)])
    QTest.keyRelease(canvas, Qt.Key.Key_Space)
    assert (canvas.frame.origin - origin).manhattanLength() > 5
    assert len(_job(marked).settings.photo.contours[0].nodes) == 4


def test_the_proofs_follow_the_cursor_and_swap(marked: Hand) -> None:
    _window, desk, bench = marked.window, marked.desk, marked.bench
    matte, corner = bench.proofs.proofs[1], QPoint(3, 3)
    turns = itertools.count()

    def shows(x: int, y: int, at: QPoint, value: int) -> bool:
        """Move the hand a little each time: a busy machine may lose one movement."""
        QTest.mouseMove(bench.canvas, marked.at(x + next(turns) % 2, y))
        return matte.grab().toImage().pixelColor(at).red() == value

    marked.wait(lambda: shows(12, 12, QPoint(matte.width() - 8, matte.height() - 30), 0))
    marked.wait(lambda: shows(210, 150, corner, 255))

    QTest.mouseClick(matte, Qt.MouseButton.LeftButton)

    assert desk.view is View.MATTE
    assert matte.view is View.ZONES  # what the picture showed since the first mark


def test_one_proof_is_magnified_by_a_factor_of_its_own(marked: Hand) -> None:
    first, second = marked.bench.proofs.proofs[:2]

    marked.wait(lambda: marked.bench.proofs.is_idle)
    before = second.grab().toImage()
    first.magnify(4.0)
    marked.wait(lambda: marked.bench.proofs.is_idle)

    assert first.factor == 4
    assert second.factor == 1
    assert second.grab().toImage() == before


def test_a_broken_file_gives_a_sentence_and_the_work_stays(marked: Hand, tmp_path: Path) -> None:
    window, before = marked.window, _job(marked)
    (tmp_path / "broken.png").write_bytes(b"no")

    window.open_path(tmp_path / "broken.png")
    marked.wait(lambda: window.message.isVisible())

    assert "broken.png is not a JPEG" in window.message.text
    assert _job(marked).settings == before.settings


def test_a_job_open_in_another_window_is_refused(marked: Hand, make_window: Callable[[], Hand]) -> None:
    path = marked.desk.bridge.session.project.path
    other = make_window()

    other.window.open_path(path)
    other.wait(lambda: other.window.message.isVisible())

    assert "already open" in other.window.message.text


def test_keeping_under_a_name_goes_on_in_that_file(
    marked: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    target = tmp_path / "kept.peel"
    monkeypatch.setattr(QFileDialog, "exec", lambda _dialog: QFileDialog.DialogCode.Accepted)
    monkeypatch.setattr(QFileDialog, "selectedFiles", lambda _dialog: [str(target)])

    marked.bench.files.ask_keep()
    marked.wait(lambda: "Kept as" in marked.window.message.text)

    assert marked.desk.bridge.session.project.path == target
    assert "kept.peel" in marked.window.windowTitle()
    assert job_files.unkept() == []
    assert _job(marked).has_subject


def test_the_backing_is_set_typed_and_shown(marked: Hand) -> None:
    _window, desk, _bench = marked.window, marked.desk, marked.bench
    marked.step("Backing")
    marked.press("swatch #c8553d")
    marked.settle()
    assert _job(marked).settings.recipe.backing.colour == "#c8553d"
    assert desk.view is View.BACKING
    marked.wait(lambda: _colour(marked, 12, 12).name() == "#c8553d")

    code = marked.panel(Step.BACKING).behind.code
    code.setFocus()
    code.selectAll()
    QTest.keyClicks(code, "#224466")
    QTest.keyClick(code, Qt.Key.Key_Return)
    marked.settle()

    assert _job(marked).settings.recipe.backing.colour == "#224466"


def test_numbers_can_be_typed_stepped_and_reset(marked: Hand) -> None:
    marked.step("Edge")
    field = marked.bench.panels[Step.EDGE].outward
    field.setFocus()

    QTest.keyClick(field, Qt.Key.Key_Up)
    marked.settle()
    assert _job(marked).settings.recipe.band.outward_px == 15

    QTest.keyClick(field, Qt.Key.Key_2)
    QTest.keyClicks(marked.window.focusWidget(), "5")
    QTest.keyClick(marked.window.focusWidget(), Qt.Key.Key_Return)
    marked.settle()
    assert _job(marked).settings.recipe.band.outward_px == 25

    QTest.mouseDClick(field, Qt.MouseButton.LeftButton, pos=QPoint(20, 30))
    marked.settle()
    assert _job(marked).settings.recipe.band.outward_px == 14


def test_the_tick_for_how_strands_mix_solves_again_and_is_undone(marked: Hand) -> None:
    marked.step("Matte")
    tick = marked.bench.panels[Step.MATTE].mixing
    before = _job(marked)
    assert not tick.isChecked()

    QTest.mouseClick(tick, Qt.MouseButton.LeftButton, pos=QPoint(8, tick.height() // 2))
    marked.settle()

    after = _job(marked)
    assert after.settings.photo.known_mixing == "light"
    assert after.is_solved
    assert tick.isChecked()
    assert np.abs(after.alpha(after.photo.bounds) - before.alpha(before.photo.bounds)).max() > 0.02

    marked.desk.bridge.session.undo()
    marked.wait(lambda: not tick.isChecked())
    assert _job(marked).settings.photo.known_mixing == "value"


def test_delivery_to_a_bad_place_is_explained_and_work_goes_on(marked: Hand, tmp_path: Path) -> None:
    (tmp_path / "file").write_bytes(b"")
    window, _desk, _bench = marked.window, marked.desk, marked.bench
    marked.step("Deliver")
    marked.panel(Step.DELIVER).set_folder(tmp_path / "file" / "sub")

    marked.panel(Step.DELIVER).go.click()
    marked.wait(lambda: window.message.isVisible())

    assert "could not be written" in window.message.text
    marked.panel(Step.DELIVER).set_folder(tmp_path / "out")
    marked.panel(Step.DELIVER).go.click()
    marked.wait(lambda: "Written" in marked.panel(Step.DELIVER).written)
    assert len(list((tmp_path / "out").iterdir())) == 3


def test_everything_has_a_name_for_assistive_programs(marked: Hand) -> None:
    for step in Step:
        marked.step(step.value)
        for button in marked.window.findChildren(QAbstractButton):
            if button.isVisible():
                assert button.accessibleName() or button.text(), button.objectName()


def test_the_key_sheet_comes_and_goes(marked: Hand) -> None:
    marked.command("Keys")
    assert marked.bench.key_sheet.isVisible()

    QTest.keyClick(marked.bench.key_sheet, Qt.Key.Key_A)

    assert not marked.bench.key_sheet.isVisible()


def test_a_rotated_jpeg_opens_upright(hand: Hand, tmp_path: Path) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    Image.new("RGB", (900, 600), "#886644").save(tmp_path / "turned.jpg", exif=exif)

    hand.open(tmp_path / "turned.jpg")

    assert (_job(hand).photo.width, _job(hand).photo.height) == (600, 900)


def test_both_themes_dress_the_window(marked: Hand) -> None:
    light = marked.bench.step_line.grab().toImage().pixelColor(3, 3).lightness()

    marked.window.switch_theme()
    marked.wait(marked.window.updatesEnabled)
    dark = marked.bench.step_line.grab().toImage().pixelColor(3, 3).lightness()
    marked.window.switch_theme()
    marked.window.switch_theme()
    marked.window.switch_theme()
    marked.wait(marked.window.updatesEnabled)
    again = marked.bench.step_line.grab().toImage().pixelColor(3, 3).lightness()

    assert light > 200
    assert dark < 80
    assert again == light, "also when it is switched before it is dressed"


def test_the_first_mark_shows_the_zones_laid_around_it(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    assert hand.desk.view is View.PHOTO

    hand.key(Qt.Key.Key_B)
    hand.drag([(180, 150), (240, 150)])
    hand.settle()

    hand.wait(lambda: hand.desk.view is View.ZONES)


def test_a_sheer_colour_is_picked_in_the_picture_used_and_dropped(marked: Hand) -> None:
    _window, desk, bench = marked.window, marked.desk, marked.bench
    marked.step("Matte")
    before = _job(marked).alpha(_job(marked).photo.bounds)
    marked.panel(Step.MATTE).covers.set_value(100)
    lit = [button.isChecked for button in bench.shelf._buttons]
    assert any(is_lit() for is_lit in lit)
    marked.panel(Step.MATTE).pick.click()
    assert marked.sees(bench.shelf, "sheer")
    assert not any(is_lit() for is_lit in lit), "the spot's tool is in the hand, none of the shelf's"
    marked.click(210, 150)
    marked.settle()
    assert any(is_lit() for is_lit in lit)

    assert _job(marked).settings.photo.sheer_colours == ("#d98033",)
    assert _job(marked).is_solved
    assert _job(marked).alpha(_job(marked).photo.bounds).shape == before.shape
    assert desk.tool is desk.tools[Step.MATTE][0]

    marked.wait(lambda: marked.panel(Step.MATTE).findChild(QAbstractButton, "sheer #d98033") is not None)
    marked.press("sheer #d98033")
    marked.settle()
    assert _job(marked).settings.photo.sheer_colours == ()

    marked.panel(Step.MATTE).covers.set_value(80)
    marked.panel(Step.MATTE).pick.click()
    marked.click(210, 150)
    marked.settle()
    (thinner,) = _job(marked).settings.photo.sheer_colours
    assert int(thinner[1:3], 16) > 0xD9, "what covers less must differ more from the backdrop"
    marked.press(f"sheer {thinner}")
    marked.settle()
    assert np.allclose(_job(marked).alpha(_job(marked).photo.bounds), before, atol=2 / 255)


def test_the_photo_is_seen_small_beside_its_name_and_gone_with_it(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    thumb = hand.bench.step_line._thumb
    hand.wait(lambda: not thumb.pixmap().isNull())

    picture = thumb.pixmap().toImage()

    assert picture.width() == picture.height()
    middle = picture.pixelColor(picture.width() // 2, picture.height() // 2)
    assert middle.red() > middle.blue() + 60, "the orange disc is in the middle"


def test_each_way_of_solving_can_be_left_out_and_taken_up_again(marked: Hand) -> None:
    hand = marked
    hand.desk.show_step(Step.MATTE)
    ways = hand.panel(Step.MATTE).ways

    for name, box in ways.items():
        assert box.isChecked()
        box.click()
        hand.settle()
        assert getattr(hand.job.settings.recipe.solving, name) == 0
    hand.command("Undo")
    hand.settle()

    assert [box.isChecked() for box in ways.values()] == [False, False, False, True]


def test_a_panel_opens_at_its_top_and_scrolls_no_farther_than_its_own_end(marked: Hand) -> None:
    side, bar = marked.bench.side, marked.bench.side.scroller.verticalScrollBar()
    heights: dict[Step, int] = {}
    for step in Step:
        marked.step(step.value)
        marked.settle()
        assert bar.value() == 0, step
        heights[step] = marked.panel(step).height()
        assert bar.maximum() == max(heights[step] - side.scroller.viewport().height(), 0), step
        bar.setValue(bar.maximum())
    assert len(set(heights.values())) > 2
    scrolled = bar.value()
    marked.step(step.value)
    assert bar.value() == scrolled


def test_a_camera_file_is_developed_anew_until_something_is_marked(hand: Hand, tmp_path: Path) -> None:
    from work.test_presets_and_formats import _dng

    values = np.full((160, 240), 9000, np.uint16)
    values[40:120, 60:180] = 30000
    _dng(values, tmp_path / "shot.dng")
    hand.open(tmp_path / "shot.dng")
    panel = hand.panel(Step.MARK)
    assert panel.exposure.isVisible()
    before = float(np.median(hand.job.photo.pixels))
    panel.exposure.set_value(1.0)
    hand.wait(lambda: hand.desk.bridge is not None and float(np.median(hand.job.photo.pixels)) > before * 1.2)
    assert hand.session.project.exposure == 1.0
    for x, y in ((60, 40), (180, 40), (180, 120), (60, 120)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    assert not panel.exposure.isEnabled()
