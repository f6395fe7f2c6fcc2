"""The snag list of Deliver: everything that was found, the gravest first, each with its picture and place."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QSignalBlocker, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QLineEdit, QListWidgetItem, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button, side_by_side
from peel.desk.controls.growing_list import GrowingList
from peel.desk.controls.labels import plain_tip, words

__all__ = ["ListedSnag", "SnagList"]

_PICTURE = 84


@dataclass(frozen=True)
class ListedSnag:
    """A snag as the list shows it."""

    key: str
    title: str
    says: str
    severity: str
    mend: str
    is_offered: bool
    accepted: str


class SnagList(QWidget):
    """Shows snags and says what the person does about the chosen one.

    Signals
    -------
    chosen, mend_asked : (int,)
    accepted : (int, str)
        For a reason.
    """

    chosen = Signal(int)
    mend_asked = Signal(int)
    accepted = Signal(int, str)

    def __init__(self) -> None:
        super().__init__()
        self.snags: list[ListedSnag] = []
        self._pictures: dict[str, QIcon] = {}
        self.counts = words("", "strong")
        self.list = GrowingList("Snags, the gravest first", most=3)
        self.list.setIconSize(QSize(_PICTURE, _PICTURE))
        self.list.setWordWrap(True)
        self.list.setSpacing(1)
        self.list.currentRowChanged.connect(self._on_row)
        self._says = words("")
        self.mend = button("Mend it", lambda: self.mend_asked.emit(self.list.currentRow()), name="delivery mend",
                           tip="Mends the chosen snag; one step of undo (F2)")  # fmt: skip
        self.reason = QLineEdit()
        self.take = button("It is right", lambda: self.accepted.emit(self.list.currentRow(), self.reason.text()),
                           name="delivery accept", tip="Accepts it for the reason beside it (F3)")  # fmt: skip
        self.reason.setPlaceholderText("reason")
        self.reason.setToolTip("Why it is right as it is; kept in the job and in reports")
        self.reason.setMaxLength(200)
        self.reason.setAccessibleName("Why it is right as it is")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._more = button("", self._show_all, role="link", tip="Show all that was found")
        for part in (self.counts, self.list, self._more, self._says):
            column.addWidget(part)
        column.addLayout(side_by_side(self.mend, self.take, self.reason, spacing=4))
        self.show_snags([], "")

    def show_snags(self, snags: Sequence[ListedSnag], counts: str) -> None:
        """Show snags; the chosen one stays chosen if it is still there."""
        chosen = self.snags[self.list.currentRow()].key if 0 <= self.list.currentRow() < len(self.snags) else ""
        self.snags = list(snags)
        self.counts.setText(counts)
        with QSignalBlocker(self.list):
            self.list.clear()
            for snag in snags:
                done = f" – right: {snag.accepted}" if snag.accepted else ""
                item = QListWidgetItem(f"{snag.title} · {snag.severity}{done}")
                item.setToolTip(plain_tip(snag.says))
                item.setSizeHint(QSize(0, _PICTURE + 4))
                item.setIcon(self._pictures.get(snag.key, QIcon()))
                if snag.accepted:
                    item.setForeground(Qt.GlobalColor.gray)
                self.list.addItem(item)
            row = next((k for k, snag in enumerate(snags) if snag.key == chosen), -1)
            self.list.setCurrentRow(row)
        self.list.setVisible(bool(snags))
        self._show_more()
        self._show_row(row)

    def _show_all(self) -> None:
        self.list.show_all()
        self._show_more()

    def _show_more(self) -> None:
        left = self.list.hidden_rows
        self._more.setVisible(left > 0)
        self._more.setText(f"Show the other {left}")

    def show_picture(self, key: str, image: QImage) -> None:
        """Show the picture of a snag."""
        icon = QIcon()
        for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):  # a chosen one keeps its colours
            icon.addPixmap(QPixmap.fromImage(image), mode)
        self._pictures[key] = icon
        for row, snag in enumerate(self.snags):
            if snag.key == key:
                self.list.item(row).setIcon(self._pictures[key])

    def forget_pictures(self) -> None:
        """Forget the pictures of another photo."""
        self._pictures.clear()

    def has_picture(self, key: str) -> bool:
        """Return whether a snag's picture is known."""
        return key in self._pictures

    def _on_row(self, row: int) -> None:
        self._show_row(row)
        self._show_more()
        if row >= 0:
            self.chosen.emit(row)

    def _show_row(self, row: int) -> None:
        snag = self.snags[row] if 0 <= row < len(self.snags) else None
        for part in (self.mend, self.take, self.reason):
            part.setVisible(bool(self.snags))
            part.setEnabled(snag is not None)
        self._says.setText(f"{snag.says} {snag.mend}".strip() if snag is not None else "")
        self._says.setVisible(snag is not None)
        if snag is not None:
            self.mend.setEnabled(snag.is_offered and not snag.accepted)
            self.take.setEnabled(not snag.accepted)
            self.reason.setText(snag.accepted)
