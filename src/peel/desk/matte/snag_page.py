"""The page of snags in the Matte panel: which one the walk is at, what mends it, and what counts as one."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.controls.outline_map import OutlineMap
from peel.desk.desk_state import DeskState
from peel.desk.step.fields import field_for
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.matte.inspect.sorts import SnagSort

__all__ = ["SnagPage", "SnagWords"]


@dataclass(frozen=True)
class SnagWords:
    """What the page says of a snag: where in the walk, what it is, how large and where it shows, what would mend it."""

    place: str
    title: str
    says: str
    mend: str
    is_offered: bool
    settled: str


class SnagPage(QWidget):
    """Shows a snag and says what the person does about it.

    Signals
    -------
    walked : (int,)
        On by so many snags.
    mend_asked, reopen_asked, strip_asked : ()
    mended_shown : (bool,)
        The mend is to be shown, or no longer.
    accepted : (str,)
        For a reason.
    order_changed : ()
    """

    walked = Signal(int)
    mend_asked = Signal()
    reopen_asked = Signal()
    strip_asked = Signal()
    mended_shown = Signal(bool)
    accepted = Signal(str)
    order_changed = Signal()

    def __init__(self, desk: DeskState) -> None:
        super().__init__()
        self._desk = desk
        self._said: SnagWords | None = SnagWords("", "", "", "", is_offered=False, settled="")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self.counts = words("", "strong")
        self.column.addWidget(self.counts)
        self.map = OutlineMap()
        self.column.addWidget(self.map)
        self._build_walk()
        self._build_snag()
        self._build_limits()
        self.column.addStretch(1)

    def _build_walk(self) -> None:
        self.back = button("Back", lambda: self.walked.emit(-1), name="snag back", tip="The snag before (Shift+N)")
        self.next = button("Next", lambda: self.walked.emit(1), name="snag next", tip="The next snag (N)")
        self.order = QComboBox()
        self.order.setAccessibleName("Order of the walk")
        self.order.addItems(["Gravest first", "Along the edge"])
        self.order.activated.connect(lambda _index: self.order_changed.emit())
        line = QHBoxLayout()
        line.setSpacing(4)
        for part in (self.back, self.next):
            line.addWidget(part)
        line.addWidget(self.order, 1)
        self.column.addLayout(line)
        strip = button("Round the edge", self.strip_asked.emit, name="round the edge",
                       tip="The whole edge as one straight strip, with its snags (F4)")  # fmt: skip
        self.column.addWidget(strip)

    def _build_snag(self) -> None:
        self._snag = QWidget()
        box = QVBoxLayout(self._snag)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        self._place, self._title = words("", "muted"), words("", "strong")
        self._says, self._tool = words(""), words("", "muted")
        for label in (self._place, self._title, self._says, self._tool):
            box.addWidget(label)
        self.mend = button(
            "Mend it", self.mend_asked.emit, name="snag mend", tip="Mends this snag; one step of undo (F2)"
        )
        self.show_mended = button("Hold to see it so", lambda: None, name="snag show", tip="Shows it mended while held")
        self.show_mended.pressed.connect(lambda: self.mended_shown.emit(True))
        self.show_mended.released.connect(lambda: self.mended_shown.emit(False))
        line = QHBoxLayout()
        line.setSpacing(4)
        line.addWidget(self.mend)
        line.addWidget(self.show_mended, 1)
        box.addLayout(line)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("reason")
        self.reason.setToolTip("Why it is right as it is; kept in the job and in reports")
        self.reason.setMaxLength(200)
        self.reason.setAccessibleName("Why it is right as it is")
        self.take = button("It is right", lambda: self.accepted.emit(self.reason.text()),
                           name="snag accept", tip="Accepts it as it is, for the reason beside it (F3)")  # fmt: skip
        self.reopen = button(
            "Open it again", self.reopen_asked.emit, name="snag reopen", tip="Counts it as a snag again"
        )
        answer = QHBoxLayout()
        answer.setSpacing(4)
        answer.addWidget(self.take)
        answer.addWidget(self.reopen)
        answer.addWidget(self.reason, 1)
        box.addLayout(answer)
        self.column.addWidget(self._snag)

    def _build_limits(self) -> None:
        self.more = QCheckBox("What counts as a snag")
        self.more.setToolTip("Which sorts are looked for, and from which size")
        self._limits = QWidget()
        self._limits.hide()
        self.more.toggled.connect(self._limits.setVisible)
        self.column.addWidget(self.more)
        grid = QGridLayout(self._limits)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(3)
        self.ticks: dict[SnagSort, QCheckBox] = {}
        self.sizes: dict[SnagSort, NumberField] = {}
        for row, sort in enumerate(SnagSort):
            tick = QCheckBox(sort.value)
            tick.clicked.connect(self._switch_of(sort))
            size = field_for(
                f"recipe.inspection.{sort.id}.least_px",
                "from",
                tip="Smallest snag of this sort: by how many solid pixels the matte is off",
                curve=2.5,
                track=(0, 2000),
            )
            size.changed.connect(partial(self._on_size, sort))
            self.ticks[sort], self.sizes[sort] = tick, size
            grid.addWidget(tick, 2 * row, 0)
            grid.addWidget(size, 2 * row + 1, 0)
        self.column.addWidget(self._limits)

    def _switch_of(self, sort: SnagSort) -> Callable[[bool], None]:
        """Return what a tick does: a plain function, since Qt gives a partial one no state."""
        return lambda on: self._set(sort, "on", on)

    def _set(self, sort: SnagSort, part: str, value: object) -> None:
        path = f"recipe.inspection.{sort.id}.{part}"
        self._desk.edit("What counts as a snag", lambda job: set_value(job, path, value))

    def _on_size(self, sort: SnagSort, value: float, dragged: bool) -> None:
        if not dragged:
            self._set(sort, "least_px", value)

    def show_job(self, job: Job) -> None:
        """Show which sorts are looked for."""
        for sort, tick in self.ticks.items():
            limit = job.settings.recipe.inspection.limit(sort)
            tick.setChecked(limit.on)
            self.sizes[sort].setEnabled(limit.on)
            self.sizes[sort].show_value(limit.least_px)

    def show_counts(self, text: str, *, any_open: bool) -> None:
        """Say how many snags there are, and whether one can walk on."""
        self.counts.setText(text)
        self.next.setEnabled(any_open)
        self.back.setEnabled(any_open)

    def show_snag(self, said: SnagWords | None) -> None:
        """Show the snag that the walk is at; None for none. What is being typed about it stays."""
        if said == self._said:
            return
        before, self._said = self._said, said
        for part in (self._title, self._tool, self.mend, self.show_mended, self.take, self.reopen, self.reason):
            part.setVisible(said is not None)
        self._says.setText("N walks to the gravest one." if said is None else said.says)
        if said is None:
            self._place.setText("")
            return
        self._place.setText(said.place)
        self._title.setText(said.title)
        self._tool.setText(said.mend)
        self.mend.setEnabled(said.is_offered and not said.settled)
        self.show_mended.setEnabled(said.is_offered and not said.settled)
        self.take.setVisible(not said.settled)
        self.reopen.setVisible(bool(said.settled))
        self.reason.setEnabled(not said.settled)
        if before is None or (before.title, before.says, before.settled) != (said.title, said.says, said.settled):
            self.reason.setText(said.settled)

    @property
    def goes_along(self) -> bool:
        """Whether the walk goes along the edge, rather than by severity."""
        return self.order.currentIndex() == 1


def counts_text(showing: int, hidden: int, accepted: int, mended: int) -> str:
    """Say how many snags are left that will show and that will not, were mended, and were accepted."""
    left = "Nothing is left that will show" if showing == 0 else f"{showing} snag{'' if showing == 1 else 's'} left"
    numbers = ((hidden, "slight"), (mended, "mended"), (accepted, "accepted"))
    rest = [f"{number} {what}" for number, what in numbers if number > 0]
    return " · ".join([left, *rest])


def order_of(places: Sequence[int], *, along: bool) -> list[int]:
    """Return the numbers of snags in the order of the walk."""
    return sorted(range(len(places)), key=lambda number: places[number]) if along else list(range(len(places)))
