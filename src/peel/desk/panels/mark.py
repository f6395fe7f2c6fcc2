"""Mark: the subject, roughly."""

from peel.desk.panels.panel import Panel, words
from peel.job import edits
from peel.job.job import Job
from peel.work.shares import zone_shares

__all__ = ["MarkPanel"]


class MarkPanel(Panel):
    """What is marked so far, and the contours."""

    title = "Mark the subject"

    def build(self) -> None:
        """Put shares, contours and their buttons into the column."""
        self._advice = words(
            "Go around the subject with Contour, or brush over it. Stop short of where hair turns see-through.",
            "muted",
        )
        self._shares = words("")
        self._warning = words("", "warning")
        self._contours = words("", "muted")
        for widget in (self._advice, self._shares, self._warning):
            self.column.addWidget(widget)
        self.rule()
        self.column.addWidget(self._contours)
        self._close = self.button("Close the contour", self._on_close, tip="Enter")
        self._back = self.button("Take back a point", self._on_back, tip="Backspace")
        self._remove = self.button("Remove the last contour", self._on_remove)
        self.row(self._close, self._back)
        self.column.addWidget(self._remove)

    def show_job(self, job: Job) -> None:
        """Show what is marked."""
        shares = zone_shares(job)
        self._shares.setText(
            f"subject {shares.full * 100:.1f} %   unsure {shares.some * 100:.1f} %   backdrop {shares.none * 100:.1f} %"
        )
        self._warning.setText(_warning(shares.none, shares.full))
        self._warning.setVisible(bool(self._warning.text()))
        contours = job.settings.contours
        holes = sum(contour.hole for contour in contours)
        drawing = edits.open_contour(job)
        text = f"{_counted(len(contours) - holes, 'contour')}, {_counted(holes, 'hole')}"
        if drawing is not None:
            text = f"Drawing: {_counted(len(drawing.points), 'point')} so far"
        self._contours.setText(text)
        self._close.setEnabled(drawing is not None and len(drawing.points) > 2)
        self._back.setEnabled(drawing is not None)
        self._remove.setEnabled(bool(contours))

    def _on_close(self) -> None:
        self.edit("Close the contour", edits.close_contour)

    def _on_back(self) -> None:
        self.edit("Take back a point", edits.take_back_point)

    def _on_remove(self) -> None:
        self.edit("Remove a contour", lambda job: edits.remove_contour(job, len(job.settings.contours) - 1))


def _warning(backdrop: float, subject: float) -> str:
    if backdrop < 0.005:
        return "Hardly any backdrop is left: everything is marked."
    if subject == 0 and backdrop < 1:
        return "All of the mark is unsure: mark more of the inside, or lay a narrower band."
    return ""


def _counted(number: int, noun: str) -> str:
    return f"{number or 'no'} {noun}{'' if number == 1 else 's'}"
