"""The main window: an empty desk at first, and the bench once it has been loaded and a photo is open."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import QEvent, QMargins, QSize, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QPaintEvent
from PySide6.QtWidgets import QApplication, QMainWindow, QStackedWidget

from peel.desk import theme
from peel.desk.controls.message_bar import MessageBar
from peel.desk.files.dropped import dropped_files
from peel.desk.starting import Closing, Loader
from peel.desk.welcome import Welcome
from peel.work.session import memory
from peel.work.session.session_events import Trouble

if TYPE_CHECKING:  # it brings all kernels with it, which would hold up the first paint
    from peel.desk.bench import Bench
    from peel.desk.board.board_desk import BoardDesk

__all__ = ["Window"]

_SIZE: Final = QSize(1280, 800)
_LEAST: Final = QSize(1100, 700)
_FRAME: Final = QMargins(0, 32, 0, 0)  # what a title bar takes, before its true height is known


class Window(QMainWindow):
    """One window on one photo at a time.

    The numeric modules take seconds to load. The window is drawn and answers without them; they are loaded on a
    thread of their own, and what is asked for meanwhile is done as soon as the bench is there.

    Signals
    -------
    ready : ()
        The bench has been loaded.
    closed : ()
        The window is gone and everything on disk: the process may end.
    """

    ready = Signal()
    closed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Peel")
        self._fit_screen(_FRAME)
        self.setAcceptDrops(True)
        self.bench: Bench | None = None
        self.board: BoardDesk | None = None
        self._waiting: Callable[[Bench], object] | None = None
        self._front = QStackedWidget()
        self.setCentralWidget(self._front)
        self.welcome = Welcome()
        self._front.addWidget(self.welcome)
        self.message = MessageBar(self._front)
        self.welcome.open_pressed.connect(lambda: self._when_ready(lambda bench: bench.files.ask_open()))
        self.welcome.job_chosen.connect(self.open_path)
        self.welcome.folder_chosen.connect(lambda path: self.open_paths([path]))
        self.welcome.folder_pressed.connect(self._ask_folder)
        self.welcome.demo_chosen.connect(self._on_demo_chosen)
        self._loader = Loader("peel.desk.bench", "peel.desk.board.board_desk", parent=self)
        self._loader.finished.connect(self._on_loaded)
        self._loader.first_time.connect(self.welcome.show_first_time)
        self._loads = False
        self._closing: Closing | None = None

    def _fit_screen(self, frame: QMargins) -> None:
        """Take the size Peel is designed for, or as much of it as the screen has room for beside the frame."""
        room = self.screen().availableGeometry().marginsRemoved(frame).size()
        self.setMinimumSize(_LEAST.boundedTo(room))
        self.resize(_SIZE.boundedTo(room))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Begin to load the bench once there is something to see."""
        super().paintEvent(event)
        if not self._loads:
            self._loads = True
            QTimer.singleShot(0, self._loader.start)

    # loading

    def _on_loaded(self) -> None:
        self._loader.check()
        self.welcome.show_loaded()
        from peel.desk.bench import Bench
        from peel.desk.board.board_desk import BoardDesk
        from peel.desk.board.page import BoardPage

        with theme.undressed(self):
            bench = self.bench = Bench(self)
            self._front.addWidget(bench)
            page = BoardPage()
            self._front.addWidget(page)
            board = self.board = BoardDesk(bench.desk, bench.files, page)
        board.shown.connect(self._on_board_shown)
        board.left.connect(self._on_board_left)
        bench.step_line.photo_pressed.connect(board.toggle)
        bench.desk.inspected.connect(board.note_counted)
        bench.files.shown.connect(self._on_photo_shown)
        bench.files.emptied.connect(self._on_emptied)
        bench.files.opener.closed.connect(self._on_photo_closed)
        bench.files.titled.connect(self.setWindowTitle)
        bench.desk.said.connect(self.show_trouble)
        self.message.chosen.connect(bench.files.choose)
        bench.desk.left_behind.connect(self.message.hide)
        bench.desk.ask.quit.connect(self.close)
        bench.desk.ask.full_screen.connect(self.toggle_full_screen)
        bench.desk.ask.theme.connect(self.switch_theme)
        self.ready.emit()
        if self._waiting is not None:
            self._waiting(bench)
            self._waiting = None

    def _when_ready(self, do: Callable[["Bench"], object]) -> None:
        """Do something with the bench, now or as soon as it is there."""
        self.message.hide()
        if self.bench is not None:
            do(self.bench)
        else:
            self._waiting = do
            self.welcome.show_waiting()

    # what is shown

    def show_welcome(self) -> None:
        """Show the empty window."""
        self.welcome.refresh()
        self._front.setCurrentWidget(self.welcome)
        self.message.lie_over(self._front)
        self.setWindowTitle("Peel")

    def open_path(self, path: Path) -> None:
        """Open a photo or a job."""
        self._when_ready(lambda bench: bench.open_path(path))

    def open_paths(self, paths: list[Path]) -> None:
        """Open files: one as a photo or job, several as a board of them, a folder as its board."""
        if paths:
            self._when_ready(lambda bench: self._look_at(paths, bench.open_path))

    def _look_at(self, paths: list[Path], take_one: Callable[[Path], object]) -> None:
        """Take a single file, and show several or a folder on the board."""
        assert self.board is not None
        board = self.board

        def sort_out(folders: list[Path]) -> None:
            if len(paths) == 1 and not folders:
                take_one(paths[0])
            else:
                board.show_paths(paths, folders)

        board.find_folders(paths, sort_out)

    def _ask_folder(self) -> None:
        self._when_ready(lambda _bench: self.board.page.folder_asked.emit() if self.board is not None else None)

    def _on_board_shown(self) -> None:
        assert self.board is not None
        self._front.setCurrentWidget(self.board.page)
        self.message.hide()  # what was said of the photo
        self.message.lie_over(self.board.page)
        self.setWindowTitle(f"{self.board.board.title} – Peel")

    def _on_board_left(self) -> None:
        assert self.bench is not None
        if self.bench.desk.bridge is not None:
            self._on_photo_shown()

    def _on_emptied(self) -> None:
        """Show the board of the assignment, or the empty window if there is none."""
        if self.board is not None and self.board.entries:
            self.board.show()
        else:
            self.show_welcome()

    def _on_photo_closed(self) -> None:
        """Let the cards of the empty window show the job that was closed; until now its file was in use."""
        if self._front.currentWidget() is self.welcome:
            self.welcome.refresh()

    def _on_demo_chosen(self, name: str) -> None:
        self._when_ready(lambda bench: bench.files.open_demo(name))

    def _on_photo_shown(self) -> None:
        assert self.bench is not None
        self._front.setCurrentWidget(self.bench)
        self.message.lie_over(self.bench.canvas)

    def show_trouble(self, trouble: Trouble) -> None:
        """Say what went wrong."""
        self.message.say(trouble.message, trouble.hint, trouble.trace, trouble.offer)

    def switch_theme(self) -> None:
        """Change between light and dark, in two turns, so that the window's thread is not away for long."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            chosen = theme.LIGHT if theme.current() is theme.DARK else theme.DARK
            self.setUpdatesEnabled(False)
            theme.choose(app, chosen)
            memory.write_preference("theme", chosen.name)
            QTimer.singleShot(0, self, self._dress)

    def _dress(self) -> None:
        app = QApplication.instance()
        if isinstance(app, QApplication):
            theme.dress(app)
        self.setUpdatesEnabled(True)
        self.update()

    def toggle_full_screen(self) -> None:
        """Fill the screen, or no longer."""
        if self.isFullScreen():
            self.showNormal()
        else:
            self.showFullScreen()

    # events

    def closeEvent(self, event: QCloseEvent) -> None:
        """Hide at once; close when what still has to be written is on disk."""
        if self.is_closed:
            event.accept()
            return
        event.ignore()
        self.hide()
        if self._closing is None:
            self._loader.wait()
            self.welcome.close_threads()
            both = [part for part in (self.board, self.bench) if part is not None]
            parts = [step for part in both for step in part.begin_to_close()]
            self._closing = Closing(parts, self)
            self._closing.finished.connect(self._on_closed)
            self._closing.start()

    def _on_closed(self) -> None:
        self.close()
        self.closed.emit()

    @property
    def is_closed(self) -> bool:
        """Whether everything is on disk and every thread has ended."""
        return self._closing is not None and self._closing.isFinished()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take files."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Take the first file dropped."""
        files = dropped_files(event)
        if files:
            self._when_ready(lambda bench: self._take(bench, files))

    def _take(self, bench: "Bench", files: list[Path]) -> None:
        """Take files that were dropped: on the board, several and folders go there; else the first is taken."""
        assert self.board is not None
        if self._front.currentWidget() is self.board.page:
            self.board.add(files)
        else:
            self._look_at(files, bench.take_file)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Let keys that are held change what is shown."""
        if self.bench is None or not self.bench.held_keys.pressed(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """End what a held key showed."""
        if self.bench is None or not self.bench.held_keys.released(event):
            super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        """Say again what a press does when the window is left with a key held."""
        if event.type() == QEvent.Type.ActivationChange and self.bench is not None:
            self.bench.shelf.say_what_a_press_does()
        super().changeEvent(event)
