"""Presets to deliver by: ticked, added from files, shared, changed on a page of their own."""

from collections.abc import Sequence

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button, side_by_side
from peel.desk.controls.growing_list import GrowingList
from peel.desk.controls.labels import plain_tip
from peel.desk.deliver.preset_form import PresetForm
from peel.job.preset import Preset

__all__ = ["PresetList"]


class PresetList(QWidget):
    """Lists presets.

    Signals
    -------
    ticked : (tuple of str,)
        Names of those that are ticked.
    add_asked : ()
    share_asked : (Preset,)
    drop_asked : (str,)
        For the preset of a name.
    kept : (Preset,)
        As it was changed.
    """

    ticked = Signal(object)
    add_asked = Signal()
    share_asked = Signal(object)
    drop_asked = Signal(str)
    kept = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._known: dict[str, Preset] = {}
        self._fixed: frozenset[str] = frozenset()
        self._opened: Preset | None = None
        self.list = GrowingList("Presets to deliver by")
        self.list.itemChanged.connect(lambda _item: self._on_tick())
        self.list.itemDoubleClicked.connect(lambda _item: self.change())
        self.list.currentRowChanged.connect(lambda _row: self._show_chosen())
        self.form = PresetForm()
        self.form.kept.connect(self._on_kept)
        self.form.left.connect(self._close)
        self._change_button = button(
            "Change it", self.change, role="link", tip="Opens the chosen one: size, colours, name, the rest"
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.list)
        new = button("New…", self._begin, role="link", tip="Begins a preset of your own")
        add = button("Add…", self.add_asked.emit, role="link", tip="A JSON file, as presets are shared")
        column.addLayout(_from_left(self._change_button, new, add))
        column.addWidget(self.form)
        share = button("Share it…", self._on_share, role="link", tip="Writes it into a JSON file, as it was kept")
        self._drop = button("Remove it", self._on_drop, role="link",
                            tip="Takes it off your own; a shipped one that you changed is then as it was")  # fmt: skip
        self._of_kept = QWidget()
        self._of_kept.setLayout(_from_left(share, self._drop))
        column.addWidget(self._of_kept)
        self._close()
        self._show_chosen()

    def show_presets(
        self, known: Sequence[Preset], ticked: Sequence[str], missing: Sequence[str], fixed: frozenset[str]
    ) -> None:
        """Show presets, and names of ticked ones that are not here.

        Parameters
        ----------
        known : sequence of Preset
        ticked, missing : sequences of str
            Names.
        fixed : frozenset of str
            Names of those that cannot be removed: they are as they were shipped.
        """
        self._known, self._fixed = {preset.name: preset for preset in known}, fixed
        chosen = self._chosen
        with QSignalBlocker(self.list):
            self.list.clear()
            for preset in known:
                item = QListWidgetItem(preset.name)
                item.setToolTip(plain_tip(f"{preset.words} · {preset.file_name}"))
                item.setCheckState(Qt.CheckState.Checked if preset.name in ticked else Qt.CheckState.Unchecked)
                self.list.addItem(item)
            for name in missing:
                item = QListWidgetItem(name)
                item.setToolTip("Not here: add it from its file, or take its tick away")
                item.setForeground(Qt.GlobalColor.gray)
                item.setCheckState(Qt.CheckState.Checked)
                self.list.addItem(item)
        self.choose(chosen)

    def choose(self, name: str) -> None:
        """Choose the preset of a name in the list."""
        with QSignalBlocker(self.list):
            self.list.setCurrentRow(list(self._known).index(name) if name in self._known else -1)
        self._show_chosen()

    @property
    def _chosen(self) -> str:
        row = self.list.currentRow()
        return self.list.item(row).text() if row >= 0 else ""

    def _show_chosen(self) -> None:
        self._change_button.setEnabled(self._chosen in self._known)

    def _on_tick(self) -> None:
        items = (self.list.item(row) for row in range(self.list.count()))
        self.ticked.emit(tuple(item.text() for item in items if item.checkState() == Qt.CheckState.Checked))

    def _begin(self) -> None:
        taken, number = set(self._known), 1
        while (name := f"My preset {number}") in taken:
            number += 1
        self._open(Preset(name=name, product="flat", format="jpeg", profile="srgb"))

    def change(self) -> None:
        """Open the chosen preset on its page."""
        if self._chosen in self._known:
            self._open(self._known[self._chosen])

    def _open(self, preset: Preset) -> None:
        self._opened = preset
        self.form.show_preset(preset)
        self.form.show()
        self._of_kept.setVisible(preset.name in self._known)
        self._drop.setEnabled(preset.name not in self._fixed)
        self.form.name.setFocus()

    def _close(self) -> None:
        self.form.hide()
        self._of_kept.hide()
        self.list.setFocus()

    def _on_kept(self, preset: Preset) -> None:
        self._close()
        self.kept.emit(preset)

    def _on_share(self) -> None:
        self.share_asked.emit(self._opened)

    def _on_drop(self) -> None:
        self._close()
        if self._opened is not None:
            self.drop_asked.emit(self._opened.name)


def _from_left(*buttons: QPushButton) -> QHBoxLayout:
    line = side_by_side(*buttons, spacing=10)
    line.addStretch(1)
    return line
