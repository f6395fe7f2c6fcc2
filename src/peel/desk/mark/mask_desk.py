"""Masks beyond their menu: files that are read and written, and what a dropped picture is used as."""

from pathlib import Path
from typing import Final

import cv2
import numpy as np
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QInputDialog

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.files.file_dialogs import ask_mask_name, ask_picture
from peel.desk.mark.mask_menu import MaskDialog
from peel.desk.mark.panel import MarkPanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.errors import PhotoError
from peel.files.photo import SUFFIXES
from peel.matte.pixels import to_bytes
from peel.work.marking.masks import (
    Mask,
    MaskUse,
    bring_back_mark,
    forget_mark,
    found_mask,
    keep_mark,
    save_mask,
    use_mask,
)

__all__ = ["MaskDesk"]

_READ: Final = task("mask", "The mask could not be read.")
_SAVE: Final = task("saved mask", "The picture could not be saved.")
_STEPS: Final = (Step.MARK, Step.EDGE, Step.MATTE)
_SMALL_PX: Final = 180
_LABELS: Final = {"mark": "Mask as the mark", "zones": "Mask as zones", "matte": "Mask as the matte"}


class MaskDesk(LaneDesk):
    """Carries out what the menu of masks asks for."""

    def __init__(self, desk: DeskState, panel: MarkPanel) -> None:
        super().__init__(desk)
        self._panel = panel
        self.dialog: MaskDialog | None = None
        masks = panel.masks
        masks.file_asked.connect(self._on_file_asked)
        masks.save_asked.connect(self._on_save_asked)
        masks.keep_asked.connect(self._on_keep_asked)
        masks.brought_back.connect(lambda name: desk.edit(f"Bring back {name}", lambda job: bring_back_mark(job, name)))
        masks.forgotten.connect(lambda name: desk.edit(f"Forget {name}", lambda job: forget_mark(job, name)))

    def on_file(self, path: Path) -> bool:
        """Take a picture dropped where the mark, the band or the matte is worked on: if it is no mask, it is opened."""
        is_mine = self._desk.step in _STEPS and path.suffix.lower() in SUFFIXES and self._desk.job is not None
        if is_mine:
            self.take(path, only_masks=False)
        return is_mine

    def _on_file_asked(self) -> None:
        chosen = ask_picture(self._panel.window(), "Open a mask")
        if chosen is not None:
            self.take(chosen, only_masks=True)

    def take(self, path: Path, *, only_masks: bool) -> None:
        """Read a file, and ask what it is to be used as; opened as a photo if it is no mask, unless it has to be."""
        job = self._desk.job
        if job is None:
            return
        photo = job.photo

        def read() -> tuple[Mask, QImage] | None:
            try:
                mask = found_mask(path, photo)
            except PhotoError:
                if only_masks:
                    raise
                return None
            return mask, _small(mask)

        def use(found: tuple[Mask, QImage] | None) -> None:
            if found is None:
                self._desk.ask.open_path.emit(path)
            else:
                self._ask_use(path, *found)

        self.ask(_READ, read, use)

    def _ask_use(self, path: Path, mask: Mask, small: QImage) -> None:
        dialog = self.dialog = MaskDialog(mask, small, self._panel.window())
        dialog.used.connect(lambda use, inverted: self._use(mask, use, inverted=inverted))
        dialog.opened.connect(lambda: self._desk.ask.open_path.emit(path))
        dialog.destroyed.connect(self._on_gone)
        dialog.open()

    def _on_gone(self) -> None:
        self.dialog = None

    def _use(self, mask: Mask, use: MaskUse, *, inverted: bool) -> None:
        values = np.asarray(1 - mask.values if inverted else mask.values, np.float32)
        self._desk.edit(_LABELS[use], lambda job: use_mask(job, values, use))

    def _on_save_asked(self, use: MaskUse) -> None:
        bridge = self._desk.bridge
        if bridge is None:
            return
        job, stages = bridge.job, bridge.session.stages
        path = ask_mask_name(self._panel.window(), job.photo.name, use)
        if path is not None:
            self.ask(
                _SAVE,
                lambda: save_mask(path, job, stages, use),
                lambda _none: self._desk.say(f"Saved as {path}."),
                outlives_photo=True,
            )

    def _on_keep_asked(self) -> None:
        job = self._desk.job
        if job is None:
            return
        proposed = f"Mark {len(job.settings.photo.kept_marks) + 1}"
        name, is_given = QInputDialog.getText(self._panel.window(), "Keep this mark", "Name", text=proposed)
        if is_given:
            self._desk.edit(f"Keep {name}", lambda job: keep_mark(job, name))


def _small(mask: Mask) -> QImage:
    """Return a mask small enough for a dialog."""
    height, width = mask.values.shape
    scale = _SMALL_PX / max(height, width)
    size = max(round(width * scale), 1), max(round(height * scale), 1)
    values = to_bytes(cv2.resize(mask.values, size, interpolation=cv2.INTER_AREA))
    return image_from_rgb(np.repeat(values[..., None], 3, axis=2))
