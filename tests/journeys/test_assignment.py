"""Twelve photos of a session by window: carried to, handed to a moody client, killed in the middle, gone on with."""

import json
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from desk.hand import Hand
from peel.demo.arriving import write_variants
from peel.demo.client import DropOff
from peel.work.many.status import Progress, read_status

pytest_plugins = ["desk.conftest"]

_DELIVER = """
import sys, time
from pathlib import Path
from PySide6.QtWidgets import QAbstractButton
from peel.desk.app import make_app
from peel.desk.window import Window

app, window = make_app(), Window()
window.show_welcome()
window.show()

def until(condition):
    while not condition():
        app.processEvents()
        time.sleep(0.002)

until(lambda: window.board is not None)
window.open_paths([Path(sys.argv[1])])
until(lambda: len(window.board.entries) == 12 and window.board.is_idle)
window.board.page.to.setText(sys.argv[2])
window.findChild(QAbstractButton, "deliver run").click()
until(lambda: False)
"""


@pytest.fixture
def session(tmp_path: Path) -> Path:
    """One puppet twelve times, moved a little and at other exposures; one file is broken."""
    paths = write_variants(tmp_path / "autumn", 12, names=("lamplighter",), scale=0.12)
    paths[5].write_bytes(paths[5].read_bytes()[:2000])
    return tmp_path / "autumn"


@pytest.fixture
def client(tmp_path: Path) -> Iterator[DropOff]:
    with DropOff(tmp_path / "client", moody=0.25, seed=4) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield server
        server.shutdown()


def _rest(hand: Hand) -> None:
    board = hand.window.board
    for _ in range(2):
        hand.wait(lambda: board.is_idle)
        hand.rest()
        board.scan()


def _arrived(client: DropOff) -> dict[str, int]:
    return {path.name: path.stat().st_mtime_ns for path in client.folder.glob("[!.]*")}


def _killed_in_the_middle(session: Path, client: DropOff) -> dict[str, int]:
    """Deliver in a window of its own, and kill that once some files have arrived; return those."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with subprocess.Popen([sys.executable, "-c", _DELIVER, str(session), client.address], env=environment) as process:
        end = time.monotonic() + 120
        while len(_arrived(client)) < 7 and time.monotonic() < end and process.poll() is None:
            time.sleep(0.01)
        process.send_signal(signal.SIGKILL)
    return _arrived(client)


@pytest.mark.qt_log_ignore("Corrupt JPEG data")  # of the broken one, whose card shows what there is
def test_a_session_by_window(make_window: Callable[[], Hand], session: Path, client: DropOff) -> None:
    first = make_window()
    first.window.open_paths([session])
    first.wait(lambda: first.window.board is not None and len(first.window.board.entries) == 12)
    _rest(first)
    page = first.window.board.page
    assert "1 cannot be read" in page.counts.text()
    page.list.setCurrentIndex(page.model.index(0))
    QTest.keyClick(page.list, Qt.Key.Key_Return)
    first.wait(lambda: first.desk.bridge is not None)
    first.rest()
    first.command("Propose")
    first.wait(lambda: first.job.has_subject)
    first.settle()
    first.command("Board")
    first.wait(page.isVisible)
    page.choose(sorted(session.glob("*.jpg"))[1:])
    first.press("carry")
    _rest(first)
    assert len(list(session.glob("*.peel"))) == 11
    moved = [page.model.note_of(entry) for entry in page.model.entries[1:]]
    assert sum("marks" in text and "no marks" not in text for text in moved) == 10
    page.choose(sorted(session.glob("*.jpg"))[1:])
    first.wait(page.seen.isEnabled)
    first.press("seen")
    first.wait(lambda: "to be looked at" not in page.counts.text())
    _rest(first)
    first.window.close()
    first.wait(lambda: first.window.is_closed)

    before = _killed_in_the_middle(session, client)
    assert 7 <= len(before) < 33

    second = make_window()
    second.window.open_paths([session])
    second.wait(lambda: second.window.board is not None and len(second.window.board.entries) == 12)
    _rest(second)
    page = second.window.board.page
    page.to.setText(client.address)
    second.press("deliver run")
    second.wait(page.deliver.isEnabled)
    _rest(second)
    after = _arrived(client)
    assert len(after) == 33  # cutout, flat and matte of eleven photos
    sent_again = [name for name, at in before.items() if after[name] != at]
    assert len(sent_again) <= 3  # those of the photo that was under way
    for path in client.folder.glob("[!.]*"):
        with Image.open(path) as image:
            image.load()
    rows = json.loads((session / "report.json").read_text())["delivered"]
    assert len(rows) == 11
    assert sum(bool(row.get("skipped")) for row in rows) >= 2
    assert (session / "contact-sheet.html").read_text().count("<img") == 11
    jobs = sorted(session.glob("*.peel"))
    assert {read_status(path).progress for path in jobs} == {Progress.DELIVERED}
