"""Ask for files, where the last ones were."""

from pathlib import Path
from typing import Final

from PySide6.QtWidgets import QFileDialog, QWidget

from peel.files.photo import SUFFIXES
from peel.work import memory

__all__ = ["ask_job_name", "ask_photo_or_job"]

_FILTER: Final = "Photos and jobs (" + " ".join(f"*{suffix}" for suffix in (*SUFFIXES, ".peel")) + ")"


def ask_photo_or_job(parent: QWidget) -> Path | None:
    """Ask which file to open; None if nothing was chosen."""
    begin = str(memory.read_preference("opened from") or "")
    chosen, _ = QFileDialog.getOpenFileName(parent, "Open a photo or job", begin, _FILTER)
    if not chosen:
        return None
    memory.write_preference("opened from", str(Path(chosen).parent))
    return Path(chosen)


def ask_job_name(parent: QWidget, photo_name: str) -> Path | None:
    """Ask under which name to keep a job; None if nothing was chosen."""
    suggested = Path.home() / f"{Path(photo_name).stem}.peel"
    dialog = QFileDialog(parent, "Keep the job as", str(suggested), "Peel jobs (*.peel)")
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.setDefaultSuffix("peel")  # added before the dialog asks about a file that is there
    chosen = dialog.selectedFiles() if dialog.exec() == QFileDialog.DialogCode.Accepted else []
    dialog.deleteLater()
    return Path(chosen[0]) if chosen else None
