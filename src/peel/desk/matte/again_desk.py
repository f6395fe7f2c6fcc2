"""Again here: solves a drawn area in other ways on a worker, and takes the one that is pressed."""

from functools import partial

from PySide6.QtCore import QPointF, Signal
from PySide6.QtWidgets import QWidget

from peel.desk.controls.answers import Answers
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.matte.panel import MattePanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.errors import PeelError
from peel.job.settings import Point
from peel.matte.parallel import cancellable
from peel.work.scheduler import Ticket
from peel.work.solving.again import Answer, Way, answer, ways_of, window_of

__all__ = ["AgainDesk"]


class AgainDesk(LaneDesk):
    """Offers other answers for an area."""

    _listed = Signal(object, object)
    _answered = Signal(object, int, object)
    _failed = Signal(object, object)

    def __init__(self, desk: DeskState, panel: MattePanel, canvas: QWidget) -> None:
        super().__init__(desk, "again")
        self.answers = Answers(canvas)
        self._asked: object = None
        self._ways: list[Way] = []
        panel.repairs.again_asked.connect(self.begin)
        self.answers.taken.connect(self._take)
        self.answers.left.connect(self.leave)
        self._listed.connect(self._on_listed)
        self._answered.connect(self._on_answer)
        self._failed.connect(self._on_failed)
        desk.session_changed.connect(self.leave)
        desk.step_changed.connect(self.leave)

    def begin(self, area: tuple[Point, ...]) -> None:
        """Solve an area in other ways."""
        bridge = self._desk.bridge
        if bridge is None or self._desk.step is not Step.MATTE:
            return
        job, stages = bridge.job, bridge.session.stages
        self._asked = asked = object()
        window = window_of(job, area)
        self._desk.ask.look_at.emit(
            QPointF((window.left + window.right) / 2, (window.top + window.bottom) / 2),
            float(max(window.height, window.width)),
        )

        def solve(ways: list[Way], number: int, ticket: Ticket) -> Answer:
            with cancellable(lambda: not ticket.is_cancelled):
                return answer(stages, job, ways[number], window)

        def list_ways() -> list[Way]:
            ways = ways_of(job, area)
            for number in range(len(ways)):
                self._lane.submit(
                    ("again", number),
                    partial(solve, ways, number),
                    partial(self._answered.emit, asked, number),
                    partial(self._failed.emit, asked),
                )
            return ways

        self._lane.submit(
            "again",
            lambda _ticket: list_ways(),
            lambda ways: self._listed.emit(asked, ways),
            partial(self._failed.emit, asked),
        )

    def _on_listed(self, asked: object, ways: list[Way]) -> None:
        if asked is self._asked:
            self._ways = ways
            self.answers.begin([way.name for way in ways])

    def _on_answer(self, asked: object, number: int, found: Answer) -> None:
        if asked is self._asked and number < len(self.answers.buttons):
            self.answers.show_answer(number, found.way.name, image_from_rgb(found.picture))

    def _on_failed(self, asked: object, error: object) -> None:
        if asked is self._asked and isinstance(error, PeelError):
            self._desk.say(error.message, error.hint)

    def _take(self, number: int) -> None:
        way = self._ways[number]
        self.leave()
        self._desk.edit(f"Again here: {way.name}", way.edit)

    def leave(self) -> None:
        """Take no answer."""
        self._asked = None
        self._lane.keep_only(lambda _key: False)
        self.answers.clear()
