"""Ask for files, where the last ones were."""

from pathlib import Path
from typing import Final

from PySide6.QtWidgets import QFileDialog, QWidget

from peel.files.photo import SUFFIXES
from peel.work.session import memory

__all__ = [
    "ask_cutout",
    "ask_folder",
    "ask_job_name",
    "ask_mask_name",
    "ask_photo_or_job",
    "ask_photos",
    "ask_picture",
    "ask_preset",
    "ask_preset_name",
]

_FILTER: Final = "Photos and jobs (" + " ".join(f"*{suffix}" for suffix in (*SUFFIXES, ".peel")) + ")"

_PICTURES: Final = "Pictures (" + " ".join(f"*{suffix}" for suffix in SUFFIXES) + ")"
_CUTOUTS: Final = "Jobs and pictures with transparency (*.peel *.png *.tif *.tiff *.webp)"


def ask_photo_or_job(parent: QWidget) -> Path | None:
    """Ask which file to open; None if nothing was chosen."""
    return _asked(parent, "Open a photo or job", _FILTER, "opened from")


def ask_picture(parent: QWidget, title: str) -> Path | None:
    """Ask for a picture that stands on the sheet; None if nothing was chosen."""
    return _asked(parent, title, _PICTURES, "pictures from")


def ask_cutout(parent: QWidget) -> Path | None:
    """Ask for a job or a picture with transparency; None if nothing was chosen."""
    return _asked(parent, "Place a cutout", _CUTOUTS, "cutouts from")


def ask_mask_name(parent: QWidget, photo_name: str, what: str) -> Path | None:
    """Ask under which name to save the mark, the zones or the matte."""
    begin = Path(str(memory.read_preference("masks to") or Path.home()))
    chosen = _asked_name(parent, f"Save the {what}", begin / f"{Path(photo_name).stem}-{what}.png", "Pictures (*.png)")
    if chosen is not None:
        memory.write_preference("masks to", str(chosen.parent))
    return chosen


def ask_folder(parent: QWidget) -> Path | None:
    """Ask for a folder of photos; None if nothing was chosen."""
    chosen = QFileDialog.getExistingDirectory(
        parent, "Open a folder", str(memory.read_preference("folders from") or "")
    )
    if not chosen:
        return None
    memory.write_preference("folders from", str(Path(chosen).parent))
    return Path(chosen)


def ask_photos(parent: QWidget) -> list[Path]:
    """Ask for any number of photos."""
    begin = str(memory.read_preference("opened from") or "")
    chosen, _ = QFileDialog.getOpenFileNames(parent, "Add photos", begin, _PICTURES)
    return [Path(name) for name in chosen]


def ask_preset(parent: QWidget) -> Path | None:
    """Ask for a preset's file; None if nothing was chosen."""
    return _asked(parent, "Add a preset", "Presets (*.json)", "presets from")


def _asked(parent: QWidget, title: str, names: str, key: str) -> Path | None:
    """Ask for a file where the last one was."""
    begin = str(memory.read_preference(key) or "")
    chosen, _ = QFileDialog.getOpenFileName(parent, title, begin, names)
    if not chosen:
        return None
    memory.write_preference(key, str(Path(chosen).parent))
    return Path(chosen)


def ask_job_name(parent: QWidget, photo_name: str) -> Path | None:
    """Ask under which name to keep a job; None if nothing was chosen."""
    suggested = Path.home() / f"{Path(photo_name).stem}.peel"
    return _asked_name(parent, "Keep the job as", suggested, "Peel jobs (*.peel)")


def ask_preset_name(parent: QWidget, name: str) -> Path | None:
    """Ask under which name to share a preset; None if nothing was chosen."""
    stem = "".join(part if part.isalnum() or part in "-_" else "-" for part in name.lower())
    begin = Path(str(memory.read_preference("presets from") or Path.home()))
    return _asked_name(parent, "Share the preset as", begin / f"{stem}.json", "Presets (*.json)")


def _asked_name(parent: QWidget, title: str, suggested: Path, names: str) -> Path | None:
    """Ask for the name of a file to write."""
    dialog = QFileDialog(parent, title, str(suggested), names)
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.setDefaultSuffix(suggested.suffix[1:])  # added before the dialog asks about a file that is there
    chosen = dialog.selectedFiles() if dialog.exec() == QFileDialog.DialogCode.Accepted else []
    dialog.deleteLater()
    return Path(chosen[0]) if chosen else None
