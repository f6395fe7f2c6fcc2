"""Masks: a button with what can be done with masks from elsewhere, and with marks that are kept."""

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.work.marking.masks import Mask, MaskUse

__all__ = ["MaskDialog", "MaskMenu"]

_USES: tuple[tuple[MaskUse, str, str], ...] = (
    ("mark", "As the mark", "The subject from half grey up; the unsure band lays itself around it"),
    ("zones", "As zones", "Black is backdrop, white is subject, all between is unsure and will be solved"),
    ("matte", "As the matte", "Taken as it is, soft edges and all; nothing is solved"),
)


class MaskMenu(QPushButton):
    """A button with a menu.

    Signals
    -------
    file_asked, keep_asked : ()
    save_asked : (str,)
        "mark", "zones" or "matte".
    brought_back, forgotten : (str,)
        The name of a kept mark.
    """

    file_asked = Signal()
    keep_asked = Signal()
    save_asked = Signal(str)
    brought_back = Signal(str)
    forgotten = Signal(str)

    def __init__(self) -> None:
        super().__init__("Masks…")
        self.setObjectName("masks")
        self.setToolTip("Masks from elsewhere; the mark, zones or matte as a picture; marks kept under names")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._names: tuple[str, ...] | None = None
        self._menu = QMenu(self)
        self.setMenu(self._menu)
        self.show_kept(())

    def show_kept(self, names: Sequence[str]) -> None:
        """List the marks that are kept."""
        if tuple(names) == self._names:
            return
        self._names = tuple(names)
        menu = self._menu
        menu.clear()
        menu.addAction("Open a mask…", self.file_asked.emit)
        menu.addSeparator()
        for use in ("mark", "zones", "matte"):
            menu.addAction(f"Save the {use}…", partial(self.save_asked.emit, use))
        menu.addSeparator()
        menu.addAction("Keep this mark…", self.keep_asked.emit)
        for title, news in (("Bring back", self.brought_back), ("Forget", self.forgotten)):
            kept = menu.addMenu(title)
            kept.setEnabled(bool(names))
            for name in names:
                kept.addAction(name, partial(news.emit, name))


class MaskDialog(QDialog):
    """Asks what a mask is to be used as, with what it seems to be chosen beforehand.

    Signals
    -------
    used : (str, bool)
        As what, and whether black is the subject.
    opened : ()
        It is to be opened as a photo.
    """

    used = Signal(str, bool)
    opened = Signal()

    def __init__(self, mask: Mask, small: QImage, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Use {mask.name}")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column, across = QVBoxLayout(), QHBoxLayout(self)
        picture = QLabel()
        picture.setPixmap(QPixmap.fromImage(small))
        picture.setAlignment(Qt.AlignmentFlag.AlignTop)
        across.addWidget(picture)
        across.addLayout(column)
        self._uses = QButtonGroup(self)
        for number, (use, text, meaning) in enumerate(_USES):
            choice = QRadioButton(text)
            choice.setObjectName(f"mask as {use}")
            choice.setChecked(use == mask.use)
            self._uses.addButton(choice, number)
            column.addWidget(choice)
            column.addWidget(words(meaning, "muted"))
        self.inverted = QCheckBox("Black is the subject")
        self.inverted.setObjectName("mask inverted")
        self.inverted.setChecked(mask.is_inverted)
        column.addWidget(self.inverted)
        column.addStretch(1)
        row = QHBoxLayout()
        use_it = button("Use it", self._use, role="chief", name="use mask", tip="In place of what is marked now")
        row.addWidget(use_it)
        row.addWidget(button("Open as a photo", self._open, name="open mask as photo", tip="It is no mask of this one"))
        row.addWidget(button("Leave it", self.reject, name="leave mask", tip="Nothing changes"))
        column.addLayout(row)
        use_it.setDefault(True)

    def _use(self) -> None:
        self.used.emit(_USES[self._uses.checkedId()][0], self.inverted.isChecked())
        self.accept()

    def _open(self) -> None:
        self.opened.emit()
        self.accept()
