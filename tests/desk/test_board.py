"""The board in the window: photos that arrive, opened, walked, carried to, delivered in the background, and handed over."""

import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QDropEvent
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

import studio
from conftest import soft_disc
from desk.hand import Hand
from peel.desk.one_window import OneWindow, hand_over
from peel.desk.steps import Step
from peel.files.project import ProjectFile
from peel.job.edits.marking import looked_at
from peel.job.edits.values import set_value
from peel.job.settings import Backing
from peel.work.many.batches import load_job, propose_job
from peel.work.many.board import Board, recent_boards
from peel.work.many.status import Progress, read_status
from peel.work.session.session import Session


def _write(folder: Path, name: str, right: int = 0) -> Path:
    folder.mkdir(exist_ok=True)
    photo = np.roll(soft_disc(300, 420, 70)[0], right, axis=1)
    noise = np.random.default_rng(len(name)).standard_normal(photo.shape) * 0.004
    Image.fromarray(np.round(np.clip(photo + noise, 0, 1) * 255).astype(np.uint8)).save(folder / name)
    return folder / name


@pytest.fixture
def session(tmp_path: Path) -> Path:
    for number in range(4):
        _write(tmp_path / "autumn", f"puppet-{number + 1}.png", 6 * number)
    return tmp_path / "autumn"


@pytest.fixture
def board(hand: Hand, session: Path) -> Hand:
    hand.window.open_paths([session])
    hand.wait(lambda: hand.window.board is not None and len(hand.window.board.entries) == 4)
    return hand


def _rest(hand: Hand) -> None:
    desk = hand.window.board
    hand.wait(lambda: desk.is_idle)
    hand.rest()
    desk.scan()
    hand.wait(lambda: desk.is_idle)
    hand.rest()


def _open(hand: Hand, row: int) -> None:
    entry = hand.window.board.page.model.entries[row]
    hand.window.board.open(entry)
    hand.wait(lambda: hand.desk.bridge is not None and hand.session.project.path == entry.job)
    hand.rest()


def _mark(hand: Hand) -> None:
    for x, y in ((120, 60), (300, 60), (300, 240), (120, 240)):
        hand.click(x, y)
    hand.key(Qt.Key.Key_Return)
    hand.settle()


def test_photos_are_opened_walked_carried_to_and_delivered(board: Hand, session: Path, tmp_path: Path) -> None:
    page = board.window.board.page
    assert page.isVisible()
    assert "4 not begun" in page.counts.text()
    page.list.setCurrentIndex(page.model.index(0))
    QTest.keyClick(page.list, Qt.Key.Key_Return)
    board.wait(lambda: board.desk.bridge is not None)
    board.rest()
    assert board.session.project.path == session / "puppet-1.peel"
    _mark(board)
    board.step("Backing")
    board.panel(Step.BACKING).behind.kinds["colour"].click()
    board.settle()
    board.enter(board.panel(Step.BACKING).behind.code, "#c8553d")
    board.settle()
    board.command("Next photo")
    board.wait(lambda: board.session.project.path == session / "puppet-2.peel")
    board.rest()
    board.command("Photo before")
    board.wait(lambda: board.session.project.path == session / "puppet-1.peel")
    board.rest()
    board.settle()
    board.command("Board")
    board.wait(page.isVisible)
    _rest(board)
    assert read_status(session / "puppet-1.peel").progress is not Progress.UNTOUCHED
    page.choose([session / f"puppet-{number}.png" for number in (2, 3, 4)])
    assert page.deliver.text() == "Deliver 3 chosen"
    board.press("show carry")
    _rest(board)
    notes = [page.model.note_of(entry) for entry in page.model.entries]
    assert notes[1].startswith("would carry recipe and marks")
    assert not (session / "puppet-3.peel").exists()
    board.press("carry")
    board.wait(lambda: all((session / f"puppet-{number}.peel").exists() for number in (2, 3, 4)))
    _rest(board)
    assert "moved by 12, " in page.model.note_of(page.model.entries[2])

    def shows_its_backing() -> bool:
        picture = page.model.picture(page.model.entries[2])
        corner = picture.pixelColor(3, 3) if picture is not None else QColor()
        return abs(corner.red() - 0xC8) < 12 and abs(corner.green() - 0x55) < 12

    board.wait(shows_its_backing)
    board.wait(lambda: "3 carried, to be looked at" in page.counts.text())
    page.choose([session / f"puppet-{number}.png" for number in (2, 3)])
    board.press("seen")
    board.wait(lambda: "1 carried, to be looked at" in page.counts.text())
    _rest(board)
    assert "4 photos" in page.counts.text()
    (session / "puppet-4.peel").write_bytes(b"no job any more")
    page.list.clearSelection()
    page.to.setText(str(tmp_path / "out"))
    board.press("deliver run")
    board.wait(lambda: page.deliver.isEnabled())
    _rest(board)
    files = sorted(path.name for path in (tmp_path / "out").iterdir() if path.is_file())
    assert "puppet-1-flat.jpg" in files
    assert "puppet-3-cutout.png" in files
    assert "puppet-4-cutout.png" not in files
    assert {"contact-sheet.html", "report.json", "report.csv"} <= set(files)
    assert "3 photos delivered, 1 not" in board.window.message.text
    assert page.model.entries[1].status.progress is Progress.DELIVERED
    flat = np.asarray(Image.open(tmp_path / "out" / "puppet-3-flat.jpg").convert("RGB"))
    assert np.abs(flat[4, 4].astype(int) - (0xC8, 0x55, 0x3D)).max() < 6
    board.choose(page.filter, page.filter.findData(Progress.DELIVERED))
    assert page.model.rowCount() == 3
    board.press("board back")
    board.wait(lambda: board.desk.bridge is not None and board.bench.isVisible())
    assert board.session.project.path == session / "puppet-1.peel"
    board.command("Undo")
    board.settle()


