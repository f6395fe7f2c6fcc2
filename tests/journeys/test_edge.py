"""From one press to a matte: the band lays itself, kinds are suggested and corrected, places in doubt are walked to."""

from collections.abc import Callable

import numpy as np
from PIL import Image
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.demo.photos import DemoPhoto
from peel.desk.edge.edge_desk import EdgeDesk
from peel.desk.steps import Step
from peel.job.edits.kinds import kinds_in
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import UNKNOWN

pytest_plugins = ["desk.conftest"]


def test_one_press_gives_band_kinds_and_matte_of_the_tin_drummer(
    make_window: Callable[[], Hand], half_demo: Callable[[str], DemoPhoto]
) -> None:
    truth_file = half_demo("tin-drummer").matte
    hand = make_window()
    hand.press("demo tin-drummer")
    hand.wait(lambda: hand.desk.bridge is not None)
    hand.settle()

    hand.key(Qt.Key.Key_P)
    hand.wait(lambda: hand.job.has_subject, 30)
    hand.settle()

    truth = np.asarray(Image.open(truth_file)).astype(np.float32) / 255
    half_clear = (truth > 0.02) & (truth < 0.98)
    zones, matte = hand.job.zones.read(), hand.job.matte.read() / 65535
    assert (zones[half_clear] == UNKNOWN).mean() > 0.9
    assert (zones == UNKNOWN).mean() < 5 * half_clear.mean()
    assert np.abs(matte - truth).mean() < 0.010

    hand.step("Edge")
    hand.wait(lambda: hand.bench.part(EdgeDesk).is_idle)
    hand.settle()
    shares = hand.panel(Step.EDGE).shares
    assert shares[Kind.STRAND].text().endswith("sure")
    assert hand.panel(Step.EDGE).suggests.isChecked()

    hand.command("Next place")
    hand.wait(lambda: hand.bench.canvas.frame.scale > 0.5)
    assert "Place 1 of" in hand.window.message.text

    before = kinds_in(hand.job, hand.job.photo.bounds)
    solved = hand.job.matte.read()
    hand.command("Fit")
    hand.key(Qt.Key.Key_X)
    hand.press("way Lacy")
    hand.desk.set_brush(60)
    hand.drag([(500, 70), (500, 110)])
    hand.settle()
    changed = kinds_in(hand.job, hand.job.photo.bounds) != before
    assert changed.any()
    assert not changed[400:].any()
    assert np.array_equal(hand.job.matte.read()[600:], solved[600:])
    hand.command("Undo")
    hand.settle()
    assert np.array_equal(kinds_in(hand.job, hand.job.photo.bounds), before)
