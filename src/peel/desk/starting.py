"""What is seen while Peel starts: its kernels take a while to load, and are loaded beside the window's thread."""

import importlib
from typing import Final

from PySide6.QtCore import QEventLoop, Qt, QThread
from PySide6.QtWidgets import QApplication, QLabel, QVBoxLayout, QWidget

__all__ = ["StartCard", "load_beside"]

_SIZE: Final = (360, 150)


class StartCard(QWidget):
    """A small card with Peel's name and sign."""

    def __init__(self, app: QApplication) -> None:
        super().__init__(None, Qt.WindowType.SplashScreen | Qt.WindowType.FramelessWindowHint)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedSize(*_SIZE)
        sign, name, word = QLabel(), QLabel("Peel"), QLabel("Laying out the tools")
        sign.setPixmap(app.windowIcon().pixmap(48, 48))
        name.setObjectName("headline")
        word.setObjectName("small")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 16)
        column.addStretch(1)
        for label in (sign, name, word):
            column.addWidget(label, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)


class _Loader(QThread):
    def __init__(self, module: str) -> None:
        super().__init__()
        self._module = module
        self.error: BaseException | None = None

    def run(self) -> None:
        try:
            importlib.import_module(self._module)
        except BaseException as error:  # noqa: BLE001 - raised again where it is waited for
            self.error = error


def load_beside(module: str) -> None:
    """Import a module on a thread of its own, while what is on the screen stays alive; waits for it."""
    loader, waiting = _Loader(module), QEventLoop()
    loader.finished.connect(waiting.quit)
    loader.start()
    waiting.exec()
    loader.wait()
    if loader.error is not None:
        raise loader.error
