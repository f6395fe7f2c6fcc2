"""The presets of Deliver: read, kept, shared and removed on a worker."""

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import Signal

from peel.desk.desk_state import DeskState
from peel.desk.file_dialogs import ask_preset, ask_preset_name
from peel.desk.lane_desk import LaneDesk
from peel.desk.panels.presets import PresetList
from peel.desk.steps import Step
from peel.errors import PeelError
from peel.files.presets import import_preset, keep_preset, presets, remove_preset, write_preset
from peel.job.edits import set_value
from peel.job.job import Job
from peel.job.preset import Preset

__all__ = ["PresetDesk"]


class PresetDesk(LaneDesk):
    """Carries out what the list of presets asks for.

    Signals
    -------
    changed : ()
        What a preset asks for is another thing now, or there is one more or less.
    """

    changed = Signal()
    _read = Signal(object)
    _kept = Signal(object)
    _shared = Signal(str)
    _failed = Signal(object)

    def __init__(self, desk: DeskState, panel: PresetList) -> None:
        super().__init__(desk, "presets")
        self._panel = panel
        self._known: dict[str, Preset] = {}
        panel.add_asked.connect(self._on_add)
        panel.share_asked.connect(self._on_share)
        panel.drop_asked.connect(lambda name: self._submit(partial(remove_preset, name), lambda _: self._kept.emit("")))
        panel.kept.connect(self._keep)
        desk.step_changed.connect(self._on_step)
        desk.session_changed.connect(self._on_step)
        desk.job_changed.connect(lambda _job, _before: self._show())
        self._read.connect(self._on_read)
        self._kept.connect(self._on_kept)
        self._shared.connect(lambda name: desk.say(f"Written: {name}."))
        self._failed.connect(lambda error: desk.say(error.message, error.hint))

    def _submit(self, work: Callable[[], object], done: Callable[[Any], None]) -> None:
        def failed(error: BaseException) -> None:
            if not isinstance(error, PeelError):
                raise error
            self._failed.emit(error)

        self._lane.submit(None, lambda _ticket: work(), done, failed)

    def _on_step(self) -> None:
        if self._desk.step is Step.DELIVER:
            self._submit(presets, self._read.emit)

    def _on_read(self, known: dict[str, Preset]) -> None:
        self._known = known
        self._show()

    def _show(self) -> None:
        job = self._desk.job
        if job is not None and self._desk.step is Step.DELIVER:
            self._panel.show_presets(list(self._known.values()), job.settings.recipe.delivery.presets)

    def _on_add(self) -> None:
        chosen = ask_preset(self._panel.window())
        if chosen is not None:
            self._submit(partial(import_preset, chosen), self._kept.emit)

    def _keep(self, preset: Preset) -> None:
        self._submit(partial(keep_preset, preset), self._kept.emit)

    def _on_kept(self, preset: Preset | str) -> None:
        """Tick a preset that was kept; one that was removed is ticked no longer if there is none of its name."""
        if isinstance(preset, Preset):
            self._known[preset.name] = preset
            self._desk.edit("Preset", partial(_with_preset, name=preset.name))
            self._show()
            self._panel.choose(preset.name)
        self._on_step()
        self.changed.emit()

    def _on_share(self, name: str) -> None:
        chosen = ask_preset_name(self._panel.window(), name)
        preset = self._known.get(name)
        if chosen is not None and preset is not None:
            self._submit(lambda: write_preset(preset, chosen), lambda _: self._shared.emit(chosen.name))


def _with_preset(job: Job, name: str) -> Job:
    names = job.settings.recipe.delivery.presets
    return set_value(job, "recipe.delivery.presets", names if name in names else (*names, name))
