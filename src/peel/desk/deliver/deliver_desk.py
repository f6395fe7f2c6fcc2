"""Deliver beyond its panel: the snag list and its walk, and comparing what was written."""

from functools import partial
from pathlib import Path
from typing import Final

from PySide6.QtCore import QPointF
from PySide6.QtGui import QImage
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QWidget

from peel.desk.asking import task
from peel.desk.controls.delivered_view import DeliveredView
from peel.desk.deliver.panel import DeliverPanel
from peel.desk.deliver.preset_desk import PresetDesk
from peel.desk.deliver.snag_list import ListedSnag
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.matte.snag_acts import accept_snag, next_open
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_prover import SnagProver
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.files.metadata import read_metadata
from peel.job.job import Job
from peel.job.preset import Preset
from peel.job.rect import Rect
from peel.matte.inspect.snags import Snag
from peel.work.delivering.delivery_snags import (
    DeliverySnag,
    accept_delivery_snag,
    delivery_snags,
    is_delivery_snag_accepted,
    mend_delivery_snag,
)
from peel.work.delivering.order import all_presets
from peel.work.delivering.read_back import photo_under, read_delivered
from peel.work.delivering.rows import FileRow
from peel.work.inspecting.looks import snag_picture
from peel.work.inspecting.snag_specs import accepted_because, words_of
from peel.work.stages import Stages
from peel.work.views import Look, View, render

__all__ = ["DeliverDesk"]

_RIGHTS = task("rights and credit", "What the photo says of its rights could not be read.")
_ORDER = task("order", "The order could not be looked at.")
_SNAG = task("picture of a snag", "A snag could not be drawn.")
_COMPARE = task("compare", "The file could not be shown against the photo.")

_AROUND_PX: Final = 90  # of a snag, that its picture shows
_PICTURE_PX: Final = 88
_MOST_PICTURES: Final = 60


