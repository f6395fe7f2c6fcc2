"""Pictures of kept gradients and patterns, to choose from and to step through."""

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QIcon, QImage, QPixmap
from PySide6.QtWidgets import QGridLayout, QPushButton, QSizePolicy, QWidget

__all__ = ["BackingStrip"]

_A_ROW = 6
_PICTURE = QSize(34, 26)


class _Kept(QPushButton):
    """A kept backing.

    Signals
    -------
    dropped : ()
    """

    dropped = Signal()

    def __init__(self, name: str, *, is_own: bool) -> None:
        super().__init__()
        self.setObjectName(f"kept {name}")
        self.setAccessibleName(name)
        self.setToolTip(f"{name} · the right button takes it off" if is_own else name)
        self.setProperty("role", "page")
        self.setCheckable(True)
        self.setIconSize(_PICTURE)
        self.setFixedHeight(_PICTURE.height() + 8)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)  # six share the column
        self._is_own = is_own

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Take it off, if it is the person's own."""
        if self._is_own:
            self.dropped.emit()
        event.accept()


class BackingStrip(QWidget):
    """A few rows of pictures.

    Signals
    -------
    chosen, dropped : (str,)
        By name.
    """

    chosen = Signal(str)
    dropped = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(3)
        self._buttons: dict[str, _Kept] = {}
        self._icons: dict[str, QIcon] = {}

    def show_kept(self, names: Sequence[tuple[str, bool]], chosen: str) -> None:
        """Show backings by name, and whether each is the person's own; one may be the present one."""
        if list(self._buttons) != [name for name, _ in names]:
            for old in self._buttons.values():
                self._grid.removeWidget(old)
                old.hide()
                old.deleteLater()
            self._buttons = {}
            for number, (name, is_own) in enumerate(names):
                made = self._buttons[name] = _Kept(name, is_own=is_own)
                made.clicked.connect(partial(self._choose, name))
                made.dropped.connect(partial(self.dropped.emit, name))
                made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                if name in self._icons:
                    made.setIcon(self._icons[name])
                self._grid.addWidget(made, number // _A_ROW, number % _A_ROW)
        for name, shown in self._buttons.items():
            shown.setChecked(name == chosen)

    def _choose(self, name: str, _checked: bool = False) -> None:
        self.chosen.emit(name)

    def show_picture(self, name: str, image: QImage) -> None:
        """Show what a backing looks like."""
        self._icons[name] = QIcon(QPixmap.fromImage(image))
        if name in self._buttons:
            self._buttons[name].setIcon(self._icons[name])

    @property
    def without_picture(self) -> list[str]:
        """The names of those whose picture is not drawn yet."""
        return [name for name in self._buttons if name not in self._icons]

    def forget_picture(self, name: str) -> None:
        """Draw a backing anew: another was kept under its name."""
        self._icons.pop(name, None)
