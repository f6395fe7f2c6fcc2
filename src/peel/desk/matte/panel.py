"""Matte: what has been solved, in numbers."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QRectF, QSize, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.number_field import NumberField
from peel.desk.matte.profile_page import ProfilePage
from peel.desk.matte.repair_page import RepairPage
from peel.desk.matte.snag_page import SnagPage
from peel.desk.step.panel import Panel, words
from peel.desk.theme import current
from peel.desk.tools.pick import PickTool
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.settings import MOST_SHEER_COLOURS
from peel.work.inspecting.shares import Shares, matte_shares
from peel.work.solving.sheer import add_sheer

__all__ = ["MattePanel"]


_WAYS = {
    "steps": ("Steps", "Along hard edges: one even step, carried on where both sides look alike"),
    "lines": ("Strands", "Single hairs and whiskers: keeps their tips, clears the haze between them"),
    "patches": ("Look-alikes", "What looks like the backdrop outside the band is backdrop inside it, too"),
    "sheer": ("Veils", "On stretches of the kind Sheer: read off from the cloth's own colour"),
}


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
    """How solid the matte is, whether it is up to date, and what is known of sheer material."""

    title = "The matte"

    page_turned = Signal()

    def build(self) -> None:
        """Put both pages into the column: shape and repair, and snags."""
        shape = "The edge's profile, repairs, and what helps the solve"
        wrong = "What is probably wrong with the matte, and where (N)"
        self._pages = self.page_choices(
            ("Shape and repair", shape, lambda: self.turn_page(snags=False)),
            ("Snags", wrong, lambda: self.turn_page(snags=True)),
        )
        self.rule()
        with self.page() as self._repair_page:
            self._build_repair()
        self.snags = SnagPage(self.desk)
        self.snags.hide()
        self.column.addWidget(self.snags)
        self.desk.solving_changed.connect(self._show_state)

    @property
    def shows_snags(self) -> bool:
        """Whether the page of snags is open."""
        return self._pages.buttons()[1].isChecked()

    def turn_page(self, *, snags: bool) -> None:
        """Open one of the two pages."""
        self._pages.buttons()[int(snags)].setChecked(True)
        self._repair_page.setVisible(not snags)
        self.snags.setVisible(snags)
        self.page_turned.emit()

    def _build_repair(self) -> None:
        self._state = words("", "muted")
        self._bar = _ShareBar()
        self._shares = words("")
        self.column.addWidget(self._state)
        self.column.addWidget(self._bar)
        self.column.addWidget(self._shares)
        self.rule()
        self.profile = ProfilePage()
        self.column.addWidget(self.profile)
        self.rule()
        self.repairs = RepairPage(self.desk)
        self.column.addWidget(self.repairs)
        self.rule()
        self._build_ways()
        self.rule()
        self.mixing = QCheckBox("Strands mix as light does")
        self.mixing.setToolTip(
            "Ticked where Peel found it so: right for most photographs as the camera made them.\n"
            "Unticked, half-covered pixels count by their values, as in pictures put together on a screen."
        )
        self.mixing.clicked.connect(lambda on: self._set("Mixing", "photo.mixing", "light" if on else "value"))
        self.column.addWidget(self.mixing)
        self.rule()
        self._build_sheer()

    def _build_ways(self) -> None:
        """Offer each kind's own way of solving, so that it can be left out where it errs."""
        self.column.addWidget(words("What helps the solve, each where its kind of edge is:", "muted"))
        grid = QGridLayout()
        grid.setSpacing(2)
        self.ways = {}
        for number, (name, (label, tip)) in enumerate(_WAYS.items()):
            box = QCheckBox(label)
            box.setToolTip(tip)
            box.clicked.connect(self._user_of(name, label))
            grid.addWidget(box, number // 2, number % 2)
            self.ways[name] = box
        self.column.addLayout(grid)

    def _user_of(self, name: str, label: str) -> Callable[[bool], None]:
        """Return what a tick does: a plain function, since Qt gives a partial one no state."""
        return lambda on: self._set(label, f"recipe.solving.{name}", 1.0 if on else 0.0)

    def _build_sheer(self) -> None:
        self.column.addWidget(
            words("Sheer cloth, smoke, glass: pick a spot of it, and say how much it covers there.", "muted")
        )
        self.covers = NumberField(
            "it covers there", low=10, high=100, default=60, unit="%",
            tip="How much of the backdrop the material hides at the spot you pick: 100 % where nothing shows through.\n"
            "The photo alone does not tell. Too much: the cloth comes out too faint; too little: too solid.",
        )  # fmt: skip
        self._pick_tool = PickTool("Press on the sheer material, where only backdrop shows through")
        self._pick_tool.picked.connect(self._on_picked)
        self.pick = button(
            "Pick a spot", lambda: self.desk.borrow(self._pick_tool), tip="Press on the cloth in the picture next"
        )
        self.row(self.covers, self.pick)
        self._picked = QHBoxLayout()
        self._picked.setSpacing(4)
        self.column.addLayout(self._picked)
        self._shown_colours: tuple[str, ...] = ()

    def _on_picked(self, across: float, down: float) -> None:
        solid = self.covers.value / 100
        self.desk.edit("Sheer colour", lambda job: add_sheer(job, (across, down), solid))
        self.desk.take_up(self.desk.last_tool)

    def _drop_colour(self, colour: str) -> None:
        def drop(job: Job) -> Job:
            kept = tuple(other for other in job.settings.photo.sheer_colours if other != colour)
            return set_value(job, "photo.sheer_colours", kept)

        self.desk.edit("Drop a sheer colour", drop)

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
            chip = button("", partial(self._drop_colour, colour), tip=f"{colour}: press to drop it")
            chip.setObjectName(f"sheer {colour}")
            chip.setAccessibleName(f"Sheer colour {colour}, press to drop it")
            chip.setFixedSize(30, 26)
            chip.setStyleSheet(f"background: {colour}; border: 1px solid palette(mid); border-radius: 5px;")
            self._picked.addWidget(chip)
        self._picked.addStretch(1)

    def show_rest(self, job: Job) -> None:
        """Show the shares, and what is known of the material."""
        photo = job.settings.photo
        self.mixing.setVisible(photo.known_mixing is not None)
        self.mixing.setChecked(photo.is_linear)
        for name, box in self.ways.items():
            box.setChecked(getattr(job.settings.recipe.solving, name) > 0)
        self._show_colours(photo.sheer_colours)
        self.repairs.show_job(job)
        self.snags.show_job(job)
        self.pick.setEnabled(len(photo.sheer_colours) < MOST_SHEER_COLOURS)
        if self.session is not None:
            shares = matte_shares(self.session.stages, job)
            self._bar.show_shares(shares)
            clear, some, solid = (f"{share * 100:.1f} %" for share in (shares.none, shares.some, shares.full))
            self._shares.setText(f"clear {clear}   half-clear {some}   solid {solid}")
        self._show_state()

    def _show_state(self) -> None:
        job, solving = self.desk.job, self.desk.solving
        if job is None or not job.has_subject:
            self._state.setText("Nothing is marked yet: begin with Mark.")
        elif solving is not None:
            self._state.setText(f"Solving, {solving * 100:.0f} %")
        else:
            self._state.setText(
                "Solved from the zones." if job.is_solved else "Mark both subject and backdrop to solve it."
            )
