from hypothesis import settings
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from peel.job.history import History, State


class HistoryMachine(RuleBasedStateMachine):
    """Undo and redo behave like a list with a finger in it."""

    def __init__(self) -> None:
        super().__init__()
        self.history = History((State(0, "0", None),))
        self.model, self.finger, self.count = ["0"], 0, 0

    @rule()
    def edit(self) -> None:
        self.count += 1
        self.history = self.history.pushed(State(self.count, str(self.count), None))
        self.model = [*self.model[: self.finger + 1], str(self.count)]
        self.finger += 1

    @rule()
    def undo(self) -> None:
        self.history = self.history.moved(-1)
        self.finger = max(self.finger - 1, 0)

    @rule()
    def redo(self) -> None:
        self.history = self.history.moved(1)
        self.finger = min(self.finger + 1, len(self.model) - 1)

    @invariant()
    def agrees(self) -> None:
        assert [state.label for state in self.history.states] == self.model
        assert self.history.current.label == self.model[self.finger]
        assert (self.history.undo_label is None) == (self.finger == 0)
        assert (self.history.redo_label is None) == (self.finger == len(self.model) - 1)


TestHistory = HistoryMachine.TestCase
TestHistory.settings = settings(max_examples=40, stateful_step_count=30, deadline=None)
