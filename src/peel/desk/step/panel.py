"""What every step's panel has in common."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from PySide6.QtWidgets import QButtonGroup, QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button, side_by_side
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.desk_state import DeskState
from peel.desk.step.fields import field_for
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.settings import value_of
from peel.work.session.session import Session

__all__ = ["Panel", "words"]


class Panel(QWidget):
    """Reads the job, calls edits, keeps no truth of its own.

    Attributes
    ----------
    foot : QWidget
        What stays in sight below the panel, however far it is scrolled.

    Parameters
    ----------
    desk : DeskState
    """

    title = ""

    def __init__(self, desk: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.foot = QWidget()
        self._pinned = QVBoxLayout(self.foot)
        self._pinned.setContentsMargins(0, 8, 4, 0)
        self._pinned.setSpacing(6)
        self.setObjectName("surface")
        self.desk = desk
        self._bound: list[Callable[[Job], None]] = []
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 4, 0)
        self.column.setSpacing(8)
        if self.title:
            self.column.addWidget(words(self.title, "title"))
        self.build()
        self.column.addStretch(1)

    def build(self) -> None:
        """Put the panel's widgets into its column."""

    @property
    def session(self) -> Session | None:
        """The open session."""
        return self.desk.bridge.session if self.desk.bridge is not None else None

    def show(self) -> None:
        """Show the panel, with the values of the open job."""
        super().show()
        if self.desk.job is not None:
            self.show_job(self.desk.job)

    def show_job(self, job: Job) -> None:
        """Show a job's values: first those of bound controls, then whatever `show_rest` adds."""
        for show in self._bound:
            show(job)
        self.show_rest(job)

    def show_rest(self, job: Job) -> None:
        """Show what is bound to no setting."""

    # controls bound to settings

    def number(
        self,
        path: str,
        name: str,
        label: str,
        *,
        tip: str,
        step: float = 1.0,
        curve: float = 1.0,
        track: tuple[float, float] | None = None,
        live: bool = True,
    ) -> NumberField:
        """Make the control of a setting, bound to it; see `field_for` and `bind`."""
        field = field_for(path, name, tip=tip, step=step, curve=curve, track=track)
        self.bind(field, path, label, live=live)
        return field

    def bind(self, field: NumberField, path: str, label: str, *, live: bool = True) -> None:
        """Keep a number and a setting the same; dragging it is one step of undo.

        Parameters
        ----------
        field : NumberField
        path : str
            Of the setting, such as ``recipe.colour.clean``.
        label : str
            What undo will show.
        live : bool
            False if the picture follows only when the gesture ends, as its edit takes longer than a frame.
        """

        def on_changed(value: float, dragged: bool) -> None:
            if live or not dragged:
                self._set(label, path, value / field.scale, gesture=(path, id(field)), ends=not dragged)

        def show(job: Job) -> None:
            field.show_value(float(value_of(job.settings, path)) * field.scale)

        field.changed.connect(on_changed)
        self._bound.append(show)

    def bind_tick(self, box: QCheckBox, path: str, label: str) -> None:
        """Keep a tick and a yes-or-no setting the same."""
        box.clicked.connect(lambda on: self._set(label, path, on))
        self._bound.append(lambda job: box.setChecked(bool(value_of(job.settings, path))))

    def _set(self, label: str, path: str, value: object, *, gesture: object = None, ends: bool = True) -> None:
        self.desk.edit(label, lambda job: set_value(job, path, value), gesture=gesture, ends=ends)

    # parts

    @contextmanager
    def page(self) -> Iterator[QWidget]:
        """Put what is built meanwhile into a page of its own, which can be hidden."""
        outer, page = self.column, QWidget()
        self.column = QVBoxLayout(page)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(outer.spacing())
        yield page
        self.column = outer
        self.column.addWidget(page)

    def page_choices(self, *choices: tuple[str, str, Callable[[], object]]) -> QButtonGroup:
        """Put buttons side by side, each with its tip and what it does: one is chosen at a time, the first at first."""
        group = QButtonGroup(self)
        for text, tip, pressed in choices:
            group.addButton(button(text, pressed, role="choice", tip=tip, checks=True))
        self.row(*group.buttons())
        group.buttons()[0].setChecked(True)
        return group

    def pin(self, *widgets: QWidget) -> None:
        """Keep widgets in sight below the panel, side by side."""
        self._pinned.addLayout(side_by_side(*widgets))

    def rule(self) -> None:
        """Add a thin line."""
        line = QWidget()
        line.setObjectName("rule")
        self.column.addWidget(line)

    def row(self, *widgets: QWidget) -> QHBoxLayout:
        """Add widgets side by side."""
        line = side_by_side(*widgets)
        self.column.addLayout(line)
        return line
