"""A random hand on a real window: nothing raises, nothing blocks the window's thread, no socket is opened."""

import os
import random
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PIL import Image
from PySide6.QtCore import QPoint, Qt, QtMsgType, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QFileDialog, QMenu

from campaign.made import picture
from peel.desk.app import make_app
from peel.desk.window import Window
from peel.files.project import ProjectFile

__all__ = ["run"]

EVENTS = 3000
_MOST_S = 0.25
_NO_SCREEN = "This plugin does not support"  # what Qt says of menus where there is no screen
_LEFT_OUT = {"Quit", "Open", "Keep under a name", "Full screen"}


class _Watch:
    """Notes exceptions, Qt's warnings, and how long the window's thread did not come back."""

    def __init__(self) -> None:
        self.odd: list[str] = []
        self.longest = (0.0, "")
        sys.excepthook = lambda kind, error, _trace: self.odd.append(f"{kind.__name__}: {error}")
        qInstallMessageHandler(self._on_message)
        sys.addaudithook(self._on_audit)

    def _on_message(self, kind: QtMsgType, _context: object, text: str) -> None:
        is_harmless = kind in {QtMsgType.QtDebugMsg, QtMsgType.QtInfoMsg} or text.startswith(_NO_SCREEN)
        if not is_harmless:
            self.odd.append(f"Qt: {text}")

    def _on_audit(self, event: str, arguments: tuple[object, ...]) -> None:
        if event in {"socket.connect", "socket.bind"}:
            self.odd.append(f"{event} {arguments!r}")

    def turn(self, what: str, count: int = 1) -> None:
        """Let the window work, and note how long it did not come back."""
        for _ in range(count):
            since = time.perf_counter()
            QApplication.processEvents()
            self.longest = max(self.longest, (time.perf_counter() - since, what))


def _answer_no_dialog() -> None:
    """Let every dialog and menu be left at once: a random hand would not get out of one."""
    QFileDialog.getExistingDirectory = lambda *_: ""  # type: ignore[method-assign]
    QFileDialog.getOpenFileName = lambda *_: ("", "")  # type: ignore[method-assign]
    QFileDialog.getOpenFileNames = lambda *_: ([], "")  # type: ignore[method-assign]
    QFileDialog.exec = lambda *_: 0  # type: ignore[method-assign]
    QMenu.exec = lambda *_: None  # type: ignore[method-assign]


def run(seed: int) -> list[str]:
    """Work the window; give the figures."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["XDG_STATE_HOME"] = str(folder / "state")
        _answer_no_dialog()
        for number in range(3):
            Image.fromarray(picture(600 + 150 * number, 900)).save(folder / f"photo-{number}.jpg", quality=90)
        os.mkfifo(folder / "pipe.jpg")  # traps for the board
        os.mkfifo(folder / "pipe.peel")
        (folder / "folder.png").mkdir()
        (folder / "<img src=x>.jpg").write_bytes(b"no photo")
        watch, window = _Watch(), None
        make_app()
        window = Window()
        window.show_welcome()
        window.resize(1280, 800)
        window.show()
        end = time.monotonic() + 60
        while window.bench is None and time.monotonic() < end:
            QApplication.processEvents()
        watch.longest = (0.0, "")  # what loads before the first photo is counted by the start-up's own test
        _work(window, folder, random.Random(seed), watch)
        assert window.bench is not None
        sessions = [
            (session, [s.label for s in session.history.states]) for session in window.bench.files.assignment.sessions
        ]
        since = time.perf_counter()
        window.close()
        watch.longest = max(watch.longest, (time.perf_counter() - since, "close"))
        while not window.is_closed:
            QApplication.processEvents()
        lost = sum(_lost(session.project.path, labels) for session, labels in sessions)
        qInstallMessageHandler(None)
        sys.excepthook = sys.__excepthook__
    seconds, what = watch.longest
    return [
        *(f"BROKEN {line}" for line in watch.odd[:20]),
        f"{EVENTS} events, {len(watch.odd)} exceptions, warnings and sockets",
        f"{'BROKEN ' if lost else ''}{lost} edits lost on closing",
        f"{'BROKEN ' if seconds > _MOST_S else ''}the window's thread was away for {seconds:.3f} s at most ({what})",
    ]


def _lost(path: Path, labels: list[str]) -> int:
    if not path.exists():
        return len(labels)
    project = ProjectFile.open(path)
    found = [state.label for state in project.history().states]
    project.close()
    return len(labels) - len(found) if found[: len(labels)] != labels else 0


def _work(window: Window, folder: Path, rng: random.Random, watch: _Watch) -> None:
    bench = window.bench
    assert bench is not None
    window.open_path(folder / "photo-0.jpg")
    for number in range(EVENTS):
        canvas = bench.canvas
        spot = QPoint(rng.randrange(-20, canvas.width() + 20), rng.randrange(-20, canvas.height() + 20))
        button = rng.choice([Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton])
        held = rng.choice(
            [Qt.KeyboardModifier.NoModifier] * 4
            + [Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier]
        )
        kind, what = rng.random(), "nothing"
        since = time.perf_counter()
        if kind < 0.3:
            what = "press"
            QTest.mousePress(canvas, button, held, spot)
        elif kind < 0.55:
            what = "move"
            QTest.mouseMove(canvas, spot)
        elif kind < 0.75:
            what = "release"
            QTest.mouseRelease(canvas, button, held, spot)
        elif kind < 0.86:
            action = rng.choice([action for action in window.actions() if action.objectName() not in _LEFT_OUT])
            what = action.objectName()
            action.trigger()
        elif kind < 0.9:
            key = rng.choice(
                [
                    Qt.Key.Key_Return,
                    Qt.Key.Key_Backspace,
                    Qt.Key.Key_Escape,
                    Qt.Key.Key_Delete,
                    Qt.Key.Key_Q,
                    Qt.Key.Key_T,
                    Qt.Key.Key_F,
                ]
            )
            what = f"key {key}"
            QTest.keyClick(canvas, key)
        elif kind < 0.902:
            what = "a job is deleted"
            deleted = [path for path in sorted(folder.glob("*.peel")) if path.is_file()]
            if deleted:
                rng.choice(deleted).unlink()
        elif kind < 0.907 and window.board is not None:
            what = "board"
            window.open_paths([folder]) if not window.board.entries else window.board.toggle()
        elif kind < 0.912 and window.board is not None and window.board.entries:
            what = "card"
            window.board.open(rng.choice(window.board.entries))
        elif kind < 0.98:
            buttons = [
                b
                for b in (window if rng.random() < 0.3 else bench).findChildren(QAbstractButton)
                if b.isVisible() and b.isEnabled() and b.text() not in {"Open the folder", "Choose…"}
            ]
            if buttons:
                chosen = rng.choice(buttons)
                what = f"button {chosen.objectName()} {chosen.text()}"
                chosen.click()
        else:
            what = "open"
            window.open_path(folder / f"photo-{rng.randrange(3)}.jpg")
        watch.longest = max(watch.longest, (time.perf_counter() - since, what))
        watch.turn(what, 3)
        if number % 50 == 0:
            time.sleep(0.05)
            watch.turn("rest", 5)
