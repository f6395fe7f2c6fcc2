"""The first job of the README, line by line, on a small Bramble: every tool, key and step that it names."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.demo.photos import demo_photo
from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.steps import Step
from peel.work.views import View

pytest_plugins = ["desk.conftest"]

README = Path(__file__).parents[2] / "README.md"


@pytest.fixture
def bramble(tmp_path: Path) -> Path:
    with Image.open(demo_photo("bramble").photo) as image:
        small = image.resize((image.width // 5, image.height // 5), Image.Resampling.LANCZOS)
    small.save(tmp_path / "bramble.png")
    return tmp_path / "bramble.png"


def test_the_six_lines_of_the_readme(hand: Hand, bramble: Path, tmp_path: Path) -> None:
    lines = README.read_text("utf-8").split("## A first job in six lines")[1].split("## ")[0]
    assert [f"\n{number}. " in lines for number in range(1, 7)] == [True] * 6

    # 1. Propose a subject, or click loosely around it with Contour; Enter closes
    hand.open(bramble)
    width, height = hand.job.photo.width, hand.job.photo.height
    hand.press_text(hand.bench.side, "Propose a subject")
    hand.wait(lambda: hand.job.has_subject)
    hand.settle()
    assert hand.job.has_subject
    hand.press_text(hand.panel(Step.MARK), "Clear")
    hand.settle()
    hand.command("Contour")
    for x, y in ((0.2, 0.08), (0.8, 0.08), (0.85, 0.55), (0.75, 0.97), (0.25, 0.97), (0.15, 0.55)):
        hand.click(x * width, y * height)
    hand.key(Qt.Key.Key_Return)
    hand.settle()
    assert hand.job.is_solved
    assert (hand.job.zones.read() == 128).any()  # the unsure band has laid itself

    # 2. Edge: N walks to where the band is in doubt; Band and Kind are swept
    hand.step("Edge")
    hand.settle()
    hand.command("Next place")
    before = hand.job.zones.read()
    hand.command("Band")
    hand.desk.set_brush(width * 0.06)
    hand.drag([(0.1 * width, 0.2 * height), (0.12 * width, 0.3 * height)])
    hand.settle()
    assert (hand.job.zones.read() != before).any()
    hand.command("Kind")
    hand.drag([(0.2 * width, 0.6 * height), (0.2 * width, 0.7 * height)])
    hand.settle()

    # 3. keys 1 to 7, the wipe, Certain, the right button
    views = [View.PHOTO, View.ZONES, View.MATTE, View.WHITE, View.BLACK, View.LOUD, View.BACKING]
    for number, view in enumerate(views):
        hand.key(Qt.Key(Qt.Key.Key_1 + number))
        assert hand.desk.view is view
    hand.command("Wipe")
    assert hand.desk.wipes
    hand.command("Wipe")
    hand.command("Certain")
    hand.drag([(0.5 * width, 0.5 * height), (0.52 * width, 0.52 * height)])
    hand.drag([(0.02 * width, 0.02 * height), (0.04 * width, 0.04 * height)], right=True)
    hand.settle()
    assert hand.job.zones.read()[height // 2, width // 2] == 255

    # 4. N walks the snags, F2 mends, F3 says it is right, F4 shows the edge; Colour takes spill and rims off
    hand.step("Matte")
    hand.settle()
    hand.wait(lambda: hand.desk.found_in(hand.job) is not None)
    for name in ("Next place", "Mend the snag", "Next place", "Accept the snag"):
        hand.command(name)
        hand.settle()
    hand.command("Round the edge")
    hand.settle()
    hand.command("Round the edge")
    hand.step("Colour")
    hand.settle()

    # 5. a backing, matched, and a shadow
    hand.step("Backing")
    panel = hand.panel(Step.BACKING)
    panel.behind.kinds["gradient"].click()
    hand.settle()
    hand.press("page Shadow")
    panel.shadows.cast.click()
    hand.settle()
    assert hand.job.settings.recipe.shadow.cast.on

    # 6. look the snags over, tick what was ordered, deliver, compare
    hand.step("Deliver")
    deliver = hand.panel(Step.DELIVER)
    deliver.set_folder(tmp_path / "out")
    hand.settle()
    hand.wait(deliver.go.isEnabled)
    hand.command("Deliver")
    hand.wait(lambda: "Written" in deliver.written)
    made = sorted(path.name for path in (tmp_path / "out").iterdir())
    assert len(made) == 3
    with Image.open(tmp_path / "out" / next(name for name in made if name.endswith(".jpg"))) as flat:
        assert np.asarray(flat).shape[:2] == (height, width)
    hand.press("compare delivered")
    hand.wait(lambda: hand.bench.part(DeliverDesk).is_idle)
    hand.settle()

    # Nothing has to be saved; it is all there again
    subject = hand.job.zones.read()
    hand.bench.files.close_photo()
    hand.open(bramble)
    hand.settle()
    assert np.array_equal(hand.job.zones.read(), subject)
