"""Shadow: kept from the photo, cast by the subject, where it touches the ground, and painted."""

from functools import partial
from typing import Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.colour_field import ColourField
from peel.desk.controls.number_field import NumberField
from peel.desk.step.panel import Panel, words
from peel.job.edits.shading import release_shadows
from peel.job.job import Job
from peel.job.placing.standing import wall_of
from peel.job.settings import MOST_SIDE, value_of
from peel.job.settings.shadow import MOST_MOVED
from peel.work.views import View

__all__ = ["ShadowPage"]


_TRACKS: Final = {  # where most are
    "cast.soft_px": (1.0, 400.0),
    "contact.size_px": (1.0, 200.0),
    "painted.blur_px": (0.0, 200.0),
}


class ShadowPage(Panel):
    """Turns shadows on and shapes them.

    Signals
    -------
    area_asked, light_asked : ()
        To draw where the photo's shadow is kept; to propose the light by the subject's own shading.
    pick_asked : (callable,)
        A colour is to be picked from the picture and given to a function.
    """

    area_asked = Signal()
    light_asked = Signal()
    pick_asked = Signal(object)

    def build(self) -> None:
        """Put the shadows into the column, one below the other; what shapes one shows while it is on."""
        self.column.setContentsMargins(0, 0, 0, 0)
        self._shapes: dict[str, QWidget] = {}
        self._build_kept()
        self._build_cast()
        self._build_contact()
        self._build_painted()
        self.rule()
        self.colour = ColourField("Colour of made ones")
        self.colour.changed.connect(self._set_colour)
        self.colour.pick_asked.connect(lambda: self.pick_asked.emit(self._set_colour))
        self.column.addWidget(self.colour)
        release = button("Take back all that was brushed", self._release, role="link",
                              tip="What Shadow, Shade and Keep brushed")  # fmt: skip
        self.column.addWidget(release)
        self.column.addWidget(
            words("On the shelf: Shadow paints one, Shade brushes all of them, Ground lays light and wall.", "muted")
        )

    def _build_kept(self) -> None:
        self.kept = self._tick("Keep the photo's own", "kept", "The photo divided by a clean backdrop fitted around it")
        with self.page() as self._shapes["kept"]:
            self.within = QComboBox()
            self.within.setAccessibleName("Where the photo's own shadow is kept")
            self.within.addItem("All of it", "everywhere")
            self.within.addItem("Where brushed", "brushed")
            self.within.activated.connect(partial(self._on_within))
            area = button("Draw where", self.area_asked.emit, tip="Draw around the shadow that is to be kept")
            area.setObjectName("draw kept shadow")
            self.row(self.within, area)
            self._numbers(
                ("darkness", "kept.amount", "Of the shadow in the photo"),
                ("texture off", "kept.lift", "How much of the backdrop's texture is taken off it"),
            )
        self.rule()

    def _build_cast(self) -> None:
        self.cast = self._tick("Cast one", "cast", "Thrown by the subject, away from the light")
        light = button("Propose light and wall", self.light_asked.emit,
                       tip="By the photo's own shadow or the subject's shading, and where the floor ends")  # fmt: skip
        light.setObjectName("propose light")
        self.column.addWidget(light)
        with self.page() as self._shapes["cast"]:
            self._numbers(
                ("falls towards", "cast.towards_deg", "In the picture: 0 to the right, 90 downward"),
                ("height of light", "cast.light_deg", "The lower the light, the longer the shadow"),
            )
            self._numbers(
                ("softness", "cast.soft_px", "At its tip"),
                ("soft at foot", "cast.foot", "Where it begins, as a share of that"),
            )
            self._numbers(
                ("strength", "cast.strength", "At the foot"),
                ("fades by", "cast.fade", "From foot to tip"),
            )
            self.row(self._move("cast", "moved across", 0, "To the right"), self._move("cast", "moved down", 1, "Down"))
            self.wall = QCheckBox("Climbs a wall")
            self.wall.setObjectName("shadow wall")
            self.wall.setToolTip("Where floor and wall meet, the shadow turns upward; Ground drags that line")
            self.bind_tick(self.wall, "recipe.shadow.cast.on_wall", "Shadow on a wall")
            self.wall.clicked.connect(lambda _on: self.desk.show_view(View.BACKING))
            self.wall_at = NumberField(
                "wall begins", low=0, high=MOST_SIDE, default=0, unit="px", track=(0, 2000),
                tip="How far above the ground line, in the picture, floor and wall meet",
            )  # fmt: skip
            self.wall_at.setObjectName("shadow wall_px")
            self.wall_at.changed.connect(self._on_wall)
            self.row(self.wall, self.wall_at)
            self._no_wall = words("It falls towards the viewer, so it meets no wall.", "muted")
            self.column.addWidget(self._no_wall)
        self.rule()

    def _build_contact(self) -> None:
        self.contact = self._tick("Where it touches", "contact", "Close, dark and thin, at the ground")
        with self.page() as self._shapes["contact"]:
            self._numbers(
                ("size", "contact.size_px", "How far it reaches from the foot"),
                ("depth", "contact.strength", "How dark it is"),
            )
        self.rule()

    def _build_painted(self) -> None:
        self.painted = self._tick("Painted", "painted", "Brush it with Shadow, on the shelf")
        with self.page() as self._shapes["painted"]:
            self._numbers(
                ("strength", "painted.strength", "How dark it is where it was painted in full"),
                ("blur", "painted.blur_px", "Softens all of it"),
            )
            self.row(
                self._move("painted", "moved across", 0, "To the right"), self._move("painted", "moved down", 1, "Down")
            )

    def _tick(self, text: str, name: str, tip: str) -> QCheckBox:
        box = QCheckBox(text)
        box.setObjectName(f"shadow {name}")
        box.setToolTip(tip)
        self.bind_tick(box, f"recipe.shadow.{name}.on", "Shadow")
        box.clicked.connect(lambda _on: self.desk.show_view(View.BACKING))
        self.column.addWidget(box)
        return box

    def _numbers(self, *rows: tuple[str, str, str]) -> None:
        """Put numbers side by side: name, path within the shadow, tip."""
        fields = []
        for name, path, tip in rows:
            track = _TRACKS.get(path)
            curve = 1.0 if track is None else 2.0
            field = self.number(f"recipe.shadow.{path}", name, "Shadow", tip=tip, curve=curve, track=track)
            field.setObjectName(f"shadow {path}")
            field.changed.connect(lambda _value, _dragged: self.desk.show_view(View.BACKING))
            fields.append(field)
        self.row(*fields)

    def _move(self, of: str, name: str, axis: int, tip: str) -> NumberField:
        """Make the number by which a shadow is moved along an axis."""
        field = NumberField(name, low=-MOST_MOVED, high=MOST_MOVED, default=0, unit="px", track=(-2000, 2000), tip=tip)
        field.setObjectName(f"shadow {of}.move.{axis}")
        path = f"recipe.shadow.{of}.move"

        def on_changed(value: float, dragged: bool) -> None:
            job = self.desk.job
            if job is not None:
                move = list(value_of(job.settings, path))
                move[axis] = value
                self._set("Shadow", path, tuple(move), gesture=(path, axis), ends=not dragged)
                self.desk.show_view(View.BACKING)

        field.changed.connect(on_changed)
        self._bound.append(lambda job: field.show_value(value_of(job.settings, path)[axis]))
        return field

    def _on_wall(self, value: float, dragged: bool) -> None:
        self._set("Shadow on a wall", "photo.wall_px", value, gesture="wall", ends=not dragged)
        self.desk.show_view(View.BACKING)

    def _on_within(self, _index: int) -> None:
        self._set("Shadow", "recipe.shadow.kept.within", self.within.currentData())
        self.desk.show_view(View.BACKING)

    def _set_colour(self, colour: str) -> None:
        self._set("Shadow", "recipe.shadow.colour", colour)

    def _release(self) -> None:
        self.desk.edit("Take brushed shadows back", release_shadows)

    def show_rest(self, job: Job) -> None:
        """Show where the photo's shadow is kept, and the colour."""
        shadow = job.settings.recipe.shadow
        self.within.setCurrentIndex(self.within.findData(shadow.kept.within))
        self.colour.show_colour(shadow.colour)
        for name, page in self._shapes.items():
            page.setVisible(getattr(shadow, name).on)
        self.wall_at.setVisible(shadow.cast.on_wall)
        self._no_wall.setVisible(shadow.cast.on_wall and shadow.cast.towards_deg >= 0)
        self.wall_at.show_value(wall_of(job))
