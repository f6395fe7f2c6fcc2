"""Which edges something is for: a bar to choose by, and what stands behind it in every step that has one."""

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.desk_state import DeskState
from peel.desk.step.fields import field_in
from peel.desk.tools.area import AreaTool
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import EdgeValues
from peel.job.job import Job
from peel.job.settings import Point
from peel.job.settings.edges import EdgeArea

__all__ = ["TargetBar", "TargetChoice"]


class TargetBar(QWidget):
    """All edges, a kind of them, or those in a drawn area; and over how many pixels its border fades.

    Parameters
    ----------
    name : str
        For assistive programs.
    area_tip : str

    Signals
    -------
    target_chosen : (int,)
    faded : (float, bool)
        The new width of the area's border, and whether the gesture goes on.
    area_asked, dropped : ()
    """

    target_chosen = Signal(int)
    faded = Signal(float, bool)
    area_asked = Signal()
    dropped = Signal()

    def __init__(self, name: str, area_tip: str) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.target = QComboBox()
        self.target.setAccessibleName(name)
        self.target.activated.connect(self.target_chosen.emit)
        self.area = button("For an area…", self.area_asked.emit, tip=area_tip)
        self.drop = button("Drop it", self.dropped.emit, tip="Treat this area like the rest again")
        line = QHBoxLayout()
        for part in (self.target, self.area, self.drop):
            line.addWidget(part)
        column.addLayout(line)
        tip = "Over how many pixels of the photo the area gives way to the rest"
        self.fade = field_in(EdgeArea, "fade_px", "border fades over", tip=tip, curve=2.0)
        self.fade.changed.connect(self.faded.emit)
        column.addWidget(self.fade)

    def show_targets(self, labels: list[str], chosen: int, fade_px: float | None) -> None:
        """List what can be chosen, and say what is; only a drawn area has a border that fades."""
        if labels != [self.target.itemText(place) for place in range(self.target.count())]:
            self.target.clear()
            self.target.addItems(labels)
        self.target.setCurrentIndex(chosen)
        for own in (self.drop, self.fade):
            own.setVisible(fade_px is not None)
        if fade_px is not None:
            self.fade.show_value(fade_px)


class TargetChoice(QObject):
    """Which edges are chosen, and the edits of drawn areas.

    Parameters
    ----------
    desk : DeskState
    bar : TargetBar
    values : EdgeValues
        What the edges have values of.

    Signals
    -------
    chosen : ()
        Other edges were chosen by hand.
    """

    chosen = Signal()

    def __init__(self, desk: DeskState, bar: TargetBar, values: EdgeValues[Any]) -> None:
        super().__init__(desk)
        self._desk, self._bar, self._values = desk, bar, values
        self.target = EdgeTarget()
        self._awaited: EdgeTarget | None = None  # an area that is being drawn
        self.area_tool = AreaTool(f"{values.called} of its own")
        self.area_tool.drawn.connect(self._on_area)
        bar.target_chosen.connect(self._on_chosen)
        bar.area_asked.connect(lambda: desk.borrow(self.area_tool))
        bar.dropped.connect(self._drop)
        bar.faded.connect(self._on_faded)

    def reset(self) -> None:
        """Choose all edges: another photo is open."""
        self.target, self._awaited = EdgeTarget(), None

    def show(self, job: Job) -> bool:
        """Show what can be chosen in a job; return whether other edges are chosen now, as an area came or went."""
        targets, before = self._values.targets(job), self.target
        if self._awaited in targets:
            self.target, self._awaited = self._awaited, None
        if self.target not in targets:
            self.target = EdgeTarget()
        fade_px = self._values.fade_of(job, self.target)
        self._bar.show_targets([target.label for target in targets], targets.index(self.target), fade_px)
        return self.target != before

    def edit(
        self, label: str, edit: Callable[[Job, EdgeTarget], Job], *, gesture: object = None, ends: bool = True
    ) -> None:
        """Edit what the chosen edges have."""
        target = self.target
        own = None if gesture is None else (self._values.recipe_path, gesture, target)
        self._desk.edit(label, lambda job: edit(job, target), gesture=own, ends=ends)

    def _on_chosen(self, number: int) -> None:
        job = self._desk.job
        if job is not None:
            self.target = self._values.targets(job)[number]
            self.chosen.emit()

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._desk.take_up(self._desk.last_tool)
        job = self._desk.job
        if job is not None and len(area) > 2:
            self._awaited = EdgeTarget("area", len(self._values.areas_of(job)))
            self._desk.edit(f"Area with {self._values.called} of its own", lambda job: self._values.add_area(job, area))

    def _drop(self) -> None:
        number = self.target.area
        if number is not None:
            self.target = EdgeTarget()
            self._desk.edit("Drop an area", lambda job: self._values.drop_area(job, number))

    def _on_faded(self, fade_px: float, dragged: bool) -> None:
        number = self.target.area
        if number is not None:

            def fade(job: Job, _target: EdgeTarget) -> Job:
                return self._values.fade_area(job, number, fade_px)

            self.edit("Border of an area", fade, gesture="border", ends=not dragged)
