"""What is done beside the window's thread when Peel starts and when it ends: loading modules, writing what is left."""

import importlib
import logging
from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, QThread, Signal

__all__ = ["Closing", "Loader"]

_log = logging.getLogger(__name__)


class Loader(QThread):
    """Imports modules on a thread of its own, once the kernels have been compiled; `finished` says that it is done.

    Parameters
    ----------
    modules : str

    Signals
    -------
    first_time : ()
        The kernels are being compiled, which takes minutes.
    """

    first_time = Signal()

    def __init__(self, *modules: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._modules = modules
        self._error: BaseException | None = None

    def run(self) -> None:
        """Import the modules; called by Qt on the new thread."""
        try:
            from peel.matte.warm import is_warm, warm_apart

            if not is_warm():
                self.first_time.emit()
                warm_apart()
            for module in self._modules:
                importlib.import_module(module)
        except BaseException as error:  # noqa: BLE001 - raised again by check, where it is waited for
            self._error = error

    def check(self) -> None:
        """Raise what went wrong while loading, if anything did."""
        if self._error is not None:
            raise self._error


class Closing(QThread):
    """Carries out what waits for disks and workers, one after another.

    Parameters
    ----------
    steps : sequence of callables
    """

    def __init__(self, steps: Sequence[Callable[[], object]], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._steps = steps

    def run(self) -> None:
        """Carry them out; called by Qt on the new thread."""
        for step in self._steps:
            try:
                step()
            except Exception:  # noqa: BLE001 - what cannot be ended in order must not keep the others from being written
                _log.exception("a step of closing failed")
