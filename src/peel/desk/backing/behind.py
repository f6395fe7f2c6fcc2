"""Behind: what cutouts stand on."""

from collections.abc import Callable
from functools import partial
from typing import Final

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QInputDialog, QMenu, QPushButton

from peel.demo.backings import BACKING_TITLES, backing_file
from peel.desk.controls.backing_strip import BackingStrip
from peel.desk.controls.buttons import button, side_by_side
from peel.desk.controls.colour_field import ColourField
from peel.desk.controls.gradient_bar import GradientBar
from peel.desk.controls.number_field import NumberField
from peel.desk.controls.swatches import Swatches
from peel.desk.step.panel import Panel, words
from peel.errors import PeelError
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.settings import Backing, Gradient, GradientStop
from peel.work.arranging.kept_backings import KeptBacking, keep_backing, kept_backings, leave_backing
from peel.work.views import View

__all__ = ["BehindPage"]

_KINDS: Final = (("Nothing", "nothing"), ("Colour", "colour"), ("Gradient", "gradient"), ("Pattern", "pattern"),
                 ("Photo", "photo"))  # fmt: skip
_MOTIFS: Final = ("stars", "dots", "stripes", "lozenges", "waves", "tile")


class BehindPage(Panel):
    """Nothing, a colour, a gradient, a pattern or a photo; choosing one shows it.

    Signals
    -------
    picture_asked : (str, Path or None)
        A picture for "photo" or "pattern"; None asks for a file.
    pictures_wanted : (list of KeptBacking,)
        They are to be drawn small, for `strip`.
    pick_asked : (callable,)
        A colour is to be picked from the picture and given to a function.
    """

    picture_asked = Signal(str, object)
    pictures_wanted = Signal(object)
    pick_asked = Signal(object)

    def build(self) -> None:
        """Put the choices and what belongs to each into the column."""
        self.column.setContentsMargins(0, 0, 0, 0)
        self._known: tuple[KeptBacking, ...] | None = None  # read when first wanted, not at every change of the job
        self._stepped: int | None = None  # by keys that are pressed faster than the job is shown
        self.kinds = {kind: self._choice(text, kind) for text, kind in _KINDS}
        self.column.addLayout(side_by_side(*self.kinds.values(), spacing=2))
        with self.page() as self._kept:
            self._build_kept()
        with self.page() as self._gradient:
            self._build_gradient()
        with self.page() as self._pattern:
            self._build_pattern()
        with self.page() as self._photo:
            self._build_photo()
        with self.page() as self._colours:
            self._build_colours()
        self.column.addWidget(
            words("The cutout file stays transparent whatever is chosen here; the flat file stands on it.")
        )

    def _choice(self, text: str, kind: str) -> QPushButton:
        return button(text, lambda: self._choose(kind), role="page", checks=True)

    def _build_colours(self) -> None:
        self.swatches = Swatches()
        self.swatches.chosen.connect(self._choose_colour)
        self.column.addWidget(self.swatches)
        self.colour = ColourField("Colour")
        self.code = self.colour.code
        self.colour.changed.connect(self._choose_colour)
        self.colour.pick_asked.connect(lambda: self.pick_asked.emit(self._choose_colour))
        self.column.addWidget(self.colour)
        self._parts = [
            NumberField("hue", low=0, high=359, default=0, unit="°", tip="Around the colour circle"),
            NumberField("saturation", low=0, high=100, default=0, unit="%", tip="0 % is grey"),
            NumberField("brightness", low=0, high=100, default=100, unit="%", tip="0 % is black"),
        ]
        self.row(*self._parts[:2])
        self.column.addWidget(self._parts[2])
        for part in self._parts:
            part.changed.connect(self._on_part)
        keep = button("Keep it with the assignment", lambda: self.swatches.keep(self._colour), role="link",
                           tip="It stays among the swatches; the right button on a swatch takes it off")  # fmt: skip
        self.column.addWidget(keep)

    def _build_kept(self) -> None:
        self.strip = BackingStrip()
        self.strip.chosen.connect(self._use_kept)
        self.strip.dropped.connect(self._leave_kept)
        self.column.addWidget(self.strip)
        before = button("Before", partial(self.step_kept, -1), tip="The kept one before (Ctrl+Shift+B)")
        after = button("Next", partial(self.step_kept, 1), tip="The next kept one (Shift+B)")
        keep = button("Keep…", self._keep, name="keep backing", tip="Keep it under a name, for every photo")
        self.row(before, after, keep)

    def _build_gradient(self) -> None:
        self.bar = GradientBar()
        self.bar.changed.connect(self._on_stops)
        self.bar.chosen_changed.connect(self._show_chosen)
        self.column.addWidget(self.bar)
        self.is_round = QCheckBox("In circles")
        self.is_round.setToolTip("In circles around where it begins, rather than in straight bands")
        self.is_round.clicked.connect(lambda on: self._set_gradient(shape="round" if on else "straight"))
        turn = button("Turn it round", self._turn_round, tip="What it ends in is what it begins with")
        turn.setObjectName("turn gradient")
        line = QHBoxLayout()
        line.addWidget(self.is_round, 1)
        line.addWidget(turn)
        self.column.addLayout(line)
        self.angle = NumberField("angle", low=-180, high=180, default=90, unit="°",
                                 tip="Which way it runs: 0 to the right, 90 downward")  # fmt: skip
        self.extent = NumberField("extent", low=1, high=300, default=100, unit="%", curve=1.5,
                                  tip="How far it runs, of the sheet's height")  # fmt: skip
        self.row(self.angle, self.extent)
        for field in (self.angle, self.extent):
            field.changed.connect(self._on_line)
        self.column.addWidget(words("Gradient, on the shelf: drag on the picture from beginning to end.", "muted"))

    def _build_pattern(self) -> None:
        self.motif = QComboBox()
        self.motif.setAccessibleName("Motif of the pattern")
        for motif in _MOTIFS:
            self.motif.addItem("An own tile…" if motif == "tile" else motif.capitalize(), motif)
        self.motif.activated.connect(self._on_motif)
        self.column.addWidget(self.motif)
        tip = "Size of the pattern, in pixels of the sheet"
        period = self._shown("pattern.period_px", "repeats after", "Pattern", tip=tip, curve=2.5, track=(4, 4000))
        turned = self._shown("pattern.turn_deg", "turned by", "Pattern", tip="Which way the pattern runs")
        self.row(period, turned)
        self.inks = {name: ColourField(title) for name, title in (("ink", "Drawn in"), ("paper", "Drawn on"))}
        for name, field in self.inks.items():
            change = partial(self._set_ink, name)
            field.changed.connect(change)
            field.pick_asked.connect(partial(self.pick_asked.emit, change))
            self.column.addWidget(field)

    def _build_photo(self) -> None:
        menu = QMenu(self)
        menu.addAction("From a file…", lambda: self.picture_asked.emit("photo", None))
        for name, title in BACKING_TITLES.items():
            if name != "star-tile":
                menu.addAction(title, partial(self.picture_asked.emit, "photo", backing_file(name)))
        self.which = button("Choose a photo", lambda: None, tip="A file of yours, or one of the demo's backings")
        self.which.setMenu(menu)
        self.column.addWidget(self.which)
        self.fit = QComboBox()
        self.fit.setAccessibleName("How the backing photo fits the sheet")
        self.fit.addItem("Fills the sheet", "fill")
        self.fit.addItem("Is seen whole", "whole")
        self.fit.activated.connect(lambda _index: self._set_photo(fit=self.fit.currentData()))
        self.mirrored = QCheckBox("Mirrored")
        self.mirrored.clicked.connect(lambda on: self._set_photo(mirrored=on))
        self.row(self.fit, self.mirrored)
        tip = "Of the size that fits"
        scale = self._shown("photo.scale", "scale", "Backing photo", tip=tip, curve=2.0, track=(5, 500))
        tip = "Out of focus, for depth; as quick when wide"
        blur = self._shown("photo.blur_px", "blur", "Backing photo", tip=tip, curve=2.5, track=(0, 600))
        self.row(scale, blur)
        self.column.addWidget(
            words("Behind, on the shelf: drag the photo on the picture; the right button scales it.", "muted")
        )

    def _shown(
        self,
        path: str,
        name: str,
        label: str,
        *,
        tip: str,
        curve: float = 1.0,
        track: tuple[float, float] | None = None,
    ) -> NumberField:
        """Make the control of a part of the backing; changing it shows the backing."""
        field = self.number(f"recipe.backing.{path}", name, label, tip=tip, curve=curve, track=track)
        field.changed.connect(lambda _value, _dragged: self.desk.show_view(View.BACKING))
        return field

    # kept ones

    def _kept_of(self, kind: str | None) -> list[KeptBacking]:
        """Return what is kept, of one kind or of both."""
        if self._known is None:
            self._known = kept_backings()
        return [kept for kept in self._known if kind in (None, kept.kind)]

    def _use_kept(self, name: str) -> None:
        kept = next(kept for kept in self._kept_of(None) if kept.name == name)
        self._apply(kept.on)

    def step_kept(self, by: int) -> None:
        """Go some kept gradients or patterns on; from the last one to the first."""
        job = self.desk.job
        if job is None:
            return
        backing = job.settings.recipe.backing
        known = self._kept_of(backing.kind if backing.kind in ("gradient", "pattern") else None)
        here = self._stepped
        if here is None:
            here = next((number for number, kept in enumerate(known) if kept.is_on(backing)), None)
        start = -1 if by > 0 else len(known)
        self._stepped = ((start if here is None else here) + by) % len(known)
        kept = known[self._stepped]
        self._apply(kept.on)
        self.desk.noted.emit(kept.name)

    def _keep(self) -> None:
        job = self.desk.job
        if job is None:
            return
        name, is_given = QInputDialog.getText(self.window(), "Keep this backing", "Name")
        if is_given:
            try:
                keep_backing(name, job.settings.recipe.backing)
            except PeelError as error:
                self.desk.say(error.message, error.hint)
                return
            self.strip.forget_picture(" ".join(name.split()))
            self._show_known_anew(job)

    def _leave_kept(self, name: str) -> None:
        leave_backing(name)
        if self.desk.job is not None:
            self._show_known_anew(self.desk.job)

    def _show_known_anew(self, job: Job) -> None:
        self._known = None
        self.show_rest(job)

    def _show_kept(self, backing: Backing) -> None:
        """Show the kept ones of the kind that is chosen."""
        self._stepped = None
        known = self._kept_of(backing.kind)
        chosen = next((kept.name for kept in known if kept.is_on(backing)), "")
        self.strip.show_kept([(kept.name, kept.is_own) for kept in known], chosen)
        missing = self.strip.without_picture
        if missing:
            self.pictures_wanted.emit([kept for kept in known if kept.name in missing])

    # the gradient

    @property
    def _own(self) -> Gradient:
        job = self.desk.job
        return job.settings.recipe.backing.gradient if job is not None else Gradient()

    def _set_gradient(self, *, gesture: object = None, ends: bool = True, **changes: object) -> None:
        def change(backing: Backing) -> Backing:
            made = Gradient.model_validate({**dict(backing.gradient), **changes})
            return backing.model_copy(update={"kind": "gradient", "gradient": made})

        self._apply(change, gesture=gesture, ends=ends)

    def _on_stops(self, stops: tuple[GradientStop, ...], goes_on: bool) -> None:
        self._set_gradient(stops=stops, gesture="gradient stops", ends=not goes_on)

    def _turn_round(self) -> None:
        def change(backing: Backing) -> Backing:
            turned = (stop.model_copy(update={"at": 1 - stop.at}) for stop in reversed(backing.gradient.stops))
            own = backing.gradient.model_copy(update={"stops": tuple(turned)})
            return backing.model_copy(update={"gradient": own})

        self._apply(change)

    def _on_line(self, _value: float, dragged: bool) -> None:
        """Place the ends by angle and extent, around the middle between them."""
        job = self.desk.job
        if job is None:
            return
        sheet, own = sheet_of(job), self._own
        size = np.array([sheet.space.width, sheet.space.height], float)
        middle = (np.array(own.start) + np.array(own.end)) / 2
        turned, length = np.deg2rad(self.angle.value), self.extent.value / 100 * size[1]
        half = np.array([np.cos(turned), np.sin(turned)]) * length / 2 / size
        start, end = (tuple(float(part) for part in np.clip(middle + way * half, -4, 5)) for way in (-1, 1))
        self._set_gradient(start=start, end=end, gesture="gradient line", ends=not dragged)

    def _show_gradient(self, job: Job) -> None:
        sheet, own = sheet_of(job), job.settings.recipe.backing.gradient
        self.bar.show_stops(own.stops)
        self.is_round.setChecked(own.shape == "round")
        run = (np.array(own.end) - np.array(own.start)) * (sheet.space.width, sheet.space.height)
        self.angle.show_value(float(np.rad2deg(np.arctan2(run[1], run[0]))))
        self.extent.show_value(float(np.hypot(*run)) / sheet.space.height * 100)

    def _show_chosen(self) -> None:
        if self.desk.job is not None:
            self.show_rest(self.desk.job)

    # pattern and photo

    def _on_motif(self, _index: int) -> None:
        motif = self.motif.currentData()
        if motif == "tile":
            self.picture_asked.emit("pattern", None)
        else:
            self._set_part("pattern", motif=motif)

    def _set_ink(self, name: str, colour: str) -> None:
        self._set_part("pattern", **{name: colour})

    def _set_photo(self, **changes: object) -> None:
        self._set_part("photo", **changes)

    def _set_part(self, kind: str, **changes: object) -> None:
        def change(backing: Backing) -> Backing:
            part = getattr(backing, kind)
            made = type(part).model_validate({**dict(part), **changes})
            return backing.model_copy(update={"kind": kind, kind: made})

        self._apply(change)

    # what is shown

    def show_rest(self, job: Job) -> None:
        """Show the backing."""
        backing = job.settings.recipe.backing
        for kind, choice in self.kinds.items():
            choice.setChecked(backing.kind == kind)
        self._kept.setVisible(backing.kind in ("gradient", "pattern"))
        if backing.kind in ("gradient", "pattern"):
            self._show_kept(backing)
        self._gradient.setVisible(backing.kind == "gradient")
        self._pattern.setVisible(backing.kind == "pattern")
        self._photo.setVisible(backing.kind == "photo")
        self._colours.setVisible(backing.kind in {"colour", "gradient", "photo"})
        self._show_gradient(job)
        self.motif.setCurrentIndex(self.motif.findData(backing.pattern.motif))
        for name, field in self.inks.items():
            field.show_colour(getattr(backing.pattern, name))
        asset = job.assets.get(backing.photo.picture or "")
        missing = "Its photo is missing" if backing.photo.picture else "Choose a photo"
        self.which.setText(asset.name if asset is not None else missing)
        self.fit.setCurrentIndex(self.fit.findData(backing.photo.fit))
        self.mirrored.setChecked(backing.photo.mirrored)
        self._show_colour()

    def _show_colour(self) -> None:
        shown = self._colour
        self.colour.show_colour(shown)
        self.swatches.show_chosen(shown)
        colour = QColor(shown)
        if colour.saturation() > 0:
            self._parts[0].show_value(max(colour.hue(), 0))
        self._parts[1].show_value(round(colour.saturationF() * 100))
        self._parts[2].show_value(round(colour.valueF() * 100))

    @property
    def _colour(self) -> str:
        """The colour that is being set: the backing's own, or that of the chosen stop."""
        job = self.desk.job
        if job is None:
            return "#ffffff"
        backing = job.settings.recipe.backing
        # a stop that was just added is on the bar before it is in the job
        is_stop = backing.kind == "gradient" and self.bar.stops
        return self.bar.stops[self.bar.chosen].colour if is_stop else backing.colour

    def _choose(self, kind: str) -> None:
        job = self.desk.job
        self._apply(lambda backing: Backing.model_validate({**dict(backing), "kind": kind}))
        if job is not None:
            self.show_rest(job)
            if kind == "photo" and job.settings.recipe.backing.photo.picture is None:
                self.picture_asked.emit("photo", backing_file("stage-curtain"))

    def _choose_colour(self, colour: str, *, gesture: object = None, ends: bool = True) -> None:
        chosen = self.bar.chosen

        def change(backing: Backing) -> Backing:
            if backing.kind == "photo":
                return backing.model_copy(update={"colour": colour})
            if backing.kind != "gradient":
                return backing.model_copy(update={"kind": "colour", "colour": colour})
            stops = list(backing.gradient.stops)
            number = min(chosen, len(stops) - 1)
            stops[number] = stops[number].model_copy(update={"colour": colour})
            own = backing.gradient.model_copy(update={"stops": tuple(stops)})
            return backing.model_copy(update={"gradient": own})

        self._apply(change, gesture=gesture, ends=ends)
        if ends:
            self.swatches.note(colour)

    def _apply(self, change: Callable[[Backing], Backing], *, gesture: object = None, ends: bool = True) -> None:
        """Change the backing as it is when its turn comes: edits before this one may still be on their way."""

        def edit(job: Job) -> Job:
            return set_value(job, "recipe.backing", change(job.settings.recipe.backing))

        self.desk.edit("Backing", edit, gesture=gesture, ends=ends)
        self.desk.show_view(View.BACKING)

    def _on_part(self, _value: float, dragged: bool) -> None:
        hue, saturation, brightness = (part.value for part in self._parts)
        colour = QColor.fromHsvF(hue / 360, saturation / 100, brightness / 100).name()
        if colour != self._colour or not dragged:
            self._choose_colour(colour, gesture="backing colour", ends=not dragged)
