"""Colour: the subject's own colours in the half-clear edge."""

from PySide6.QtCore import Signal

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.job.job import Job
from peel.job.settings import Colour

__all__ = ["ColourPanel"]


class ColourPanel(Panel):
    """How much of the old backdrop is taken out of the edge's colour.

    Signals
    -------
    compare_asked : (object,)
        A job to show while a button is held, or None to end it.
    """

    compare_asked = Signal(object)
    title = "Clean edge colours"

    def build(self) -> None:
        """Put the strength and the comparison into the column."""
        advice = (
            "Half-clear pixels still carry the old backdrop. "
            "Peel replaces their colour by the subject's own, found nearby."
        )
        self.column.addWidget(words(advice, "muted"))
        self.clean = NumberField(
            "strength", low=0, high=100, default=100, unit="%",
            tip="0 % keeps the photo's own colours in the edge, 100 % gives all of it the subject's.",
        )  # fmt: skip
        self.clean.changed.connect(self._on_changed)
        self.column.addWidget(self.clean)
        hold = self.button(
            "Hold to see it without",
            lambda: None,
            tip="Shows the edge with the photo's own colours while held",
        )
        hold.pressed.connect(self._on_held)
        hold.released.connect(lambda: self.compare_asked.emit(None))
        self.column.addWidget(hold)
        self.column.addWidget(
            words("Solid pixels are never touched: they are delivered exactly as photographed.", "small")
        )

    def show_job(self, job: Job) -> None:
        """Show the strength."""
        self.clean.show_value(job.settings.colour.clean * 100)

    def _on_changed(self, value: float, _dragged: bool) -> None:
        colour = Colour(clean=value / 100)
        label = "Edge colour strength"
        self.edit(label, lambda job: _with_colour(job, colour), dragged=True)

    def _on_held(self) -> None:
        if self.bridge is not None:
            self.compare_asked.emit(_with_colour(self.bridge.job, Colour(clean=0.0)))


def _with_colour(job: Job, colour: Colour) -> Job:
    return job if job.settings.colour == colour else job.with_settings(colour=colour)
