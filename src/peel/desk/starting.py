"""Load the numeric modules beside the window's thread, so that the window is drawn and answers meanwhile."""

import importlib

from PySide6.QtCore import QObject, QThread

__all__ = ["Loader"]


class Loader(QThread):
    """Imports a module on a thread of its own; `finished` is emitted when that is done.

    Parameters
    ----------
    module : str
    """

    def __init__(self, module: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._module = module
        self._error: BaseException | None = None

    def run(self) -> None:
        """Import the module; called by Qt on the new thread."""
        try:
            importlib.import_module(self._module)
        except BaseException as error:  # noqa: BLE001 - raised again by check, where it is waited for
            self._error = error

    def check(self) -> None:
        """Raise what went wrong while loading, if anything did."""
        if self._error is not None:
            raise self._error
