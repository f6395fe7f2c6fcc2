"""Backing: what cutouts stand on, where they stand, how they are lit, what they cast, how large the sheet is."""

from functools import partial

from peel.desk.backing.behind import BehindPage
from peel.desk.backing.cutouts import CutoutsPage
from peel.desk.backing.matching import MatchPage
from peel.desk.backing.shadows import ShadowPage
from peel.desk.backing.sheet_frame import FramePage
from peel.desk.controls.buttons import button, side_by_side
from peel.desk.step.panel import Panel
from peel.job.job import Job

__all__ = ["BackingPanel"]


class BackingPanel(Panel):
    """Five pages, of which one is open."""

    title = "The sheet"

    def build(self) -> None:
        """Put the pages into the column."""
        self.behind = BehindPage(self.desk)
        self.cutouts = CutoutsPage(self.desk)
        self.matching = MatchPage(self.desk)
        self.shadows = ShadowPage(self.desk)
        self.frame = FramePage(self.desk)
        self.pages: dict[str, Panel] = {
            "Behind": self.behind,
            "Cutouts": self.cutouts,
            "Match": self.matching,
            "Shadow": self.shadows,
            "Frame": self.frame,
        }
        tips = ("What it stands on", "What stands there, and where", "Light and colours brought together",
                "What it casts", "How large the sheet is")  # fmt: skip
        self._turns = {
            name: button(name, partial(self.turn_to, name), role="page", name=f"page {name}", tip=tip, checks=True)
            for name, tip in zip(self.pages, tips, strict=True)
        }
        self.column.addLayout(side_by_side(*self._turns.values(), spacing=2))
        self.rule()
        for page in self.pages.values():
            page.hide()
            self.column.addWidget(page)
        self.turn_to("Behind")

    @property
    def open_page(self) -> str:
        """The name of the page that is open."""
        return next(name for name, page in self.pages.items() if not page.isHidden())

    def turn_to(self, name: str) -> None:
        """Open a page."""
        for other, page in self.pages.items():
            self._turns[other].setChecked(other == name)
            if other != name:
                page.hide()
        self.pages[name].show()

    def show_rest(self, job: Job) -> None:
        """Show the open page."""
        self.pages[self.open_page].show_job(job)
