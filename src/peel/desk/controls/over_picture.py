"""What lies over the picture and keeps its place when the picture changes its size."""

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QWidget

__all__ = ["OverPicture"]


class OverPicture(QWidget):
    """A child of the picture, hidden at first.

    Parameters
    ----------
    parent : QWidget
        The picture.
    role : str
        Of the theme.
    """

    def __init__(self, parent: QWidget, role: str) -> None:
        super().__init__(parent)
        self.setObjectName(role)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        parent.installEventFilter(self)
        self.hide()

    def place(self, picture: QWidget) -> None:
        """Take its place over the picture: all of it, unless overridden."""
        self.setGeometry(picture.rect())

    def settle(self) -> None:
        """Show it in its place, over everything else."""
        self.show()
        self._place()
        self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Stay in place when the picture changes its size."""
        if event.type() == QEvent.Type.Resize and watched is self.parent():
            self._place()
        return False

    def _place(self) -> None:
        picture = self.parentWidget()
        if picture is not None:
            self.place(picture)
