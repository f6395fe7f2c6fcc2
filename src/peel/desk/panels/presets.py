"""Presets to deliver by: ticked, added from files, shared, changed on a page of their own."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from peel.desk.panels.preset_form import PresetForm
from peel.job.preset import Preset

__all__ = ["PresetList"]


class PresetList(QWidget):
    """Lists presets.

    Signals
    -------
    ticked : (tuple of str,)
        Names of those that are ticked.
    add_asked : ()
    share_asked, drop_asked : (str,)
        For the preset of a name.
    kept : (Preset,)
        As it was changed.
    """

    ticked = Signal(object)
    add_asked = Signal()
    share_asked = Signal(str)
    drop_asked = Signal(str)
    kept = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._known: dict[str, Preset] = {}
        self._opened = ""
        self.list = QListWidget()
        self.list.setAccessibleName("Presets to deliver by")
        self.list.setFixedHeight(132)
        self.list.itemChanged.connect(lambda _item: self._on_tick())
        self.list.itemDoubleClicked.connect(lambda _item: self.change())
        self.list.currentRowChanged.connect(lambda _row: self._show_chosen())
        self.form = PresetForm()
        self.form.kept.connect(self._on_kept)
        self.form.left.connect(self._close)
        self._change_button = _link("Change it", self.change, "Opens the chosen one: size, colours, name, the rest")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.list)
        column.addLayout(
            _line(
                self._change_button,
                _link("New…", self._begin, "Begins a preset of your own"),
                _link("Add…", self.add_asked.emit, "A JSON file, as presets are shared"),
            )
        )
        column.addWidget(self.form)
        share = _link("Share it…", self._on_share, "Writes it into a JSON file, as it was kept")
        self._drop = _link("Remove it", self._on_drop, "Removes it, if it is your own; "
                                                       "a shipped one that you changed is then as it was")  # fmt: skip
        self._of_kept = QWidget()
        self._of_kept.setLayout(_line(share, self._drop))
        column.addWidget(self._of_kept)
        self._close()
        self._show_chosen()

    def show_presets(self, known: Sequence[Preset], ticked: Sequence[str], missing: Sequence[str] = ()) -> None:
        """Show presets, those that are ticked among them, and names of ticked ones that are not here."""
        self._known = {preset.name: preset for preset in known}
        chosen = self._chosen
        with QSignalBlocker(self.list):
            self.list.clear()
            for preset in known:
                item = QListWidgetItem(preset.name)
                item.setToolTip(f"{preset.words} · {preset.file_name}")
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
        self._opened = preset.name
        self.form.show_preset(preset)
        self.form.show()
        self._of_kept.setVisible(preset.name in self._known)
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
        self.drop_asked.emit(self._opened)


def _line(*buttons: QPushButton) -> QHBoxLayout:
    line = QHBoxLayout()
    line.setSpacing(10)
    for button in buttons:
        line.addWidget(button)
    line.addStretch(1)
    return line


def _link(text: str, pressed: Callable[[], object], tip: str) -> QPushButton:
    made = QPushButton(text)
    made.setObjectName("link")
    made.setAccessibleName(f"{text.rstrip('…')} (preset)")
    made.setToolTip(tip)
    made.clicked.connect(lambda _checked=False: pressed())
    return made
