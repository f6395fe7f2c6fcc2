"""The board as a page: its cards, what is shown of them, and what can be done with those that are chosen."""

from pathlib import Path

from PySide6.QtCore import QItemSelection, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from peel.desk.board.cards import Card, CardModel
from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.work.many.board import Entry
from peel.work.many.status import UNSEEN, Progress
from peel.work.session import memory

__all__ = ["BoardPage"]


class _Cards(QListView):
    """The cards; Enter opens the one with the focus."""

    entered = Signal(int)

    def __init__(self, model: CardModel) -> None:
        super().__init__()
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setUniformItemSizes(True)
        self.setLayoutMode(QListView.LayoutMode.Batched)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Photos of the assignment")
        self.setModel(model)
        self._card = Card(model)
        self.setItemDelegate(self._card)
        self.doubleClicked.connect(lambda index: self.entered.emit(index.row()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Open by Enter."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.entered.emit(self.currentIndex().row())
        else:
            super().keyPressEvent(event)


class BoardPage(QWidget):
    """Shows an assignment.

    Signals
    -------
    opened : (Entry,)
    back_asked, folder_asked, photos_asked, stop_asked, pause_asked : ()
    carry_shown, carry_asked : (list of Entry, str)
        What would be carried to the chosen ones is to be shown; it is to be carried.
    set_asked : (list of Entry,)
        The chosen ones are to be given a picture of their set.
    seen_asked : (list of Entry,)
        The chosen ones were looked at, and are right.
    deliver_asked : (list of Entry, str)
        The chosen ones, or all, into a folder or to an address.
    """

    opened = Signal(object)
    back_asked = Signal()
    folder_asked = Signal()
    photos_asked = Signal()
    stop_asked = Signal()
    pause_asked = Signal()
    carry_shown = Signal(object, str)
    carry_asked = Signal(object, str)
    deliver_asked = Signal(object, str)
    seen_asked = Signal(object)
    set_asked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.model = CardModel()
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 12)
        column.setSpacing(8)
        column.addLayout(self._top())
        self.list = _Cards(self.model)
        self.list.entered.connect(lambda row: self.opened.emit(self.model.entries[row]))
        self.list.selectionModel().selectionChanged.connect(self._on_selected)
        column.addWidget(self.list, 1)
        column.addLayout(self._carrying())
        column.addLayout(self._delivering())
        self._source = ""
        self._on_selected()

    def _top(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(8)
        self.title, self.counts = words("", "headline"), words("", "muted")
        self.title.setWordWrap(False)
        self.filter, self.order = QComboBox(), QComboBox()
        self.filter.setAccessibleName("Which photos are shown")
        self.filter.addItem("All", None)
        for progress in Progress:
            self.filter.addItem(progress.value.capitalize(), progress)
        self.filter.activated.connect(lambda _index: self.model.set_filter(self.filter.currentData()))
        self.order.setAccessibleName("Order of the photos")
        self.order.addItem("By name", False)
        self.order.addItem("By progress", True)
        self.order.activated.connect(lambda _index: self.model.set_sorting(by_progress=self.order.currentData()))
        self.back = button("Back to the photo", self.back_asked.emit, name="board back",
                           tip="Go on with the photo that is open (Ctrl+B)")  # fmt: skip
        folder = button("Open a folder…", self.folder_asked.emit, name="board folder",
                        tip="Another assignment: a folder of photos")  # fmt: skip
        add = button("Add photos…", self.photos_asked.emit, name="board add",
                     tip="Photos from anywhere, to this board")  # fmt: skip
        line.addWidget(self.title)
        line.addWidget(self.counts, 1)
        for part in (self.filter, self.order, add, folder, self.back):
            line.addWidget(part)
        return line

    def _carrying(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(8)
        self._from = words("", "small")
        self.what = QComboBox()
        self.what.setAccessibleName("What is carried")
        for text, what in (("Recipe and marks", "both"), ("Recipe", "recipe"), ("Marks", "marks")):
            self.what.addItem(text, what)
        self.show_carry = button("Show what would change",
                                 lambda: self.carry_shown.emit(self.chosen, self.what.currentData()),
                                 name="show carry", tip="On each chosen card, before anything is done")  # fmt: skip
        self.carry = button("Carry", lambda: self.carry_asked.emit(self.chosen, self.what.currentData()),
                            name="carry", tip="To the chosen photos; one step of undo for each")  # fmt: skip
        self.seen = button("They are right", lambda: self.seen_asked.emit(self.chosen), name="seen",
                           tip="Take what is chosen for looked at: it is delivered from now on")  # fmt: skip
        self.give_set = button("Empty set…", lambda: self.set_asked.emit(self.chosen), name="give set",
                               tip="One picture of the set without the subject, for all that is chosen")  # fmt: skip
        line.addWidget(self._from, 1)
        for part in (self.what, self.show_carry, self.carry, self.give_set, self.seen):
            line.addWidget(part)
        return line

    def _delivering(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(8)
        remembered = memory.read_preference("board folder")
        self.to = QLineEdit(remembered if isinstance(remembered, str) else "")
        self.to.setPlaceholderText("Folder to deliver into, or the address of a client's drop-off")
        self.to.setAccessibleName("Where to deliver")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(140, 6)
        self.bar.hide()
        self.left = words("", "muted")
        self.left.setWordWrap(False)
        self.pause = button("Pause", self.pause_asked.emit, name="pause run",
                            tip="Wait after the present photo, until pressed again")  # fmt: skip
        self.stop = button("Stop", self.stop_asked.emit, name="stop run",
                           tip="Stop after the present photo; what is done stays")  # fmt: skip
        self.deliver = button("Deliver all", self._on_deliver, role="choice", name="deliver run",
                              tip="In the background; what was delivered before is skipped")  # fmt: skip
        line.addWidget(self.to, 1)
        for part in (self.left, self.bar, self.pause, self.stop, self.deliver):
            line.addWidget(part)
        self.show_run(None, "")
        return line

    def _on_deliver(self) -> None:
        memory.write_preference("board folder", self.to.text())
        self.deliver_asked.emit(self.chosen or list(self.model.entries), self.to.text().strip())

    @property
    def chosen(self) -> list[Entry]:
        """The chosen photos, in their order."""
        rows = sorted(index.row() for index in self.list.selectionModel().selectedIndexes())
        return [self.model.entries[row] for row in rows]

    def choose(self, photos: list[Path]) -> None:
        """Choose photos."""
        self.list.clearSelection()
        for row, entry in enumerate(self.model.entries):
            if entry.photo in photos:
                self.list.selectionModel().select(
                    self.model.index(row), self.list.selectionModel().SelectionFlag.Select
                )

    def _on_selected(self, *_changed: QItemSelection) -> None:
        count = len(self.chosen)
        self.deliver.setText(f"Deliver {count} chosen" if count else "Deliver all")
        ready = bool(self._source) and count > 0
        self.carry.setEnabled(ready)
        self.give_set.setEnabled(count > 0)
        self.seen.setEnabled(any(entry.status.progress in UNSEEN for entry in self.chosen))
        self.show_carry.setEnabled(ready)

    def show_source(self, name: str) -> None:
        """Show from which photo is carried; empty for none."""
        self._source = name
        self._from.setText(
            f"Carry what was found on {name} to the chosen photos:"
            if name
            else "Open a photo, and what is found on it can be carried to the others."
        )
        self.back.setVisible(bool(name))
        self._on_selected()

    def show_board(self, title: str, entries: list[Entry]) -> None:
        """Show an assignment."""
        self.title.setText(title)
        self.model.show_entries(entries)
        self._on_selected()
        counts = self.model.counts
        parts = [f"{count} {progress.value}" for progress, count in counts.items() if count]
        self.counts.setText(f"{len(entries)} photos · " + " · ".join(parts) if entries else "No photo is here yet")

    def show_run(self, share: float | None, left: str) -> None:
        """Show how much of a run is done, and the time that is left; None for no run."""
        runs = share is not None
        for part in (self.bar, self.pause, self.stop):
            part.setVisible(runs)
        self.left.setText(left)
        self.left.setVisible(bool(left))
        self.deliver.setEnabled(not runs)
        if share is not None:
            self.bar.setValue(round(100 * share))
