"""Another version of the matte is chosen in a sheet and brushed in, in the real window."""

from pathlib import Path

import imagecodecs
import numpy as np
import pytest
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.desk.matte.version_desk import VersionDesk
from peel.job.edits.touching import SoftStroke, Touch, touch


def _alpha(hand: Hand) -> np.ndarray:
    return hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)


@pytest.fixture
def worse(marked: Hand) -> Hand:
    """A matte that was better before: all of the right rim was cleared."""
    marked.step("Matte")
    marked.desk.edit("Clear", lambda job: touch(job, SoftStroke(((300.0, 150.0),), 40, softness=0), Touch.CLEAR))
    marked.settle()
    return marked


def _choose(hand: Hand, words: str) -> None:
    desk = hand.bench.part(VersionDesk)
    hand.wait(lambda: desk.is_idle)
    hand.rest()
    (button,) = [own for own in desk.answers.buttons if words in own.text()]
    button.click()


def test_the_matte_before_touch_ups_is_brushed_back_where_it_was_better(worse: Hand) -> None:
    before = _alpha(worse)
    worse.command("Borrow")
    _choose(worse, "Before touch-ups")
    worse.desk.set_brush(60)
    worse.drag([(300, 130), (300, 150)])
    worse.settle()
    after = _alpha(worse)
    clean = worse.session.stages.alpha(worse.job.without(*_touch()), worse.job.photo.bounds, 0)
    assert np.abs(after - clean)[135:145, 290:300].max() < 2 / 255
    far = np.ones(after.shape, bool)
    far[90:190, 260:340] = False
    assert np.array_equal(after[far], before[far])
    assert worse.session.history.undo_label == "Borrow: Before touch-ups"
    worse.drag([(300, 130), (300, 150)], right=True)
    worse.settle()
    assert worse.session.history.undo_label == "Give back what was borrowed"


def _touch() -> tuple:
    from peel.job.planes import Role

    return (Role.TOUCH,)


def test_steps_of_undo_are_versions_and_the_key_asks_again(worse: Hand) -> None:
    worse.command("Borrow")
    desk = worse.bench.part(VersionDesk)
    _choose(worse, "Close")
    worse.desk.set_brush(60)
    worse.drag([(300, 140), (300, 160)])
    worse.settle()
    assert _alpha(worse)[150, 290] > 0.9
    worse.command("Borrow")
    assert desk.answers.isVisible()
    worse.press_text(desk.answers, "Leave it as it is")
    assert not desk.answers.isVisible()


def test_a_matte_from_a_file_is_a_version(worse: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "better.png"
    path.write_bytes(imagecodecs.png_encode(np.full((300, 420), 40_000, np.uint16)))
    monkeypatch.setattr("peel.desk.matte.version_desk.ask_picture", lambda *_args: path)
    worse.command("Borrow")
    _choose(worse, "A matte from a file")
    worse.wait(lambda: worse.bench.part(VersionDesk).is_idle)
    worse.rest()
    worse.drag([(60, 60), (70, 60)])
    worse.settle()
    assert _alpha(worse)[60, 65] == pytest.approx(40_000 / 65_535, abs=0.01)


def test_a_file_of_another_size_and_no_version_are_said(hand: Hand, disc_file: Path, tmp_path: Path) -> None:
    hand.open(disc_file)
    hand.step("Matte")
    hand.command("Borrow")
    assert "no matte yet" in hand.window.message.text
    hand.key(Qt.Key.Key_Escape)
    hand.settle()
