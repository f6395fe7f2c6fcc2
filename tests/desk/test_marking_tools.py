"""Each tool of Mark worked by hand: presses, drags and keys on a real window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton

from desk.hand import Hand
from peel.desk.mark.alike import AlikeTool
from peel.desk.mark.contour import ContourTool
from peel.desk.mark.marking_desk import MarkingDesk
from peel.desk.steps import Step
from peel.job.marked import marked_subject
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.views import View

ALT, SHIFT, CTRL = (
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)
NONE = Qt.KeyboardModifier.NoModifier


def _job(hand: Hand) -> object:
    return hand.job


def _subject(hand: Hand) -> np.ndarray:
    return marked_subject(_job(hand), _job(hand).photo.bounds)


def _disc() -> np.ndarray:
    rows, columns = np.mgrid[:300, :420]
    return np.hypot(rows - 150, columns - 210) < 90


def _overlap(hand: Hand) -> float:
    found = _subject(hand)
    return float((found & _disc()).sum() / (found | _disc()).sum())


@pytest.fixture
def opened(hand: Hand, disc_file: object) -> Hand:
    hand.open(disc_file)
    hand.settle()
    return hand


def _contour(hand: Hand) -> ContourTool:
    tool = hand.desk.tool
    assert isinstance(tool, ContourTool)
    return tool


def test_a_hand_that_trembles_while_clicking_has_still_clicked(opened: Hand) -> None:
    spot = opened.at(120, 60)
    QTest.mousePress(opened.bench.canvas, Qt.MouseButton.LeftButton, NONE, spot)
    for step in range(30):
        QTest.mouseMove(opened.bench.canvas, spot + QPoint(step % 3, (step * 2) % 3))
    QTest.mouseRelease(opened.bench.canvas, Qt.MouseButton.LeftButton, NONE, spot + QPoint(1, 1))
    opened.settle()

    (contour,) = _job(opened).settings.photo.contours
    assert len(contour.nodes) == 1


def test_following_the_edge_goes_round_the_disc_with_four_clicks(opened: Hand) -> None:
    opened.key(Qt.Key.Key_F)
    assert _contour(opened).line.label == "Follow the edge"
    opened.key(Qt.Key.Key_O)

    for x, y in ((210, 62), (299, 150), (210, 238), (121, 150)):
        opened.click(x, y)
        opened.settle()
        QTest.mouseMove(opened.bench.canvas, opened.at(x, y) + QPoint(20, 20))
    opened.key(Qt.Key.Key_Return)
    opened.settle()

    assert _overlap(opened) > 0.98
    assert (_job(opened).zones.read() == UNKNOWN).mean() < 0.045  # exact stretches have a narrow band


def test_backspace_takes_back_a_whole_followed_run(opened: Hand) -> None:
    opened.key(Qt.Key.Key_F)
    opened.click(210, 60)
    opened.settle()
    opened.click(300, 150)
    opened.settle()
    assert len(_job(opened).settings.photo.contours[0].nodes) > 1

    opened.key(Qt.Key.Key_Backspace)
    opened.settle()

    assert len(_job(opened).settings.photo.contours[0].nodes) == 1


def test_escape_leaves_the_contour_and_undo_brings_it_back(opened: Hand) -> None:
    opened.click(100, 60)
    opened.click(200, 60)
    opened.settle()

    opened.key(Qt.Key.Key_Escape)
    opened.settle()
    assert _job(opened).settings.photo.contours == ()

    opened.desk.undo()
    opened.settle()
    assert len(_job(opened).settings.photo.contours[0].nodes) == 2


def test_shift_keeps_to_directions_and_ctrl_makes_a_stretch_exact(opened: Hand) -> None:
    opened.click(100, 100)
    opened.settle()
    opened.click(200, 110, SHIFT)
    opened.click(200, 200, CTRL)
    opened.settle()

    nodes = _job(opened).settings.photo.contours[0].nodes
    assert nodes[1].at[1] == pytest.approx(100, abs=1)
    assert [node.exact for node in nodes] == [False, False, True]


def test_pulling_at_the_last_point_makes_a_curve(opened: Hand) -> None:
    opened.click(100, 200)
    opened.click(200, 100)
    opened.settle()

    opened.drag([(200, 100), (230, 100), (260, 100)])
    opened.settle()

    node = _job(opened).settings.photo.contours[0].nodes[1]
    assert node.smooth
    assert node.out == pytest.approx((60, 0), abs=1.5)
    assert node.back == pytest.approx((-60, 0), abs=1.5)


def test_points_of_a_closed_contour_are_turned_bent_and_removed(marked: Hand) -> None:
    marked.drag([(210, 60), (210, 45), (210, 30)])
    marked.settle()
    assert _subject(marked)[34, 210]

    marked.click(120, 60)
    marked.settle()
    panel = marked.panel(Step.MARK)
    assert marked.sees(panel, "Smooth")
    assert marked.sees(panel, "sharp point")
    marked.key(Qt.Key.Key_Q)
    marked.settle()
    assert _job(marked).settings.photo.contours[0].nodes[0].smooth
    marked.wait(lambda: marked.sees(panel, "Sharp"))

    marked.press_text(panel, "Exact")
    marked.settle()
    assert _job(marked).settings.photo.contours[0].nodes[0].exact

    marked.key(Qt.Key.Key_Delete)
    marked.settle()
    assert len(_job(marked).settings.photo.contours[0].nodes) == 3

    marked.click(300, 60)
    marked.settle()
    marked.key(Qt.Key.Key_Delete, SHIFT)
    marked.settle()
    assert _job(marked).settings.photo.contours == ()
    assert not _job(marked).has_subject


def test_a_handle_can_be_dragged(marked: Hand) -> None:
    marked.click(120, 60)
    marked.key(Qt.Key.Key_Q)
    marked.settle()
    node = _job(marked).settings.photo.contours[0].nodes[0]
    end = (node.at[0] + node.out[0], node.at[1] + node.out[1])

    marked.drag([end, (end[0] + 20, end[1] - 20), (end[0] + 40, end[1] - 30)])
    marked.settle()

    changed = _job(marked).settings.photo.contours[0].nodes[0]
    assert changed.out == pytest.approx((node.out[0] + 40, node.out[1] - 30), abs=1.5)
    assert changed.back != node.back


def test_sweeping_across_grows_to_the_boundary_and_alt_takes_away(opened: Hand) -> None:
    opened.key(Qt.Key.Key_S)
    opened.desk.set_brush(60)
    opened.drag([(170, 150), (210, 150), (240, 150)])
    opened.settle()
    assert _overlap(opened) > 0.94  # the disc's rim is soft
    assert opened.desk.view is View.ZONES

    opened.drag([(200, 150), (220, 150)], right=True)
    opened.settle()
    assert not _subject(opened)[150, 210]


def test_what_a_sweep_will_mark_is_shown_while_it_is_drawn(opened: Hand) -> None:
    opened.key(Qt.Key.Key_S)
    opened.desk.set_brush(60)
    canvas, tool = opened.bench.canvas, opened.desk.tool
    before = canvas.grab().toImage().pixelColor(opened.at(210, 90))
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, NONE, opened.at(170, 150))
    QTest.mouseMove(canvas, opened.at(230, 150))
    opened.wait(lambda: not tool.is_looking)
    opened.wait(lambda: canvas.grab().toImage().pixelColor(opened.at(210, 90)) != before, 10)
    assert not _job(opened).has_subject

    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, NONE, opened.at(230, 150))
    opened.settle()
    assert _job(opened).has_subject


def test_alike_widens_with_the_drag_and_says_how_much_it_takes(opened: Hand) -> None:
    opened.key(Qt.Key.Key_A)
    canvas, tool = opened.bench.canvas, opened.desk.tool
    assert isinstance(tool, AlikeTool)
    began = tool.tolerance
    spot = opened.at(20, 20)
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, ALT, spot)
    QTest.mouseMove(canvas, spot + QPoint(60, 0))
    opened.wait(lambda: not tool.is_looking and "% of the photo" in tool.words)
    assert tool.tolerance > began
    QTest.mouseMove(canvas, spot + QPoint(1200, 0))
    opened.wait(lambda: "nearly everything" in tool.words)
    QTest.mouseMove(canvas, spot + QPoint(40, 0))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, ALT, spot + QPoint(40, 0))
    opened.settle()

    assert _overlap(opened) > 0.9


def test_the_ways_of_a_tool_stand_beside_its_sentence(opened: Hand) -> None:
    opened.key(Qt.Key.Key_A)
    opened.press("way Everywhere")
    opened.press("way Backdrop")
    tool = opened.desk.tool

    assert tool.extent.label == "Everywhere"
    assert tool.target.label == "Backdrop"
    assert "backdrop" in tool.sentence()
    opened.key(Qt.Key.Key_T)
    assert tool.target.label == "Subject"
    assert opened.window.findChild(QAbstractButton, "way Subject").isChecked()


def test_the_brush_paints_any_zone_and_fill_fills_what_it_encloses(opened: Hand) -> None:
    opened.key(Qt.Key.Key_B)
    opened.desk.set_brush(20)
    ring = [(210 + 100 * np.cos(t), 150 + 100 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 40)]
    opened.drag(ring)
    opened.settle()
    assert not _subject(opened)[150, 210]

    opened.key(Qt.Key.Key_I)
    opened.click(210, 150)
    opened.settle()
    assert _subject(opened)[150, 210]

    opened.key(Qt.Key.Key_B)
    opened.press("way Unsure")
    opened.drag([(180, 150), (240, 150)])
    opened.settle()
    assert _job(opened).zones.read()[150, 210] == UNKNOWN
    opened.drag([(180, 150), (240, 150)], right=True)
    opened.settle()
    assert _job(opened).zones.read()[150, 210] == FOREGROUND


def test_filling_what_nothing_encloses_gives_a_sentence_and_changes_nothing(opened: Hand) -> None:
    opened.key(Qt.Key.Key_I)
    opened.click(20, 20)
    opened.wait(lambda: opened.window.message.isVisible())

    assert not _job(opened).has_subject


def test_peel_proposes_a_subject_and_says_how_sure_it_is(opened: Hand) -> None:
    opened.key(Qt.Key.Key_P)
    opened.wait(lambda: _job(opened).has_subject, 20)
    opened.settle()

    assert _overlap(opened) > 0.95
    assert opened.window.message.isVisible()
    assert _job(opened).is_solved
    opened.desk.undo()
    opened.settle()
    assert not _job(opened).has_subject


def test_a_change_is_shown_before_it_is_made(marked: Hand) -> None:
    bench, panel = marked.bench, marked.panel(Step.MARK)
    before = _subject(marked).sum()
    grow = panel.findChild(QAbstractButton, "change GROW")
    spot = marked.at(108, 150)
    plain = bench.canvas.grab().toImage().pixelColor(spot)

    panel.amount.set_value(20)
    grow.click()
    marked.wait(lambda: bench.canvas.grab().toImage().pixelColor(spot) != plain, 10)
    assert _subject(marked).sum() == before
    marked.step("Edge")
    marked.wait(lambda: bench.canvas.grab().toImage().pixelColor(spot) == plain, 10)
    marked.step("Mark")
    grow.click()

    panel.do_it.click()
    marked.settle()
    assert _subject(marked)[150, 108]
    assert panel.chosen is None


def test_a_change_can_be_kept_to_a_drawn_area(marked: Hand) -> None:
    panel = marked.panel(Step.MARK)
    panel.area.click()
    marked.drag([(80, 20), (160, 20), (160, 280), (80, 280)])
    assert panel.area.isChecked()
    assert isinstance(marked.desk.tool, ContourTool)

    panel.amount.set_value(20)
    marked.press("change GROW")
    panel.do_it.click()
    marked.settle()

    assert _subject(marked)[150, 108]
    assert not _subject(marked)[150, 312]


def test_swapping_and_clearing(marked: Hand) -> None:
    panel = marked.panel(Step.MARK)
    marked.press_text(panel, "Swap sides")
    marked.settle()
    assert _job(marked).zones.read()[5, 5] == FOREGROUND
    assert _job(marked).zones.read()[150, 210] == BACKGROUND

    marked.press_text(panel, "Clear")
    marked.settle()
    assert not _job(marked).has_subject
    assert _job(marked).settings.photo.contours == ()


def test_zones_can_be_shown_stronger_and_in_another_hue(marked: Hand) -> None:
    bench, panel = marked.bench, marked.panel(Step.MARK)
    marked.wait(lambda: bench.part(MarkingDesk).is_idle)
    spot = marked.at(30, 30)
    plain = bench.canvas.grab().toImage().pixelColor(spot)

    panel.strength.set_value(100)
    marked.settle()
    marked.wait(lambda: bench.canvas.grab().toImage().pixelColor(spot) != plain, 10)
    band = bench.canvas.grab().toImage().pixelColor(marked.at(210, 60))
    panel.hue.click()
    panel.hue.click()
    marked.settle()
    marked.wait(lambda: bench.canvas.grab().toImage().pixelColor(marked.at(210, 60)) != band, 10)


def test_brushing_an_edge_hard_narrows_its_band(marked: Hand) -> None:
    wide = (_job(marked).zones.read()[150] == UNKNOWN).sum()
    marked.key(Qt.Key.Key_X)
    marked.desk.set_brush(40)
    marked.drag([(300, 80), (300, 220)])
    marked.settle()

    assert (_job(marked).zones.read()[150] == UNKNOWN).sum() < wide - 4


def test_a_stroke_that_changes_nothing_does_not_stay_on_the_picture(marked: Hand) -> None:
    desk, bench, spot = marked.desk, marked.bench, marked.at(210, 150)
    marked.key(Qt.Key.Key_B)
    desk.set_brush(30)
    plain = bench.canvas.grab().toImage().pixelColor(spot)

    marked.drag([(190, 150), (210, 150), (230, 150)])
    marked.drag([(190, 150), (210, 150), (230, 150)])
    QTest.mouseMove(bench.canvas, marked.at(20, 20))

    marked.wait(lambda: bench.canvas.grab().toImage().pixelColor(spot) == plain, 10)


def test_a_hole_can_begin_right_on_the_outline(marked: Hand) -> None:
    for number, (x, y) in enumerate(((210, 60), (240, 120), (180, 120))):
        marked.click(x, y, right=number == 0)
        marked.settle()
    marked.key(Qt.Key.Key_Return)
    marked.settle()

    outline, hole = _job(marked).settings.photo.contours
    assert len(outline.nodes) == 4
    assert hole.hole
    assert not _subject(marked)[100, 210]
