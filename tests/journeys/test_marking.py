"""Three demo photos at half their size, each marked in another way by hand, up to the solved matte."""

from collections.abc import Callable

import cv2
import numpy as np
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from desk.hand import Hand
from peel.demo.photos import DemoPhoto, demo_photo
from peel.desk.steps import Step
from peel.matte.edge.zones import BACKGROUND, FOREGROUND

pytest_plugins = ["desk.conftest"]

ALT = Qt.KeyboardModifier.AltModifier


def _opened(make_window: Callable[[], Hand], half_demo: Callable[[str], DemoPhoto], name: str) -> Hand:
    half_demo(name)
    hand = make_window()
    hand.press(f"demo {name}")
    hand.wait(lambda: hand.desk.bridge is not None)
    hand.settle()
    return hand


def _wrong(hand: Hand, name: str, beyond_px: int) -> float:
    """Give the share of the photo that is surely marked wrong, a few pixels off the true edge and more."""
    truth = np.asarray(Image.open(demo_photo(name).matte))
    zones = hand.desk.bridge.job.zones.read()
    kernel = np.ones((2 * beyond_px + 1, 2 * beyond_px + 1), np.uint8)
    inside = cv2.erode((truth >= 250).astype(np.uint8), kernel) > 0
    outside = cv2.dilate((truth > 5).astype(np.uint8), kernel) == 0
    return float(((inside & (zones == BACKGROUND)) | (outside & (zones == FOREGROUND))).mean())


def test_bramble_is_proposed_swept_and_the_hair_brushed_unsure(
    make_window: Callable[[], Hand], half_demo: Callable[[str], DemoPhoto]
) -> None:
    hand = _opened(make_window, half_demo, "bramble")
    hand.key(Qt.Key.Key_P)
    hand.wait(lambda: hand.desk.bridge.job.has_subject, 30)
    hand.settle()

    hand.key(Qt.Key.Key_S)
    hand.desk.set_brush(30)
    hand.drag([(750, 700), (750, 850), (750, 975)])
    hand.settle()
    hand.key(Qt.Key.Key_B)
    hand.press("way Unsure")
    hand.desk.set_brush(130)
    hand.drag([(410, 575), (390, 400), (450, 225), (625, 100), (850, 90), (1050, 210), (1125, 400), (1100, 575)])
    hand.settle()

    assert _wrong(hand, "bramble", 6) < 0.004
    assert hand.desk.bridge.job.is_solved
    assert hand.bench.step_line.state_of(Step.MATTE).startswith("solved")


def test_lamplighter_is_drawn_along_its_edges_with_the_handle_cut_out(
    make_window: Callable[[], Hand], half_demo: Callable[[str], DemoPhoto]
) -> None:
    hand = _opened(make_window, half_demo, "lamplighter")
    canvas = hand.bench.canvas
    hand.key(Qt.Key.Key_F)
    hand.key(Qt.Key.Key_O)
    outline = cv2.approxPolyDP(_outer("lamplighter"), 8, True)[:, 0]
    for x, y in outline:
        hand.click(float(x), float(y))
        hand.wait(lambda: hand.session.is_stored)
        QTest.mouseMove(canvas, hand.at(float(x), float(y)) + QPoint(30, 30))
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    for number, (x, y) in enumerate(cv2.approxPolyDP(_hole("lamplighter"), 3, True)[:, 0]):
        hand.click(float(x), float(y), right=number == 0)
        hand.wait(lambda: hand.session.is_stored)
    hand.key(Qt.Key.Key_Return)
    hand.settle()

    contour, hole = hand.desk.bridge.job.settings.photo.contours
    assert hole.hole
    assert not contour.hole
    assert len(outline) < 60
    assert _wrong(hand, "lamplighter", 5) < 0.004
    assert hand.desk.bridge.job.is_solved


def test_tin_drummer_is_left_over_when_its_backdrop_is_pressed_on(
    make_window: Callable[[], Hand], half_demo: Callable[[str], DemoPhoto]
) -> None:
    hand = _opened(make_window, half_demo, "tin-drummer")
    canvas = hand.bench.canvas
    hand.key(Qt.Key.Key_A)
    hand.press("way Everywhere")
    spot = hand.at(125, 400)
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, ALT, spot)
    for step in range(1, 9):
        QTest.mouseMove(canvas, spot + QPoint(15 * step, 0))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, ALT, spot + QPoint(120, 0))
    hand.settle()

    panel = hand.panel(Step.MARK)
    panel.amount.set_value(60)
    hand.press("change DROP_ISLANDS")
    panel.do_it.click()
    hand.settle()

    assert _wrong(hand, "tin-drummer", 6) < 0.004
    assert hand.desk.bridge.job.is_solved


def _lines(name: str) -> tuple[list[np.ndarray], np.ndarray]:
    solid = (np.asarray(Image.open(demo_photo(name).matte)) > 127).astype(np.uint8)
    lines, tree = cv2.findContours(solid, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    return list(lines), tree[0]


def _outer(name: str) -> np.ndarray:
    lines, tree = _lines(name)
    return max((line for line, row in zip(lines, tree, strict=True) if row[3] < 0), key=cv2.contourArea)


def _hole(name: str) -> np.ndarray:
    lines, tree = _lines(name)
    return max((line for line, row in zip(lines, tree, strict=True) if row[3] >= 0), key=cv2.contourArea)
