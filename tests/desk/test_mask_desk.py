"""Masks in the window: dropped, opened, saved, kept and brought back."""

from pathlib import Path

import imagecodecs
import numpy as np
import pytest
from PySide6.QtWidgets import QInputDialog, QRadioButton

from conftest import soft_disc
from desk.hand import Hand
from peel.desk.mark.mask_desk import MaskDesk
from peel.desk.steps import Step
from peel.files.photo import read_photo

ALPHA = soft_disc(300, 420, 60)[1]


def _mask(path: Path, values: np.ndarray) -> Path:
    path.write_bytes(imagecodecs.png_encode(np.round(values * 65535).astype(np.uint16)))
    return path


def _dropped(hand: Hand, path: Path) -> None:
    hand.bench.take_file(path)
    hand.wait(lambda: hand.bench.part(MaskDesk).is_idle)
    hand.rest()


@pytest.mark.parametrize("use", ["mark", "zones", "matte"])
def test_a_dropped_mask_is_used_as_what_is_chosen(hand: Hand, disc_file: Path, tmp_path: Path, use: str) -> None:
    hand.open(disc_file)
    _dropped(hand, _mask(tmp_path / "soft.png", ALPHA))
    dialog = hand.bench.part(MaskDesk).dialog
    assert dialog is not None
    assert dialog.findChild(QRadioButton, "mask as matte").isChecked()  # it is soft
    assert not dialog.inverted.isChecked()
    dialog.findChild(QRadioButton, f"mask as {use}").click()
    hand.press("use mask")
    hand.settle()
    assert hand.job.has_subject
    assert hand.job.is_solved
    if use == "matte":
        assert np.abs(hand.job.alpha(hand.job.photo.bounds) - ALPHA).max() < 1e-4


def test_an_inverted_mask_is_seen_and_turned(hand: Hand, disc_file: Path, tmp_path: Path) -> None:
    hand.open(disc_file)
    _dropped(hand, _mask(tmp_path / "turned.png", 1 - ALPHA))
    dialog = hand.bench.part(MaskDesk).dialog
    assert dialog is not None
    assert dialog.inverted.isChecked()
    hand.press("use mask")
    hand.settle()
    assert np.abs(hand.job.alpha(hand.job.photo.bounds) - ALPHA).max() < 1e-4


def test_a_dropped_photo_is_opened_as_one(marked: Hand, tmp_path: Path) -> None:
    path = tmp_path / "other.png"
    path.write_bytes(imagecodecs.png_encode(np.random.default_rng(1).integers(0, 255, (300, 420, 3), np.uint8)))
    _dropped(marked, path)
    marked.wait(lambda: marked.desk.bridge is not None and marked.job.photo.name == "other.png")
    marked.settle()


def test_a_mask_that_does_not_fit_is_refused_and_nothing_is_lost(marked: Hand, tmp_path: Path) -> None:
    before = marked.job
    marked.bench.part(MaskDesk).take(_mask(tmp_path / "square.png", np.eye(50)), only_masks=True)
    marked.wait(lambda: "50 × 50" in marked.window.message.text)
    assert marked.job is before


def test_the_mark_the_zones_and_the_matte_are_saved(
    marked: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for use, bits in (("mark", 8), ("zones", 8), ("matte", 16)):
        path = tmp_path / f"{use}.png"
        monkeypatch.setattr("peel.desk.mark.mask_desk.ask_mask_name", lambda *_args, path=path: path)
        marked.choose_in_menu(marked.panel(Step.MARK).masks, f"Save the {use}…")
        marked.wait(lambda path=path: f"Saved as {path}" in marked.window.message.text)
        saved = read_photo(path)
        assert saved.bits == bits
        assert saved.pixels.max() == (1 << bits) - 1
        assert saved.pixels.min() == 0


def test_marks_are_kept_and_brought_back_from_the_menu(marked: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    zones = marked.job.zones.read()
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *_a, **_k: ("Square", True)))
    menu = marked.panel(Step.MARK).masks.menu()
    next(action for action in menu.actions() if action.text() == "Keep this mark…").trigger()
    marked.settle()
    marked.press_text(marked.panel(Step.MARK), "Clear")
    marked.settle()
    assert not marked.job.has_subject
    back = next(action.menu() for action in menu.actions() if action.text() == "Bring back")
    assert [action.text() for action in back.actions()] == ["Square"]
    back.actions()[0].trigger()
    marked.settle()
    assert np.array_equal(marked.job.zones.read(), zones)
    assert marked.session.history.undo_label == "Bring back Square"


def test_a_photo_with_an_alpha_of_its_own_says_that_it_is_the_matte(hand: Hand, tmp_path: Path) -> None:
    photo, alpha, _ = soft_disc(300, 420, 60)
    path = tmp_path / "cut.png"
    path.write_bytes(imagecodecs.png_encode(np.round(np.dstack([photo, alpha]) * 255).astype(np.uint8)))
    hand.open(path)
    hand.settle()
    assert "alpha of its own" in hand.window.message.text
    assert np.abs(hand.job.alpha(hand.job.photo.bounds) - alpha).max() < 0.003
    hand.command("Undo")
    hand.settle()
    assert not hand.job.has_subject
