"""Backing beyond its panel: files that are placed, cutouts that are chosen, colours that are picked, matches, light."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtGui import QImage

from peel.desk.asking import task
from peel.desk.backing.panel import BackingPanel
from peel.desk.backing.place_tool import PlaceTool
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.files.file_dialogs import ask_cutout, ask_picture
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.desk.tools.area import AreaTool
from peel.desk.tools.pick import PickTool
from peel.files.assets import read_asset
from peel.job.assets import Asset
from peel.job.edits.shading import keep_shadow_within
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.cutouts import (
    add_cutout,
    copy_cutouts,
    corners_of,
    drop_cutouts,
    numbers_of,
    put_cutouts,
    reorder_cutouts,
    send_home,
    set_numbers,
    with_cutout,
)
from peel.job.placing.sheet import sheet_of
from peel.job.rect import Rect
from peel.job.settings import Point, hex_from_rgb
from peel.work.arranging.kept_backings import KeptBacking, drawn_backing
from peel.work.arranging.matching import MATCHES, Match, matched_job
from peel.work.arranging.placed_pictures import cutout_asset
from peel.work.arranging.shadow_light import proposed_cast
from peel.work.session.session import Session
from peel.work.views import View, render

__all__ = ["BackingDesk"]

_PICTURE = task("picture for the sheet", "The picture could not be read.")
_KEPT = task("kept backings", "The kept gradients and patterns could not be drawn.")
_COLOUR = task("picked colour", "The colour could not be read from the picture.")

_SPOT_PX = 2  # around a pressed spot, of which the colours are averaged


class BackingDesk(LaneDesk):
    """Carries out what the pages of Backing ask for.

    Parameters
    ----------
    desk : DeskState
    panel : BackingPanel
    assignment_of : callable
        Returns the folder of the assignment that a session belongs to.
    """

    def __init__(self, desk: DeskState, panel: BackingPanel, assignment_of: Callable[[Session], Path]) -> None:
        super().__init__(desk)
        self._assignment_of = assignment_of
        self._panel = panel
        self._place = next(tool for tool in desk.tools[Step.BACKING] if isinstance(tool, PlaceTool))
        self._area_tool = AreaTool("the photo's own shadow")
        self._pick_tool = PickTool("Press on the picture: its colour there is taken")
        self._give: Callable[[str], object] | None = None
        self._connect()

    def _connect(self) -> None:
        desk, panel = self._desk, self._panel
        behind, cutouts = panel.behind, panel.cutouts
        behind.picture_asked.connect(self._ask_picture)
        behind.pick_asked.connect(self._ask_colour)
        behind.pictures_wanted.connect(self._draw_kept)
        panel.shadows.pick_asked.connect(self._ask_colour)
        panel.shadows.area_asked.connect(lambda: desk.borrow(self._area_tool))
        panel.shadows.light_asked.connect(self._propose_light)
        panel.matching.match_asked.connect(self._match)
        cutouts.chosen.connect(self._on_chosen_in_list)
        cutouts.add_asked.connect(self._ask_cutout)
        cutouts.copy_asked.connect(self._copy)
        cutouts.drop_asked.connect(self._drop)
        cutouts.home_asked.connect(lambda: self._edit_chosen("Back to its own place", send_home))
        cutouts.mirror_asked.connect(self._mirror)
        cutouts.order_asked.connect(self._order)
        cutouts.hidden_asked.connect(self._hide)
        cutouts.casts_asked.connect(self._set_casts)
        cutouts.number_changed.connect(self._on_number)
        cutouts.corner_changed.connect(self._on_corner)
        self._place.chosen_changed.connect(self._on_chosen)
        self._place.pointed_changed.connect(cutouts.mark_pointed)
        self._area_tool.drawn.connect(self._on_area)
        self._pick_tool.picked.connect(self._on_picked)
        desk.ask.backing.connect(self.step_kept)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._on_step)
        desk.job_changed.connect(lambda _job, _before: self._show())

    def step_kept(self, by: int) -> None:
        """Go some kept gradients or patterns on, where Backing is shown."""
        if self._desk.step is Step.BACKING:
            self._panel.behind.step_kept(by)

    def _on_session(self) -> None:
        self._place.choose(())
        if self._desk.bridge is not None:
            self._panel.behind.swatches.show_assignment(str(self._assignment_of(self._desk.bridge.session)))

    def _on_step(self) -> None:
        if self._desk.step is Step.BACKING:
            self._desk.show_view(View.BACKING)
            self._show()

    @property
    def chosen(self) -> tuple[int, ...]:
        """The numbers of the chosen cutouts that are there."""
        job = self._desk.job
        count = len(job.settings.photo.cutouts) if job is not None else 0
        return tuple(number for number in self._place.chosen if number < count)

    def _show(self) -> None:
        job = self._desk.job
        if job is not None and self._desk.step is Step.BACKING:
            self._panel.cutouts.show_cutouts(job, self.chosen)

    # files

    def on_file(self, path: Path) -> bool:
        """Take a picture that was dropped while Backing is shown; a preset is not one."""
        is_mine = self._desk.step is Step.BACKING and path.suffix.lower() != ".json"
        if is_mine:
            self.take_file(path)
        return is_mine

    def take_file(self, path: Path) -> None:
        """Take a file that was dropped: as what the open page is about."""
        if self.likeliest == "backing":
            kind = "pattern" if self._is_tile_asked() else "photo"
            self._read_picture(kind, path)
        else:
            self._read_cutout(path)

    @property
    def likeliest(self) -> str:
        """What a picture is likely meant for, by the page that is open: "backing" or "cutout"."""
        return "backing" if self._panel.open_page == "Behind" else "cutout"

    def put_behind(self, path: Path) -> None:
        """Take a picture for the backing photo."""
        self._panel.turn_to("Behind")
        self._read_picture("photo", path)

    def place(self, path: Path) -> None:
        """Place a picture, with or without alpha, as a cutout."""
        self._panel.turn_to("Cutouts")
        self._read_cutout(path, also_solid=True)

    def _is_tile_asked(self) -> bool:
        job = self._desk.job
        return job is not None and job.settings.recipe.backing.kind == "pattern"

    def _ask_picture(self, kind: str, path: Path | None) -> None:
        chosen = path or ask_picture(self._panel.window(), "Choose a tile" if kind == "pattern" else "Choose a photo")
        if chosen is not None:
            self._read_picture(kind, chosen)
        elif self._desk.job is not None:
            self._panel.behind.show_rest(self._desk.job)

    def _read_picture(self, kind: str, path: Path) -> None:
        def use(asset: Asset) -> None:
            def edit(job: Job) -> Job:
                backing = job.settings.recipe.backing
                more = {"motif": "tile"} if kind == "pattern" else {}
                part = getattr(backing, kind).model_copy(update={"picture": asset.digest, **more})
                changed = backing.model_copy(update={"kind": kind, kind: part})
                return set_value(job.with_asset(asset), "recipe.backing", changed)

            self._desk.edit("Backing photo" if kind == "photo" else "Tile", edit)

        self._read(lambda: read_asset(path), use)

    def _ask_cutout(self) -> None:
        chosen = ask_cutout(self._panel.window())
        if chosen is not None:
            self._read_cutout(chosen)

    def _read_cutout(self, path: Path, *, also_solid: bool = False) -> None:
        bridge = self._desk.bridge
        own = bridge.session.project.path if bridge is not None else None

        def use(asset: Asset) -> None:
            job = self._desk.job
            number = len(job.settings.photo.cutouts) if job is not None else 0
            self._desk.edit("Place a cutout", lambda job: add_cutout(job, asset))
            self._place.choose((number,))

        self._read(lambda: cutout_asset(path, own, also_solid=also_solid), use)

    def _read(self, read: Callable[[], Asset], use: Callable[[Asset], None]) -> None:
        """Read a file on the worker, and use it on the window's thread."""

        def use_and_show(asset: Asset) -> None:
            use(asset)
            self._desk.show_view(View.BACKING)

        self.ask(_PICTURE, read, use_and_show)

    def _draw_kept(self, wanted: list[KeptBacking]) -> None:
        """Draw kept backings small."""

        def draw() -> list[tuple[str, QImage]]:
            return [(kept.name, image_from_rgb(drawn_backing(kept, 52, 68))) for kept in wanted]

        def show(drawn: list[tuple[str, QImage]]) -> None:
            for name, image in drawn:
                self._panel.behind.strip.show_picture(name, image)

        self.ask(_KEPT, draw, show, outlives_photo=True)

    # colours

    def _ask_colour(self, give: Callable[[str], object]) -> None:
        self._give = give
        self._desk.borrow(self._pick_tool)

    def _on_picked(self, across: float, down: float) -> None:
        """Take the colour of the view that is shown, averaged over a few pixels."""
        self._desk.take_up(self._desk.last_tool)
        bridge, give, view = self._desk.bridge, self._give, self._desk.view
        if bridge is None or give is None:
            return
        job, stages = bridge.job, bridge.session.stages
        x, y = sheet_of(job).from_photo(across, down) if view.shows_sheet else (across, down)
        space = sheet_of(job).space if view.shows_sheet else job.photo.space
        spot = Rect(int(y) - _SPOT_PX, int(x) - _SPOT_PX, int(y) + _SPOT_PX + 1, int(x) + _SPOT_PX + 1)
        window = spot.intersection(space.bounds())
        if window.is_empty:
            return

        def measure() -> str:
            seen = render(stages, job, view, window, 0, self._desk.look)
            return hex_from_rgb(np.median(seen.reshape(-1, 3), axis=0) / 255)

        self.ask(_COLOUR, measure, give)

    # cutouts

    def _on_chosen(self, numbers: tuple[int, ...]) -> None:
        self._show()
        if len(numbers) == 1:
            self._panel.matching.target = "subject" if numbers[0] == 0 else str(numbers[0])
        self._desk.ways_changed.emit()

    def _on_chosen_in_list(self, numbers: tuple[int, ...]) -> None:
        self._desk.take_up(self._place)
        self._place.choose(numbers)

    def _edit_chosen(self, label: str, edit: Callable[[Job, tuple[int, ...]], Job]) -> None:
        chosen = self.chosen
        if chosen:
            self._desk.edit(label, lambda job: edit(job, chosen))
            self._desk.show_view(View.BACKING)

    def _copy(self) -> None:
        job, chosen = self._desk.job, self.chosen
        if job is not None and chosen:
            count = len(job.settings.photo.cutouts)
            self._desk.edit("Copy a cutout", lambda job: copy_cutouts(job, chosen))
            self._place.choose(tuple(range(count, count + len(chosen))))

    def _drop(self) -> None:
        chosen = self.chosen
        self._place.choose(())
        self._desk.edit("Remove from the sheet", lambda job: drop_cutouts(job, chosen))

    def _order(self, way: str) -> None:
        job, chosen = self._desk.job, self.chosen
        if job is not None and chosen:
            number = chosen[0]
            moved, to = reorder_cutouts(job, number, way)  # type: ignore[arg-type]
            del moved
            self._desk.edit("Order of cutouts", lambda job: reorder_cutouts(job, number, way)[0])  # type: ignore[arg-type]
            self._place.choose((to,))

    def _hide(self, number: int, hidden: bool) -> None:
        self._desk.edit(
            "Hide a cutout" if hidden else "Show a cutout", lambda job: with_cutout(job, number, hidden=hidden)
        )

    def _set_casts(self, on: bool) -> None:
        def edit(job: Job, chosen: tuple[int, ...]) -> Job:
            for number in chosen:
                job = with_cutout(job, number, casts=on)
            return job

        self._edit_chosen("Shadow of a cutout", edit)

    def _pivot(self, job: Job) -> Point:
        quad = self._place.around(job)
        x, y = (0.0, 0.0) if quad is None else quad.mean(axis=0)
        return float(x), float(y)

    def _mirror(self) -> None:
        def edit(job: Job, chosen: tuple[int, ...]) -> Job:
            pivot = self._pivot(job)
            for number in chosen:
                was = numbers_of(job, job.settings.photo.cutouts[number]).mirrored
                job = set_numbers(job, number, pivot, mirrored=not was)
            return job

        self._edit_chosen("Mirror a cutout", edit)

    def _on_number(self, given: dict[str, float], dragged: bool) -> None:
        ((key, value),) = given.items()
        job, chosen = self._desk.job, self.chosen
        if job is None or not chosen:
            return
        first, pivot, together = chosen[0], self._pivot(job), self._panel.cutouts.together.isChecked()

        def edit(job: Job) -> Job:
            changes = given
            if key in {"width", "height"} and together:
                before = numbers_of(job, job.settings.photo.cutouts[first])
                factor = value / getattr(before, key)
                changes = {"width": before.width * factor, "height": before.height * factor}
            return set_numbers(job, first, pivot, **changes)

        self._desk.edit("Place", edit, gesture=("place", key, first), ends=not dragged)
        self._desk.show_view(View.BACKING)

    def _on_corner(self, corner: int, x: float, y: float, dragged: bool) -> None:
        if not self.chosen:
            return
        first = self.chosen[0]

        def edit(job: Job) -> Job:
            corners = list(corners_of(job, job.settings.photo.cutouts[first]))
            corners[corner] = (x, y)
            return put_cutouts(job, {first: corners})

        self._desk.edit("Place", edit, gesture=("corner", corner, first), ends=not dragged)
        self._desk.show_view(View.BACKING)

    # matching and shadows

    def _match(self, match: Match) -> None:
        bridge = self._desk.bridge
        if bridge is not None:
            stages = bridge.session.stages
            self._desk.edit(f"Match {match}", lambda job: matched_job(stages, job, match))
            self._panel.matching.choose(MATCHES[match][0])
            self._desk.show_view(View.BACKING)

    def _propose_light(self) -> None:
        bridge = self._desk.bridge
        if bridge is not None:
            stages = bridge.session.stages
            self._desk.edit("Propose the light", lambda job: proposed_cast(stages, job))
            self._desk.show_view(View.BACKING)

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._desk.show_area(())
        self._desk.take_up(self._desk.last_tool)
        if len(area) > 2:
            self._desk.edit("Keep a shadow", lambda job: keep_shadow_within(job, area))
            self._desk.show_view(View.BACKING)
