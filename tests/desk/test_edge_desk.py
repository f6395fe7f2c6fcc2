"""Edge reads the whole edge beside the window, once for each band."""

import threading
from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.desk.edge.edge_desk import EdgeDesk
from peel.desk.register import key_sections
from peel.desk.steps import Step
from peel.job.edits.values import with_matte
from peel.job.job import Job
from peel.matte.edge.kind import Kind
from peel.work.marking import edge_places


def test_a_matte_that_changes_does_not_make_it_read_the_edge_again(
    marked: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    read = []
    monkeypatch.setattr(
        "peel.desk.edge.edge_desk.read_news", lambda job: read.append(job) or edge_places.read_news(job)
    )
    marked.step("Edge")
    marked.wait(lambda: bool(read) and marked.bench.part(EdgeDesk).is_idle)

    for _ in range(3):
        marked.desk.edit("Matte", lambda job: with_matte(job, job.photo.bounds, 1 - job.alpha(job.photo.bounds)))
    marked.settle()

    assert len(read) == 1


def test_both_ways_of_laying_show_their_own_widths(marked: Hand) -> None:
    marked.step("Edge")
    panel = marked.panel(Step.EDGE)
    assert panel.laid.isChecked()
    assert panel.margin.isVisible()
    assert not panel.outward.isVisible()

    panel.plain.click()
    marked.settle()

    assert marked.job.settings.recipe.band.lay == "plain"
    assert panel.outward.isVisible()
    assert not panel.margin.isVisible()


def test_a_brushed_kind_is_listed_as_brushed(marked: Hand) -> None:
    marked.step("Edge")
    marked.key(Qt.Key.Key_X)
    marked.press("way Lacy")
    marked.desk.set_brush(500)
    marked.drag([(210, 150), (212, 150)])
    marked.settle()
    marked.wait(lambda: marked.bench.part(EdgeDesk).is_idle)
    marked.settle()

    assert marked.panel(Step.EDGE).shares[Kind.LACY].text() == "100 %, as brushed"


def test_there_is_nowhere_to_walk_to_without_a_band(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.settle()
    hand.step("Edge")

    hand.command("Next place")

    assert hand.window.message.text.startswith("There is no band yet")


def test_the_key_sheet_names_every_way_that_a_shared_key_goes_on_to(hand: Hand) -> None:
    sections = dict(key_sections(hand.desk.tools))

    assert ("O", "the tool's stretch, kind or trust") in sections["Tools"]


def test_a_walk_that_waits_for_the_edge_to_be_read_ends_when_one_leaves(
    marked: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    gate = threading.Event()
    read = edge_places.read_news

    def slowly(job: Job) -> edge_places.EdgeNews:
        gate.wait(20)
        return read(job)

    monkeypatch.setattr("peel.desk.edge.edge_desk.read_news", slowly)
    said: list[str] = []
    marked.desk.said.connect(lambda trouble: said.append(trouble.message))
    marked.step("Edge")
    marked.command("Next place")
    marked.step("Colour")
    gate.set()
    marked.wait(lambda: marked.bench.part(EdgeDesk).is_idle)
    marked.rest()
    assert not any("Place" in message or "no place" in message for message in said)
