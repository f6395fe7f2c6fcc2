"""Edge: the unsure band around the marked boundary."""

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.job import edits
from peel.job.job import Job
from peel.job.settings import Band
from peel.work.shares import zone_shares

__all__ = ["EdgePanel"]


class EdgePanel(Panel):
    """How wide the band is."""

    title = "The unsure band"

    def build(self) -> None:
        """Put the two widths into the column."""
        advice = (
            "Inside the band each pixel is computed. Too narrow loses strands; too deep makes the inside see-through."
        )
        self.column.addWidget(words(advice, "muted"))
        default = Band()
        self.outward = NumberField(
            "outward, into the backdrop", low=0, high=200, default=default.outward_px, unit="px", curve=1.8,
            tip="How far the band reaches from the mark into the backdrop: over wisps and glow.",
        )  # fmt: skip
        self.inward = NumberField(
            "inward, into the subject", low=0, high=200, default=default.inward_px, unit="px", curve=1.8,
            tip="How far the band reaches from the mark into the subject: to where it is surely solid.",
        )  # fmt: skip
        self.exact = NumberField(
            "both ways, where exact", low=0, high=40, default=default.exact_px, unit="px", step=0.5,
            tip="How far the band reaches along edges that were drawn or brushed as exact.",
        )  # fmt: skip
        for field in (self.outward, self.inward, self.exact):
            self.column.addWidget(field)
            field.changed.connect(self._on_changed)
        self._shares = words("")
        self.column.addWidget(self._shares)
        self.rule()
        self.column.addWidget(
            words(
                "Brush Band over wisps that reach further, Exact along hard edges. "
                "Certain says what is surely subject, or with Alt backdrop.",
                "muted",
            )
        )

    def show_job(self, job: Job) -> None:
        """Show the widths."""
        self.outward.show_value(job.settings.band.outward_px)
        self.inward.show_value(job.settings.band.inward_px)
        self.exact.show_value(job.settings.band.exact_px)
        shares = zone_shares(job)
        self._shares.setText(f"unsure: {shares.some * 100:.1f} % of the photo")

    def _on_changed(self, _value: float, dragged: bool) -> None:
        # Laying the band over a whole photo takes longer than a frame, so a drag shows its result when it ends.
        if not dragged:
            band = Band(outward_px=self.outward.value, inward_px=self.inward.value, exact_px=self.exact.value)
            self.edit("Band width", lambda job: edits.set_band(job, band) if job.settings.band != band else job)
