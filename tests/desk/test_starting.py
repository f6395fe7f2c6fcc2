"""Peel draws its window before it loads what takes long to load."""

import json
import subprocess
import sys

import pytest
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from peel.desk.starting import Loader
from peel.desk.welcome import Welcome

_WATCHED_START = """
import json, sys, threading
from importlib.abc import MetaPathFinder

seen = []

class Watch(MetaPathFinder):
    def find_spec(self, name, path=None, target=None):
        seen.append((name, threading.current_thread() is threading.main_thread()))

sys.meta_path.insert(0, Watch())
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from peel.desk import app
from peel.desk.window import Window

at_first_paint = []
real = Window.paintEvent

def painted(self, event):
    at_first_paint.append(len(seen))
    real(self, event)

Window.paintEvent = painted

def look():
    windows = [widget for widget in QApplication.topLevelWidgets() if isinstance(widget, Window)]
    if windows and windows[0].bench is not None:
        QTimer.singleShot(200, windows[0].close)
    else:
        QTimer.singleShot(20, look)

QTimer.singleShot(0, look)
code = app.run([], demo=False)
print(json.dumps({"seen": seen, "at_first_paint": at_first_paint[0], "code": code}))
"""

_HEAVY = ("numpy", "numba", "scipy", "cv2", "pydantic", "peel.matte", "peel.job.job")


def _heavy(names: list[str]) -> list[str]:
    return [name for name in names if name.split(".")[0] in _HEAVY or name.startswith(_HEAVY[-2:])]


def test_the_window_is_painted_before_anything_heavy_is_imported_and_none_of_it_on_its_thread() -> None:
    done = subprocess.run(
        [sys.executable, "-c", _WATCHED_START], capture_output=True, text=True, check=True, timeout=90
    )

    report = json.loads(done.stdout.splitlines()[-1])
    names = [name for name, _ in report["seen"]]
    on_main = [name for name, main in report["seen"] if main]
    assert {"numba", "peel.matte.solve.laplacian", "peel.matte.solve.run_kernels"} <= set(names)
    assert _heavy(names[: report["at_first_paint"]]) == []
    assert _heavy(on_main) == []
    assert report["code"] == 0


@pytest.mark.usefixtures("qapp")
def test_what_goes_wrong_while_loading_is_raised(qtbot: QtBot) -> None:
    loader = Loader("peel.desk.no_such_part")
    with qtbot.waitSignal(loader.finished, timeout=10_000):
        loader.start()

    with pytest.raises(ModuleNotFoundError):
        loader.check()


def test_the_first_start_says_why_it_takes_long(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("peel.matte.warm.is_warm", lambda: False)
    monkeypatch.setattr("peel.matte.warm.warm_apart", lambda: None)
    welcome = Welcome()
    qtbot.addWidget(welcome)
    loader = Loader("json")
    loader.first_time.connect(welcome.show_first_time)

    with qtbot.waitSignal(loader.finished, timeout=10_000):
        loader.start()

    assert [own.text() for own in welcome.findChildren(QLabel) if "first time" in own.text() and not own.isHidden()]
    welcome.show_loaded()
    assert not [own for own in welcome.findChildren(QLabel) if "first time" in own.text() and not own.isHidden()]
    welcome.close_threads()
