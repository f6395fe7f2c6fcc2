"""What every step's panel has in common."""

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from peel.desk.bridge import SessionBridge
from peel.job.job import Job

__all__ = ["Panel", "words"]


def words(text: str, role: str = "small") -> QLabel:
    """Make a label of a role of the theme."""
    label = QLabel(text)
    label.setObjectName(role)
    label.setWordWrap(True)
    return label


class Panel(QWidget):
    """Reads the job, calls edits, keeps no truth of its own."""

    title = ""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.bridge: SessionBridge | None = None
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 4, 0)
        self.column.setSpacing(8)
        self.column.addWidget(words(self.title, "title"))
        self.build()
        self.column.addStretch(1)

    def build(self) -> None:
        """Put the panel's widgets into its column."""

    def set_session(self, bridge: SessionBridge | None) -> None:
        """Work on another session, or none."""
        self.bridge = bridge
        if bridge is not None:
            self.show_job(bridge.job)

    def show_job(self, job: Job) -> None:
        """Show a job's values."""

    def edit(self, label: str, change: Callable[[Job], Job], *, dragged: bool = False) -> None:
        """Make an edit; a dragged value joins its last step of undo."""
        if self.bridge is not None:
            self.bridge.session.apply(label, change, joins_last=dragged)

    def rule(self) -> None:
        """Add a thin line."""
        line = QWidget()
        line.setObjectName("rule")
        self.column.addWidget(line)

    def row(self, *widgets: QWidget) -> QHBoxLayout:
        """Add widgets side by side."""
        line = QHBoxLayout()
        line.setSpacing(6)
        for widget in widgets:
            line.addWidget(widget)
        self.column.addLayout(line)
        return line

    def button(self, text: str, pressed: Callable[[], object], *, role: str = "", tip: str = "") -> QPushButton:
        """Make a button."""
        made = QPushButton(text)
        if role:
            made.setObjectName(role)
        made.setToolTip(tip)
        made.clicked.connect(lambda _checked=False: pressed())
        return made
