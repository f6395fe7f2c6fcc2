import json
import subprocess
import sys

import pytest

from peel.desk.starting import load_beside

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

made = app.make_app()
shown = []

def look():
    shown.extend(type(widget).__name__ for widget in QApplication.topLevelWidgets() if widget.isVisible())
    windows = [widget for widget in QApplication.topLevelWidgets() if type(widget).__name__ == "Window"]
    if windows and windows[0].isVisible():
        QTimer.singleShot(200, windows[0].close)
    else:
        QTimer.singleShot(20, look)

QTimer.singleShot(0, look)
code = app.run([], demo=False)
print(json.dumps({"seen": seen, "shown": shown, "code": code}))
"""


def test_no_kernel_is_loaded_on_the_windows_thread_and_something_is_seen_meanwhile() -> None:
    done = subprocess.run(
        [sys.executable, "-c", _WATCHED_START], capture_output=True, text=True, check=True, timeout=90
    )

    report = json.loads(done.stdout.splitlines()[-1])
    loaded = {name for name, _ in report["seen"]}
    on_main = {name for name, main in report["seen"] if main}
    assert {"numba", "peel.matte.solve.laplacian", "peel.matte.solve.run_kernels"} <= loaded
    assert not {name for name in on_main if name == "numba" or name.startswith("peel.matte")}
    assert "StartCard" in report["shown"]
    assert report["shown"][-1] == "Window"
    assert report["code"] == 0


@pytest.mark.usefixtures("qapp")
def test_what_goes_wrong_while_loading_is_raised() -> None:
    with pytest.raises(ModuleNotFoundError):
        load_beside("peel.desk.no_such_part")
