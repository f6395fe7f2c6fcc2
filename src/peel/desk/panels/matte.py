"""Matte: what has been solved, in numbers."""

from functools import partial

from PySide6.QtCore import QRectF, QSize, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QWidget

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.desk.theme import current
from peel.job.edits import set_mixing, set_own_colours
from peel.job.job import Job
from peel.job.settings import MOST_OWN_COLOURS, Point
from peel.work.shares import Shares, matte_shares
from peel.work.sheer import add_sheer

__all__ = ["MattePanel"]


class _ShareBar(QWidget):
    """Clear, half-clear and solid side by side."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(16)
        self._shares = Shares(1, 0, 0)

    def sizeHint(self) -> QSize:
        """Ask for a line."""
        return QSize(200, 16)

    def show_shares(self, shares: Shares) -> None:
        """Show shares."""
        self._shares = shares
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the three parts."""
        theme = current()
        painter = QPainter(self)
        left = 0.0
        for share, role in (
            (self._shares.none, "raised"),
            (self._shares.some, "accent"),
            (self._shares.full, "strong"),
        ):
            width = share * self.width()
            painter.fillRect(QRectF(left, 0, width, self.height()), theme.colour(role))
            left += width
        painter.setPen(theme.colour("line"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class MattePanel(Panel):
    """How solid the matte is, whether it is up to date, and what is known of sheer material.

    Signals
    -------
    pick_asked : ()
        A colour of sheer material is to be picked in the picture.
    """

    pick_asked = Signal()

    title = "The matte"

    def build(self) -> None:
        """Put the shares into the column."""
        self._state = words("", "muted")
        self._bar = _ShareBar()
        self._shares = words("")
        self.column.addWidget(self._state)
        self.column.addWidget(self._bar)
        self.column.addWidget(self._shares)
        self.rule()
        advice = (
            "Go round the edge at 100 %. Holes show on Loud, fringe on Black and White, lost strands against Photo. "
            "Brush Band over hair cut short, Certain over a see-through inside."
        )
        self.column.addWidget(words(advice, "muted"))
        self.rule()
        self.mixing = QCheckBox("Strands mix as light does")
        self.mixing.setToolTip(
            "Ticked where Peel found it so: right for most photographs as the camera made them.\n"
            "Unticked, half-covered pixels count by their values, as in pictures put together on a screen."
        )
        self.mixing.clicked.connect(self._on_mixing)
        self.column.addWidget(self.mixing)
        self.rule()
        self.column.addWidget(
            words("Sheer cloth, smoke, glass: pick a spot of it, and say how much it covers there.", "muted")
        )
        self.covers = NumberField(
            "it covers there", low=10, high=100, default=60, unit="%",
            tip="How much of the backdrop the material hides at the spot you pick: 100 % where nothing shows through.\n"
            "The photo alone does not tell. Too much: the cloth comes out too faint; too little: too solid.",
        )  # fmt: skip
        self.pick = self.button("Pick a spot", self.pick_asked.emit, tip="Press on the cloth in the picture next")
        self.row(self.covers, self.pick)
        self._picked = QHBoxLayout()
        self._picked.setSpacing(4)
        self.column.addLayout(self._picked)
        self._shown_colours: tuple[str, ...] = ()
        self._solving: float | None = None

    def add_sheer(self, spot: Point) -> None:
        """Take the sheer material's own colour from a spot of the photo."""
        solid = self.covers.value / 100
        self.edit("Sheer colour", lambda job: add_sheer(job, spot, solid))

    def _drop_colour(self, colour: str) -> None:
        self.edit(
            "Drop a sheer colour",
            lambda job: set_own_colours(job, tuple(c for c in job.settings.matte.own_colours if c != colour)),
        )

    def _show_colours(self, colours: tuple[str, ...]) -> None:
        """Show the picked colours, each as a button that drops it."""
        if colours == self._shown_colours:
            return
        self._shown_colours = colours
        while (item := self._picked.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.setObjectName("")
                old.hide()
                old.deleteLater()
        for colour in colours:
            chip = self.button("", partial(self._drop_colour, colour), tip=f"{colour}: press to drop it")
            chip.setObjectName(f"sheer {colour}")
            chip.setAccessibleName(f"Sheer colour {colour}, press to drop it")
            chip.setFixedSize(30, 26)
            chip.setStyleSheet(f"background: {colour}; border: 1px solid palette(mid); border-radius: 5px;")
            self._picked.addWidget(chip)
        self._picked.addStretch(1)

    def _on_mixing(self, linear: bool) -> None:
        self.edit("Mixing", lambda job: set_mixing(job, "light" if linear else "value"))

    def show_solving(self, share: float | None) -> None:
        """Show how far the solve is."""
        self._solving = share
        if self.bridge is not None:
            self.show_job(self.bridge.job)

    def show_job(self, job: Job) -> None:
        """Show the shares."""
        mixing = job.settings.matte.mixing
        self.mixing.setVisible(mixing is not None)
        self.mixing.setChecked(job.settings.matte.is_linear)
        self._show_colours(job.settings.matte.own_colours)
        self.pick.setEnabled(len(job.settings.matte.own_colours) < MOST_OWN_COLOURS)
        shares = matte_shares(job)
        self._bar.show_shares(shares)
        self._shares.setText(
            f"clear {shares.none * 100:.1f} %   half-clear {shares.some * 100:.1f} %   solid {shares.full * 100:.1f} %"
        )
        if not job.has_subject:
            self._state.setText("Nothing is marked yet: begin with Mark.")
        elif self._solving is not None:
            self._state.setText(f"Solving, {self._solving * 100:.0f} %")
        else:
            self._state.setText(
                "Solved from the zones." if job.is_solved else "Mark both subject and backdrop to solve it."
            )
