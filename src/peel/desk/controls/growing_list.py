"""A list that is as high as its rows, so that it never scrolls by itself within a panel that does."""

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QSizePolicy

__all__ = ["GrowingList"]

_LEAST_PX = 34


class GrowingList(QListWidget):
    """Shows all of its rows, or the first few until all are asked for.

    Parameters
    ----------
    name : str
        For people who cannot see it.
    most : int, optional
        Rows that are shown at first.
    """

    def __init__(self, name: str, most: int | None = None) -> None:
        self._most, self._shows_all = most, most is None
        super().__init__()
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        for bars in (self.setVerticalScrollBarPolicy, self.setHorizontalScrollBarPolicy):
            bars(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        for changed in (self.model().rowsInserted, self.model().rowsRemoved, self.model().modelReset):
            changed.connect(self._on_rows)

    def _on_rows(self, *_args: object) -> None:
        self.fit()

    @property
    def hidden_rows(self) -> int:
        """How many rows are not shown yet."""
        return 0 if self._shows_all or self._most is None else max(self.count() - self._most, 0)

    def show_all(self, on: bool = True) -> None:
        """Show every row, or the first few again."""
        self._shows_all = on or self._most is None
        self.fit()

    def fit(self) -> None:
        """Be as high as the rows that are shown."""
        shown = self.count() - self.hidden_rows
        for row in range(self.count()):
            self.setRowHidden(row, row >= shown)
        rows = sum(self.sizeHintForRow(row) + 2 * self.spacing() for row in range(shown))
        around = 2 * self.frameWidth() + 8  # the theme's padding
        self.setFixedHeight(max(rows + around, _LEAST_PX))

    def scrollTo(self, index: Any, hint: Any = QAbstractItemView.ScrollHint.EnsureVisible) -> None:  # noqa: N802 - Qt's
        """Show all rows if the wanted one is not among the first; nothing scrolls."""
        del hint
        if index.row() >= self.count() - self.hidden_rows:
            self.show_all()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Let the panel scroll."""
        event.ignore()
