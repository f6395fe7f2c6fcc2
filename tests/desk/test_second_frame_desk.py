"""The second frame in the window: dropped, told apart, gone by, looked at, aligned by hand, left out, taken away."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent

import studio
from desk.hand import Hand
from peel.demo.photos import DemoPhoto
from peel.desk.steps import Step
from peel.work.views import View


@pytest.fixture
def opened(hand: Hand, tmp_path: Path) -> Hand:
    hand.open(studio.save(tmp_path / "shot.png", studio.photo()))
    return hand


def _drop(hand: Hand, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    event = QDropEvent(QPointF(20, 10), Qt.DropAction.CopyAction, data, buttons, keys)
    hand.panel(Step.MARK).frame.dropEvent(event)


def _matte_error(hand: Hand) -> float:
    hand.settle()
    return float(np.abs(hand.job.alpha(hand.job.photo.bounds) - studio.ALPHA).mean())


def test_a_set_that_is_dropped_marks_the_subject_and_is_left_out_by_one_tick(opened: Hand, tmp_path: Path) -> None:
    page = opened.panel(Step.MARK).frame
    assert not page.used.isVisible()
    _drop(opened, studio.save(tmp_path / "set.png", studio.drifted(studio.bare_wall())))
    opened.wait(lambda: page.used.isVisible())
    assert opened.session.history.current.label == "Second frame"
    opened.wait(lambda: opened.sees(page, "agrees") or opened.sees(page, "%"))
    assert opened.sees(page, "set.png: the set without the subject")
    opened.key(Qt.Key.Key_P)
    opened.wait(lambda: opened.job.has_subject)
    assert _matte_error(opened) < 0.02
    page.look.click()
    assert opened.desk.view is View.SECOND
    page.used.click()
    opened.wait(lambda: not opened.job.settings.recipe.second_frame.used)
    opened.settle()
    assert opened.job.is_solved
    page.drop.click()
    opened.wait(lambda: opened.job.settings.recipe.second_frame.picture is None)
    opened.wait(lambda: not page.used.isVisible())
    assert opened.desk.view is View.PHOTO
    opened.command("Undo")
    opened.wait(lambda: opened.job.settings.recipe.second_frame.picture is not None)


def test_a_picture_that_is_no_second_frame_changes_nothing_and_is_said(opened: Hand, tmp_path: Path) -> None:
    page, before = opened.panel(Step.MARK).frame, opened.job
    _drop(opened, tmp_path / "shot.png")
    opened.wait(lambda: page.choose.isEnabled() and "shows the same" in opened.window.message.text)
    assert opened.job is before
    assert page.choose.text() == "Second frame…"


def test_brambles_set_is_told_and_marks_her(hand: Hand, half_demo: Callable[[str], DemoPhoto]) -> None:
    demo = half_demo("bramble")
    assert demo.second_frame is not None
    hand.open(demo.photo)
    _drop(hand, demo.second_frame)
    page = hand.panel(Step.MARK).frame
    hand.wait(lambda: hand.sees(page, "without the subject"))
    hand.key(Qt.Key.Key_P)
    hand.wait(lambda: hand.job.has_subject)
    hand.settle()
    truth = np.asarray(Image.open(demo.matte), np.float32) / 255
    assert np.abs(hand.job.alpha(hand.job.photo.bounds) - truth).mean() < 0.09
