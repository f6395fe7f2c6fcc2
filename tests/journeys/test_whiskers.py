"""Whiskers, as the guide tells of them: from a rough mark to the delivered file, without a word to the solver."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from desk.hand import LEFT, Hand
from peel.desk.matte.wisp import WispTool
from peel.desk.steps import Step

pytest_plugins = ["desk.conftest"]

_TIPS = ((40, 90), (60, 30), (440, 90), (420, 30))


@pytest.fixture
def muzzle(tmp_path: Path) -> Path:
    """A dark muzzle with four long whiskers and short fluff, before a wall with a shadow line across it."""
    rng = np.random.default_rng(5)
    size = (320, 480)
    photo = np.full((*size, 3), (186, 178, 160), np.float32)
    photo[:, 230:238] -= 22
    ink = (38.0, 32.0, 28.0)
    fine = np.zeros((4 * size[0], 4 * size[1]), np.uint8)
    for angle in np.linspace(-2.9, -0.25, 60):
        root = 240 + 68 * np.cos(angle), 250 + 68 * np.sin(angle)
        tip = 240 + 80 * np.cos(angle + rng.normal(0, 0.04)), 250 + 80 * np.sin(angle)
        cv2.line(fine, *[(round(4 * x), round(4 * y)) for x, y in (root, tip)], 255, 4, cv2.LINE_AA)
    for tip in _TIPS:
        cv2.line(fine, (4 * 240, 4 * 230), (4 * tip[0], 4 * tip[1]), 255, 7, cv2.LINE_AA)
    cv2.ellipse(fine, (4 * 240, 4 * 250), (4 * 70, 4 * 70), 0, 0, 360, 255, -1, cv2.LINE_AA)
    cover = cv2.resize(fine, (size[1], size[0]), interpolation=cv2.INTER_AREA)[..., None] / 255
    photo = photo * (1 - cover) + np.array(ink) * cover + rng.normal(0, 2.5, photo.shape)
    path = tmp_path / "muzzle.png"
    Image.fromarray(np.clip(photo, 0, 255).astype(np.uint8)).save(path)
    return path


def test_whiskers_from_press_to_delivery(hand: Hand, muzzle: Path, tmp_path: Path) -> None:
    hand.open(muzzle)
    hand.command("Brush")
    hand.desk.set_brush(110)
    hand.drag([(215, 240), (265, 240), (265, 262), (215, 262)])
    hand.settle()

    hand.step("Matte")
    hand.command("Wisp")
    wisp = hand.desk.tool
    assert isinstance(wisp, WispTool)
    for x, y in _TIPS:
        at = (240 + 0.55 * (x - 240), 230 + 0.55 * (y - 230))
        hand.click(*at)
        hand.wait(lambda: wisp.strand is not None)
        hand.key(Qt.Key.Key_Return)
        hand.settle()
    solved = hand.session.stages.alpha(hand.job, hand.job.photo.bounds, 0)

    page = hand.panel(Step.MATTE).profile
    dial = page.hair
    dial.setFocus()
    hand.wait(lambda: " strands, " in page.counted.text())
    QTest.mousePress(dial, LEFT, pos=QPoint(round(dial.x_of(0)), 20))
    QTest.mouseRelease(dial, LEFT, pos=QPoint(round(dial.x_of(-0.9)), 20))
    hand.settle()

    hand.step("Deliver")
    panel = hand.panel(Step.DELIVER)
    panel.set_folder(tmp_path / "out")
    hand.settle()
    hand.wait(panel.go.isEnabled)
    panel.go.click()
    hand.wait(lambda: "Written" in panel.written)
    with Image.open(tmp_path / "out" / "muzzle-matte.png") as file:
        matte = np.asarray(file).astype(np.float32) / 255
    for x, y in _TIPS:
        line = [(240 + share * (x - 240), 230 + share * (y - 230)) for share in np.linspace(0.5, 0.95, 30)]
        seen = [matte[round(v) - 2 : round(v) + 3, round(u) - 2 : round(u) + 3].max() for u, v in line]
        assert np.mean(np.array(seen) > 0.5) > 0.9
    ys, xs = np.mgrid[:320, :480]
    fluff = (np.hypot(ys - 250, xs - 240) > 73) & (np.hypot(ys - 250, xs - 240) < 79) & (ys < 235)
    assert matte[fluff].sum() < solved[fluff].sum()
