"""Separation beyond its page: reading the sheet on a worker, showing what is tried, and the tools' edits."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.edge.panel import EdgePanel
from peel.desk.edge.separation_tools import EndsTool, KeyTool, StretchTool
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.edits.marking import coverage_of
from peel.job.edits.separations import curve_of, release_stretch, turned
from peel.job.job import Job
from peel.job.settings import Point, Separation
from peel.job.settings.edges import KIND_IDS
from peel.work.marking.tone_start import mark_by_tone, with_ends
from peel.work.separating.choosing import add_stretch, drop_separation, press_end, put_separation
from peel.work.separating.keying import key_photo
from peel.work.separating.separation_sheet import (
    Detail,
    Outlines,
    RenderingSheet,
    Row,
    measure_detail,
    outlines_of,
    read_sheet,
)
from peel.work.separating.tones import complete, samples_for_target
from peel.work.views import View

__all__ = ["SeparationDesk", "Target"]

_SHEET = task("separation sheet", "The renderings of the photo could not be compared.")
_TONES = task("tones of a separation", "The tones of this rendering could not be measured.")


@dataclass(frozen=True)
class Target:
    """What a separation is chosen for: everything, a kind, or a stretch by its place in the recipe's list."""

    applies: str = "everywhere"
    stretch: int | None = None

    def place(self, job: Job) -> int:
        """Return the place of its separation in the recipe's list, or the end of the list."""
        separations = job.settings.recipe.separations
        if self.stretch is not None:
            return min(self.stretch, len(separations))
        found = (place for place, separation in enumerate(separations) if separation.applies == self.applies)
        return next(found, len(separations))

    def separation(self, job: Job) -> Separation | None:
        """Return its separation, or None where it has none."""
        separations, place = job.settings.recipe.separations, self.place(job)
        return separations[place] if place < len(separations) else None


@dataclass(frozen=True)
class _Shown:
    """What was found out about one separation."""

    separation: Separation
    outlines: Outlines | None
    detail: Detail | None


