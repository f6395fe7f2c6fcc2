"""Files that are dropped on a widget."""

from pathlib import Path

from PySide6.QtGui import QDropEvent

__all__ = ["dropped_files"]


def dropped_files(event: QDropEvent) -> list[Path]:
    """List the files of this machine that are dropped."""
    return [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
