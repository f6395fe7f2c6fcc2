"""The message bar: one sentence over the top of the picture, which blocks nothing and moves nothing."""

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from peel.desk.controls.labels import words

__all__ = ["MessageBar"]


class MessageBar(QWidget):
    """Shows what happened and what to do; stays until it is dismissed, replaced or left behind.

    Parameters
    ----------
    parent : QWidget
        It lies over the top of `parent`, or of another widget of the window, see `lie_over`.

    Signals
    -------
    chosen : (str,)
        The way out that was offered with a sentence is taken.
    """

    chosen = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("message")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(
            "#message { background: #fff3cd; border-bottom: 1px solid #a98a1d; } #message * { color: #2b2200; }"
        )
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 6, 8, 6)
        self._words = words("", "message words")
        self._words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._words.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self._copy = QPushButton("Copy details")
        self._copy.clicked.connect(self._on_copy)
        self._offer = QPushButton()
        self._offer.clicked.connect(self._on_offer)
        dismiss = QPushButton("Dismiss")
        dismiss.setAccessibleName("Dismiss the message")
        dismiss.clicked.connect(self.hide)
        for button in (self._offer, self._copy, dismiss):
            button.setStyleSheet("background: #f1dfa0; color: #2b2200;")
        line.addWidget(self._words, 1)
        line.addWidget(self._offer)
        line.addWidget(self._copy)
        line.addWidget(dismiss)
        self._details = ""
        self._under: QWidget = parent
        parent.installEventFilter(self)
        self.hide()

    @property
    def text(self) -> str:
        """What is said."""
        return self._words.text()

    def lie_over(self, under: QWidget) -> None:
        """Lie over the top of another widget of the window from now on."""
        if under is not self._under:
            self._under.removeEventFilter(self)
            self._under = under
            under.installEventFilter(self)
        self._settle()

    @property
    def offered(self) -> QPushButton:
        """The button with the way out that is offered, if it is visible."""
        return self._offer

    def say(self, message: str, hint: str = "", details: str = "", offer: str = "") -> None:
        """Show a sentence, what to do about it, and a way out that can be taken by one press."""
        self._offer.setText(offer)
        self._offer.setVisible(bool(offer))
        self._words.setText(f"{message} {hint}".strip())
        self._details = details
        self._copy.setVisible(bool(details))
        self.show()
        self._settle()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Follow the widget underneath."""
        if watched is self._under and event.type() in {QEvent.Type.Resize, QEvent.Type.Move, QEvent.Type.Show}:
            self._settle()
        return super().eventFilter(watched, event)

    def _settle(self) -> None:
        parent = self.parentWidget()
        if parent is None or self.isHidden():
            return
        corner = self._under.mapTo(parent, self._under.rect().topLeft()) if self._under is not parent else None
        left, top = (corner.x(), corner.y()) if corner is not None else (0, 0)
        width = self._under.width()
        self.setGeometry(left, top, width, self.heightForWidth(width))
        self.raise_()

    def _on_offer(self) -> None:
        self.hide()
        self.chosen.emit(self._offer.text())

    def _on_copy(self) -> None:
        QGuiApplication.clipboard().setText(f"{self._words.text()}\n\n{self._details}")
