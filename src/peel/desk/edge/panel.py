"""Edge: the unsure band around the marked boundary, and what kind each stretch of it is."""

from functools import partial

import numpy as np
from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QGridLayout, QLabel, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.number_field import NumberField
from peel.desk.edge.separation_page import SeparationPage
from peel.desk.step.panel import Panel, words
from peel.desk.theme import current
from peel.job.edits.marking import kind_everywhere, kind_of_contour, kind_of_piece
from peel.job.job import Job
from peel.matte.edge.kind import Kind
from peel.work.inspecting.shares import zone_shares
from peel.work.kind_looks import KIND_LOOKS, kind_pattern
from peel.work.marking.edge_places import EdgeNews

__all__ = ["EdgePanel"]


class _Swatch(QWidget):
    """The pattern by which Zones shows a kind."""

    def __init__(self, kind: Kind) -> None:
        super().__init__()
        self._kind = kind
        self.setFixedSize(QSize(30, 18))

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the pattern in the panel's own ink."""
        theme, painter = current(), QPainter(self)
        rows, columns = np.arange(18, dtype=np.int32)[:, None], np.arange(30, dtype=np.int32)[None]
        ink, paper = (theme.colour(role).rgba() for role in ("text", "raised"))
        pixels = np.where(kind_pattern(self._kind, rows, columns, 6), np.uint32(ink), np.uint32(paper))
        pixels = np.ascontiguousarray(pixels, np.uint32)
        painter.drawImage(0, 0, QImage(pixels.data, 30, 18, 120, QImage.Format.Format_ARGB32))
        painter.setPen(theme.colour("line"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class EdgePanel(Panel):
    """How the band is laid, and the kinds of edge."""

    title = "The edge"

    page_turned = Signal()

    def build(self) -> None:
        """Put both pages into the column: band and kinds, and separation."""
        unsure = "Where the edge is unsure, and what kind each stretch is"
        seen = "What the computation sees: renderings, ends, key"
        self._pages = self.page_choices(
            ("Band and kinds", unsure, lambda: self.turn_page(separation=False)),
            ("Separation", seen, lambda: self.turn_page(separation=True)),
        )
        self.rule()
        with self.page() as self._band_page:
            self._build_band()
        self.separation = SeparationPage()
        self.separation.hide()
        self.column.addWidget(self.separation)

    @property
    def shows_separation(self) -> bool:
        """Whether the page of Separation is open."""
        return self._pages.buttons()[1].isChecked()

    def turn_page(self, *, separation: bool) -> None:
        """Open one of the two pages."""
        self._pages.buttons()[int(separation)].setChecked(True)
        self._band_page.setVisible(not separation)
        self.separation.setVisible(separation)
        self.page_turned.emit()

    def _build_band(self) -> None:
        self._build_lay()
        self._build_widths()
        self._shares = words("")
        self.column.addWidget(self._shares)
        self.rule()
        self._build_kinds()
        self.rule()
        self._places = words("", "muted")
        self.column.addWidget(self._places)
        self.open_gap = button(
            "Open this gap", lambda: self.desk.mend(), tip="Make the gap that the walk stands at backdrop (F2)"
        )
        self.open_all = button(
            "Open all gaps", lambda: self.desk.mend(everything=True), tip="Make every gap in doubt backdrop (Shift+F2)"
        )
        self.next = button(
            "Next place in doubt", lambda: self.desk.walk_places(1), tip="Walk to where the band is likely wrong (N)"
        )
        self.column.addWidget(self.next)
        self.row(self.open_gap, self.open_all)

    def _build_lay(self) -> None:
        self._ways = QButtonGroup(self)
        self.laid = button(
            "Lay it by the photo", lambda: self._lay("laid"), role="choice",
            tip="Over strands and gaps, as wide as the blur, narrow along clean steps; live as you mark", checks=True,
        )  # fmt: skip
        self.plain = button(
            "Plain widths", lambda: self._lay("plain"), role="choice",
            tip="As far from the mark as the widths say", checks=True,
        )  # fmt: skip
        for way in (self.laid, self.plain):
            self._ways.addButton(way)
        self.row(self.laid, self.plain)

    def _lay(self, lay: str) -> None:
        self._set("Band", "recipe.band.lay", lay)

    def _width(self, part: str, name: str, tip: str, *, step: float = 1.0, curve: float = 2.4) -> NumberField:
        """Make the control of a width; laying the band over a whole photo takes longer than a frame."""
        path = f"recipe.band.{part}"
        return self.number(path, name, "Band width", tip=tip, step=step, curve=curve, live=False)

    def _build_widths(self) -> None:
        self.margin = self._width(
            "margin_px", "margin around it", "How far the band reaches from the mark at least, both ways."
        )
        self.trust = self.number(
            "recipe.band.trust", "trust in the mark", "Trust in the mark", live=False,
            tip="How deep and how far out the photo may move the band. 0: a rough mark. 100: an exact one, a band of a "
            "few pixels everywhere. Per stretch: Trust, or a contour's own.",
        )  # fmt: skip
        self.outward = self._width(
            "outward_px",
            "outward, into the backdrop",
            "How far the band reaches from the mark into the backdrop: over wisps and glow.",
        )
        self.inward = self._width(
            "inward_px",
            "inward, into the subject",
            "How far the band reaches from the mark into the subject: to where it is surely solid.",
        )
        self.exact = self._width(
            "exact_px",
            "both ways, where hard",
            "How far the band reaches along edges that were drawn as exact or brushed as hard.",
            step=0.5,
            curve=1.0,
        )
        for field in (self.trust, self.margin, self.outward, self.inward, self.exact):
            self.column.addWidget(field)

    def _build_kinds(self) -> None:
        self.column.addWidget(words("Kinds of edge", "title"))
        self.suggests = QCheckBox("Peel suggests kinds")
        self.suggests.setToolTip("Unticked, only kinds that were brushed count; the rest is solved alike")
        self.suggests.clicked.connect(lambda on: self._set("Kinds", "recipe.band.kinds", "suggested" if on else "none"))
        self.column.addWidget(self.suggests)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(2, 1)
        self.shares: dict[Kind, QLabel] = {}
        for row, kind in enumerate(Kind):
            share = words("", "muted")
            name = button(
                kind.name.capitalize(), partial(self._give, kind), role="choice", name=f"kind {kind.id}",
                tip=f"{KIND_LOOKS[kind].means}. Press: this kind for all that is chosen below",
            )  # fmt: skip
            share.setToolTip(KIND_LOOKS[kind].means)
            self.shares[kind] = share
            grid.addWidget(_Swatch(kind), row, 0)
            grid.addWidget(name, row, 1)
            grid.addWidget(share, row, 2)
        self.column.addLayout(grid)
        self.column.addWidget(words("A press on a kind gives it to", "muted"))
        self.gives_to = QButtonGroup(self)
        for text, tip in (
            ("Whole edge", "All of the edge"),
            ("Contour", "The edge along the contour nearest to the cursor's last place"),
            ("Piece", "The edge of the piece of subject at the cursor's last place"),
        ):
            self.gives_to.addButton(
                button(text, lambda: None, role="choice", tip=tip, checks=True, name=f"kind to {text.lower()}")
            )
        self.gives_to.buttons()[0].setChecked(True)
        self.row(*self.gives_to.buttons())
        self.column.addWidget(words("or brush Kind over a stretch.", "muted"))

    def _give(self, kind: Kind) -> None:
        """Give a kind to all that is chosen."""
        chosen = next(n for n, own in enumerate(self.gives_to.buttons()) if own.isChecked())
        spot = (self.desk.spot.x(), self.desk.spot.y())
        giving = (kind_everywhere, partial(kind_of_contour, spot=spot), partial(kind_of_piece, spot=spot))[chosen]
        self.desk.edit(f"{kind.name.capitalize()} edge", lambda job: giving(job, kind))

    def show_rest(self, job: Job) -> None:
        """Show how the band is laid, and how much is unsure."""
        band = job.settings.recipe.band
        is_laid = band.lay == "laid"
        self.laid.setChecked(is_laid)
        self.plain.setChecked(not is_laid)
        self.trust.setVisible(is_laid)
        self.margin.setVisible(is_laid)
        self.outward.setVisible(not is_laid)
        self.inward.setVisible(not is_laid)
        self.suggests.setChecked(band.kinds == "suggested")
        self._shares.setText(f"unsure: {zone_shares(job).some * 100:.1f} % of the photo")
        self.next.setEnabled(job.has_subject)
        if not job.has_subject:
            self.show_news(EdgeNews((), (), False))

    def show_news(self, news: EdgeNews) -> None:
        """Show the shares of the kinds, and how many places are in doubt."""
        has_gaps = any(place.doubt == "gap" for place in news.places)
        self.open_gap.setEnabled(has_gaps)
        self.open_all.setEnabled(has_gaps)
        found = {share.kind: share for share in news.shares}
        for kind, label in self.shares.items():
            share = found.get(kind)
            label.setText("–" if share is None else f"{share.share * 100:.0f} %, {_sureness(share.confidence)}")
        if news.alike:
            self._places.setText("Subject and backdrop have the same colours along most of the edge: check it closely.")
        elif news.places:
            gaps = sum(place.doubt == "gap" for place in news.places)
            other = len(news.places) - gaps
            parts = [f"{gaps} enclosed gaps that look like the backdrop"] if gaps else []
            parts += [f"{other} places where the band is likely too narrow or too deep"] if other else []
            self._places.setText(f"{', '.join(parts)}.")
        else:
            self._places.setText("No place where the band is likely wrong.")


def _sureness(confidence: float | None) -> str:
    return "as brushed" if confidence is None else f"{confidence * 100:.0f} % sure"