class DeliverDesk(LaneDesk):
    """Carries out what the panel of Deliver asks for."""

    def __init__(
        self, desk: DeskState, panel: DeliverPanel, feed: SnagFeed, prover: SnagProver, canvas: QWidget
    ) -> None:
        super().__init__(desk)
        self._panel, self._feed, self._prover = panel, feed, prover
        self.presets = PresetDesk(desk, panel.presets)
        self.view = DeliveredView(canvas)
        self._listed: list[tuple[ListedSnag, Snag | DeliverySnag]] = []
        self._found: list[DeliverySnag] = []
        self._asked: object = None
        self._connect()

    def _connect(self) -> None:
        desk, panel = self._desk, self._panel
        panel.snags.chosen.connect(self._go_to)
        panel.snags.mend_asked.connect(self._mend)
        panel.snags.accepted.connect(self._accept)
        self.presets.changed.connect(self._look_again)
        panel.compare_asked.connect(self._compare)
        feed = self._feed
        feed.changed.connect(self._show)
        self._prover.proved.connect(self._show)
        desk.ask.deliver.connect(self._deliver)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._on_step)
        desk.job_changed.connect(lambda _job, _before: self._look())

    def close(self) -> None:
        """Drop what is under way and end both workers."""
        self.presets.close()
        self._panel.close_workers()
        super().close()

    @property
    def is_idle(self) -> bool:
        """Whether both workers have nothing to do."""
        return self.presets.is_idle and super().is_idle

    def _on_session(self) -> None:
        self.view.hide()
        self._panel.snags.forget_pictures()
        self._found, self._listed, self._asked = [], [], None
        bridge = self._desk.bridge
        if bridge is not None:
            project = bridge.session.project
            self.ask(_RIGHTS, lambda: _rights_words(project.photo()[1]), self._panel.show_rights)
        self._look()

    def _on_step(self) -> None:
        if self._desk.step is Step.DELIVER:
            self._look()
        else:
            self.view.hide()

    # the snag list

    def _look(self) -> None:
        """Look for snags of the delivery on the worker, once for each job."""
        bridge = self._desk.bridge
        if bridge is None or self._desk.step is not Step.DELIVER:
            return
        job, stages = bridge.job, bridge.session.stages
        if job is self._asked or not job.is_solved:
            self._show()
            return
        self._asked = job
        on_looked = partial(self._on_looked, job)
        self.ask(
            _ORDER,
            lambda: delivery_snags(job, stages, all_presets(job)),
            on_looked,
            failed=lambda _error: on_looked([]),
        )

    def _on_looked(self, job: Job, found: list[DeliverySnag]) -> None:
        if job is self._asked:
            self._found = found
            self._show()

    def _show(self) -> None:
        """List the snags of the order and of the matte, the gravest first, those that were accepted last."""
        job = self._desk.job
        if job is None or self._desk.step is not Step.DELIVER:
            return
        rows: list[tuple[ListedSnag, Snag | DeliverySnag]] = [(_of_order(job, snag), snag) for snag in self._found]
        rows += [(self._of_matte(job, snag), snag) for snag in self._feed.found.snags]
        rows.sort(key=lambda row: (bool(row[0].accepted), -row[1].severity.rank))
        self._listed = rows[:_MOST_PICTURES]
        opened = sum(not own.accepted for own, _ in rows)
        counts = f"{opened} snag{'' if opened == 1 else 's'} left · {len(rows) - opened} accepted"
        if not job.has_subject:
            counts = "Nothing is marked yet"
        elif not self._feed.is_idle or not job.is_solved:
            counts = f"{counts} · still looking" if rows else "Looking for snags…"
        elif not rows:
            counts = "No snags: deliver"
        self._panel.snags.show_snags([own for own, _ in self._listed], counts)
        self._draw_pictures(job)

    def _draw_pictures(self, job: Job) -> None:
        bridge = self._desk.bridge
        if bridge is None:
            return
        for own, snag in self._listed:
            if not self._panel.snags.has_picture(own.key):
                draw = partial(_drawn_on, bridge.session.stages, job, snag, self._desk.look)
                self.ask(_SNAG, draw, partial(self._panel.snags.show_picture, own.key), key=own.key)

    def on_file(self, path: Path) -> bool:
        """Take a preset in its file."""
        if path.suffix.lower() != ".json":
            return False
        self._desk.show_step(Step.DELIVER)
        self.presets.add(path)
        return True

    def _deliver(self) -> None:
        """Go to Deliver and begin."""
        self._desk.show_step(Step.DELIVER)
        self._panel.start()

    def on_walk(self, by: int) -> bool:
        """Go some open snags of the list on."""
        still_open = {row for row, (own, _) in enumerate(self._listed) if not own.accepted}
        at = self._panel.snags.list.currentRow()
        row = next_open(range(len(self._listed)), still_open, at if at >= 0 or by > 0 else 0, by)
        if row is not None:
            self._panel.snags.list.setCurrentRow(row)
        elif self._listed:
            self._desk.say("Every snag is mended or accepted.")
        return True

    def on_mend(self, *, everything: bool) -> bool:
        """Mend the snag that is chosen in the list."""
        if not everything:
            self._mend(self._panel.snags.list.currentRow())
        return True

    def on_accept(self) -> bool:
        """Accept the snag that is chosen in the list, for the reason that is written."""
        self._accept(self._panel.snags.list.currentRow(), self._panel.snags.reason.text())
        return True

    def _go_to(self, row: int) -> None:
        snag = self._listed[row][1]
        if isinstance(snag, Snag):
            self._prover.try_out(snag)
        self._desk.show_view(View.BACKING if isinstance(snag, DeliverySnag) else View.LOUD)
        reach = 3 * _AROUND_PX if isinstance(snag, DeliverySnag) else _AROUND_PX
        self._desk.ask.look_at.emit(QPointF(*snag.at), reach)
        self._desk.ask.follow.emit(QPointF(*snag.at))

    def _of_matte(self, job: Job, snag: Snag) -> ListedSnag:
        key = f"{snag.sort.name} {snag.at[0]:.0f} {snag.at[1]:.0f}"
        mend, is_offered = self._prover.words(snag), self._prover.is_offered(snag)
        severity, accepted = snag.severity.value, accepted_because(job, snag)
        return ListedSnag(key, snag.sort.value, words_of(snag)[0], severity, mend, is_offered, accepted)

    def _mend(self, row: int) -> None:
        if self._desk.step is not Step.DELIVER or not 0 <= row < len(self._listed):
            return
        snag = self._listed[row][1]
        if isinstance(snag, Snag):
            self._prover.mend(snag)
        elif snag.shortest_px is not None:
            self._desk.edit("Less hair", lambda job: mend_delivery_snag(job, snag))

    def _accept(self, row: int, reason: str) -> None:
        if self._desk.step is not Step.DELIVER or not 0 <= row < len(self._listed):
            return
        own, snag = self._listed[row]
        if own.accepted:
            return
        if isinstance(snag, Snag):
            accept_snag(self._desk, snag, reason)
        else:
            self._desk.edit("Accept a snag", lambda job: accept_delivery_snag(job, snag, reason))

    def _look_again(self) -> None:
        """Look at the order again: what its presets ask for is not part of the job."""
        self._asked = None
        self._look()
        self._panel.show_plan()

    # comparing

    def _compare(self, delivered: FileRow, preset: Preset) -> None:
        """Read a file back and show it against the photo, on the worker but for SVG, which Qt draws."""
        job = self._desk.job
        if job is None:
            return
        path, size = Path(delivered.file), (delivered.height, delivered.width)
        is_drawing = path.suffix == ".svg"

        def read() -> tuple[QImage, QImage]:
            under = image_from_rgb(photo_under(job, preset, size))
            return (_drawn(path, size) if is_drawing else image_from_rgb(read_delivered(path))), under

        self.ask(_COMPARE, read, lambda pair: self.view.show_file(*pair, path.name))