def test_a_run_is_paused_and_stopped(board: Hand, session: Path, tmp_path: Path) -> None:
    desk, page = board.window.board, board.window.board.page
    for path in sorted(session.glob("*.png")):
        propose_job(path, path.with_suffix(".peel"))
    _rest(board)
    page.to.setText(str(tmp_path / "unseen"))
    board.press("deliver run")
    board.wait(lambda: page.deliver.isEnabled() and desk.is_idle)
    assert not list((tmp_path / "unseen").glob("*-cutout.png"))  # nobody has looked at these guesses
    for path in sorted(session.glob("*.peel")):
        looked = Session.resume(ProjectFile.open(path))
        looked.apply("Look at the guess", looked_at)
        looked.wait_idle()
        looked.close()
    page.to.setText(str(tmp_path / "out"))
    board.press("deliver run")
    board.press("pause run")
    assert page.pause.text() == "Go on"
    board.press("stop run")
    board.wait(lambda: page.deliver.isEnabled())
    written = list((tmp_path / "out").glob("*-cutout.png")) if (tmp_path / "out").exists() else []
    assert len(written) < 4
    board.press("deliver run")
    board.wait(lambda: page.deliver.isEnabled() and desk.is_idle)
    assert len(list((tmp_path / "out").glob("*-cutout.png"))) == 4
    page.to.setText("")
    board.press("deliver run")
    assert "Say where to deliver" in board.window.message.text


