"""Answers to choose from, side by side over the picture."""

from functools import partial
from typing import Final

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QCheckBox, QGridLayout, QPushButton, QToolButton, QWidget

from peel.desk.controls.labels import words
from peel.desk.controls.over_picture import OverPicture

__all__ = ["Answers"]

_SIZE: Final = QSize(224, 168)
_COLUMNS: Final = 2


class Answers(OverPicture):
    """Lies over its parent's lower part; each answer is taken by a press.

    Signals
    -------
    taken : (int,)
        The number of an answer.
    left : ()
        None is taken.
    """

    taken = Signal(int)
    left = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "sheet")
        self.setAccessibleName("Answers to choose from")
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(12, 10, 12, 10)
        self._grid.setSpacing(6)
        self._title = words("", "strong")
        self._grid.addWidget(self._title, 0, 0)
        self._leave = QPushButton("Leave it as it is")
        self._leave.setToolTip("Take none of them")
        self._leave.clicked.connect(lambda _checked=False: self.left.emit())
        self._grid.addWidget(self._leave, 0, 1)
        self.wider = QCheckBox()
        self.wider.hide()
        self.buttons: list[QToolButton] = []

    def begin(self, names: list[str], title: str = "Solved again here: press one to take it", wider: str = "") -> None:
        """Make room for answers that are still being computed; `wider` names where else one can be taken for."""
        self.clear()
        for number, name in enumerate(names):
            button = QToolButton()
            button.setObjectName(f"answer {number}")
            button.setText(f"{name}: being made")
            button.setProperty("plain name", name)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(_SIZE)
            button.setMinimumSize(_SIZE.width() + 8, _SIZE.height() + 26)
            button.setEnabled(False)
            button.clicked.connect(partial(self._take, number))
            self._grid.addWidget(button, 1 + number // _COLUMNS, number % _COLUMNS)
            self.buttons.append(button)
        self._title.setText(title)
        self.wider.setChecked(False)
        self.wider.setVisible(bool(wider))
        if wider:
            self.wider.setText(wider)
            self._grid.addWidget(self.wider, 2 + len(names) // _COLUMNS, 0, 1, _COLUMNS)
        self.settle()

    def _take(self, number: int) -> None:
        self.taken.emit(number)

    def offer(self, number: int) -> None:
        """Let an answer be taken that has no picture."""
        button = self.buttons[number]
        button.setText(str(button.property("plain name")))
        button.setEnabled(True)

    def show_answer(self, number: int, name: str, image: QImage) -> None:
        """Show one answer."""
        button = self.buttons[number]
        fitted = QPixmap.fromImage(image).scaled(
            _SIZE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        button.setIcon(QIcon(fitted))
        button.setText(name)
        button.setAccessibleName(f"Take the answer {name}")
        button.setEnabled(True)

    def clear(self) -> None:
        """Take everything away."""
        for button in self.buttons:
            self._grid.removeWidget(button)
            button.setObjectName("")
            button.hide()
            button.deleteLater()
        self.buttons = []
        self.hide()

    def place(self, picture: QWidget) -> None:
        """Lie over the picture's lower part."""
        self.adjustSize()
        self.move(max(0, (picture.width() - self.width()) // 2), max(0, picture.height() - self.height() - 12))
