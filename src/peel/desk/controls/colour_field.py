"""A colour: typed as #rrggbb, or picked from the picture."""

from PySide6.QtCore import QRegularExpression, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QRegularExpressionValidator
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from peel.desk.controls.labels import words
from peel.desk.theme import current

__all__ = ["ColourField"]


class _Patch(QWidget):
    """Shows a colour."""

    def __init__(self) -> None:
        super().__init__()
        self.colour = "#ffffff"
        self.setFixedSize(26, 26)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(current().colour("line"))
        painter.setBrush(QColor(self.colour))
        painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 4, 4)


class ColourField(QWidget):
    """One colour with its name.

    Signals
    -------
    changed : (str,)
        As ``#rrggbb``.
    pick_asked : ()
        It is to be picked from the picture.
    """

    changed = Signal(str)
    pick_asked = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName(f"colour {name}")
        self._patch = _Patch()
        self.code = QLineEdit()
        self.code.setAccessibleName(f"{name} as #rrggbb")
        self.code.setValidator(QRegularExpressionValidator(QRegularExpression("#?[0-9a-fA-F]{6}"), self))
        self.code.editingFinished.connect(self._on_code)
        self.code.setFixedWidth(84)
        self.pick = QPushButton("Pick")
        self.pick.setObjectName(f"pick {name}")
        self.pick.setToolTip("Press on the picture: its colour there is taken")
        self.pick.clicked.connect(lambda _checked=False: self.pick_asked.emit())
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        line.addWidget(words(name), 1)
        for part in (self._patch, self.code, self.pick):
            line.addWidget(part)

    @property
    def colour(self) -> str:
        """The colour that is shown, as ``#rrggbb``."""
        return self._patch.colour

    def show_colour(self, colour: str) -> None:
        """Show a colour without telling anyone."""
        self._patch.colour = colour
        self._patch.update()
        if not self.code.hasFocus():
            self.code.setText(colour)

    def _on_code(self) -> None:
        text = self.code.text().lower()
        code = text if text.startswith("#") else f"#{text}"
        if len(code) == 7 and code != self._patch.colour:
            self.changed.emit(code)