def test_photos_arrive_are_replaced_and_vanish(tmp_path: Path) -> None:
    folder = tmp_path / "camera"
    _write(folder, "one.png")
    watched = Board(folder)
    assert [entry.is_arriving for entry in watched.scan()] == [False]
    whole = _write(tmp_path / "aside", "two.png").read_bytes()
    (folder / "two.png").write_bytes(whole[: len(whole) // 2])
    assert watched.scan()[1].is_arriving
    (folder / "two.png").write_bytes(whole)
    watched.scan()
    assert not watched.scan()[1].is_arriving
    (folder / "one.png").unlink()
    assert watched.scan()[0].is_gone
    _write(folder, "one.png", 4)
    watched.scan()
    assert not watched.scan()[0].is_gone
    (folder / "cut.jpg").write_bytes(b"\xff\xd8\xff\xe0 and no more")
    watched.scan()
    assert watched.scan()[2].status.progress is Progress.BROKEN
    folder.rename(tmp_path / "elsewhere")
    assert all(entry.is_gone for entry in watched.scan())
    assert Board(tmp_path / "nowhere").scan() == []


def test_three_hundred_photos_are_on_the_board_at_once(make_window: Callable[[], Hand], tmp_path: Path) -> None:
    folder = tmp_path / "many"
    content = _write(folder, "a-000.png").read_bytes()
    for number in range(1, 300):
        (folder / f"a-{number:03}.png").write_bytes(content)
    hand = make_window()
    hand.window.open_paths([folder])
    hand.wait(lambda: hand.window.board is not None and len(hand.window.board.entries) == 300)
    page = hand.window.board.page
    bar = page.list.verticalScrollBar()
    for step in range(0, bar.maximum(), 400):
        bar.setValue(step)
        hand.rest()
    assert folder in recent_boards()


def test_files_are_dropped_on_the_board_and_several_make_one(hand: Hand, session: Path, tmp_path: Path) -> None:
    extra = _write(tmp_path / "more", "extra.png")
    files = [session / "puppet-1.png", session / "puppet-2.png"]
    _drop(hand, files)
    hand.wait(lambda: hand.window.board is not None and len(hand.window.board.entries) == 2)
    assert hand.window.board.page.title.text() == "Chosen photos"
    _drop(hand, [extra])
    hand.wait(lambda: len(hand.window.board.entries) == 3)
    _open(hand, 0)
    hand.session.apply(
        "Backing", lambda job: set_value(job, "recipe.backing", Backing(kind="colour", colour="#112233"))
    )
    hand.settle()
    hand.command("Close the photo")
    hand.wait(lambda: hand.window.board.page.isVisible())


def test_the_window_does_not_wait_for_the_disk_that_dropped_paths_lie_on(
    hand: Hand, session: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    is_dir, asked = Path.is_dir, []

    def noted(path: Path) -> bool:
        if path == session:
            asked.append(threading.current_thread() is threading.main_thread())
        return is_dir(path)

    monkeypatch.setattr(Path, "is_dir", noted)
    _drop(hand, [session])

    hand.wait(lambda: hand.window.board is not None and hand.window.board.page.isVisible())
    _drop(hand, [session])
    hand.wait(lambda: len(asked) > 1 and hand.window.board.is_idle)
    assert not any(asked)


def _drop(hand: Hand, files: list[Path]) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in files])
    move, button, held = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    hand.window.dropEvent(QDropEvent(QPointF(QPoint(300, 300)), move, data, button, held))


def test_a_running_window_takes_over_what_is_opened_later(qtbot: QtBot, tmp_path: Path) -> None:
    assert not hand_over([tmp_path])
    one, taken = OneWindow(), []
    one.handed.connect(taken.extend)
    code = "import sys; from pathlib import Path; from peel.desk.one_window import hand_over; sys.exit(not hand_over([Path(p) for p in sys.argv[1:]]))"
    later = subprocess.Popen([sys.executable, "-c", code, str(tmp_path / "a.png"), str(tmp_path / "b.png")])
    qtbot.waitUntil(lambda: later.poll() is not None, timeout=20_000)
    assert later.returncode == 0
    assert taken == [tmp_path / "a.png", tmp_path / "b.png"]
    one.close()


def test_one_picture_of_the_set_is_given_to_the_chosen_photos(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "winter"
    folder.mkdir()
    for number, across in enumerate((0, 40)):
        studio.save(folder / f"shot-{number}.png", studio.photo(np.roll(studio.ALPHA, across, axis=1)))
    empty = studio.save(tmp_path / "set.png", studio.drifted(studio.bare_wall()))
    hand.window.open_paths([folder])
    hand.wait(lambda: hand.window.board is not None and len(hand.window.board.entries) == 2)
    page = hand.window.board.page
    assert not page.give_set.isEnabled()
    page.list.selectAll()
    monkeypatch.setattr("peel.desk.board.board_desk.ask_picture", lambda _parent, _title: empty)
    page.give_set.click()
    _rest(hand)
    hand.wait(lambda: len(list(folder.glob("*.peel"))) == 2 or all(e.job.exists() for e in hand.window.board.entries))
    _rest(hand)
    for number, across in enumerate((0, 40)):
        job = load_job(hand.window.board.entries[number].job)
        truth = np.roll(studio.ALPHA, across, axis=1)
        assert np.abs(job.alpha(job.photo.bounds) - truth).mean() < 0.02
        assert job.settings.photo.is_unseen
