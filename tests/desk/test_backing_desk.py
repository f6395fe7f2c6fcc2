"""Backing in the window: gradients, photos and patterns, cutouts placed together, matches, shadows, the sheet."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QInputDialog
from pytestqt.qtbot import QtBot

from desk.hand import Hand
from peel.demo.backings import BACKING_TITLES, backing_file
from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.controls.number_field import NumberField
from peel.desk.controls.swatches import Swatches
from peel.desk.steps import Step
from peel.files.assets import read_asset
from peel.job.placing.cutouts import corners_of, map_cutouts, moving, numbers_of
from peel.job.placing.sheet import sheet_of
from peel.job.placing.standing import wall_of
from peel.matte.composite.homography import homography, mapped
from peel.work.arranging.kept_backings import backing_named, kept_backings
from peel.work.delivering.products import flat_pixels
from peel.work.stages import Cache, Stages
from peel.work.views import View


@pytest.fixture
def backing(marked: Hand) -> Hand:
    """A window with the disc solved, in Backing, on a gradient."""
    marked.step("Backing")
    marked.panel(Step.BACKING).behind.kinds["gradient"].click()
    marked.settle()
    return marked


def test_a_gradient_is_laid_by_dragging_and_an_end_is_moved(backing: Hand) -> None:
    assert backing.desk.view is View.BACKING
    backing.command("Gradient")
    backing.drag([(40, 30), (150, 100), (380, 270)])
    backing.settle()
    own = backing.job.settings.recipe.backing.gradient
    assert own.start == pytest.approx((40 / 420, 30 / 300), abs=0.01)
    assert own.end == pytest.approx((380 / 420, 270 / 300), abs=0.01)
    assert backing.session.history.undo_label == "Gradient"

    backing.drag([(380, 270), (380, 150), (380, 60)])
    backing.settle()
    own = backing.job.settings.recipe.backing.gradient
    assert own.start == pytest.approx((40 / 420, 30 / 300), abs=0.01)
    assert own.end == pytest.approx((380 / 420, 60 / 300), abs=0.01)
    backing.command("Undo")
    backing.settle()
    assert backing.job.settings.recipe.backing.gradient.end == pytest.approx((380 / 420, 270 / 300), abs=0.01)


def test_colours_are_added_dragged_set_turned_and_taken_away(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING).behind
    bar = panel.bar
    middle = QPoint(bar.width() // 2, 12)
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    backing.settle()
    stops = backing.job.settings.recipe.backing.gradient.stops
    assert len(stops) == 3
    assert stops[1].at == pytest.approx(0.5, abs=0.02)
    backing.press("swatch #c8553d")
    backing.settle()
    assert backing.job.settings.recipe.backing.gradient.stops[1].colour == "#c8553d"
    backing.press("turn gradient")
    backing.settle()
    turned = backing.job.settings.recipe.backing.gradient.stops
    assert [stop.colour for stop in turned] == [
        stop.colour for stop in reversed((stops[0], stops[1].model_copy(update={"colour": "#c8553d"}), stops[2]))
    ]
    QTest.keyClick(bar, Qt.Key.Key_Delete)
    backing.settle()
    assert len(backing.job.settings.recipe.backing.gradient.stops) == 2
    panel.angle.set_value(0)
    panel.extent.set_value(50)
    panel.is_round.click()
    backing.settle()
    own = backing.job.settings.recipe.backing.gradient
    assert own.shape == "round"
    assert own.end[1] == pytest.approx(own.start[1], abs=1e-6)
    assert (own.end[0] - own.start[0]) * 420 == pytest.approx(150, abs=2)


def test_a_colour_is_added_beyond_the_last_one(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING).behind
    stops = backing.job.settings.recipe.backing.gradient.stops
    inward = tuple(stop.model_copy(update={"at": stop.at / 2}) for stop in stops)
    panel.bar.changed.emit(inward, False)
    backing.settle()
    far = QPoint(panel.bar.width() - 30, 12)

    QTest.mouseClick(panel.bar, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, far)
    backing.settle()

    made = backing.job.settings.recipe.backing.gradient.stops
    assert len(made) == 3
    assert made[2].colour == made[1].colour == panel.code.text()


def test_room_around_is_seen_and_the_photo_stays_under_the_cursor(backing: Hand) -> None:
    backing.press("page Frame")
    panel = backing.panel(Step.BACKING).frame
    panel.margins["left"].set_value(100)
    panel.margins["top"].set_value(50)
    backing.settle()
    assert (sheet_of(backing.job).space.height, sheet_of(backing.job).space.width) == (350, 520)
    assert backing.sees(panel, "520 × 350")
    backing.choose(panel.around, 1)
    backing.choose(panel.aspect, 1)
    backing.settle()
    space = sheet_of(backing.job).space
    assert abs(space.height - space.width) <= 1
    image = backing.bench.canvas.grab().toImage()
    middle, beside = (image.pixelColor(backing.at(x, 150)) for x in (210, 110))
    assert middle.red() > middle.blue() + 60  # the orange disc stands where the photo says
    assert abs(beside.red() - beside.blue()) < 30


CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def kite(tmp_path: Path) -> Path:
    pixels = np.zeros((80, 60, 4), np.uint8)
    pixels[5:75, 5:55] = (30, 190, 60, 255)
    Image.fromarray(pixels).save(tmp_path / "kite.png")
    return tmp_path / "kite.png"


def _flat(hand: Hand) -> np.ndarray:
    return flat_pixels(hand.job, Stages(hand.job.photo, Cache(80_000_000)))


def _wait_read(hand: Hand) -> None:
    hand.wait(lambda: hand.bench.part(BackingDesk).is_idle)
    hand.rest()
    hand.settle()


def test_three_cutouts_are_placed_and_given_perspective_together(backing: Hand, kite: Path) -> None:
    panel = backing.panel(Step.BACKING)
    backing.enter(panel.behind.code, "336699")
    backing.command("Place")
    backing.click(210, 150)
    assert backing.desk.tool.chosen == (0,)
    backing.press("page Cutouts")
    backing.press_text(panel.cutouts, "Copy")
    backing.settle()
    assert backing.desk.tool.chosen == (1,)
    backing.bench.part(BackingDesk).take_file(kite)
    _wait_read(backing)
    assert [cutout.source == "subject" for cutout in backing.job.settings.photo.cutouts] == [True, True, False]
    assert panel.cutouts.list.count() == 3
    backing.bench.canvas.fit()
    backing.drag([(210, 150), (260, 160), (320, 90)], CTRL)  # the kite lies on top; with Ctrl nothing snaps
    backing.settle()
    kite_at = np.array(corners_of(backing.job, backing.job.settings.photo.cutouts[2])).mean(axis=0)
    assert np.abs(kite_at - (320, 90)).max() < 2
    for item in range(3):
        panel.cutouts.list.item(item).setSelected(True)
    backing.settle()
    tool = backing.desk.tool
    assert tool.chosen == (0, 1, 2)
    quad = tool.around(backing.job)
    corner = tuple(quad[2])
    pulled = (corner[0] - 30, corner[1] - 24)
    before = [np.array(corners_of(backing.job, cutout)) for cutout in backing.job.settings.photo.cutouts]
    backing.drag([corner, (corner[0] - 12, corner[1] - 10), pulled], CTRL)
    backing.settle()
    assert backing.session.history.undo_label == "Place"
    aim = quad.copy()
    aim[2] = pulled
    way = homography(aim, 1, 1) @ np.linalg.inv(homography(quad, 1, 1))
    for points, cutout in zip(before, backing.job.settings.photo.cutouts, strict=True):
        assert np.abs(np.array(corners_of(backing.job, cutout)) - mapped(way, points)).max() < 3
    seen = backing.bench.canvas.grab().toImage()
    flat = _flat(backing)
    for x, y in ((300, 80), (200, 140), (20, 20)):
        shown, made = seen.pixelColor(backing.at(x, y)), flat[y, x]
        assert max(abs(int(part) - own) for part, own in zip(made, shown.getRgb()[:3], strict=True)) < 8
    backing.press_text(panel.cutouts, "Back to its own place")
    backing.settle()
    assert all(cutout.corners is None for cutout in backing.job.settings.photo.cutouts)
    backing.key(Qt.Key.Key_Delete)
    backing.settle()
    assert backing.job.settings.photo.cutouts == ()
    backing.command("Undo")
    backing.settle()
    assert len(backing.job.settings.photo.cutouts) == 3


def test_handles_scale_turn_stretch_and_snap(backing: Hand) -> None:
    backing.command("Place")
    backing.click(210, 150)
    tool = backing.desk.tool

    def numbers():
        return numbers_of(backing.job, backing.job.settings.photo.cutouts[0])

    quad = tool.around(backing.job)
    backing.drag([tuple(quad[2]), tuple(quad[2] - 10), tuple(quad[0] + 0.5 * (quad[2] - quad[0]))])
    backing.settle()
    assert numbers().width == pytest.approx(0.5, abs=0.03)
    assert numbers().height == pytest.approx(0.5, abs=0.03)
    backing.command("Undo")
    backing.settle()
    middle = (quad[1] + quad[2]) / 2
    backing.drag([tuple(middle), (middle[0] + 20, middle[1]), (middle[0] + 60, middle[1])])
    backing.settle()
    assert numbers().width > 1.2
    assert numbers().height == pytest.approx(1, abs=1e-6)
    backing.command("Undo")
    backing.settle()
    top = (quad[0] + quad[1]) / 2
    knob = (top[0], top[1] - 26 / backing.bench.canvas.frame.scale)
    centre = quad.mean(axis=0)
    away = centre[1] - knob[1]
    backing.drag([knob, (centre[0] + away * 0.7, centre[1] - away * 0.7), (centre[0] + away, centre[1])], SHIFT)
    backing.settle()
    assert numbers().turn_deg == pytest.approx(90, abs=1)
    backing.press_text(backing.panel(Step.BACKING).cutouts, "Mirror")
    backing.settle()
    assert numbers().mirrored
    backing.press_text(backing.panel(Step.BACKING).cutouts, "Back to its own place")
    backing.settle()
    backing.drag([(210, 150), (230, 160), (251, 151)])
    backing.settle()
    first = numbers().y
    assert first == pytest.approx(0, abs=0.6)  # drawn to the middle line again
    backing.key(Qt.Key.Key_Down)
    backing.key(Qt.Key.Key_Right, SHIFT)
    x = numbers().x
    backing.settle()
    assert numbers().y == pytest.approx(first + 1, abs=1e-6)
    assert numbers().x == pytest.approx(x + 10, abs=1e-6)


@pytest.fixture
def pile(backing: Hand, kite: Path) -> Hand:
    """Three kites over the disc, each 20 px to the right of the one beneath."""
    backing.press("page Cutouts")
    for _ in range(3):
        backing.bench.part(BackingDesk).take_file(kite)
        _wait_read(backing)
    for number in (1, 2, 3):
        backing.desk.edit("Place", lambda job, n=number: map_cutouts(job, [n], moving(20 * n, 0)))
    backing.command("Place")
    backing.desk.tool.choose(())
    backing.settle()
    return backing


def test_presses_go_through_a_pile_one_deeper_each(pile: Hand) -> None:
    chosen = []
    for _ in range(5):
        pile.click(250, 150)  # under all three kites and the disc
        chosen.append(pile.desk.tool.chosen)
    assert chosen == [(3,), (2,), (1,), (0,), (3,)]


def test_presses_hit_what_is_seen_and_not_boxes(pile: Hand) -> None:
    kite_box = np.array(corners_of(pile.job, pile.job.settings.photo.cutouts[3]))
    rim = kite_box[:, 0].max() - 2, kite_box[:, 1].mean()  # the last kite's clear rim, over the disc
    pile.click(*rim)
    assert pile.desk.tool.chosen == (0,)
    pile.click(20, 20)  # in the subject's picture, where it is clear
    assert pile.desk.tool.chosen == ()


def test_what_is_under_the_cursor_is_marked_in_the_list(pile: Hand) -> None:
    rows = pile.panel(Step.BACKING).cutouts.list

    def marked() -> list[int]:
        items = [rows.item(row) for row in range(rows.count())]
        return [int(item.data(Qt.ItemDataRole.UserRole)) for item in items if item.font().underline()]

    pile.hover(250, 150)
    assert marked() == [3]
    pile.hover(150, 150)
    assert marked() == [0]
    pile.hover(10, 10)
    assert marked() == []


def test_a_drag_of_what_lies_beneath_moves_it_and_chooses_nothing_else(pile: Hand) -> None:
    pile.click(250, 150)
    pile.click(250, 150)
    before = np.array(corners_of(pile.job, pile.job.settings.photo.cutouts[2]))
    pile.drag([(250, 150), (260, 160), (280, 170)], CTRL)
    pile.settle()
    assert pile.desk.tool.chosen == (2,)
    moved = np.array(corners_of(pile.job, pile.job.settings.photo.cutouts[2])) - before
    assert np.abs(moved - (30, 20)).max() < 2


def test_numbers_order_hiding_and_shadows_of_chosen_cutouts(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING).cutouts
    backing.command("Place")
    backing.click(210, 150)
    backing.press("page Cutouts")
    backing.press_text(panel, "Copy")
    backing.settle()
    panel.numbers["width"].set_value(50)
    backing.settle()
    own = numbers_of(backing.job, backing.job.settings.photo.cutouts[1])
    assert (own.width, own.height) == pytest.approx((0.5, 0.5))
    panel.together.setChecked(False)
    panel.numbers["turn_deg"].set_value(30)
    panel.numbers["y"].set_value(-40)
    backing.settle()
    own = numbers_of(backing.job, backing.job.settings.photo.cutouts[1])
    assert own.turn_deg == pytest.approx(30)
    assert own.y == pytest.approx(-40, abs=1e-6)
    backing.choose(panel.corner, 1)
    before = corners_of(backing.job, backing.job.settings.photo.cutouts[1])
    panel.corner_at[1].set_value(round(before[1][1]) + 30)
    backing.settle()
    after = corners_of(backing.job, backing.job.settings.photo.cutouts[1])
    assert after[1][1] == pytest.approx(before[1][1] + 30, abs=0.6)
    assert after[0] == pytest.approx(before[0])
    backing.press("order bottom")
    backing.settle()
    assert backing.job.settings.photo.cutouts[0].corners is not None
    panel.casts.click()
    backing.settle()
    assert not backing.job.settings.photo.cutouts[0].casts
    panel.list.item(0).setCheckState(Qt.CheckState.Unchecked)
    backing.settle()
    assert backing.job.settings.photo.cutouts[1].hidden


def test_a_backing_photo_is_chosen_dragged_scaled_and_nudged(backing: Hand, tmp_path: Path) -> None:
    panel = backing.panel(Step.BACKING).behind
    panel.kinds["photo"].click()
    backing.choose_in_menu(panel.which, BACKING_TITLES["stage-curtain"])
    _wait_read(backing)
    backing_now = backing.job.settings.recipe.backing
    assert backing_now.kind == "photo"
    assert backing_now.photo.picture in backing.job.assets
    assert "stage-curtain" in panel.which.text()
    backing.command("Behind")
    backing.drag([(60, 60), (80, 70), (102, 90)])
    backing.settle()
    across, down = backing.job.settings.recipe.backing.photo.move
    assert 0 < across <= 0.1  # it fills the sheet, and goes on filling it
    assert 0 <= down <= 0.1
    backing.drag([(60, 200), (60, 150), (60, 100)], right=True)
    backing.settle()
    assert backing.job.settings.recipe.backing.photo.scale > 1.2
    before = backing.job.settings.recipe.backing.photo.move
    backing.key(Qt.Key.Key_Left)
    backing.settle()
    assert backing.job.settings.recipe.backing.photo.move[0] == pytest.approx(before[0] - 1 / 420)
    panel.mirrored.click()
    backing.choose(panel.fit, 1)
    backing.settle()
    assert backing.job.settings.recipe.backing.photo.mirrored
    assert backing.job.settings.recipe.backing.photo.fit == "whole"
    seen = backing.bench.canvas.grab().toImage().pixelColor(backing.at(60, 100))
    flat = _flat(backing)[100, 60]
    assert max(abs(int(a) - b) for a, b in zip(flat, seen.getRgb()[:3], strict=True)) < 12
    (tmp_path / "no.jpg").write_bytes(b"nothing")
    backing.bench.take_file(tmp_path / "no.jpg")
    backing.wait(lambda: "no.jpg" in backing.window.message.text)
    assert backing.job.settings.recipe.backing.photo.picture in backing.job.assets


def test_patterns_tiles_and_every_demo_backing(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING).behind
    panel.kinds["pattern"].click()
    backing.settle()
    backing.choose(panel.motif, panel.motif.findData("dots"))
    backing.enter(panel.inks["ink"].code, "#ff0000")
    backing.settle()
    own = backing.job.settings.recipe.backing.pattern
    assert (own.motif, own.ink) == ("dots", "#ff0000")
    backing.bench.part(BackingDesk).take_file(backing_file("star-tile"))
    _wait_read(backing)
    assert backing.job.settings.recipe.backing.pattern.motif == "tile"
    for name in BACKING_TITLES:
        assert read_asset(backing_file(name)).width >= 480


def test_a_colour_is_picked_from_the_picture_kept_and_recent(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING).behind
    panel.kinds["colour"].click()
    backing.settle()
    backing.press("pick Colour")
    backing.click(210, 150)
    backing.wait(lambda: backing.job.settings.recipe.backing.colour == "#d98033")
    backing.settle()
    assert backing.window.findChild(QAbstractButton, "recent #d98033") is not None
    backing.press_text(panel, "Keep it with the assignment")
    assert backing.window.findChild(QAbstractButton, "swatch #d98033") is not None
    assert backing.desk.tool.name == "Gradient" or backing.desk.tool is backing.desk.last_tool


def _offered(swatches: Swatches) -> set[str]:
    return {own.objectName() for own in swatches.findChildren(QAbstractButton) if not own.isHidden()}


def test_swatches_belong_to_the_assignment(qtbot: QtBot) -> None:
    swatches = Swatches()
    qtbot.addWidget(swatches)
    swatches.show_assignment("/photos/autumn")
    swatches.keep("#123456")
    swatches.show_assignment("/photos/winter")
    assert "swatch #123456" not in _offered(swatches)
    swatches.keep("#654321")
    again = Swatches()
    qtbot.addWidget(again)
    again.show_assignment("/photos/autumn")
    assert "swatch #123456" in _offered(again)
    assert "swatch #654321" not in _offered(again)


def test_one_press_matches_and_hand_values_name_their_target(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING)
    panel.behind.kinds["photo"].click()
    backing.choose_in_menu(panel.behind.which, BACKING_TITLES["plain-paper"])
    _wait_read(backing)
    backing.press("page Match")
    backing.press("match backing to old backdrop")
    backing.settle()
    match = backing.job.settings.recipe.backing.grade.match
    assert match is not None
    assert match.to == "old backdrop"
    flat = _flat(backing)
    assert np.abs(flat[5:40, 5:40].mean(axis=(0, 1)) - (38, 76, 153)).max() < 14
    panel.matching.parts["exposure"].set_value(10)
    panel.matching.amount.set_value(40)
    backing.settle()
    grade = backing.job.settings.recipe.backing.grade
    assert grade.exposure == 1.0
    assert grade.match is not None
    assert grade.match.amount == pytest.approx(0.4)
    backing.choose(panel.matching.what, 1)
    panel.matching.parts["warmth"].set_value(50)
    backing.settle()
    assert backing.job.settings.recipe.subject.warmth == 0.5
    backing.press("reset grade")
    backing.settle()
    assert backing.job.settings.recipe.subject.warmth == 0


def test_one_shadow_is_kept_and_another_made(backing: Hand) -> None:
    panel = backing.panel(Step.BACKING)
    panel.behind.kinds["colour"].click()
    backing.enter(panel.behind.code, "#ffffff")
    backing.press("page Shadow")
    backing.press("shadow kept")
    backing.press("shadow contact")
    backing.settle()
    backing.command("Ground")
    backing.drag([(100, 232), (200, 232), (320, 232)])
    backing.settle()
    ground = backing.job.settings.photo.ground
    assert ground is not None
    assert ground[0][1] == pytest.approx(232, abs=2)
    tip = backing.desk.tool._tip()
    backing.bench.canvas.look_at(QPointF(tip[0] - 60, tip[1] + 60), 0.9)
    backing.drag([tip, (tip[0] - 20, tip[1] + 30), (350, 262)])
    backing.settle()
    cast = backing.job.settings.recipe.shadow.cast
    assert cast.on
    assert 0 < cast.towards_deg < 40
    flat = _flat(backing)
    assert flat[245, 300].max() < 220
    backing.command("Shade")
    backing.desk.set_brush(60)
    backing.desk.shape_brush(softness=0.0)
    backing.drag([(300, 245), (305, 246)], right=True)
    backing.settle()
    assert _flat(backing)[245, 300].min() > 225
    backing.press("propose light")
    backing.settle()
    backing.press("draw kept shadow")
    backing.drag([(20, 20), (120, 20), (120, 120), (20, 120)])
    backing.settle()
    assert backing.job.settings.recipe.shadow.kept.within == "brushed"
    assert backing.job.shadow_kept.read()[60, 60] == 255


def test_kept_gradients_and_patterns_are_stepped_through_and_kept(
    backing: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    backing.press("kept Footlights")
    backing.settle()
    assert backing.job.settings.recipe.backing.gradient.stops[0].colour == "#2b1d2e"
    for _ in range(3):  # without a pause
        backing.command("Next backing")
    backing.settle()
    known = [kept.name for kept in kept_backings("gradient")]
    expected = known[(known.index("Footlights") + 3) % len(known)]
    assert backing_named(expected).is_on(backing.job.settings.recipe.backing)
    backing.command("Backing before")
    backing.settle()
    before = known[(known.index("Footlights") + 2) % len(known)]
    assert backing_named(before).is_on(backing.job.settings.recipe.backing)

    panel = backing.panel(Step.BACKING).behind
    panel.is_round.click()
    backing.settle()
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *_a, **_k: (" My  stage ", True)))
    backing.press("keep backing")
    kept = backing_named("My stage")
    assert kept.is_own
    assert kept.is_on(backing.job.settings.recipe.backing)
    backing.wait(lambda: not panel.strip.without_picture)
    backing.press_right("kept My stage")
    assert "My stage" not in [own.name for own in kept_backings()]


def test_what_cannot_be_kept_is_said(backing: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *_a, **_k: ("Porcelain", True)))
    backing.press("keep backing")
    assert "cannot be kept as Porcelain" in backing.window.message.text


def test_a_shadow_on_a_wall_has_three_handles(backing: Hand) -> None:
    backing.press("page Shadow")
    panel = backing.panel(Step.BACKING).shadows
    panel.cast.click()
    panel.wall.click()
    backing.settle()
    backing.command("Ground")
    tool = backing.desk.tool
    tip = tool._tip()
    backing.drag([tip, (tip[0] + 10, tip[1]), (tip[0] + 40, tip[1] + 12)])
    backing.settle()
    assert np.abs(np.array(tool._tip()) - (tip[0] + 40, tip[1] + 12)).max() < 2
    left, right = tool._bend()
    bend = ((left[0] + right[0]) / 2, (left[1] + right[1]) / 2)
    wall = wall_of(backing.job)
    backing.drag([bend, (bend[0], bend[1] - 4), (bend[0], bend[1] - 15)])
    backing.settle()
    assert wall_of(backing.job) == pytest.approx(wall + 15, abs=2)
    assert backing.session.history.undo_label == "Wall"
    assert panel._no_wall.isHidden()
    panel.findChild(NumberField, "shadow cast.towards_deg").set_value(90)
    backing.settle()
    assert panel._no_wall.isVisible()
    panel.wall_at.set_value(44)
    backing.settle()
    assert backing.job.settings.photo.wall_px == 44


def test_a_shadow_is_painted_in_the_window_and_shaped_afterwards(backing: Hand) -> None:
    backing.press("page Frame")
    backing.panel(Step.BACKING).frame.margins["right"].set_value(200)
    backing.settle()
    backing.command("Fit")
    backing.press("page Shadow")
    panel = backing.panel(Step.BACKING).shadows
    backing.command("Shade")
    backing.drag([(330, 250), (360, 250)])
    backing.settle()
    assert "no shadow yet" in backing.window.message.text
    before = _flat(backing)
    backing.command("Shadow")
    backing.desk.set_brush(40)
    backing.drag([(330, 255), (450, 255), (560, 255)])
    backing.settle()
    painted = _flat(backing)
    assert (painted[255, 340:540].max(axis=-1) < before[255, 340:540].max(axis=-1) - 40).all()
    assert panel.painted.isChecked()
    moved = panel.findChild(NumberField, "shadow painted.move.1")
    moved.set_value(30)
    backing.settle()
    assert (_flat(backing)[255, 450] > painted[255, 450]).all()
    backing.drag([(440, 285), (470, 285)], right=True)
    backing.settle()
    backing.press_text(panel, "Take back all that was brushed")
    backing.settle()
    assert np.array_equal(_flat(backing), before)