def _drawn(path: Path, size: tuple[int, int]) -> QImage:
    """Draw an SVG at its own size."""
    from PySide6.QtGui import QPainter

    image = QImage(size[1], size[0], QImage.Format.Format_RGB32)
    image.fill(0xFFFFFFFF)
    painter = QPainter(image)
    QSvgRenderer(str(path)).render(painter)
    painter.end()
    return image


def _drawn_on(stages: Stages, job: Job, snag: Snag | DeliverySnag, look: Look) -> QImage:
    """Draw the surroundings of a snag where it shows best, those of one of the order on the loud colour."""
    if isinstance(snag, Snag):
        return image_from_rgb(snag_picture(stages, job, snag, 2 * _AROUND_PX))
    at, level = snag.at, 0
    around = Rect(int(at[1]) - _AROUND_PX, int(at[0]) - _AROUND_PX, int(at[1]) + _AROUND_PX, int(at[0]) + _AROUND_PX)
    window = around.intersection(job.photo.space.bounds(level))
    if window.is_empty:
        window = job.photo.space.bounds(job.photo.space.level_within(_PICTURE_PX))
        level = job.photo.space.level_within(_PICTURE_PX)
    return image_from_rgb(render(stages, job, View.LOUD, window, level, look))


def _of_order(job: Job, snag: DeliverySnag) -> ListedSnag:
    accepted = "accepted" if is_delivery_snag_accepted(job, snag) else ""
    titles = {
        "frame_cut": "Cut by the frame", "old_frame": "The old frame's line", "enlarged": "Enlarged",
        "gamut": "Out of gamut", "fewer_pixels": "Fewer pixels than ordered", "backing_fringe": "Edge on this backing",
        "hair_haze": "Hair too thin for this size",
    }  # fmt: skip
    key = f"{snag.sort} {snag.says}"
    return ListedSnag(
        key, titles[snag.sort], snag.says, snag.severity.value, snag.mend, snag.shortest_px is not None, accepted
    )


def _rights_words(content: bytes) -> str:
    said = read_metadata(content).said
    if not said:
        return "The photo says nothing of rights or credit."
    parts = ((said.rights, "rights"), (said.creator, "by"), (said.credit, "credit"))
    return "The photo says: " + " · ".join(f"{name} {text}" for text, name in parts if text)
