"""Deliver in the window: the snag list walked, mended and accepted, presets, what is there already, and comparing."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from desk.hand import Hand, spoiled_matte
from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_prover import SnagProver
from peel.desk.steps import Step
from peel.work.views import View


def _rest(hand: Hand) -> None:
    bench = hand.bench
    hand.wait(lambda: bench.part(SnagProver).is_idle)
    hand.settle()
    hand.wait(lambda: bench.part(SnagFeed).is_idle and bench.part(DeliverDesk).is_idle)
    hand.rest()
    hand.wait(lambda: bench.part(DeliverDesk).is_idle)
    hand.rest()


@pytest.fixture
def delivering(marked: Hand, tmp_path: Path) -> Hand:
    """A window in Deliver, with a hole in the disc and two specks beside it."""
    marked.step("Matte")
    marked.desk.edit("Spoil the matte", spoiled_matte)
    _rest(marked)
    marked.step("Deliver")
    marked.panel(Step.DELIVER).set_folder(tmp_path / "order")
    _rest(marked)
    return marked


def _deliver(hand: Hand) -> None:
    panel = hand.panel(Step.DELIVER)
    hand.wait(lambda: panel.go.isEnabled())
    panel.go.click()
    hand.wait(lambda: "Writing" not in panel.written)
    hand.rest()


def _preset(hand: Hand, name: str, *, on: bool = True) -> None:
    panel = hand.panel(Step.DELIVER)
    (item,) = panel.presets.list.findItems(name, Qt.MatchFlag.MatchExactly)
    item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
    _rest(hand)


def test_from_three_snags_to_four_files_that_are_compared(delivering: Hand, tmp_path: Path) -> None:
    panel = delivering.panel(Step.DELIVER)
    snags = panel.snags
    assert "3 snags left" in snags.counts.text()
    assert snags.list.count() == 3
    assert all(not snags.list.item(row).icon().isNull() for row in range(3))
    titles = {snags.snags[row].title for row in range(3)}
    assert len(titles) == 2

    delivering.command("Next place")
    assert delivering.desk.step is Step.DELIVER
    assert snags.list.currentRow() == 0
    assert delivering.desk.view is View.LOUD
    delivering.command("Mend the snag")
    _rest(delivering)
    assert "2 snags left" in snags.counts.text()
    delivering.command("Next place")
    delivering.press("delivery mend")
    _rest(delivering)
    delivering.command("Next place")
    snags.reason.setText("a mote of dust, wanted")
    delivering.command("Accept the snag")
    _rest(delivering)
    assert snags.counts.text().startswith("0 snags left · 1 accepted")
    assert delivering.job.settings.photo.settled_snags[-1].reason == "a mote of dust, wanted"

    _preset(delivering, "Web, transparent")
    assert delivering.sees(panel, "disc-web.webp")
    panel.report.setChecked(True)
    _deliver(delivering)
    files = sorted(path.name for path in (tmp_path / "order").iterdir())
    assert files == [
        "disc-cutout.png", "disc-flat.jpg", "disc-matte.png", "disc-report.csv", "disc-report.json", "disc-web.webp",
    ]  # fmt: skip
    row = json.loads((tmp_path / "order" / "disc-report.json").read_text())["delivered"][0]
    assert row["snags_accepted"][0]["reason"] == "a mote of dust, wanted"
    assert len(row["files"]) == 4

    for number in range(panel._files.count()):
        panel._files.setCurrentIndex(number)
        delivering.press("compare delivered")
        view = delivering.bench.part(DeliverDesk).view
        name = panel._files.itemText(number)
        delivering.wait(lambda view=view, name=name: view.isVisible() and name in view._title)
    assert view.frame.space.width == 420
    left = (
        view.grab()
        .toImage()
        .pixelColor(
            view.frame.to_widget(view.frame.to_space(view.rect().center().toPointF())).toPoint() - QPoint(60, 0)
        )
    )
    assert left.red() > left.blue()
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 300))
    assert view.frame.scale == pytest.approx(1)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(round(view.wipe * view.width()), 200))
    QTest.mouseMove(view, QPoint(120, 200))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(120, 200))
    assert view.wipe == pytest.approx(120 / view.width(), abs=0.01)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not view.isVisible()


def test_a_file_that_is_there_is_asked_about_and_then_replaced(
    delivering: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    panel = delivering.panel(Step.DELIVER)
    own = tmp_path / "asks.json"
    own.write_text(json.dumps({"name": "Asks", "product": "matte", "existing": "ask", "file_name": "{name}-asked"}))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(own), ""))
    delivering.press_text(panel.presets, "Add…")
    _rest(delivering)
    assert "Asks" in delivering.job.settings.recipe.delivery.presets
    (tmp_path / "order").mkdir()
    (tmp_path / "order" / "disc-asked.png").write_bytes(b"there")

    _deliver(delivering)
    assert "there already" in delivering.window.message.text
    assert (tmp_path / "order" / "disc-asked.png").read_bytes() == b"there"
    assert panel.go.text() == "Deliver and replace"
    _deliver(delivering)
    with Image.open(tmp_path / "order" / "disc-asked.png") as image:
        assert np.asarray(image).shape == (300, 420)
    panel.presets.list.setCurrentItem(panel.presets.list.findItems("Asks", Qt.MatchFlag.MatchExactly)[0])
    delivering.press_text(panel.presets, "Change it")
    delivering.press_text(panel.presets, "Remove it")
    _rest(delivering)
    assert panel.presets.list.findItems("Asks", Qt.MatchFlag.MatchExactly) == []


def test_snags_of_the_order_are_listed_with_those_of_the_matte(
    delivering: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    panel = delivering.panel(Step.DELIVER)
    presets = panel.presets.list
    before = [presets.item(row).text() for row in range(presets.count())]
    _preset(delivering, "Shop, white")
    assert [presets.item(row).text() for row in range(presets.count())] == before  # a tick moves nothing
    listed = [snag.title for snag in panel.snags.snags]
    assert "Fewer pixels than ordered" in listed
    row = listed.index("Fewer pixels than ordered")
    panel.snags.list.setCurrentRow(row)
    assert delivering.sees(panel.snags, "2000 px were ordered")
    assert not panel.snags.mend.isEnabled()
    panel.snags.reason.setText("agreed")
    delivering.press("delivery accept")
    _rest(delivering)
    assert any(snag.title == "Fewer pixels than ordered" and snag.accepted for snag in panel.snags.snags)
    bad = tmp_path / "bad.json"
    bad.write_text(json.dumps({"product": "cutout", "format": "jpeg"}))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: (str(bad), ""))
    delivering.press_text(panel.presets, "Add…")
    _rest(delivering)
    assert "JPEG cannot hold a transparent cutout" in delivering.window.message.text


def test_an_unmarked_photo_has_nothing_to_look_over(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.step("Deliver")
    _rest(hand)
    assert hand.panel(Step.DELIVER).snags.counts.text() == "Nothing is marked yet"
    assert not hand.panel(Step.DELIVER).go.isEnabled()
