"""Measure ways: tries ways for a hard place on edges that were taken for right, and offers those that are better."""

from functools import partial

from PySide6.QtWidgets import QWidget

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.matte.answers_desk import AnswersDesk
from peel.desk.matte.panel import MattePanel
from peel.desk.steps import Step
from peel.job.settings import Point
from peel.work.solving.measured_ways import (
    Measurement,
    alike_region,
    confirm,
    drawn,
    forget_confirmed,
    measure_ways,
    region_of,
)

__all__ = ["MeasureDesk"]

_MEASURE = task("measured ways", "The ways could not be measured.", stops=True)
_DRAW = task("a measured way", "One of the measured ways could not be shown.", stops=True)


class MeasureDesk(AnswersDesk):
    """Offers what measures better."""

    def __init__(self, desk: DeskState, panel: MattePanel, canvas: QWidget) -> None:
        super().__init__(desk, canvas)
        self._area: tuple[Point, ...] = ()
        self._found: Measurement | None = None
        panel.repairs.confirm_asked.connect(
            lambda area: desk.edit("Right as it is", lambda job: confirm(job, area)),
        )
        panel.repairs.forget_asked.connect(lambda: desk.edit("Take none for right", forget_confirmed))
        panel.repairs.measure_asked.connect(self.begin)

    def begin(self, area: tuple[Point, ...]) -> None:
        """Measure ways for an area."""
        bridge = self._desk.bridge
        if bridge is None or self._desk.step is not Step.MATTE:
            return
        if not bridge.job.is_solved:
            self._desk.say("The matte is still being solved.", "Measure once it is there.")
            return
        job, stages = bridge.job, bridge.session.stages
        self._area, self._asked = area, object()
        self.answers.begin([], "Measuring ways where the edge is known…")
        self.ask(_MEASURE, lambda: measure_ways(stages, job, area), partial(self._on_measured, self._asked),
                 failed=lambda _error: self.leave())  # fmt: skip

    def _on_measured(self, asked: object, found: Measurement) -> None:
        bridge = self._desk.bridge
        if asked is not self._asked or bridge is None:
            return
        if not found.best:
            self.leave()
            message = f"No way measures better than what is there: {100 * found.as_it_is:.1f} % off where it is known."
            self._desk.say(message, f"Measured on {found.pixels:,} half-clear pixels that were taken for right.")
            return
        self._found, window = found, found.window
        self._look_at(window)
        names = [f"{way.name}: {100 * way.error:.1f} % off" for way in found.best]
        title = f"Now {100 * found.as_it_is:.1f} % off where it is known. Press one to take it"
        self.answers.begin(names, title, "Take it for all edges of this kind")
        job, stages = bridge.job, bridge.session.stages
        for number in reversed(range(len(names))):
            draw = partial(drawn, stages, job, found.best[number], self._area, window)
            self.ask(_DRAW, draw, partial(self._show_answer, asked, number, names[number]), key=number)

    def _take(self, number: int) -> None:
        assert self._found is not None
        way, area, everywhere = self._found.best[number], self._area, self.answers.wider.isChecked()
        self.leave()
        region = alike_region if everywhere else region_of
        self._desk.edit(f"Measured: {way.name}", lambda job: way.edit(job, region(job, area)))
