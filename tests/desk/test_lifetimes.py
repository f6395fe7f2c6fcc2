"""What is closed is let go of: photos that were opened and closed, files that were delivered."""

import gc
import weakref
from pathlib import Path

import numpy as np
from PIL import Image
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.job.job import Photo
from peel.job.placing.sheet import sheet_of
from peel.work.many.assignment import Assignment
from peel.work.many.batches import propose_job
from peel.work.many.runs import RunOrder, run_one
from peel.work.session.session import Session
from peel.work.solving.noise import noise_of

_PHOTOS = 7


def _photo(folder: Path, number: int) -> Path:
    ys, xs = np.mgrid[:300, :420]
    inside = np.hypot(ys - 150, xs - 210) < 80
    picture = np.where(inside[..., None], (210, 120, 50 + number), (40, 80, 150)).astype(np.uint8)
    path = folder / f"{number}.png"
    Image.fromarray(picture).save(path)
    return path


def test_sessions_that_were_closed_are_freed(tmp_path: Path) -> None:
    assignment = Assignment()
    kept = []
    gc.collect()
    gc.disable()  # what refers to itself in a circle would be kept until the next collection
    try:
        for number in range(_PHOTOS):
            photo = _photo(tmp_path, number)
            session = assignment.begin(photo.read_bytes(), photo).session
            session.apply("Mark", lambda job: job.with_photo_settings(spill_shared=True))
            session.wait_idle()
            kept += [weakref.ref(session), weakref.ref(session.photo)]
            assignment.close_session(session)
            del session
        assert [ref() for ref in kept if ref() is not None] == []
    finally:
        gc.enable()
        assignment.close()


def _photos_alive() -> int:
    return sum(isinstance(found, Photo) for found in gc.get_objects())


def test_jobs_that_were_proposed_and_delivered_are_freed_at_once(tmp_path: Path) -> None:
    gc.collect()
    before = _photos_alive()
    gc.disable()
    try:
        for number in range(_PHOTOS):
            job = tmp_path / f"{number}.peel"
            propose_job(_photo(tmp_path, number), job)
            run_one(job, RunOrder(str(tmp_path / "out"), unseen=True))
        assert _photos_alive() <= before
    finally:
        gc.enable()


def test_states_that_are_forgotten_are_freed_without_a_collection(tmp_path: Path) -> None:
    """States refer to nothing that refers back to them, so that they go as soon as nobody needs them."""
    session = Session.begin(_photo(tmp_path, 0), tmp_path / "0.peel")
    kept = []
    gc.collect()
    gc.disable()
    try:
        for number in range(50):
            session.apply("Edit", lambda job, number=number: job.with_photo_settings(spill_shared=number % 2 == 0))
            session.wait_idle()
            kept.append(weakref.ref(session.job))
            sheet_of(session.job)
            noise_of(session.photo)
        session.compact()
        session.wait_idle()
        alive = sum(ref() is not None for ref in kept)
    finally:
        gc.enable()
        session.close()
    assert alive == 1, "the present state alone is left"


def test_photos_opened_and_closed_in_the_window_are_freed(hand: Hand, tmp_path: Path) -> None:
    kept = []
    for number in range(_PHOTOS):
        hand.window.open_paths([_photo(tmp_path, number)])
        hand.wait(lambda: hand.desk.bridge is not None)
        hand.settle()
        for x, y in ((120, 60), (300, 60), (300, 240), (120, 240)):
            hand.click(x, y)
        hand.key(Qt.Key.Key_Return)
        hand.settle()
        for step in ("Edge", "Matte", "Colour", "Backing", "Deliver", "Mark") if number % 3 == 0 else ("Matte",):
            hand.step(step)
            hand.settle()
        kept.append(weakref.ref(hand.session.photo))
        hand.command("Close the photo")
        hand.wait(lambda: hand.desk.bridge is None)
        hand.rest()
    hand.rest()
    gc.collect()
    assert sum(ref() is not None for ref in kept) <= 3, "what was shown last may linger"
