"""Again here: solves a drawn area in other ways on a worker, and takes the one that is pressed."""

from functools import partial

from PySide6.QtWidgets import QWidget

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.matte.answers_desk import AnswersDesk
from peel.desk.matte.panel import MattePanel
from peel.desk.steps import Step
from peel.job.settings import Point
from peel.work.solving.again import Answer, Way, answer, ways_of, window_of

__all__ = ["AgainDesk"]

_WAYS = task("other ways", "The area could not be solved in other ways.", stops=True)
_AGAIN = task("another answer", "One of the other ways could not be solved.", stops=True)


class AgainDesk(AnswersDesk):
    """Offers other answers for an area."""

    def __init__(self, desk: DeskState, panel: MattePanel, canvas: QWidget) -> None:
        super().__init__(desk, canvas)
        self._ways: list[Way] = []
        panel.repairs.again_asked.connect(self.begin)

    def begin(self, area: tuple[Point, ...]) -> None:
        """Solve an area in other ways."""
        bridge = self._desk.bridge
        if bridge is None or self._desk.step is not Step.MATTE:
            return
        job, stages = bridge.job, bridge.session.stages
        self._asked = asked = object()
        window = window_of(job, area)
        self._look_at(window)

        def show(ways: list[Way]) -> None:
            if asked is not self._asked:
                return
            self._ways = ways
            self.answers.begin([way.name for way in ways])
            for number in reversed(range(len(ways))):  # the newest request is answered first
                solve = partial(answer, stages, job, ways[number], window)
                self.ask(_AGAIN, solve, partial(self._on_answer, asked, number), key=number)

        self.ask(_WAYS, lambda: ways_of(job, area), show)

    def _on_answer(self, asked: object, number: int, found: Answer) -> None:
        self._show_answer(asked, number, found.way.name, found.picture)

    def _take(self, number: int) -> None:
        way = self._ways[number]
        self.leave()
        self._desk.edit(f"Again here: {way.name}", way.edit)
