"""The sheet of keys, over the canvas; any key or press puts it away."""

from typing import Final

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from peel.desk.panels.panel import words

__all__ = ["KEYS", "KeySheet"]

KEYS: Final = (
    ("Tools", (("C  S  A", "Contour, Sweep, Alike"), ("B  I  P", "Brush, Fill, Propose"),
               ("E  D  X", "Band, Certain, Exact"),
               ("Alt", "the other way round, while held"), ("Shift", "straight on; 15° steps; one more colour"),
               ("Ctrl", "the other kind of stretch"),
               ("[  ]", "smaller, larger brush"), ("F  O", "line: follow the edge; exact"),
               ("Enter, Backspace", "close, take back a point"), ("Escape", "leave the contour"),
               ("Delete, Q", "remove a point, turn it smooth"), ("T  V  R", "target, extent, rim"))),
    ("Views", (("1 – 7", "Photo, Zones, Matte, White, Black, Loud, Backing"), ("hold 1 – 7", "only peek"),
               ("W", "wipe line"),
               ("Ctrl+0", "fit"), ("Ctrl+1", "100 %"), ("+  −", "nearer, farther"), ("wheel", "zoom at the cursor"),
               ("Space, middle button", "pan"), ("F11", "full screen"))),
    ("Work", (("Page Down, Page Up", "next step, step before"), ("Ctrl+Z", "undo"), ("Ctrl+Shift+Z", "redo"),
              ("Ctrl+O", "open"), ("Ctrl+S", "keep under a name"), ("Ctrl+W", "close the photo"),
              ("Ctrl+Return", "deliver"), ("Ctrl+Q", "quit"), ("Ctrl+Shift+L", "light or dark"),
            ("?", "this sheet"))),
)  # fmt: skip


class KeySheet(QWidget):
    """Shows all keys."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All keys")
        grid = QGridLayout(self)
        grid.setContentsMargins(36, 28, 36, 28)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(7)
        for column, (title, keys) in enumerate(KEYS):
            grid.addWidget(words(title, "title"), 0, column * 2, 1, 2)
            for row, (key, meaning) in enumerate(keys, 1):
                label = QLabel(key)
                label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                label.setStyleSheet("font-weight: 600;")
                grid.addWidget(label, row, column * 2)
                grid.addWidget(QLabel(meaning), row, column * 2 + 1)
            grid.setColumnStretch(column * 2 + 1, 1)
        grid.addWidget(words("Any key puts this away.", "small"), 14, 0, 1, 6)
        grid.setRowStretch(15, 1)
        self.hide()

    def toggle(self) -> None:
        """Show the sheet over its parent, or put it away."""
        if self.isVisible():
            self.hide()
            return
        parent = self.window() if self.isWindow() else self.parentWidget() or self
        size = self.sizeHint().boundedTo(parent.size())
        self.setGeometry(
            (parent.width() - size.width()) // 2,
            (parent.height() - size.height()) // 2,
            size.width(),
            size.height(),
        )
        self.show()
        self.raise_()
        self.setFocus()

    def event(self, event: QEvent) -> bool:
        """Keep keys from doing what they otherwise would."""
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, _event: QKeyEvent) -> None:
        """Put it away."""
        self.hide()

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        """Put it away."""
        self.hide()
