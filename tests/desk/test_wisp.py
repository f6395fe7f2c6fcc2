"""Wisp: one strand pressed in the window, followed, taken, and taken back."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.desk.matte.wisp import WispTool
from peel.job.edits.values import use_zones
from peel.job.job import Job
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN

_ROOT, _TIP = (150.0, 225.0), (190.0, 60.0)


def _whisker(job: Job) -> Job:
    zones = np.full((job.photo.height, job.photo.width), BACKGROUND, np.uint8)
    zones[222:240], zones[240:] = UNKNOWN, FOREGROUND
    return use_zones(job, zones)


@pytest.fixture
def wisp(hand: Hand, tmp_path: Path) -> WispTool:
    """The tool on a photo of a dark body with two whiskers that part from one another."""
    photo = np.full((320, 420, 3), (196, 188, 170), np.uint8)
    photo[230:] = (40, 34, 30)
    for tip in (_TIP, (90.0, 70.0)):
        cv2.line(photo, (150, 235), (round(tip[0]), round(tip[1])), (40, 34, 30), 2, cv2.LINE_AA)
    path = tmp_path / "whiskers.png"
    Image.fromarray(photo).save(path)
    hand.open(path)
    hand.desk.edit("Mark", _whisker)
    hand.settle()
    hand.step("Matte")
    hand.command("Wisp")
    assert isinstance(hand.desk.tool, WispTool)
    return hand.desk.tool


def _follow(hand: Hand, wisp: WispTool, x: float, y: float) -> None:
    hand.click(x, y)
    hand.wait(lambda: wisp.strand is not None)
    hand.settle()


def test_a_whisker_is_followed_to_its_tip_and_enter_makes_it_subject(hand: Hand, wisp: WispTool) -> None:
    before = hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)
    assert before[70:120].max() < 0.05
    _follow(hand, wisp, 175, 122)
    assert wisp.strand is not None
    assert np.hypot(*(wisp.strand.points[-1] - np.array(_TIP))) < 6
    assert "Enter makes it subject" in wisp.sentence()
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    assert wisp.strand is None
    after = hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)
    assert after[70:200].max(axis=1).min() > 0.6
    assert after[70:150, 90:120].max() < 0.1  # the other one is as it was
    zones = hand.job.zones.read()
    assert zones[100, 180] == UNKNOWN
    assert zones[100, 300] == BACKGROUND
    colours = hand.session.stages.foreground(hand.job, hand.job.photo.bounds, 0)
    assert colours[100, 178:183].min(axis=0).max() < 0.35  # the whisker's own colour, not the wall's
    hand.command("Undo")
    hand.settle()
    assert hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)[70:120].max() < 0.05


def test_pressed_again_it_goes_another_way(hand: Hand, wisp: WispTool) -> None:
    _follow(hand, wisp, 150, 222)
    assert wisp.strand is not None
    first = wisp.strand
    hand.click(150, 222)
    hand.wait(lambda: wisp.strand is not None and wisp.strand is not first)
    assert wisp.strand is not None
    assert np.hypot(*(wisp.strand.points[-1] - first.points[-1])) > 50


def test_a_press_on_the_line_ends_it_there_and_esc_forgets_it(hand: Hand, wisp: WispTool) -> None:
    _follow(hand, wisp, 152, 222)
    assert wisp.strand is not None
    middle = wisp.strand.points[len(wisp.strand.points) // 2]
    whole = wisp.strand.length
    hand.click(*middle)
    assert wisp.strand.length < 0.7 * whole
    hand.key(Qt.Key.Key_Escape)
    assert wisp.strand is None
    states = len(hand.session.history.states)
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    assert len(hand.session.history.states) == states


@pytest.mark.parametrize(("x", "y", "says"), [(330, 100, "No strand stands out"), (200, 300, "certain subject")])
def test_a_press_where_there_is_none_is_said(hand: Hand, wisp: WispTool, x: float, y: float, says: str) -> None:
    hand.click(x, y)
    hand.wait(lambda: says in hand.window.message.text)
    assert wisp.strand is None
