"""The cards of the board: their model, and how each is painted."""

from collections.abc import Sequence
from typing import Any, Final

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from peel.desk.theme import current
from peel.work.many.board import Entry
from peel.work.many.status import Progress

__all__ = ["Card", "CardModel", "words_of_card"]

Index = QModelIndex | QPersistentModelIndex
_CARD: Final = QSize(196, 250)
_PICTURE: Final = 176
_NOTE: Final = 30  # two lines
_MARKS: Final = {  # a sign beside the word: no meaning by colour alone
    Progress.UNTOUCHED: "○", Progress.MARKED: "◔", Progress.GUESS: "?", Progress.CARRIED: "?",
    Progress.CHANGED: "!", Progress.SOLVED: "◑", Progress.SNAGS: "△",
    Progress.READY: "●", Progress.DELIVERED: "✓", Progress.BROKEN: "×",
}  # fmt: skip


def words_of_card(entry: Entry) -> str:
    """Say how far the work on a photo has come."""
    if entry.is_gone:
        return "gone from its folder"
    if entry.is_arriving:
        return "still arriving"
    status = entry.status
    if status.progress is Progress.SNAGS:
        return f"{status.snags} snag{'' if status.snags == 1 else 's'}"
    return status.progress.value


class CardModel(QAbstractListModel):
    """What is on the board, filtered and sorted.

    Signals
    -------
    picture_wanted : (Entry,)
        A card came into sight whose picture is not known.
    """

    picture_wanted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.entries: list[Entry] = []
        self._all: list[Entry] = []
        self._pictures: dict[str, QImage] = {}
        self._wanted: set[str] = set()
        self._notes: dict[str, str] = {}
        self._shares: dict[str, float] = {}
        self.filter: Progress | None = None
        self.sorts_by_progress = False

    def rowCount(self, parent: Index | None = None) -> int:  # noqa: N802 - Qt's name
        """Return how many cards there are."""
        return 0 if parent is not None and parent.isValid() else len(self.entries)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return what a card shows, for painting and for people who cannot see it."""
        if not 0 <= index.row() < len(self.entries):
            return None
        entry = self.entries[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return entry.name
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleDescriptionRole):
            return f"{entry.name}: {self.note_of(entry) or entry.status.says or words_of_card(entry)}"
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{entry.name}, {words_of_card(entry)}"
        if role == Qt.ItemDataRole.UserRole:
            return entry
        return None

    def show_entries(self, entries: Sequence[Entry]) -> None:
        """Show other entries, or the same ones in another state; cards that stay keep their place."""
        self._all = list(entries)
        self._arrange()

    def _arrange(self) -> None:
        shown = [entry for entry in self._all if self.filter is None or entry.status.progress is self.filter]
        if self.sorts_by_progress:
            order = list(Progress)
            shown.sort(key=lambda entry: (order.index(entry.status.progress), entry.name))
        else:
            shown.sort(key=lambda entry: entry.name)
        if [entry.photo for entry in shown] == [entry.photo for entry in self.entries]:
            changed = [row for row, entry in enumerate(shown) if entry != self.entries[row]]
            self.entries = shown
            for row in changed:
                self.forget_picture(shown[row])
            return
        self.beginResetModel()
        self.entries = shown
        self.endResetModel()

    def set_filter(self, progress: Progress | None) -> None:
        """Show only photos that have come so far; None shows all."""
        self.filter = progress
        self._arrange()

    def set_sorting(self, *, by_progress: bool) -> None:
        """Sort by progress, or by name."""
        self.sorts_by_progress = by_progress
        self._arrange()

    @property
    def counts(self) -> dict[Progress, int]:
        """How many photos have come how far."""
        return {progress: sum(entry.status.progress is progress for entry in self._all) for progress in Progress}

    # pictures and notes

    def picture(self, entry: Entry) -> QImage | None:
        """Return a card's picture, and ask for it if it is not known."""
        key = str(entry.photo)
        if key not in self._wanted:
            self._wanted.add(key)
            self.picture_wanted.emit(entry)
        return self._pictures.get(key)

    def has_picture(self, entry: Entry) -> bool:
        """Return whether a card has a picture, however old."""
        return str(entry.photo) in self._pictures

    def show_picture(self, photo: str, image: QImage) -> None:
        """Show a picture on a card."""
        self._pictures[photo] = image
        self._repaint(photo)

    def forget_picture(self, entry: Entry) -> None:
        """Ask for a picture again as soon as its card is seen, and show the old one until then: the job has changed."""
        self._wanted.discard(str(entry.photo))
        self._repaint(str(entry.photo))

    def note_of(self, entry: Entry) -> str:
        """Return what is noted on a card for the moment."""
        return self._notes.get(str(entry.photo), "")

    def show_note(self, photo: str, text: str, share: float | None = None) -> None:
        """Note something on a card, and how much of it is done; empty notes nothing."""
        self._notes[photo] = text
        if share is None:
            self._shares.pop(photo, None)
        else:
            self._shares[photo] = share
        self._repaint(photo)

    def clear_notes(self) -> None:
        """Take all notes off."""
        self._notes.clear()
        self._shares.clear()
        if self.entries:
            self.dataChanged.emit(self.index(0), self.index(len(self.entries) - 1))

    def share_of(self, entry: Entry) -> float | None:
        """Return how much is done of what is noted on a card."""
        return self._shares.get(str(entry.photo))

    def _repaint(self, photo: str) -> None:
        for row, entry in enumerate(self.entries):
            if str(entry.photo) == photo:
                self.dataChanged.emit(self.index(row), self.index(row))


