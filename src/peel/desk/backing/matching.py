"""Match: backing and subject brought together by one press, then by hand; and light wrap."""

from functools import partial
from typing import Any, Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout

from peel.desk.backing.cutouts import cutout_name
from peel.desk.controls.buttons import button
from peel.desk.controls.number_field import NumberField
from peel.desk.step.fields import field_in
from peel.desk.step.panel import Panel, words
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.cutouts import with_cutout
from peel.job.settings import Grade, ToneMatch
from peel.work.arranging.matching import MATCHES
from peel.work.views import View

__all__ = ["MatchPage", "grade_of", "graded_job"]

_PARTS: Final = (
    ("exposure", "exposure", "Tenths of a stop: more or less light"),
    ("warmth", "warmth", "Bluer to the left, yellower to the right"),
    ("black", "dark", "What becomes black"),
    ("white", "light", "What becomes white"),
    ("middle", "middle", "What becomes the middle between them"),
    ("contrast", "contrast", "Around the middle"),
    ("colour", "saturation", "How strong colours are; -100 % is grey"),
    ("hue", "hue_deg", "By how much hues are turned"),
)


def grade_of(job: Job, target: str) -> Grade:
    """Return the grade of "backing", of "subject", or of a cutout by its number."""
    if target == "backing":
        return job.settings.recipe.backing.grade
    cutouts = job.settings.photo.cutouts
    own = cutouts[int(target)] if target.isdigit() and int(target) < len(cutouts) else None
    if own is None or own.grade is None:
        return job.settings.recipe.subject if own is None or own.source == "subject" else Grade()
    return own.grade


def graded_job(job: Job, target: str, changes: dict[str, Any]) -> Job:
    """Change a grade of a target; see `grade_of`. Ends that would cross push each other along."""
    grade = {**dict(grade_of(job, target)), **changes}
    if grade["dark"] >= grade["light"]:
        grade["light" if "dark" in changes else "dark"] = (
            min(grade["dark"] + 0.02, 1.0) if "dark" in changes else max(grade["light"] - 0.02, 0.0)
        )
    made = Grade.model_validate(grade)
    if target == "backing":
        return set_value(job, "recipe.backing.grade", made)
    if target == "subject":
        return set_value(job, "recipe.subject", made)
    return with_cutout(job, int(target), grade=made)


class MatchPage(Panel):
    """Ways to match, grades by hand, and light wrap; every control names what it changes.

    Signals
    -------
    match_asked : (str,)
        One of `MATCHES`.
    """

    match_asked = Signal(str)

    def build(self) -> None:
        """Put everything into the column."""
        self.column.setContentsMargins(0, 0, 0, 0)
        self.target = "backing"
        self.column.addWidget(words("Match by one press", "strong"))
        for match in MATCHES:
            made = button(match.capitalize(), partial(self.match_asked.emit, match),
                               tip="Lightness and colours: their mean, and how far they spread")  # fmt: skip
            made.setObjectName(f"match {match}")
            self.column.addWidget(made)
        self.rule()
        self.what = QComboBox()
        self.what.setAccessibleName("What is changed by hand")
        self.what.activated.connect(self._on_target)
        self.column.addWidget(self.what)
        self.amount = field_in(
            ToneMatch, "amount", "backing: matched by", tip="How much of the match that was made counts"
        )
        self.amount.setObjectName("match amount")
        self.amount.changed.connect(self._on_amount)
        self.column.addWidget(self.amount)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.parts: dict[str, NumberField] = {}
        for place, (name, key, tip) in enumerate(_PARTS):
            field = field_in(Grade, key, name, tip=tip)
            field.setObjectName(f"grade {key}")
            field.changed.connect(partial(self._on_part, key))
            self.parts[key] = field
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)
        self.reset = button("", self._reset, role="link", tip="Neither matched nor graded by hand")
        self.reset.setObjectName("reset grade")
        self.column.addWidget(self.reset)
        self.rule()
        self.column.addWidget(words("Light wrap, over every cutout's edge", "strong"))
        wrap = self.number("recipe.wrap.amount", "wrap: amount", "Light wrap", tip="Backing light bled over edges")
        reach = self.number("recipe.wrap.reach_px", "wrap: reach", "Light wrap", curve=2.0, tip="How far inward")
        self.row(wrap, reach)
        for field in (wrap, reach, self.amount, *self.parts.values()):
            field.changed.connect(lambda _value, _dragged: self.desk.show_view(View.BACKING))

    def _on_target(self, _index: int) -> None:
        self.target = str(self.what.currentData())
        if self.desk.job is not None:
            self.show_rest(self.desk.job)

    def choose(self, target: str) -> None:
        """Change something else by hand."""
        self.target = target
        if self.desk.job is not None:
            self.show_rest(self.desk.job)

    def _on_part(self, key: str, value: float, dragged: bool) -> None:
        target, changes = self.target, {key: value / self.parts[key].scale}
        self.desk.edit(
            f"Grade of the {_of(target)}",
            lambda job: graded_job(job, target, changes),
            gesture=("grade", target, key),
            ends=not dragged,
        )

    def _on_amount(self, value: float, dragged: bool) -> None:
        target = self.target

        def edit(job: Job) -> Job:
            match = grade_of(job, target).match
            if match is None:
                return job
            return graded_job(job, target, {"match": match.model_copy(update={"amount": value / 100})})

        self.desk.edit("Match", edit, gesture=("match", target), ends=not dragged)

    def _reset(self) -> None:
        target = self.target
        self.desk.edit(f"Grade of the {_of(target)}", lambda job: graded_job(job, target, dict(Grade())))
        self.desk.show_view(View.BACKING)

    def show_rest(self, job: Job) -> None:
        """Show the grade of what is chosen."""
        cutouts = job.settings.photo.cutouts
        targets = [("The backing", "backing"), ("The subject", "subject")]
        targets += [
            (cutout_name(k, cutout), str(k)) for k, cutout in enumerate(cutouts) if k or cutout.source != "subject"
        ]
        self.what.clear()
        for title, target in targets:
            self.what.addItem(title, target)
        if self.target not in [target for _, target in targets]:
            self.target = "backing"
        self.what.setCurrentIndex(self.what.findData(self.target))
        grade, named = grade_of(job, self.target), _of(self.target)
        for name, key, _tip in _PARTS:
            self.parts[key].rename(f"{named}: {name}")
            self.parts[key].show_value(float(getattr(grade, key)) * self.parts[key].scale)
        match = grade.match
        self.amount.rename(f"{named}: matched to {match.to}, by" if match else f"{named}: not matched")
        self.amount.setEnabled(match is not None)
        self.amount.show_value(100 * match.amount if match else 100)
        self.reset.setText(f"The {named} as it was")
        self.reset.setEnabled(grade != Grade())


def _of(target: str) -> str:
    return target if target in {"backing", "subject"} else f"cutout {target}"
