"""In the window a photo has one job, whichever way it is opened, and the board closes nothing under the hand."""

from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import Qt

from desk.hand import Hand
from peel.work.many.batches import propose_job
from peel.work.many.status import Progress
from peel.work.session import job_files


def _open(hand: Hand, path: Path) -> None:
    """Open a file and wait until it is on the desk, whether it was opened before or not."""
    before = hand.desk.bridge
    hand.window.open_paths([path])
    hand.wait(lambda: hand.desk.bridge is not None and hand.desk.bridge is not before)
    hand.settle()


def _mark(hand: Hand) -> None:
    for x, y in ((120, 60), (300, 60), (300, 240), (120, 240)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)
    hand.settle()


def _rest(hand: Hand) -> None:
    hand.wait(lambda: hand.window.board.is_idle)
    hand.rest()
    hand.window.board.scan()
    hand.wait(lambda: hand.window.board.is_idle)
    hand.rest()


def test_the_board_of_its_folder_takes_the_open_job_in(hand: Hand, disc_file: Path) -> None:
    _open(hand, disc_file)
    _mark(hand)
    assert job_files.is_unkept(hand.session.project.path)

    hand.command("Board")
    beside = disc_file.with_suffix(".peel")
    hand.wait(beside.exists)
    _rest(hand)

    (entry,) = hand.window.board.entries
    assert entry.job == beside
    assert entry.status.progress in (Progress.SOLVED, Progress.READY, Progress.SNAGS)
    hand.window.board.open(entry)
    hand.rest()
    hand.settle()
    assert hand.session.project.path == beside
    assert hand.job.has_subject
    assert job_files.unkept() == []


@pytest.mark.parametrize("way", ["again by its file", "after it was closed", "as a copy elsewhere", "kept elsewhere"])
def test_a_photo_that_has_a_job_goes_on_with_it(hand: Hand, disc_file: Path, tmp_path: Path, way: str) -> None:
    _open(hand, disc_file)
    _mark(hand)
    photo = disc_file
    if way == "kept elsewhere":
        (tmp_path / "kept").mkdir()
        hand.bench.files.keep_as(tmp_path / "kept" / "named.peel")
        hand.wait(lambda: "Kept as" in hand.window.message.text)
    if way == "as a copy elsewhere":
        photo = tmp_path / "copy" / "other.png"
        photo.parent.mkdir()
        photo.write_bytes(disc_file.read_bytes())
    path = hand.session.project.path
    if way != "again by its file":
        hand.command("Close the photo")
        hand.wait(lambda: hand.desk.bridge is None)

    _open(hand, photo)

    assert hand.session.project.path == path
    assert hand.job.has_subject
    assert "Going on with the job on this photo" in hand.window.message.text
    hand.window.message.offered.click()
    hand.settle()
    assert not hand.job.has_subject
    assert hand.session.project.path == path
    hand.command("Undo")
    hand.settle()
    assert hand.job.has_subject


def test_a_replaced_photo_is_said_and_begun_with_without_losing_its_job(hand: Hand, disc_file: Path) -> None:
    _open(hand, disc_file)
    _mark(hand)
    beside = disc_file.with_suffix(".peel")
    hand.bench.files.keep_as(beside)
    hand.wait(lambda: "Kept as" in hand.window.message.text)
    hand.command("Close the photo")
    hand.wait(lambda: hand.desk.bridge is None)
    Image.new("RGB", (420, 300), (30, 140, 60)).save(disc_file)

    _open(hand, disc_file)

    assert "was replaced since this job was begun" in hand.window.message.text
    assert hand.job.has_subject
    before = hand.desk.bridge
    hand.window.message.offered.click()
    hand.wait(lambda: hand.desk.bridge is not None and hand.desk.bridge is not before)
    hand.settle()
    assert hand.session.project.path == beside
    assert not hand.job.has_subject
    assert tuple(hand.job.photo.pixels[0, 0]) == (30, 140, 60)
    assert (disc_file.parent / "disc-2.peel").is_file()


def test_delivering_from_the_board_leaves_the_job_on_the_desk_open(hand: Hand, disc_file: Path, tmp_path: Path) -> None:
    _open(hand, disc_file)
    _mark(hand)
    hand.command("Board")
    hand.wait(disc_file.with_suffix(".peel").exists)
    _rest(hand)
    session, page = hand.session, hand.window.board.page
    page.to.setText(str(tmp_path / "out"))
    hand.press("deliver run")
    hand.command("Board")  # back to the photo while the run goes on
    assert hand.session is session
    session.apply("Another", lambda job: job.with_photo_settings(spill_shared=True))
    hand.settle()
    hand.wait(lambda: page.deliver.isEnabled())
    hand.settle()
    assert session.is_stored
    assert hand.job.settings.photo.spill_shared
    assert "1 photos delivered" in hand.window.message.text
    assert (tmp_path / "out" / "disc-cutout.png").is_file()


@pytest.mark.parametrize("what", ["a damaged job", "a photo that cannot be read"])
def test_a_card_whose_photo_or_job_is_damaged_still_opens_what_there_is(hand: Hand, disc_file: Path, what: str) -> None:
    beside = disc_file.with_suffix(".peel")
    propose_job(disc_file, beside)
    if what == "a damaged job":
        content = bytearray(beside.read_bytes())
        content[-6000:-5000] = bytes(1000)
        beside.write_bytes(bytes(content))
    else:
        disc_file.write_bytes(b"")
    hand.bench.files.begin_at(disc_file, beside)
    hand.wait(lambda: hand.desk.bridge is not None)
    hand.settle()
    assert hand.job.photo.pixels.shape == (300, 420, 3)
