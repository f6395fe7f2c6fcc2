"""The clipboard: what is pasted becomes a photo, a backing or a cutout; cutout and flat picture are copied out."""

import time
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Final

import imagecodecs
from PySide6.QtCore import QBuffer, QIODevice, QMimeData, Qt, Signal
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from peel.desk.asking import task
from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.desk_state import DeskState
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.errors import PhotoError
from peel.files.photo import SUFFIXES, decode_photo
from peel.files.profiles import to_screen
from peel.work.delivering.products import cutout_pixels, flat_pixels
from peel.work.session.memory import pasted_folder

__all__ = ["ClipboardDesk"]

_PASTE: Final = task("pasted picture", "What is in the clipboard could not be pasted.")
_COPY: Final = task("copied picture", "The picture could not be copied.")
_KINDS: Final = (("image/png", ".png"), ("image/tiff", ".tif"), ("image/webp", ".webp"), ("image/jpeg", ".jpg"))
_QUICK: Final = 1  # level of compression: the clipboard is soon read again


class ClipboardDesk(LaneDesk):
    """Pastes and copies.

    Parameters
    ----------
    desk : DeskState
    backing : BackingDesk
        Takes pictures for the sheet.
    window : QWidget
        The parent of the dialog.
    """

    def __init__(self, desk: DeskState, backing: BackingDesk, window: QWidget) -> None:
        super().__init__(desk)
        self._backing, self._window = backing, window
        self.dialog: _PasteDialog | None = None
        desk.ask.paste.connect(self.paste)
        desk.ask.copy.connect(self.copy)

    def paste(self) -> None:
        """Take what is in the clipboard; where a photo is open, ask for what."""
        found = _found(QGuiApplication.clipboard().mimeData())
        if found is None:
            self._desk.say("There is no picture in the clipboard.", "Copy one in another program, and paste again.")
        else:
            self.ask(_PASTE, lambda: _checked(found), self._offer, outlives_photo=True)

    def _offer(self, path: Path) -> None:
        """Ask what a picture is to be, the likeliest first; without a photo on the desk it becomes that."""
        if self._desk.job is None:
            self._desk.ask.open_path.emit(path)
            return
        ways = {
            "As a photo": lambda: self._desk.ask.open_path.emit(path),
            "As the backing": lambda: self._use_on_sheet(path, behind=True),
            "As a cutout": lambda: self._use_on_sheet(path, behind=False),
        }
        if self._desk.step is Step.BACKING:
            first = self._backing.likeliest
            ways = {name: ways[name] for name in sorted(ways, key=lambda name: first not in name)}
        dialog = self.dialog = _PasteDialog(list(ways), self._window)
        dialog.chosen.connect(lambda name: ways[name]())
        dialog.destroyed.connect(self._on_gone)
        dialog.open()

    def _on_gone(self) -> None:
        self.dialog = None

    def _use_on_sheet(self, path: Path, *, behind: bool) -> None:
        if self._desk.step is not Step.BACKING:
            self._desk.choose_step(Step.BACKING)
        if behind:
            self._backing.put_behind(path)
        else:
            self._backing.place(path)

    def copy(self, flat: bool) -> None:
        """Put the cutout, with its alpha, or the flat picture into the clipboard."""
        bridge = self._desk.bridge
        if bridge is None or not bridge.job.has_subject:
            self._desk.say("There is no cutout yet to copy.", "Mark the subject first.")
            return
        job, stages = bridge.job, bridge.session.stages
        what = "The flat picture" if flat else "The cutout"

        def made() -> tuple[bytes, QImage]:
            pixels = flat_pixels(job, stages) if flat else cutout_pixels(job, stages, 8)
            pixels[..., :3] = to_screen(pixels[..., :3], job.photo.profile)
            kind = QImage.Format.Format_RGB888 if flat else QImage.Format.Format_RGBA8888
            height, width, channels = pixels.shape
            image = QImage(pixels.tobytes(), width, height, width * channels, kind).copy()
            return bytes(imagecodecs.png_encode(pixels, level=_QUICK)), image

        self._desk.noted.emit(f"{what} is being copied …")
        self.ask(_COPY, made, lambda done: self._put(what, *done), key="copy")

    def _put(self, what: str, png: bytes, image: QImage) -> None:
        mime = QMimeData()
        mime.setData("image/png", png)
        mime.setImageData(image)
        QGuiApplication.clipboard().setMimeData(mime)
        self._desk.noted.emit(f"{what} is in the clipboard, {image.width()} × {image.height()} pixels.")


class _PasteDialog(QDialog):
    """Asks what a pasted picture is to be; the first way is taken by Enter.

    Signals
    -------
    chosen : (str,)
    """

    chosen = Signal(str)

    def __init__(self, ways: Sequence[str], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Paste")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column, row = QVBoxLayout(self), QHBoxLayout()
        column.addWidget(words("The picture in the clipboard is used", "muted"))
        for number, way in enumerate(ways):
            made = button(way, partial(self._choose, way), role="chief" if number == 0 else "", name=f"paste {way}")
            made.setDefault(number == 0)
            row.addWidget(made)
        column.addLayout(row)

    def _choose(self, way: str) -> None:
        self.accept()
        self.chosen.emit(way)


def _found(mime: QMimeData | None) -> Path | tuple[bytes, str] | QImage | None:
    """Return the file or the picture that the clipboard holds; None if it holds neither."""
    if mime is None:
        return None
    files = [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()]
    if files and files[0].suffix.lower() in SUFFIXES:
        return files[0]
    for kind, suffix in _KINDS:
        content = bytes(mime.data(kind).data())
        if content:
            return content, suffix
    image = mime.imageData() if mime.hasImage() else None
    return image if isinstance(image, QImage) and not image.isNull() else None


def _checked(found: Path | tuple[bytes, str] | QImage) -> Path:
    """Return the file of what was found, which is written beside Peel's working files; what cannot be decoded fails.

    Raises
    ------
    PhotoError
    """
    if isinstance(found, Path):
        return found
    content, suffix = (_png(found), ".png") if isinstance(found, QImage) else found
    decode_photo(content, f"The picture in the clipboard{suffix}")
    folder = pasted_folder()
    path = folder / f"Pasted {time.strftime('%Y-%m-%d %H.%M.%S')}{suffix}"
    try:
        folder.mkdir(exist_ok=True)
        path.write_bytes(content)
    except OSError as error:
        message = f"The pasted picture cannot be written to {folder}: {error.strerror}."
        raise PhotoError(message, "Make room on the disk, and paste again.") from error
    return path


def _png(image: QImage) -> bytes:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())
