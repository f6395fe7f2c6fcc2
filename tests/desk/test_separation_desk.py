"""Separation in the window: the sheet, ends pressed in the picture, stretches, the key."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QToolButton

from conftest import soft_disc
from desk.hand import Hand
from peel.desk.edge.separation_desk import SeparationDesk
from peel.desk.steps import Step
from peel.job.settings import Separation
from peel.work.separating.pulls import tone_alpha
from peel.work.views import View


def _desk(hand: Hand) -> SeparationDesk:
    return hand.bench.part(SeparationDesk)


def _ready(hand: Hand) -> None:
    hand.settle()
    hand.wait(lambda: _desk(hand).is_idle)
    hand.rest()
    hand.settle()


@pytest.fixture
def separating(marked: Hand) -> Hand:
    """A window with the disc marked and the page of Separation open."""
    marked.step("Edge")
    marked.press_text(marked.panel(Step.EDGE), "Separation")
    marked.wait(lambda: bool(_desk(marked).page.rows))
    _ready(marked)
    return marked


def _choose(hand: Hand, rendering: str) -> Separation:
    button = hand.window.findChild(QToolButton, f"rendering {rendering}")
    assert button is not None, rendering
    button.click()
    _ready(hand)
    return hand.job.settings.recipe.separations[0]


def test_the_page_shows_the_ranked_renderings_and_the_view_tone(separating: Hand) -> None:
    page = _desk(separating).page

    assert separating.desk.view is View.TONE
    assert next(iter(page.rows)) == "mix"
    assert {"red", "lightness", "saturation", "key"} <= set(page.rows)
    assert "key" in page.advice.text().lower()
    assert separating.job.settings.recipe.separations == (), "looking changes nothing"
    separating.panel(Step.EDGE).turn_page(separation=False)
    assert separating.desk.view is not View.TONE


def test_a_rendering_is_one_press_and_changes_the_matte_only_when_it_is_used(separating: Hand) -> None:
    before = separating.job.matte

    chosen = _choose(separating, "red")

    assert (chosen.rendering, chosen.use) == ("red", "look")
    assert separating.job.matte is before
    _desk(separating).page.use_buttons["matte"].click()
    _ready(separating)
    job = separating.job
    assert job.settings.recipe.separations[0].use == "matte"
    tone = tone_alpha(job, job.settings.recipe.separations[0], job.photo.bounds)
    band = job.zones.read() == 128
    assert np.abs(job.alpha(job.photo.bounds) - tone)[band].max() < 0.01
    separating.command("Undo")
    separating.command("Undo")
    separating.settle()
    assert separating.job.settings.recipe.separations == ()


def test_its_ends_are_pressed_in_the_picture(separating: Hand) -> None:
    _choose(separating, "red")
    separating.command("Ends")

    separating.click(210, 150)
    _ready(separating)
    separating.click(20, 20, right=True)
    _ready(separating)

    (chosen,) = separating.job.settings.recipe.separations
    assert (chosen.low, chosen.high) == pytest.approx((0.15, 0.85), abs=0.02)


def test_with_nothing_marked_a_rendering_and_two_ends_are_enough(hand: Hand, disc_file: Path) -> None:
    opened = hand
    opened.open(disc_file)
    opened.step("Edge")
    opened.press_text(opened.panel(Step.EDGE), "Separation")
    opened.wait(lambda: bool(_desk(opened).page.rows))
    _ready(opened)
    page = _desk(opened).page
    assert page.begin.isVisible()
    _choose(opened, "red")
    opened.command("Ends")
    opened.click(210, 150)
    _ready(opened)
    opened.click(20, 20, right=True)
    _ready(opened)

    page.begin.click()
    _ready(opened)

    job = opened.job
    (chosen,) = job.settings.recipe.separations
    assert chosen.use == "matte"
    assert (chosen.low, chosen.high) == pytest.approx((0.15, 0.85), abs=0.02)
    assert not page.begin.isVisible()
    alpha = job.alpha(job.photo.bounds)
    assert alpha[150, 210] == 1
    assert alpha[20, 20] == 0


def test_ends_pressed_the_wrong_way_round_turn_it_over_and_say_so(separating: Hand) -> None:
    _choose(separating, "red")
    separating.command("Ends")

    separating.click(210, 150, right=True)
    _ready(separating)
    separating.click(20, 20)
    _ready(separating)

    (chosen,) = separating.job.settings.recipe.separations
    assert chosen.low is not None
    assert chosen.high is not None
    assert chosen.low > chosen.high
    assert "Turned over" in separating.window.message.text


def test_turn_over_and_propose_are_each_other_s_way_back(separating: Hand) -> None:
    before, page = _choose(separating, "red"), _desk(separating).page

    page.turn.click()
    _ready(separating)
    over = separating.job.settings.recipe.separations[0]
    page.propose.click()
    _ready(separating)

    assert (over.low, over.high) == (before.high, before.low)
    after = separating.job.settings.recipe.separations[0]
    assert (after.low, after.high) == (before.low, before.high)


def test_an_end_is_dragged_on_the_axis_and_seen_before_it_is_let_go(separating: Hand) -> None:
    before, axis = _choose(separating, "red"), _desk(separating).page.axis
    at = QPoint(round(axis.place(axis.lines()["high"])), 30)
    to = QPoint(at.x() - 30, 30)

    QTest.mousePress(axis, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    QTest.mouseMove(axis, to)
    shown = separating.desk.look.separation
    assert shown is not None
    assert shown.high is not None
    assert before.high is not None
    assert shown.high < before.high
    assert separating.job.settings.recipe.separations[0] == before
    QTest.mouseRelease(axis, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, to)
    _ready(separating)

    assert separating.job.settings.recipe.separations[0].high == pytest.approx(shown.high, abs=0.02)


def test_a_drawn_stretch_gets_a_separation_of_its_own_and_is_given_back(separating: Hand) -> None:
    _choose(separating, "red")
    separating.command("Stretch")

    separating.drag([(250, 40), (400, 40), (400, 260), (250, 260), (250, 60)])
    _ready(separating)

    everywhere, own = separating.job.settings.recipe.separations
    assert (everywhere.applies, own.applies) == ("everywhere", "stretch")
    assert _desk(separating).page.target.currentText().startswith("Stretch 1")
    separating.window.findChild(QToolButton, "rendering blue").click()
    _ready(separating)
    assert [s.rendering for s in separating.job.settings.recipe.separations] == ["red", "blue"]
    separating.command("Stretch")
    separating.drag([(10, 10), (410, 10), (410, 290), (10, 290), (10, 20)], right=True)
    _ready(separating)
    assert not separating.job.separated.read().any()


def test_one_for_a_kind_of_edge_is_a_separation_of_its_own(separating: Hand) -> None:
    page = _desk(separating).page
    separating.choose(page.target, 3)
    _ready(separating)

    chosen = _choose(separating, "green")

    assert chosen.applies == "strand"
    page.drop.click()
    _ready(separating)
    assert separating.job.settings.recipe.separations == ()


def test_a_mix_by_hand_and_contrast_are_numbers(separating: Hand) -> None:
    _choose(separating, "mix")
    page = _desk(separating).page

    page.weights[0].set_value(100)
    page.weights[1].set_value(0)
    page.weights[2].set_value(0)
    page.fields["sharpening"].set_value(150)
    _ready(separating)

    (chosen,) = separating.job.settings.recipe.separations
    assert chosen.weights == (1.0, 0.0, 0.0)
    assert chosen.sharpening == 1.5


def test_what_the_ends_clip_is_said_and_marked(separating: Hand) -> None:
    _choose(separating, "red")
    page = _desk(separating).page

    assert page.detail.text() == "The ends clip 0 % of the strand detail."
    page.show_lost.click()
    _ready(separating)

    assert separating.desk.look.lost_floor is not None


def test_one_press_with_key_on_an_unmarked_photo_gives_a_matte(hand: Hand, tmp_path) -> None:  # type: ignore[no-untyped-def]
    _, alpha, _ = soft_disc(300, 420, 90)
    photo = alpha[..., None] * np.float32(0.55) + (1 - alpha[..., None]) * np.float32([0.15, 0.3, 0.6])
    Image.fromarray(np.round(photo * 255).astype(np.uint8)).save(tmp_path / "gray.png")
    hand.open(tmp_path / "gray.png")
    hand.command("Key")

    hand.click(20, 20)
    hand.wait(lambda: hand.job.has_subject)
    hand.settle()

    assert hand.job.is_solved
    assert np.abs(hand.job.alpha(hand.job.photo.bounds) - alpha).mean() < 0.003
    assert hand.job.settings.recipe.separations[0].rendering == "key"


def test_a_press_with_key_where_nothing_differs_is_explained(hand: Hand, tmp_path) -> None:  # type: ignore[no-untyped-def]
    Image.fromarray(np.full((120, 160, 3), 128, np.uint8)).save(tmp_path / "wall.png")
    hand.open(tmp_path / "wall.png")
    hand.command("Key")

    hand.click(20, 20)
    hand.settle()

    assert "would be subject" in hand.window.message.text
    assert not hand.job.has_subject
