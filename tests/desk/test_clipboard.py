"""Pasting and copying, in the real window."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, Qt, QUrl
from PySide6.QtGui import QGuiApplication, QImage

from desk.hand import Hand
from peel.desk.clipboard import ClipboardDesk
from peel.desk.steps import Step
from peel.job.settings import PlacedCutout


def _hold(mime: QMimeData) -> None:
    QGuiApplication.clipboard().setMimeData(mime)


def _picture(width: int = 64, height: int = 48) -> QImage:
    image = QImage(width, height, QImage.Format.Format_RGBA8888)
    image.fill(0x803050A0)
    return image


def _wait(hand: Hand) -> None:
    hand.wait(lambda: hand.bench.part(ClipboardDesk).is_idle)
    hand.rest()


def _paste_as(hand: Hand, words: str) -> None:
    hand.command("Paste")
    _wait(hand)
    hand.press(f"paste {words}")


def test_a_pasted_picture_becomes_a_cutout_or_the_backing(marked: Hand) -> None:
    QGuiApplication.clipboard().setImage(_picture())
    _paste_as(marked, "As a cutout")
    marked.wait(lambda: len(marked.job.settings.photo.cutouts) == 2)
    placed: PlacedCutout = marked.job.settings.photo.cutouts[1]
    assert placed.source in marked.job.assets
    assert marked.desk.step is Step.BACKING
    _paste_as(marked, "As the backing")
    marked.wait(lambda: marked.job.settings.recipe.backing.kind == "photo")
    marked.settle()


def test_a_pasted_picture_becomes_the_photo(marked: Hand) -> None:
    before = marked.session
    QGuiApplication.clipboard().setImage(_picture(90, 70))
    _paste_as(marked, "As a photo")
    marked.wait(lambda: marked.desk.bridge is not None and marked.session is not before)
    assert (marked.job.photo.width, marked.job.photo.height) == (90, 70)
    assert np.abs(marked.job.alpha(marked.job.photo.bounds) - 0x80 / 255).max() < 0.01 or not marked.job.has_subject
    marked.settle()


def test_a_copied_file_is_pasted_as_that_file(hand: Hand, disc_file: Path) -> None:
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(disc_file))])
    _hold(mime)
    hand.command("Paste")
    hand.wait(lambda: hand.desk.bridge is not None)
    assert hand.job.photo.name == disc_file.name
    hand.settle()


def test_the_cutout_is_copied_with_its_alpha_and_the_flat_picture_without(marked: Hand) -> None:
    marked.command("Copy the cutout")
    _wait(marked)
    image = QGuiApplication.clipboard().image()
    assert (image.width(), image.height()) == (420, 300)
    assert image.pixelColor(210, 150).alpha() == 255
    assert image.pixelColor(5, 5).alpha() == 0
    assert "The cutout is in the clipboard" in marked.bench.shelf.sentence
    png = bytes(QGuiApplication.clipboard().mimeData().data("image/png").data())
    assert png.startswith(b"\x89PNG")
    marked.command("Copy the flat picture")
    _wait(marked)
    assert QGuiApplication.clipboard().image().pixelColor(5, 5).alpha() == 255


@pytest.mark.parametrize("held", ["nothing", "text", "broken"])
def test_what_is_no_picture_is_said_and_nothing_is_lost(marked: Hand, held: str) -> None:
    mime = QMimeData()
    if held == "text":
        mime.setText("a letter")
    if held == "broken":
        mime.setData("image/png", b"\x89PNG not really")
    _hold(mime)
    before = marked.job
    marked.command("Paste")
    _wait(marked)
    said = marked.window.message.text
    assert "no picture in the clipboard" in said if held != "broken" else "The picture in the clipboard" in said
    assert marked.job is before


def test_a_huge_picture_is_refused_before_it_is_decoded(marked: Hand, tmp_path: Path) -> None:
    path = tmp_path / "huge.png"
    Image.new("1", (60_000, 30_000)).save(path)
    mime = QMimeData()
    mime.setData("image/png", path.read_bytes())
    _hold(mime)
    marked.command("Paste")
    _wait(marked)
    assert "1800 MP" in marked.window.message.text
    assert marked.job.has_subject


def test_nothing_marked_is_nothing_to_copy(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    hand.command("Copy the cutout")
    assert "no cutout yet" in hand.window.message.text
    hand.settle()


def test_a_paste_while_a_solve_runs_loses_nothing(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    for x, y in ((120, 60), (300, 60), (300, 240), (120, 240)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)  # the matte is solved from now on
    QGuiApplication.clipboard().setImage(_picture())
    _paste_as(hand, "As a cutout")
    hand.wait(lambda: len(hand.job.settings.photo.cutouts) == 2)
    hand.settle()
    assert hand.job.is_solved
    assert hand.job.has_subject
