"""The part of Edge that reaches beyond its panel: reading the whole edge, and walking its places in doubt."""

from functools import partial

from PySide6.QtCore import QPointF

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.edge.panel import EdgePanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.job import Job
from peel.work.marking.edge_places import Doubt, EdgeNews, open_gaps, read_news

__all__ = ["EdgeDesk"]

_EDGE = task("edge", "The edge could not be read for places in doubt.")
_WORDS: dict[Doubt, tuple[str, str]] = {
    "narrow": ("something goes on beyond the band here", "brush Band over it if it belongs to the subject"),
    "deep": ("the band lies over something plain here", "brush Certain over it if it is not half-clear"),
    "gap": ("a gap? It looks like the backdrop", "F2 opens it, Shift+F2 opens all gaps; left alone it stays solid"),
}
_LEAST_PX = 220.0  # shown around a place, so that it is seen in its surroundings


class EdgeDesk(LaneDesk):
    """Reads the edge on a worker whenever Edge shows another band, and keeps what was found for walking."""

    def __init__(self, desk: DeskState, panel: EdgePanel) -> None:
        super().__init__(desk)
        self._panel = panel
        self._news = EdgeNews((), (), False)
        self._read_for: object = None
        self._asked_for: object = None
        self._at = -1
        self._walks = False
        desk.session_changed.connect(self._look)
        desk.step_changed.connect(self._look)
        desk.job_changed.connect(lambda _job, _before: self._look())
        panel.page_turned.connect(self._look)

    def _look(self) -> None:
        job = self._desk.job
        if self._desk.step is not Step.EDGE or job is None or not job.has_subject:
            self._walks = False  # whoever left does not want to be led on
            self._desk.show_places(())
            return
        self._show()
        key = self._key(job)
        # A running solve changes the job many times a second without changing the edge.
        if key not in (self._read_for, self._asked_for):
            self._read(job, key)

    def _read(self, job: Job, key: object) -> None:
        self._asked_for = key
        self.ask(_EDGE, lambda: read_news(job), partial(self._on_read, key))

    @staticmethod
    def _key(job: Job) -> object:
        return job.photo, job.zones, job.kinds, job.suggested, job.settings.recipe.band

    def _on_read(self, key: object, news: EdgeNews) -> None:
        job = self._desk.job
        if job is None or key != self._key(job):
            return
        self._news, self._read_for, self._at = news, key, -1
        self._show()
        if self._walks and self._desk.step is Step.EDGE:
            self.walk()

    def _show(self) -> None:
        current = self._desk.job is not None and self._key(self._desk.job) == self._read_for
        if current and self._desk.step is Step.EDGE:
            self._panel.show_news(self._news)
            self._desk.show_places(() if self._panel.shows_separation else self._news.places)

    def on_mend(self, *, everything: bool) -> bool:
        """Open the gap that the walk stands at, or the first one; or all of them."""
        self._open(everything=everything)
        return True

    def _open(self, *, everything: bool) -> None:
        gaps, found = self._news.gaps, [place for place in self._news.places if place.doubt == "gap"]
        if gaps is None or not found:
            self._desk.say("There is no enclosed gap in doubt.")
            return
        if everything:
            self._desk.edit("Open all gaps", lambda job: open_gaps(job, gaps))
            return
        here = self._news.places[self._at] if 0 <= self._at < len(self._news.places) else found[0]
        at = (here if here.doubt == "gap" else found[0]).at
        self._desk.edit("Open a gap", lambda job: open_gaps(job, gaps, at))

    def on_walk(self, by: int) -> bool:
        """Walk on through the places in doubt."""
        self.walk(by)
        return True

    def walk(self, by: int = 1) -> None:
        """Go some places in doubt on."""
        job = self._desk.job
        if job is None or not job.has_subject:
            self._desk.say("There is no band yet: mark the subject first.")
            return
        if self._panel.shows_separation:
            self._panel.turn_page(separation=False)
        self._walks = self._key(job) != self._read_for
        if self._walks:
            return  # goes on when the edge has been read
        places = self._news.places
        if not places:
            self._desk.say("Peel sees no place where the band is likely wrong.")
            return
        self._at = (self._at + by) % len(places) if self._at >= 0 or by > 0 else len(places) - 1
        place = places[self._at]
        self._desk.ask.look_at.emit(QPointF(*place.at), max(_LEAST_PX, place.reach_px))
        what, do = _WORDS[place.doubt]
        self._desk.say(f"Place {self._at + 1} of {len(places)}: {what}.", f"{do[0].upper()}{do[1:]}.")
