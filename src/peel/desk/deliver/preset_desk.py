"""The presets of Deliver: read, kept, shared and removed on a worker."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal

from peel.desk.asking import task
from peel.desk.deliver.preset_list import PresetList
from peel.desk.desk_state import DeskState
from peel.desk.files.file_dialogs import ask_preset, ask_preset_name
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.files.presets import import_preset, keep_preset, presets, remove_preset, shipped_presets, write_preset
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.preset import Preset

__all__ = ["PresetDesk"]

_READ = task("presets", "The presets could not be read.")
_ADD = task("add a preset", "The preset could not be added.")
_KEEP = task("keep a preset", "The preset could not be kept.")
_DROP = task("remove a preset", "The preset could not be removed.")
_SHARE = task("share a preset", "The preset could not be written.")


class PresetDesk(LaneDesk):
    """Carries out what the list of presets asks for.

    Signals
    -------
    changed : ()
        What a preset asks for is another thing now, or there is one more or less.
    """

    changed = Signal()

    def __init__(self, desk: DeskState, panel: PresetList) -> None:
        super().__init__(desk)
        self._panel = panel
        self._known: dict[str, Preset] = {}
        self._shipped: dict[str, Preset] = {}
        panel.add_asked.connect(self._on_add)
        panel.share_asked.connect(self._on_share)
        panel.drop_asked.connect(self._drop)
        panel.kept.connect(self._keep)
        panel.ticked.connect(self._tick)
        desk.step_changed.connect(self._read_anew)
        desk.session_changed.connect(self._read_anew)
        desk.job_changed.connect(lambda _job, _before: self._show())

    def _read_anew(self) -> None:
        if self._desk.step is Step.DELIVER:
            self.ask(_READ, lambda: (presets(), shipped_presets()), self._on_read, outlives_photo=True)

    def _on_read(self, both: tuple[dict[str, Preset], dict[str, Preset]]) -> None:
        self._known, self._shipped = both
        self._show()

    def _show(self) -> None:
        job = self._desk.job
        if job is not None and self._desk.step is Step.DELIVER:
            own = job.settings.recipe.delivery
            remembered = {copy.name: copy for copy in own.copies if copy.name not in self._known}
            known = self._known | remembered  # in this order, so that a tick moves nothing
            missing = [name for name in own.presets if name not in known]
            fixed = frozenset(name for name, preset in known.items() if self._shipped.get(name) == preset)
            self._panel.show_presets(list(known.values()), own.presets, missing, fixed)

    def _tick(self, names: tuple[str, ...]) -> None:
        known = dict(self._known)
        self._desk.edit("Presets", partial(_with_presets, names=names, known=known))

    def _on_add(self) -> None:
        chosen = ask_preset(self._panel.window())
        if chosen is not None:
            self.add(chosen)

    def add(self, path: Path) -> None:
        """Add a preset from its file to the person's own, and tick it."""
        self.ask(_ADD, partial(import_preset, path), self._on_kept, key=None, outlives_photo=True)

    def _keep(self, preset: Preset) -> None:
        self.ask(_KEEP, partial(keep_preset, preset), self._on_kept, key=None, outlives_photo=True)

    def _drop(self, name: str) -> None:
        self.ask(_DROP, partial(_removed, name), self._on_dropped, key=None, outlives_photo=True)

    def _on_kept(self, preset: Preset) -> None:
        """Tick a preset that was kept."""
        self._known[preset.name] = preset
        self._desk.edit("Preset", partial(_with_preset, preset=preset))
        self._show()
        self._panel.choose(preset.name)
        self.changed.emit()

    def _on_dropped(self, answer: tuple[str, dict[str, Preset]]) -> None:
        """Take the tick away from a preset that was removed, unless there is a shipped one of its name."""
        name, known = answer
        self._known = known
        job = self._desk.job
        if job is not None and name not in known and name in job.settings.recipe.delivery.presets:
            self._desk.edit("Presets", partial(_without_preset, name=name))
        self._show()
        self.changed.emit()

    def _on_share(self, preset: Preset) -> None:
        chosen = ask_preset_name(self._panel.window(), preset.name)
        if chosen is not None:
            said = partial(self._desk.say, f"Written: {chosen.name}.")
            self.ask(_SHARE, partial(write_preset, preset, chosen), lambda _: said(), key=None, outlives_photo=True)


def _removed(name: str) -> tuple[str, dict[str, Preset]]:
    remove_preset(name)
    return name, presets()


def _without_preset(job: Job, name: str) -> Job:
    return _with_presets(job, tuple(own for own in job.settings.recipe.delivery.presets if own != name), {})


def _with_presets(job: Job, names: tuple[str, ...], known: dict[str, Preset]) -> Job:
    return set_value(job, "recipe.delivery", job.settings.recipe.delivery.with_presets(names, known))


def _with_preset(job: Job, preset: Preset) -> Job:
    """Tick a preset, in place of one of its name."""
    names = job.settings.recipe.delivery.presets
    return _with_presets(job, names if preset.name in names else (*names, preset.name), {preset.name: preset})
