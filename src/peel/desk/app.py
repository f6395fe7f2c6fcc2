"""Start the window. Nothing imported here, or by what is, may need NumPy, Numba, SciPy or OpenCV."""

import logging
import signal
import sys
import traceback
from pathlib import Path
from types import TracebackType
from typing import Final

from PySide6.QtCore import QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from peel.desk import theme
from peel.desk.one_window import OneWindow, hand_over
from peel.desk.window import Window
from peel.work.session import memory
from peel.work.session.job_files import is_unkept
from peel.work.session.session_events import Trouble

__all__ = ["make_app", "run"]

_ICON = Path(__file__).parent / "assets" / "peel.svg"

_SWITCH_S: Final = 0.001


def make_app() -> QApplication:
    """Make the application, dressed."""
    # Workers that compute in Python give way to the window's thread sooner than they would by default.
    sys.setswitchinterval(_SWITCH_S)
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("peel")
    app.setApplicationDisplayName("Peel")
    app.setDesktopFileName("peel")
    app.setWindowIcon(QIcon(str(_ICON)))
    wanted = theme.DARK if memory.read_preference("theme") == "dark" else theme.LIGHT
    if not app.styleSheet() or theme.current() is not wanted:
        app.setStyle("Fusion")
        theme.install(app, wanted)
    return app


def run(files: list[Path], *, demo: bool) -> int:
    """Show the window until it is closed; return the exit code.

    Parameters
    ----------
    files : list of Path
        Opened; several, or a folder, as a board. Without any, the job that was open last.
    demo : bool
        Whether the demo assignment was asked for.
    """
    app = make_app()
    if hand_over(files):
        return 0
    window = Window()
    one = OneWindow(app)
    one.handed.connect(lambda paths: _take(window, paths))
    window.closed.connect(one.close)
    app.setQuitOnLastWindowClosed(False)
    window.closed.connect(app.quit)
    logging.basicConfig(filename=memory.log_file(), level=logging.WARNING)
    sys.excepthook = lambda kind, error, trace: _on_unexpected(window, kind, error, trace)
    window.show_welcome()
    window.show()
    last = memory.read_open_job()
    if files:
        window.open_paths(files)
    elif last is not None and not (demo and not is_unkept(last)):
        window.open_path(last)
    # Let Ctrl+C in the terminal close the window as its cross does.
    signal.signal(signal.SIGINT, lambda _number, _frame: window.close())
    ticking = QTimer()
    ticking.start(500)
    ticking.timeout.connect(lambda: None)
    return app.exec()


def _take(window: Window, paths: list[Path]) -> None:
    """Open what a later start hands over, and come to the front."""
    window.open_paths(paths)
    window.showNormal() if window.isMinimized() else window.show()
    window.raise_()
    window.activateWindow()


def _on_unexpected(
    window: Window, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """Log an error that nobody foresaw and say so; every edit is on disk already."""
    words = "".join(traceback.format_exception(kind, error, trace))
    logging.getLogger("peel").error("unexpected error:\n%s", words)
    window.show_trouble(
        Trouble(
            "Peel met an error it did not expect. Every change up to here is on disk;",
            "start Peel again.",
            words,
        )
    )
