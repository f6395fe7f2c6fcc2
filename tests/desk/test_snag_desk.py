"""Snags in the window: walked, mended and accepted by keys, undone, and gone on with after reopening."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from desk.hand import Hand, spoiled_matte
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_prover import SnagProver
from peel.desk.matte.snag_walk import SnagWalk
from peel.desk.matte.strip_desk import StripDesk
from peel.desk.steps import Step
from peel.job.edits.values import set_value
from peel.job.rect import Rect
from peel.matte.inspect.sorts import SnagSort
from peel.work.views import View


def _page(hand: Hand):
    return hand.panel(Step.MATTE).snags


def _rest(hand: Hand) -> None:
    hand.settle()
    parts = (SnagFeed, StripDesk, SnagProver)
    hand.wait(lambda: all(hand.bench.part(part).is_idle for part in parts))
    hand.rest()


def _alpha(hand: Hand) -> np.ndarray:
    return hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)


@pytest.fixture
def spoiled(marked: Hand) -> Hand:
    """A window with a hole in the disc, and two specks beside it."""
    marked.step("Matte")
    marked.desk.edit("Spoil the matte", spoiled_matte)
    _rest(marked)
    return marked


def test_the_walk_goes_to_each_snag_and_says_what_it_is(spoiled: Hand) -> None:
    seen = []
    for _ in range(3):
        spoiled.command("Next place")
        _rest(spoiled)
        snag = spoiled.bench.part(SnagFeed).found.snags[spoiled.bench.part(SnagWalk).current]
        seen.append(snag.sort)
        centre = spoiled.bench.canvas.centre()
        assert np.hypot(centre.x() - snag.at[0], centre.y() - snag.at[1]) < 60
        assert spoiled.sees(_page(spoiled), snag.sort.value)

    assert sorted(sort.name for sort in seen) == ["PINHOLE", "SPECK", "SPECK"]
    first = spoiled.bench.part(SnagWalk).current
    spoiled.command("Next place")
    spoiled.command("Place before")
    assert spoiled.bench.part(SnagWalk).current == first
    assert "3 snags" in spoiled.bench.step_line._buttons[Step.MATTE].state


def test_two_are_mended_one_is_accepted_and_all_can_be_undone(spoiled: Hand) -> None:
    for _ in range(2):
        spoiled.command("Next place")
        spoiled.command("Mend the snag")
        _rest(spoiled)
    spoiled.command("Next place")
    _page(spoiled).reason.setText("a star")
    spoiled.command("Accept the snag")
    _rest(spoiled)

    assert _page(spoiled).counts.text() == "Nothing is left that will show · 2 mended · 1 accepted"
    assert "no snags" in spoiled.bench.step_line._buttons[Step.MATTE].state
    accepted = spoiled.job.settings.photo.settled_snags[-1]
    assert (accepted.how, accepted.reason) == ("accepted", "a star")
    spoiled.command("Undo")
    spoiled.command("Undo")
    _rest(spoiled)
    assert _page(spoiled).counts.text() == "2 snags left · 1 mended"


def test_the_walk_goes_on_where_it_was_left_after_reopening(
    spoiled: Hand, make_window: Callable[[], Hand], tmp_path: Path
) -> None:
    spoiled.command("Next place")
    spoiled.command("Mend the snag")
    _rest(spoiled)
    spoiled.command("Next place")
    _rest(spoiled)
    left_at = spoiled.desk.snag
    kept = tmp_path / "disc.peel"
    spoiled.session.keep_as(kept)
    spoiled.bench.files.close_photo()
    spoiled.wait(lambda: spoiled.desk.bridge is None)
    spoiled.window.close()
    spoiled.wait(lambda: spoiled.window.is_closed)

    again = make_window()
    again.open(kept)
    _rest(again)

    assert again.desk.snag is not None
    assert left_at is not None
    assert again.desk.snag[0] == left_at[0]
    assert again.desk.snag[1:] == pytest.approx(left_at[1:], abs=1)
    assert again.bench.part(SnagWalk).current is not None
    assert "2 snags left · 1 mended" in _page(again).counts.text()


def test_a_mend_that_was_asked_for_is_done_while_the_walk_goes_on(spoiled: Hand) -> None:
    spoiled.command("Next place")
    spoiled.command("Mend the snag")
    spoiled.command("Next place")
    _rest(spoiled)
    _rest(spoiled)

    assert "1 mended" in _page(spoiled).counts.text()
    assert spoiled.sees(_page(spoiled), "F2 ")
    assert _page(spoiled).mend.isEnabled()


def test_what_was_said_by_hand_is_not_offered_to_be_mended(marked: Hand) -> None:
    marked.step("Matte")
    marked.desk.shape_brush(softness=0.0)
    marked.command("Solid")
    marked.desk.set_brush(8)
    marked.click(210, 150, right=True)
    _rest(marked)

    marked.command("Next place")
    _rest(marked)
    assert marked.sees(_page(marked), "by hand, and that counts")
    assert not _page(marked).mend.isEnabled()
    before = marked.job
    marked.command("Mend the snag")
    _rest(marked)
    assert marked.job is before
    marked.step("Deliver")
    marked.wait(lambda: marked.panel(Step.DELIVER).snags.list.count() == 1)
    marked.panel(Step.DELIVER).snags.list.setCurrentRow(0)
    _rest(marked)
    marked.wait(lambda: not marked.panel(Step.DELIVER).snags.mend.isEnabled())


def test_a_mend_is_shown_while_its_button_is_held(spoiled: Hand) -> None:
    spoiled.command("Next place")
    _rest(spoiled)
    page = _page(spoiled)

    snag = spoiled.bench.part(SnagFeed).found.snags[spoiled.bench.part(SnagWalk).current]
    at = Rect(int(snag.at[1]), int(snag.at[0]), int(snag.at[1]) + 1, int(snag.at[0]) + 1)

    QTest.mousePress(page.show_mended, Qt.MouseButton.LeftButton)
    spoiled.wait(lambda: spoiled.desk.compared is not None)
    stages = spoiled.session.stages
    assert abs(stages.alpha(spoiled.desk.compared, at, 0) - stages.alpha(spoiled.job, at, 0)).max() > 0.5
    QTest.mouseRelease(page.show_mended, Qt.MouseButton.LeftButton)

    assert spoiled.desk.compared is None
    assert spoiled.desk.overlay.image is not None


def test_a_reason_that_is_being_typed_outlives_another_inspection(spoiled: Hand) -> None:
    spoiled.command("Next place")
    _rest(spoiled)
    _page(spoiled).reason.setText("a button ho")

    spoiled.desk.edit("Touch", lambda job: set_value(job, "recipe.delivery.flat_quality", 80))
    _rest(spoiled)

    assert _page(spoiled).reason.text() == "a button ho"
    spoiled.command("Next place")
    assert _page(spoiled).reason.text() == ""


def test_proofs_show_the_backings_of_the_snag_and_get_their_own_views_back(spoiled: Hand) -> None:
    before = [proof.view for proof in spoiled.bench.proofs.proofs]
    spoiled.command("Next place")
    assert spoiled.bench.part(SnagFeed).found.snags[0].sort in (SnagSort.PINHOLE, SnagSort.SPECK)
    assert [proof.view for proof in spoiled.bench.proofs.proofs] != before

    spoiled.step("Colour")

    assert [proof.view for proof in spoiled.bench.proofs.proofs] == before


def test_the_edge_is_unrolled_and_a_press_goes_there(spoiled: Hand) -> None:
    strip = spoiled.bench.part(StripDesk).strip
    spoiled.command("Round the edge")
    _rest(spoiled)
    spoiled.wait(lambda: bool(strip.rows.images))
    assert strip.isVisible()
    assert len(strip.rows.marks) == 3

    spoiled.choose(strip.over, 1)
    spoiled.choose(strip.under, 2)
    spoiled.wait(lambda: bool(strip.rows.images))
    strip.rows.pressed.emit(strip.rows.marks[0].place)
    _rest(spoiled)

    assert not strip.isVisible()
    assert spoiled.bench.part(SnagWalk).current == strip.rows.marks[0].number
    spoiled.command("Round the edge")
    spoiled.qtbot.keyClick(strip, Qt.Key.Key_Escape)
    assert not strip.isVisible()


def test_thresholds_switch_a_sort_off(spoiled: Hand) -> None:
    spoiled.command("Next place")
    page = _page(spoiled)
    page.more.setChecked(True)
    page.ticks[SnagSort.SPECK].click()
    _rest(spoiled)
    assert page.counts.text() == "1 snag left"
    page.sizes[SnagSort.PINHOLE].set_value(900)
    _rest(spoiled)
    assert page.counts.text() == "Nothing is left that will show"


def test_without_a_matte_the_walk_says_so(hand: Hand, disc_file: Path) -> None:
    said: list[str] = []
    hand.desk.said.connect(lambda trouble: said.append(trouble.message))
    hand.open(disc_file)
    hand.command("Next place")
    hand.command("Round the edge")
    hand.command("Mend the snag")
    assert said == ["There is no matte yet: mark the subject first.", "There is no edge to unroll yet."]
    assert hand.desk.view is View.PHOTO