class SeparationDesk(LaneDesk):
    """Keeps the page, the view Tone and the tools of Separation in step with the job."""

    def __init__(self, desk: DeskState, panel: EdgePanel) -> None:
        super().__init__(desk)
        self._panel, self.page = panel, panel.separation
        self.target = Target()
        self._awaited: Target | None = None
        self._asked: object = None
        self._shown: _Shown | None = None
        self._view_before = View.ZONES
        self._connect_page()
        self._connect_tools()
        panel.page_turned.connect(self._on_page)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._look)
        desk.job_changed.connect(self._on_job)

    def _connect_page(self) -> None:
        page = self.page
        page.target_chosen.connect(self._on_target)
        page.row_chosen.connect(self._on_row)
        page.changed.connect(self._on_changed)
        page.turned.connect(lambda: self._edit("Turn over", turned))
        page.proposed.connect(self._on_proposed)
        page.dropped.connect(self._on_dropped)
        page.begun.connect(self._on_begun)
        page.show_lost.toggled.connect(lambda _on: self._show_look())

    def _connect_tools(self) -> None:
        for tool in {tool for own in self._desk.tools.values() for tool in own}:
            if isinstance(tool, EndsTool):
                tool.pressed.connect(self._on_end)
            elif isinstance(tool, StretchTool):
                tool.drawn.connect(self._on_stretch)
            elif isinstance(tool, KeyTool):
                tool.picked.connect(self._on_key)

    # what is shown

    @property
    def is_open(self) -> bool:
        """Whether the page is what the person looks at."""
        return self._desk.step is Step.EDGE and self._panel.shows_separation

    def current(self) -> Separation:
        """Return the separation that is shown: the job's, or what one for this target would begin with."""
        job = self._desk.job
        stored = self.target.separation(job) if job is not None else None
        return stored or Separation.model_validate({"applies": self.target.applies})

    def _on_session(self) -> None:
        self.target, self._awaited, self._asked, self._shown = Target(), None, None, None
        self._desk.set_look(lambda look: replace(look, separation=None, lost_floor=None))
        self._look()

    def _on_page(self) -> None:
        """Show Tone while the page is open, and what was shown before afterwards."""
        if self.is_open:
            if self._desk.view is not View.TONE:
                self._view_before = self._desk.view
            self._desk.show_view(View.TONE)
            self._desk.take_up_named(EndsTool.name)
        elif self._desk.step is Step.EDGE:
            if self._desk.view is View.TONE:
                self._desk.show_view(self._view_before)
            if isinstance(self._desk.tool, EndsTool | StretchTool):
                self._desk.take_up(self._desk.tools[Step.EDGE][0])
        self._look()

    def _on_job(self, job: Job, before: Job) -> None:
        own, former = self.target.separation(job), self.target.separation(before)
        is_same = own is not None and former is not None and own.rendering == former.rendering
        if is_same and _is_turned(own) != _is_turned(former):
            side = "darker" if _is_turned(own) else "lighter"
            self._desk.say(f"Turned over: the subject counts as the {side} side now.")
        self._look()

    def _look(self) -> None:
        job = self._desk.job
        if job is None or not self.is_open:
            return
        if self._awaited is not None and self._awaited.separation(job) is not None:
            self.target, self._awaited, self._shown = self._awaited, None, None
        if self.target.stretch is not None and self.target.separation(job) is None:
            self.target = Target()
        self._show_targets(job)
        self.page.show_separation(self._known(), stored=self._is_stored)
        key = (job.photo, job.zones, job.kinds, job.suggested, job.separated, self.target)
        if key != self._asked:
            self._asked = key
            place = self.target.place(job) if self._is_stored else None
            self.ask(_SHEET, lambda: read_sheet(job, place), partial(self._on_sheet, key))
        self._find_out(self.current())

    def _known(self) -> Separation:
        """Return what is shown, completed by what was found out about it unless the job says all of it."""
        current = self.current()
        if self._shown is None or self._is_stored or self._shown.separation.rendering != current.rendering:
            return current
        return self._shown.separation

    @property
    def _is_stored(self) -> bool:
        job = self._desk.job
        return job is not None and self.target.separation(job) is not None

    def _show_targets(self, job: Job) -> None:
        labels = []
        for target in self._targets(job):
            own = target.separation(job)
            name = target.applies.capitalize() if target.stretch is None else f"Stretch {self._number(job, target)}"
            labels.append(f"{name}: {own.use}, {own.rendering}" if own is not None else name)
        self.page.show_targets(labels, self._targets(job).index(self.target))

    @staticmethod
    def _number(job: Job, target: Target) -> int:
        assert target.stretch is not None
        before = job.settings.recipe.separations[: target.stretch + 1]
        return sum(separation.applies == "stretch" for separation in before)

    @staticmethod
    def _targets(job: Job) -> list[Target]:
        stretches = [
            Target("stretch", place)
            for place, separation in enumerate(job.settings.recipe.separations)
            if separation.applies == "stretch"
        ]
        return [Target(), *(Target(kind) for kind in KIND_IDS), *stretches]

    def _find_out(self, separation: Separation) -> None:
        """Find out what a separation leaves open, its tones and what its ends clip; at once shown in Tone."""
        job, target = self._desk.job, self.target
        if job is None:
            return
        if self._shown is not None and self._shown.separation == separation:
            self._show_look()
            return

        def look() -> _Shown:
            samples = samples_for_target(job, target.applies, target.stretch)
            full = complete(job, separation, samples)
            if not samples.are_enough:
                return _Shown(full, None, None)
            return _Shown(full, outlines_of(job, full, samples), measure_detail(job, full))

        self.ask(_TONES, look, self._on_looked)

    def _on_looked(self, shown: _Shown) -> None:
        if not self.is_open:
            return
        self._shown = shown
        self._show_look()

    def _show_look(self) -> None:
        shown = self._shown
        if shown is None or not self.is_open:
            return
        self.page.show_tones(shown.outlines, shown.separation)
        self.page.show_detail(shown.detail.lost if shown.detail is not None else None)
        self.page.show_separation(shown.separation, stored=self._is_stored)
        marks = self.page.show_lost.isChecked() and shown.detail is not None
        floor = shown.detail.floor if marks and shown.detail is not None else None
        self._desk.set_look(lambda look: replace(look, separation=shown.separation, lost_floor=floor))

    def _on_sheet(self, key: object, sheet: RenderingSheet) -> None:
        if key == self._asked:
            self.page.show_sheet(sheet)
            self.page.show_separation(self._known(), stored=self._is_stored)

    # what is asked for

    def _edit(self, label: str, change: Callable[[Separation], Separation]) -> None:
        target, fresh = self.target, self.current()

        def edit(job: Job) -> Job:
            own = target.separation(job) or fresh
            return put_separation(job, target.place(job), change(own))

        self._desk.edit(label, edit)

    def _on_target(self, number: int) -> None:
        job = self._desk.job
        if job is not None:
            self.target, self._shown, self._asked = self._targets(job)[number], None, None
            self._look()

    def _on_row(self, row: Row) -> None:
        """Take a rendering as the sheet proposes it; what it is used for stays."""
        names = ("rendering", "weights", "hue", "low", "high", "middle")
        tried = {name: getattr(row.separation, name) for name in names} | {"gain": 1.0, "strength": None}
        self._shown = None
        self._try(tried)
        # found again with the edit: how colours mix may have been found out meanwhile
        marked = self._desk.job is not None and self._desk.job.has_subject
        changes = {**tried, "weights": None, "low": None, "high": None} if marked else tried
        self._edit(f"Separation: {row.separation.rendering}", lambda own: own.model_copy(update=changes))
        if self._desk.view is not View.TONE:
            self._desk.show_view(View.TONE)

    def _on_changed(self, changes: dict[str, Any], dragged: bool) -> None:
        """Show a change while the hand moves; make it one edit when the gesture ends."""
        if dragged:
            self._try(changes)
        else:
            self._edit("Separation", lambda own: own.model_copy(update=changes))

    def _try(self, changes: dict[str, Any]) -> None:
        """Show a change in Tone before it is made."""
        job, base = self._desk.job, self._shown.separation if self._shown is not None else self.current()
        if job is None:
            return
        tried = base.model_copy(update=changes)
        if None not in (tried.low, tried.high):
            self._desk.set_look(lambda look: replace(look, separation=tried))
            self.page.axis.show_tones(self._shown.outlines if self._shown is not None else None, tried)
        self._find_out(tried)

    def _on_dropped(self) -> None:
        target = self.target

        def drop(job: Job) -> Job:
            return drop_separation(job, target.place(job)) if target.separation(job) is not None else job

        self._shown = None
        self._desk.edit("Drop a separation", drop)

    def _on_proposed(self) -> None:
        """Propose the ends again: from both sides of the edge, or from the photo where nothing is marked."""
        job = self._desk.job
        if job is None or job.has_subject:
            self._edit("Propose ends", _without_ends)
        else:
            self._edit("Propose ends", lambda own: with_ends(_without_ends(own), job))

    def _on_begun(self) -> None:
        """Begin the mark from the tone that is shown."""
        target, shown = self.target, self._known()
        self._shown = None
        self._desk.edit(
            "Begin from a tone",
            lambda job: mark_by_tone(job, target.place(job), with_ends(target.separation(job) or shown, job)),
        )

    def _on_end(self, across: float, down: float, subject: bool) -> None:
        self._open()
        target, fresh = self.target, self.current()

        def edit(job: Job) -> Job:
            if target.separation(job) is None:
                job = put_separation(job, target.place(job), fresh)
            return press_end(job, target.place(job), (across, down), subject=subject)

        self._desk.edit("Surely subject" if subject else "Surely backdrop", edit)

    def _on_stretch(self, points: tuple[Point, ...], released: bool) -> None:
        self._open()
        job, begin = self._desk.job, self.current()
        if job is None:
            return
        if released:
            self._desk.edit("Give back a stretch", lambda job: release_stretch(job, coverage_of(job, points)))
            return
        self._awaited = Target("stretch", len(job.settings.recipe.separations))
        own = begin.model_copy(update={"weights": None, "low": None, "high": None, "strength": None})
        self._desk.edit("Stretch of its own", lambda job: add_stretch(job, coverage_of(job, points), own))

    def _on_key(self, across: float, down: float) -> None:
        marked = self._desk.job is not None and self._desk.job.has_subject
        if marked:
            self._open()
        target, fresh = self.target, self.current()
        self._shown = None
        self._desk.edit(
            "Key the backdrop",
            lambda job: key_photo(job, (across, down), target.place(job), target.separation(job) or fresh),
        )

    def _open(self) -> None:
        """Go to the page."""
        if self._desk.step is not Step.EDGE:
            self._desk.show_step(Step.EDGE)
        if not self._panel.shows_separation:
            self._panel.turn_page(separation=True)


def _without_ends(separation: Separation) -> Separation:
    return separation.model_copy(update={"low": None, "high": None, "middle": 0.5, "strength": None})


def _is_turned(separation: Separation | None) -> bool:
    curve = curve_of(separation or Separation())
    return curve.low > curve.high
