"""Recent work in the empty window: cards with the cutout, what is missing, and when."""

import time
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton

from desk.hand import LEFT, Hand
from peel.desk.job_cards import JobCard, when_words
from peel.desk.steps import Step


def _cards(hand: Hand) -> list[JobCard]:
    cards = [card for card in hand.window.welcome.findChildren(QAbstractButton) if isinstance(card, JobCard)]
    return [card for card in cards if card.isVisible()]  # those of a list before it go with the next turn


def _noted(hand: Hand) -> bool:
    return bool(hand.session.read_note("thumb"))


def test_a_job_that_was_worked_on_is_a_card_with_its_picture_and_what_is_missing(
    marked: Hand, tmp_path: Path, make_window: Callable[[], Hand]
) -> None:
    kept = tmp_path / "my-disc.peel"
    marked.bench.files.keep_as(kept)
    marked.wait(lambda: kept.exists() and marked.session.project.path == kept)
    marked.step("Backing")
    marked.panel(Step.BACKING).behind.kinds["colour"].click()
    marked.settle()
    marked.enter(marked.panel(Step.BACKING).behind.code, "#208040")
    marked.settle()
    marked.wait(lambda: _noted(marked))
    marked.wait(lambda: marked.bench.side_tasks.is_idle)
    marked.bench.files.close_photo()
    marked.wait(lambda: bool(_cards(marked)) and not _cards(marked)[0].image.isNull())
    (card,) = _cards(marked)
    assert card.text() == "my-disc"
    assert card.said.startswith("today")
    assert "solved" in card.said or "ready" in card.said or "snag" in card.said
    corner = card.image.pixelColor(3, 3)
    assert (abs(corner.red() - 0x20), abs(corner.green() - 0x80)) < (12, 12)
    QTest.mouseClick(card, LEFT)
    marked.wait(lambda: marked.desk.bridge is not None)
    assert marked.session.project.path == kept
    marked.settle()


def test_work_that_was_never_kept_is_shown_as_such(marked: Hand) -> None:
    marked.bench.files.close_photo()
    marked.wait(lambda: bool(_cards(marked)))
    assert "not kept under a name" in _cards(marked)[0].said


def test_the_card_says_what_was_delivered(marked: Hand, tmp_path: Path) -> None:
    marked.step("Deliver")
    panel = marked.panel(Step.DELIVER)
    panel.set_folder(tmp_path / "out")
    marked.settle()
    marked.wait(panel.go.isEnabled)
    marked.command("Deliver")
    marked.wait(lambda: "Written" in panel.written)
    marked.wait(lambda: "DELIVERED" in (marked.session.read_note("status") or ""))


@pytest.mark.parametrize(
    ("days", "words"), [(0, "today, 12:00"), (1, "yesterday, 12:00"), (9, "3 Jun"), (365, "12 Jun 2025")]
)
def test_when_is_said_as_people_do(days: int, words: str) -> None:
    now = time.mktime((2026, 6, 12, 18, 0, 0, 0, 0, -1))
    then = time.mktime((2026, 6, 12 - days, 12, 0, 0, 0, 0, -1))
    assert when_words(then, now) == words
