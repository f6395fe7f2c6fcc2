"""The bench: the page on which a photo is worked on. Puts the parts together and passes news between them."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QProgressBar, QSplitter, QVBoxLayout, QWidget

from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.backing.panel import BackingPanel
from peel.desk.canvas.canvas import Canvas
from peel.desk.canvas.proofs import Proofs
from peel.desk.colour.colour_desk import ColourDesk
from peel.desk.colour.panel import ColourPanel
from peel.desk.commands import add_commands
from peel.desk.controls.key_sheet import KeySheet
from peel.desk.controls.shelf import Shelf
from peel.desk.controls.step_line import StepLine
from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.deliver.panel import DeliverPanel
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import DisplayTiles
from peel.desk.edge.edge_desk import EdgeDesk
from peel.desk.edge.panel import EdgePanel
from peel.desk.edge.separation_desk import SeparationDesk
from peel.desk.files.file_desk import FileDesk
from peel.desk.guide import GuideView
from peel.desk.held_keys import HeldKeys
from peel.desk.layout import SideColumn, in_column, in_row
from peel.desk.mark.far_desk import FarDesk
from peel.desk.mark.marking_desk import MarkingDesk
from peel.desk.mark.panel import MarkPanel
from peel.desk.matte.again_desk import AgainDesk
from peel.desk.matte.finish_desk import FinishDesk
from peel.desk.matte.panel import MattePanel
from peel.desk.matte.repair_desk import RepairDesk
from peel.desk.matte.snag_desk import SnagDesk
from peel.desk.matte.strip_desk import StripDesk
from peel.desk.register import STEPS, all_commands, key_sections, make_tools
from peel.desk.side_tasks import SideTasks
from peel.desk.step.panel import Panel
from peel.desk.step.spec import StepFacts
from peel.desk.steps import Step
from peel.job.job import Job
from peel.work.session import memory
from peel.work.views import View

__all__ = ["Bench"]

_PROOFS_PX: Final = 196  # first width of the proofs' column


class Bench(QWidget):
    """Everything that is seen while a photo is open.

    Parameters
    ----------
    window : QWidget
        Gets the commands, and is the parent of dialogs and the key sheet.
    """

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        tools = make_tools()
        self.desk = DeskState(tools, self)
        self._make_parts(window)
        self._lay_out()
        self._connect()
        self.key_sheet = KeySheet(key_sections(tools), window)
        self.desk.ask.keys.connect(self.key_sheet.toggle)
        self.guide = GuideView(self.canvas)
        self.desk.ask.guide.connect(self._show_guide)
        self.step_line.keys_pressed.connect(self.key_sheet.toggle)
        add_commands(window, self.desk, all_commands(tools))
        self.desk.show_step(Step.MARK)

    def _make_parts(self, window: QWidget) -> None:
        desk = self.desk
        self.tiles = DisplayTiles(desk.say, self)
        self.step_line, self.shelf = StepLine(), Shelf(desk)
        self.canvas, self.proofs = Canvas(desk, self.tiles), Proofs(desk)
        self.panels: dict[Step, Panel] = {step: spec.panel(desk) for step, spec in STEPS.items()}
        self.side_tasks, self.held_keys = SideTasks(desk), HeldKeys(desk)
        self.files = FileDesk(desk, self.canvas, window)
        marking = self.panels[Step.MARK]
        assert isinstance(marking, MarkPanel)
        self.marking_desk = MarkingDesk(desk, marking)
        edge = self.panels[Step.EDGE]
        assert isinstance(edge, EdgePanel)
        self.edge_desk = EdgeDesk(desk, edge)
        self.far_desk = FarDesk(desk)
        self.separation_desk = SeparationDesk(desk, edge)
        matte = self.panels[Step.MATTE]
        assert isinstance(matte, MattePanel)
        self.repair_desk = RepairDesk(desk, matte)
        self.finish_desk = FinishDesk(desk, matte)
        self.again_desk = AgainDesk(desk, matte, self.canvas)
        colour = self.panels[Step.COLOUR]
        assert isinstance(colour, ColourPanel)
        self.colour_desk = ColourDesk(desk, colour)
        backing = self.panels[Step.BACKING]
        assert isinstance(backing, BackingPanel)
        self.backing_desk = BackingDesk(desk, backing, self.files.assignment_of)
        self.strip_desk = StripDesk(desk, self.canvas)
        self.snag_desk = SnagDesk(desk, matte, self.strip_desk, self.proofs)
        deliver = self.panels[Step.DELIVER]
        assert isinstance(deliver, DeliverPanel)
        self.deliver_desk = DeliverDesk(desk, deliver, self.snag_desk, self.canvas)
        self.progress = QProgressBar()
        self.progress.setObjectName("solving")
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(4)
        self.progress.setRange(0, 100)
        self.progress.setAccessibleName("Solving")

    def _lay_out(self) -> None:
        self.side = SideColumn(self.panels.values())
        middle = in_column(self.canvas, self.progress, grows=self.canvas)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.setObjectName("columns")
        self.columns.setHandleWidth(5)
        self.columns.addWidget(self.proofs)
        self.columns.addWidget(middle)
        self.columns.setStretchFactor(1, 1)
        self.columns.setCollapsible(1, False)
        width = memory.read_preference("proofs width")
        self._proofs_px = width if isinstance(width, int) and 0 < width < 1000 else _PROOFS_PX
        self.columns.setSizes([self._proofs_px, 1000])
        self.columns.splitterMoved.connect(self._on_proofs_dragged)
        desk = in_row(self.columns, self.side, grows=self.columns)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.addWidget(in_column(self.step_line, desk, self.shelf, grows=desk))

    def _connect(self) -> None:
        desk = self.desk
        self.step_line.chosen.connect(desk.choose_step)
        self.step_line.undo_pressed.connect(desk.undo)
        self.step_line.redo_pressed.connect(desk.redo)
        self.canvas.cursor_moved.connect(self.proofs.follow)
        self.canvas.zoomed.connect(self.shelf.show_zoom)
        self.canvas.zoomed.connect(self.proofs.set_scale)
        self.canvas.pressed.connect(self._on_pressed)
        self.held_keys.alt_held.connect(lambda held: self.shelf.say_what_a_press_does(turned=held))
        self.held_keys.before_held.connect(self.repair_desk.show_before)
        self.proofs.swapped.connect(self._on_swapped)
        self.canvas.pressed.connect(lambda _reverse: self.snag_desk.pause())
        self.snag_desk.went_to.connect(self.proofs.follow)
        self.snag_desk.counted.connect(self._show_states)
        desk.session_changed.connect(self._on_session)
        desk.job_changed.connect(self._on_changed)
        desk.solving_changed.connect(self._on_solving)
        desk.step_changed.connect(self._on_step)
        desk.tool_changed.connect(self.canvas.setFocus)
        desk.ways_changed.connect(self._on_ways)
        desk.ask.deliver.connect(self.deliver)
        desk.ask.fold_proofs.connect(self.fold_proofs)

    @property
    def is_drawn(self) -> bool:
        """Whether everything in sight has been drawn."""
        shown = self.canvas.is_fresh or not self.canvas.isVisible()
        return shown and self.tiles.is_idle and self.proofs.is_idle

    def begin_to_close(self) -> list[Callable[[], object]]:
        """Take the photo off the desk; return what is still to be done, on any thread, before the process may end."""
        self.files.put_all_aside()
        deliver = self.panels[Step.DELIVER]
        assert isinstance(deliver, DeliverPanel)
        workers = (deliver.close_workers, self.proofs.close_worker, self.tiles.close, self.side_tasks.close)
        return [
            self.files.close,
            *workers,
            self.marking_desk.close,
            self.edge_desk.close,
            self.far_desk.close,
            self.separation_desk.close,
            self.repair_desk.close,
            self.finish_desk.close,
            self.again_desk.close,
            self.strip_desk.close,
            self.snag_desk.close,
            self.colour_desk.close,
            self.backing_desk.close,
            self.deliver_desk.close,
            self.desk.workers.close,
        ]

    # news

    def _on_session(self) -> None:
        bridge = self.desk.bridge
        self.tiles.set_stages(bridge.session.stages if bridge is not None else None)
        if bridge is None:
            return
        bridge.stored.connect(self._on_stored)
        photo = bridge.session.photo
        self.step_line.show_photo(photo.name, f"{photo.width} × {photo.height} · {photo.bits} bit")
        self.side_tasks.draw_thumb(bridge.session.stages, bridge.job, self.step_line.show_thumb)
        self._on_stored(bridge.session.is_stored)

    def _on_changed(self, job: Job, before: Job) -> None:
        bridge, desk = self.desk.bridge, self.desk
        if bridge is None:
            return
        self.panels[desk.step].show_job(job)
        history = bridge.session.history
        self.step_line.show_history(history.undo_label, history.redo_label)
        if job.is_solved and job.has_subject and (job.matte is not before.matte or job is before):
            self.side_tasks.find_loud(bridge.session.stages, job, self._show_loud)
        if job.has_subject and not before.has_subject and desk.view is View.PHOTO:
            desk.show_view(View.ZONES)  # the first mark shows what was laid around it
        self.shelf.say_what_a_press_does()
        self._show_states()

    def _on_solving(self) -> None:
        self.progress.setValue(round((self.desk.solving or 0.0) * 100))
        self._show_states()

    def _show_states(self) -> None:
        bridge = self.desk.bridge
        if bridge is not None:
            job = bridge.job
            facts = StepFacts(job, bridge.session.stages, self.desk.solving, self.desk.found_in(job))
            for step, spec in STEPS.items():
                self.step_line.show_state(step, spec.state(facts))

    def _on_stored(self, complete: bool) -> None:
        self.step_line.show_stored("every change is on disk" if complete else "writing to disk")

    def _on_step(self) -> None:
        step = self.desk.step
        self.step_line.show_step(step)
        self.side.show_page(self.panels[step])
        if self.desk.job is not None:
            self.panels[step].show_job(self.desk.job)

    def _on_ways(self) -> None:
        if self.desk.job is not None:
            self.panels[self.desk.step].show_job(self.desk.job)
        self.canvas.setFocus()

    def _on_pressed(self, reverse: bool) -> None:
        """While a press is under way, say what it does."""
        self.shelf.say_what_a_press_does(turned=reverse != self.desk.is_reversed if reverse else False)

    def _on_swapped(self, view: View, proof: object) -> None:
        mine = self.desk.view
        self.desk.show_view(view)
        self.proofs.give(proof, mine)

    def _show_loud(self, colour: str) -> None:
        self.desk.set_look(lambda look: replace(look, loud=colour))

    # commands

    def deliver(self) -> None:
        """Go to Deliver and begin."""
        self.desk.show_step(Step.DELIVER)
        panel = self.panels[Step.DELIVER]
        assert isinstance(panel, DeliverPanel)
        panel.start()

    def _show_guide(self) -> None:
        """Show the guide's page of the present step, or the picture again."""
        if self.guide.isVisible():
            self.guide.hide()
        else:
            self.guide.show_step(self.desk.step)

    def fold_proofs(self) -> None:
        """Fold the proofs away, or show them again at their width."""
        shown, total = self.columns.sizes()
        self.columns.setSizes([0, total + shown] if shown else [self._proofs_px, total - self._proofs_px])

    def _on_proofs_dragged(self, position: int, _index: int) -> None:
        if position > 0:
            self._proofs_px = position
            memory.write_preference("proofs width", position)

    def open_path(self, path: Path) -> None:
        """Open a photo or a job."""
        self.files.open_path(path)

    def take_file(self, path: Path) -> None:
        """Take a file that was dropped: a preset is added, in Backing a file stands on the sheet, else it is opened."""
        if self.desk.job is None:
            self.files.open_path(path)
        elif path.suffix.lower() == ".json":
            self.desk.show_step(Step.DELIVER)
            self.deliver_desk.presets.add(path)
        elif self.desk.step is Step.BACKING:
            self.backing_desk.take_file(path)
        else:
            self.files.open_path(path)
