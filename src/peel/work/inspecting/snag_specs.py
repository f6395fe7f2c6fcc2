"""Sorts of snag: what is said of each, how it is mended, and what the proofs show of it, in one record."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from peel.job.edits.snags import ended, evened, recoloured, settle, settled_by, touched, unsure
from peel.job.edits.touching import Touch
from peel.job.job import Job
from peel.matte.inspect.snags import Snag
from peel.matte.inspect.sorts import SnagSort
from peel.work.views import View
from peel.work.wording import grouped

__all__ = ["SNAGS", "Mend", "SnagSpec", "accepted_because", "is_accepted", "mend", "snag_row", "words_of"]

_RIM_PX: Final = 2  # around small faults, made solid or clear with them


@dataclass(frozen=True)
class Mend:
    """What one key does about a snag.

    Attributes
    ----------
    does : str
        In words.
    edit : callable
    is_solid : bool
        Whether it adds to the subject.
    """

    does: str
    edit: Callable[[Job, Snag], Job]
    is_solid: bool = False


@dataclass(frozen=True)
class SnagSpec:
    """A sort of snag.

    Attributes
    ----------
    says : str
        What is wrong: {n} faults, of {size} pixels; {s} and {es} are the endings of noun and verb.
    tool : str
        What mends it by hand.
    proofs : four View
        What the proofs show of it: the photo, the matte, and the two backings that show it best.
    mend : Mend or None
        None where none is safe.
    """

    says: str
    tool: str
    proofs: tuple[View, View, View, View]
    mend: Mend | None = None


_AGAIN: Final = Mend("lays the unsure band over it and solves it", unsure)
SNAGS: Final[dict[SnagSort, SnagSpec]] = {
    SnagSort.PINHOLE: SnagSpec(
        "{n} hole{s} in what is solid, {across}: the backing shines through",
        "Solid, or Close pinholes",
        (View.PHOTO, View.MATTE, View.LOUD, View.WHITE),
        mend=Mend("makes it solid", touched(Touch.SOLID, _RIM_PX), is_solid=True),
    ),
    SnagSort.SPECK: SnagSpec(
        "{n} speck{s} floating in the clear, {across}",
        "Clear, or Drop specks",
        (View.PHOTO, View.FAINT, View.WHITE, View.BLACK),
        mend=Mend("clears it", touched(Touch.CLEAR, _RIM_PX)),
    ),
    SnagSort.HAZE: SnagSpec(
        "A veil of the old backdrop over what should be clear, {across}",
        "Thin, or Take out haze",
        (View.PHOTO, View.FAINT, View.BLACK, View.WHITE),
        mend=Mend("clears it", touched(Touch.CLEAR, 0)),
    ),
    SnagSort.SPREAD: SnagSpec(
        "A veil, or a shine through the subject, too thin to point at, {off} on average in {n} places",
        "the ends of the matte's values, in the edge profile",
        (View.PHOTO, View.FAINT, View.BLACK, View.WHITE),
        mend=Mend("clears the veil, and closes what shines through", ended),
    ),
    SnagSort.SEE_THROUGH: SnagSpec(
        "Not quite solid where the subject should be, {across}: the backing shines through",
        "Firm, or Solid inside",
        (View.PHOTO, View.FAINT, View.LOUD, View.BLACK),
        mend=Mend("makes it solid", touched(Touch.SOLID, 1), is_solid=True),
    ),
    SnagSort.BACKDROP_LEFT: SnagSpec(
        "A piece of backdrop seems to be taken for subject, {across}",
        "Band over it, or Clear",
        (View.PHOTO, View.MATTE, View.LOUD, View.WHITE),
        mend=_AGAIN,
    ),
    SnagSort.STRAND_CUT: SnagSpec(
        "{n} strand{s} go{es} on in the photo where the matte ends",
        "Band beyond the ends",
        (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
        mend=_AGAIN,
    ),
    SnagSort.HARD_CUT: SnagSpec(
        "The matte is cut hard where the photo's edge is soft, {across}",
        "Band over it, or Soften",
        (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
        mend=_AGAIN,
    ),
    SnagSort.STEPPED: SnagSpec(
        "This edge has steps that the photo does not have, {across}",
        "the edge profile: bumps evened",
        (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
        mend=Mend("evens this stretch of edge", evened),
    ),
    SnagSort.FRAME: SnagSpec(
        "The subject touches the frame along {size}",
        "a frame with room around, or leave it",
        (View.PHOTO, View.MATTE, View.WHITE, View.LOUD),
    ),
    SnagSort.RESIDUE: SnagSpec(
        "Matte or colour is wrong here, {across}: put together again, cutout and backdrop do not give the photo",
        "Band, kind, or Again here",
        (View.PHOTO, View.RESIDUE, View.WHITE, View.BLACK),
    ),
    SnagSort.FRINGE_LIGHT: SnagSpec(
        "The edge is lighter than the subject further in, {across}",
        "Rims in Colour",
        (View.PHOTO, View.RIMS, View.BLACK, View.WHITE),
        mend=Mend("brings the rim here to the tone further in", recoloured(rim_light=0.9)),
    ),
    SnagSort.FRINGE_DARK: SnagSpec(
        "The edge is darker than the subject further in, {across}",
        "Rims in Colour",
        (View.PHOTO, View.RIMS, View.WHITE, View.BLACK),
        mend=Mend("brings the rim here to the tone further in", recoloured(rim_light=0.9)),
    ),
    SnagSort.FRINGE_TINTED: SnagSpec(
        "The edge has another tint than the subject further in, {across}",
        "Rims or Tint in Colour",
        (View.PHOTO, View.RIMS, View.WHITE, View.BLACK),
        mend=Mend("brings the rim here to the tint further in", recoloured(rim_tint=0.9)),
    ),
    SnagSort.SPILL: SnagSpec(
        "Light of the backdrop is left on the subject, {across}",
        "Spill in Colour",
        (View.PHOTO, View.RECOLOURED, View.WHITE, View.BLACK),
        mend=Mend(
            "takes all of the spill out here", recoloured(clean=1.0, roots=1.0, spill_edge=1.0, spill_inside=1.0)
        ),
    ),
}
"""Every sort of snag."""


def mend(job: Job, snag: Snag) -> Job:
    """Mend a snag, if there is a safe way; one step of undo."""
    own = SNAGS[snag.sort].mend
    return job if own is None else settle(own.edit(job, snag), snag, "mended")


def is_accepted(job: Job, snag: Snag) -> bool:
    """Return whether a snag is right as it is, as the person says."""
    return accepted_because(job, snag) != ""


def accepted_because(job: Job, snag: Snag) -> str:
    """Return why a snag was accepted: "accepted" if no reason was written, "" if it was not accepted."""
    done = settled_by(job, snag)
    return (done.reason or "accepted") if done is not None and done.is_accepted else ""


def words_of(snag: Snag) -> tuple[str, str]:
    """Say in a sentence what is wrong, how large it is and where it will show; and what tool mends it."""
    spec, count = SNAGS[snag.sort], len(snag.finds)
    many = count != 1
    said = spec.says.format(
        n=count if many else "One",
        s="s" if many else "",
        es="" if many else "es",
        size=f"{grouped(snag.size)} px",
        across=f"{'the largest ' if many else ''}{_across(snag)} px across",
        off=f"{100 * snag.size / max(sum(int(find.mask.sum()) for find in snag.finds), 1):.1f} %",
    )
    return f"{said}{_where(snag)}.", spec.tool


def _across(snag: Snag) -> str:
    top, left, bottom, right = snag.finds[0].box
    return grouped(max(bottom - top, right - left))


def _where(snag: Snag) -> str:
    if snag.sort is SnagSort.FRAME:
        return ""
    on = snag.shown.on
    if snag.doubt:
        return f". It may well be right as it is. {snag.doubt.rstrip('.')}"
    if not on:
        return "; it will not show"
    return f"; it shows on {' and '.join(on)}" if len(on) < 3 else f"; it shows most on {on[0]}"


def snag_row(job: Job, snag: Snag) -> dict[str, object]:
    """Return a snag as plain values, for reports."""
    done = settled_by(job, snag)
    top, left, bottom, right = snag.box
    return {
        "sort": snag.sort.id,
        "severity": snag.severity.value,
        "size_px": round(snag.size, 1),
        "shows_on": list(snag.shown.on),
        "shows_px": round(snag.shown.area_px, 1),
        "doubt": snag.doubt,
        "count": len(snag.finds),
        "at": [round(part, 1) for part in snag.at],
        "box": {"left": left, "top": top, "right": right, "bottom": bottom},
        "says": words_of(snag)[0],
        "accepted": done is not None and done.is_accepted,
        "reason": done.reason if done is not None else "",
    }
