"""Colour in the window: spill, rims, tints and brushes by real events."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton

from conftest import soft_disc
from desk.hand import Hand
from peel.desk.colour.colour_desk import ColourDesk
from peel.desk.display.tiles import DisplayTiles, TileKey
from peel.desk.steps import Step
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import FINISH
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.work.views import View

GREEN = np.float32([0.15, 0.65, 0.25])


@pytest.fixture
def colouring(hand: Hand, tmp_path: Path) -> Hand:
    """A window with a gray disc before a green cloth, marked and solved, in Colour."""
    _, alpha, _ = soft_disc(300, 420, 90)
    rng = np.random.default_rng(3)
    subject = np.float32([0.5, 0.58, 0.52]) + rng.normal(0, 0.01, (300, 420, 1))
    photo = alpha[..., None] * subject + (1 - alpha[..., None]) * GREEN
    Image.fromarray(np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8)).save(tmp_path / "cloth.png")
    hand.open(tmp_path / "cloth.png")
    for x, y in ((120, 60), (300, 60), (300, 240), (120, 240)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    hand.step("Colour")
    _rest(hand)
    return hand


def _rest(hand: Hand) -> None:
    hand.settle()
    hand.wait(lambda: hand.bench.part(ColourDesk).is_idle)
    hand.rest()


def _colours(hand: Hand) -> np.ndarray:
    return hand.session.stages.foreground(hand.job, hand.job.photo.bounds, 0)


def _greenness(hand: Hand) -> float:
    part = _colours(hand)[120:180, 180:240]
    return float((part[..., 1] - part[..., [0, 2]].mean(axis=2)).mean())


def test_the_cloth_s_light_is_found_and_taken_off_and_more_by_hand(colouring: Hand) -> None:
    panel = colouring.panel(Step.COLOUR)
    photo = colouring.job.photo.colours(colouring.job.photo.bounds)[120:180, 180:240]
    shown = float((photo[..., 1] - photo[..., [0, 2]].mean(axis=2)).mean())
    assert colouring.job.settings.photo.spill_found not in (None, "none")
    assert _greenness(colouring) < 0.6 * shown

    panel.fields["spill_inside"].set_value(0)
    _rest(colouring)
    assert _greenness(colouring) == pytest.approx(shown, abs=0.003)
    panel.hue_fields["protect"].set_value(0)
    panel.fields["spill_inside"].set_value(100)
    _rest(colouring)
    assert _greenness(colouring) < 0.2 * shown


def test_a_hue_is_picked_in_the_picture_and_given_back_to_peel(colouring: Hand) -> None:
    panel = colouring.panel(Step.COLOUR)
    panel.pick_hue.click()
    colouring.click(30, 30)
    _rest(colouring)
    assert colouring.job.settings.recipe.colour.spill.hue == "#26a640"
    panel.reset_hue.click()
    _rest(colouring)
    assert colouring.job.settings.recipe.colour.spill.hue is None


def test_the_width_of_the_hue_is_as_found_until_it_is_set(colouring: Hand) -> None:
    panel = colouring.panel(Step.COLOUR)
    found = colouring.job.settings.photo.spill_width_deg
    assert panel.hue_fields["width_deg"].value == pytest.approx(found)
    assert not panel.reset_hue.isEnabled()

    panel.hue_fields["width_deg"].set_value(40)
    _rest(colouring)
    assert colouring.job.settings.recipe.colour.spill.width_deg == 40
    panel.reset_hue.click()
    _rest(colouring)
    assert colouring.job.settings.recipe.colour.spill.width_deg is None
    assert panel.hue_fields["width_deg"].value == pytest.approx(found)


def test_the_mildest_way_to_take_spill_out_is_proposed_and_what_is_left_is_said(colouring: Hand) -> None:
    said: list[str] = []
    colouring.desk.said.connect(lambda trouble: said.append(trouble.message))
    panel = colouring.panel(Step.COLOUR)
    for name in ("clean", "roots", "spill_edge"):
        panel.fields[name].set_value(0)
    _rest(colouring)
    assert panel.spilled_text.endswith("% of the edge.")

    colouring.press("propose spill")
    _rest(colouring)

    assert colouring.job.settings.recipe.colour.clean == 1
    assert "the backdrop's hue was seen on" in said[-1]
    colouring.wait(lambda: panel.spilled_text == "The backdrop's hue is seen on none of the edge.")
    colouring.press("propose spill")
    _rest(colouring)
    assert said[-1] == "The backdrop's hue is not seen on this edge."


def test_figures_are_shown_and_rims_proposed(colouring: Hand) -> None:
    panel = colouring.panel(Step.COLOUR)
    assert all(name in panel.fringe_text for name in ("white", "black", "grey", "backing"))
    colouring.press("propose rims")
    _rest(colouring)
    panel.fields["rim_light"].set_value(70)
    _rest(colouring)
    assert colouring.job.settings.recipe.colour.rim_light == 0.7


def test_an_edge_that_lies_too_far_out_is_offered_both_cures(colouring: Hand) -> None:
    panel = colouring.panel(Step.COLOUR)
    for name in ("roots", "spill_edge"):
        panel.fields[name].set_value(0)
    colouring.desk.edit("Pull", lambda job: FINISH.changed(job, EdgeTarget(), {"pull_px": 4.0}))
    _rest(colouring)
    assert not panel.pull_in.isVisible()

    colouring.press("propose rims")
    _rest(colouring)
    assert panel.pull_in.isVisible()
    assert panel.correct_rim.isEnabled()
    colouring.press("correct the rim")
    _rest(colouring)
    assert colouring.job.settings.recipe.colour.rim_light > 0.5
    colouring.command("Undo")
    _rest(colouring)
    colouring.press("propose rims")
    _rest(colouring)
    by_px = float(panel.pull_in.text().split()[3])
    colouring.press("pull the edge in")
    _rest(colouring)

    assert FINISH.of(colouring.job, EdgeTarget()).pull_px == 4.0 - by_px
    assert not panel.pull_in.isVisible()


def test_a_tint_from_a_spot_is_brushed_adjusted_and_dropped(colouring: Hand) -> None:
    before = _colours(colouring)
    colouring.press("tint from a hue")
    colouring.desk.set_brush(40)
    colouring.desk.shape_brush(softness=0.0)
    colouring.click(210, 150)
    _rest(colouring)
    assert np.abs(_colours(colouring) - before)[140:160, 200:220].max() > 0.05
    assert np.array_equal(_colours(colouring)[:60], before[:60])
    panel = colouring.panel(Step.COLOUR)
    panel.tint_fields["amount"].set_value(0)
    _rest(colouring)
    assert np.abs(_colours(colouring) - before).max() < 0.005

    colouring.press("tint from a spot")
    colouring.click(180, 150)
    _rest(colouring)
    assert len(colouring.job.settings.photo.tints) == 2
    panel.drop_tint.click()
    _rest(colouring)
    assert len(colouring.job.settings.photo.tints) == 1


def test_a_spot_in_the_clear_is_refused_in_a_sentence(colouring: Hand) -> None:
    said: list[str] = []
    colouring.desk.said.connect(lambda trouble: said.append(trouble.message))
    colouring.press("tint from a spot")
    colouring.click(20, 20)
    _rest(colouring)
    colouring.command("Tint")
    colouring.click(210, 150)
    _rest(colouring)
    assert said == ["There is nothing of the subject at this spot.", "There is no tint to brush yet."]
    assert colouring.job.settings.photo.tints == ()


def test_brushes_darken_restore_and_take_back(colouring: Hand) -> None:
    before = _colours(colouring)
    colouring.desk.set_brush(40)
    colouring.command("Lighten")
    colouring.drag([(290, 140), (296, 160)], right=True)
    _rest(colouring)
    assert colouring.session.history.undo_label == "Darken"
    colouring.command("Original")
    colouring.click(210, 150)
    _rest(colouring)
    photo = colouring.job.photo.colours(colouring.job.photo.bounds)
    assert np.array_equal(_colours(colouring)[148:152, 208:212], photo[148:152, 208:212])

    colouring.command("Take back")
    colouring.desk.set_brush(400)
    colouring.desk.shape_brush(softness=0.0)
    colouring.drag([(200, 150), (230, 150)])
    _rest(colouring)
    assert np.array_equal(_colours(colouring), before)


def test_an_area_has_colours_of_its_own_and_views_show_the_change(colouring: Hand) -> None:
    panel = colouring.panel(Step.COLOUR)
    panel.edges.area.click()
    colouring.drag([(120, 60), (200, 60), (200, 240), (120, 240), (120, 80)])
    _rest(colouring)
    panel.fields["clean"].set_value(20)
    _rest(colouring)
    (area,) = colouring.job.settings.photo.colour_areas
    assert area.colour.clean == 0.2
    panel.edges.fade.set_value(70)
    _rest(colouring)
    assert colouring.job.settings.photo.colour_areas[0].fade_px == 70
    assert colouring.job.settings.recipe.colour.clean == 1
    panel.edges.drop.click()
    _rest(colouring)
    assert colouring.job.settings.photo.colour_areas == ()
    colouring.press_text(panel, "What changed")
    assert colouring.desk.view is View.RECOLOURED
    hold = colouring.window.findChild(QAbstractButton, "compare colours")
    QTest.mousePress(hold, Qt.MouseButton.LeftButton)
    assert colouring.desk.compared is not None
    QTest.mouseRelease(hold, Qt.MouseButton.LeftButton)
    assert colouring.desk.compared is None


def test_a_slow_drag_shows_at_half_the_size_first_and_in_full_when_the_hand_rests(
    colouring: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    canvas, tiles = colouring.bench.canvas, colouring.bench.tiles
    colouring.desk.show_view(View.WHITE)
    canvas.look_at(QPointF(210, 150), 1.0)
    colouring.settle()
    asked, before = list[int](), colouring.job
    image = DisplayTiles.image

    def asking(own: DisplayTiles, job: Job, key: TileKey, *rest: Any) -> QImage | None:
        if job is not before:
            asked.append(key[1])
        return image(own, job, key, *rest)

    monkeypatch.setattr(DisplayTiles, "image", asking)
    monkeypatch.setattr(DisplayTiles, "is_slow", lambda *_: True)

    def change(job: Job) -> Job:
        return set_value(job, "recipe.colour.spill_inside", 0.0)

    colouring.desk.edit("Inside", change, gesture="inside", ends=False)
    colouring.wait(lambda: bool(asked) and canvas.is_fresh)
    assert asked[0] == 1
    assert asked[-1] == 0
    drawn = tiles.known((View.WHITE, 0, 0, 0))
    asked.clear()
    colouring.desk.edit("Inside", lambda job: set_value(job, "recipe.colour.spill_inside", 0.3), gesture="inside")
    colouring.settle()
    assert 1 not in asked
    assert tiles.known((View.WHITE, 0, 0, 0)) != drawn


def test_what_was_measured_on_one_photo_is_not_said_of_the_next(colouring: Hand, tmp_path: Path) -> None:
    panel = colouring.panel(Step.COLOUR)
    colouring.wait(lambda: "white" in panel.fringe_text.lower())
    assert "Taken out" in panel.spill_text

    Image.fromarray(np.full((200, 240, 3), 90, np.uint8)).save(tmp_path / "gray.png")
    colouring.window.open_path(tmp_path / "gray.png")
    colouring.wait(lambda: colouring.job.photo.name == "gray.png")
    colouring.step("Colour")

    colouring.wait(lambda: panel.fringe_text == "Not measured yet.")
    assert "Not looked for yet" in panel.spill_text