class Card(QStyledItemDelegate):
    """Paints a card: the photo on its backing, its name, and how far it has come."""

    def __init__(self, model: CardModel) -> None:
        super().__init__()
        self._model = model

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        """Return the size of a card."""
        return _CARD

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """Paint a card."""
        entry: Entry = index.data(Qt.ItemDataRole.UserRole)
        theme, chosen = current(), bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        whole = QRectF(option.rect).adjusted(6, 6, -6, -6)
        painter.setPen(QPen(theme.colour("accent" if chosen else "line"), 2.0 if chosen else 1.0))
        painter.setBrush(theme.colour("field"))
        painter.drawRoundedRect(whole, 7, 7)
        self._paint_picture(painter, QRectF(whole.left() + 7, whole.top() + 7, whole.width() - 14, _PICTURE), entry)
        below = QRectF(whole.left() + 9, whole.top() + _PICTURE + 10, whole.width() - 18, 20)
        font = QFont(painter.font())
        font.setPixelSize(13)
        font.setWeight(QFont.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(theme.colour("text"))
        elided = painter.fontMetrics().elidedText(entry.name, Qt.TextElideMode.ElideMiddle, int(below.width()))
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, elided)
        font.setWeight(QFont.Weight.Normal)
        font.setPixelSize(12)
        painter.setFont(font)
        is_bad = entry.is_gone or entry.status.progress is Progress.BROKEN
        painter.setPen(theme.colour("accent" if is_bad else "muted"))
        note, state = self._model.note_of(entry), f"{_MARKS[entry.status.progress]}  {words_of_card(entry)}"
        is_under_way = self._model.share_of(entry) is not None
        text = f"{state} · {note}" if note and not is_under_way else note or state
        line = QRectF(below.left(), below.bottom() + 1, below.width(), _NOTE)
        elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(1.8 * line.width()))
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, elided)
        share = self._model.share_of(entry)
        if share is not None:
            bar = QRectF(line.left(), line.bottom() + 1, line.width(), 3)
            painter.fillRect(bar, theme.colour("line"))
            painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * share, 3), theme.colour("accent"))
        painter.restore()

    def _paint_picture(self, painter: QPainter, target: QRectF, entry: Entry) -> None:
        backing = entry.status.backing
        painter.fillRect(target, QColor(backing) if backing else current().colour("raised"))
        image = self._model.picture(entry)
        if image is None or image.isNull():
            return
        scale = min(target.width() / image.width(), target.height() / image.height())
        width, height = image.width() * scale, image.height() * scale
        place = QRectF(target.center().x() - width / 2, target.center().y() - height / 2, width, height)
        painter.setOpacity(0.35 if entry.is_gone or entry.is_arriving else 1.0)
        painter.drawImage(place, image)
        painter.setOpacity(1.0)
