"""Asking why in the window: a key, sentences under the proofs, and a press that carries the cure out."""

from pathlib import Path

from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QLabel, QPushButton

from desk.hand import Hand
from peel.job.edits.touching import SoftStroke, Touch, touch


def _ask(hand: Hand, x: float, y: float) -> None:
    hand.bench.proofs.follow(QPointF(x, y))
    hand.command("Why")
    hand.wait(lambda: hand.bench.proofs.is_idle)
    hand.rest()


def test_reasons_are_read_and_one_is_cured_by_a_press(marked: Hand) -> None:
    marked.desk.edit("Solid", lambda job: touch(job, SoftStroke(((300.0, 150.0),), 12, softness=0), Touch.SOLID))
    marked.settle()
    _ask(marked, 300, 150)
    card = marked.bench.proofs.card
    assert card.isVisible()
    said = " ".join(label.text() for label in card.findChildren(QLabel))
    assert "Solid was brushed here" in said
    assert card.why is not None
    (press,) = [own for own in card.findChildren(QPushButton) if own.text() == "Take solid and clear back here"]
    press.click()
    marked.settle()
    assert marked.session.history.undo_label == "Take solid and clear back here"
    assert not card.isVisible()  # the place is another one now


def test_asked_again_at_the_same_place_it_is_put_away(marked: Hand) -> None:
    _ask(marked, 300, 150)
    assert marked.bench.proofs.card.isVisible()
    _ask(marked, 300, 150)
    assert not marked.bench.proofs.card.isVisible()


def test_beside_the_photo_and_without_a_matte_it_is_said(hand: Hand, disc_file: Path) -> None:
    hand.open(disc_file)
    _ask(hand, 100, 100)
    assert "no matte yet" in hand.window.message.text
    _ask(hand, -50, 10)
    assert "no photo under the cursor" in hand.window.message.text
    hand.settle()
