"""Sorts of snag: what is said of each, how it is mended, and what the proofs show of it, in one record."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from peel.job.edits.snags import evened, recoloured, settle, settled_by, touched, unsure
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
    is_seen_at_once : bool
        Whether its effect can be shown before the matte is solved again.
    is_solid : bool
        Whether it adds to the subject.
    """

    does: str
    edit: Callable[[Job, Snag], Job]
    is_seen_at_once: bool = True
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


_AGAIN: Final = Mend("lays the unsure band over it and solves it", unsure, is_seen_at_once=False)
SNAGS: Final[dict[SnagSort, SnagSpec]] = {
    SnagSort.PINHOLE: SnagSpec(
        "{n} hole{s} in what is solid: the backing shows through {size}",
        "Solid, or Close pinholes",
        (View.PHOTO, View.MATTE, View.LOUD, View.WHITE),
        mend=Mend("makes it solid", touched(Touch.SOLID, _RIM_PX), is_solid=True),
    ),
    SnagSort.SPECK: SnagSpec(
        "{n} speck{s} floating in the clear, {size} in all",
        "Clear, or Drop specks",
        (View.PHOTO, View.FAINT, View.WHITE, View.BLACK),
        mend=Mend("clears it", touched(Touch.CLEAR, _RIM_PX)),
    ),
    SnagSort.HAZE: SnagSpec(
        "A veil over clear backdrop, as much as {size}",
        "Thin, or Take out haze",
        (View.PHOTO, View.FAINT, View.BLACK, View.WHITE),
        mend=Mend("clears it", touched(Touch.CLEAR, 0)),
    ),
    SnagSort.SEE_THROUGH: SnagSpec(
        "Not quite solid inside the subject: the backing shines through, as much as {size}",
        "Firm, or Solid inside",
        (View.PHOTO, View.FAINT, View.LOUD, View.BLACK),
        mend=Mend("makes it solid", touched(Touch.SOLID, 1), is_solid=True),
    ),
    SnagSort.BACKDROP_LEFT: SnagSpec(
        "Backdrop seems to be left inside the subject, {size}",
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
        "The matte is cut hard where the photo's edge is soft",
        "Band over it, or Soften",
        (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
        mend=_AGAIN,
    ),
    SnagSort.STEPPED: SnagSpec(
        "This edge has steps that the photo does not have",
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
        "Cutout and clean backdrop do not give the photo back here, by as much as {size}",
        "Band, kind, or Again here",
        (View.PHOTO, View.RESIDUE, View.WHITE, View.BLACK),
    ),
    SnagSort.FRINGE_LIGHT: SnagSpec(
        "The edge is lighter than the subject further in, by as much as {size}",
        "Rims in Colour",
        (View.PHOTO, View.RIMS, View.BLACK, View.WHITE),
        mend=Mend("brings the rim here to the tone further in", recoloured(rim_light=0.9)),
    ),
    SnagSort.FRINGE_DARK: SnagSpec(
        "The edge is darker than the subject further in, by as much as {size}",
        "Rims in Colour",
        (View.PHOTO, View.RIMS, View.WHITE, View.BLACK),
        mend=Mend("brings the rim here to the tone further in", recoloured(rim_light=0.9)),
    ),
    SnagSort.FRINGE_TINTED: SnagSpec(
        "The edge has another tint than the subject further in, {size}",
        "Rims or Tint in Colour",
        (View.PHOTO, View.RIMS, View.WHITE, View.BLACK),
        mend=Mend("brings the rim here to the tint further in", recoloured(rim_tint=0.9)),
    ),
    SnagSort.SPILL: SnagSpec(
        "Light of the backdrop is left on the subject, as much as {size}",
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
    """Say in a sentence what is wrong and by how much, and what tool mends it."""
    spec, count = SNAGS[snag.sort], len(snag.finds)
    many = count != 1
    said = spec.says.format(
        n=count if many else "One",
        s="s" if many else "",
        es="" if many else "es",
        size=f"{grouped(snag.size)} px",
    )
    return said + ".", spec.tool


def snag_row(job: Job, snag: Snag) -> dict[str, object]:
    """Return a snag as plain values, for reports."""
    done = settled_by(job, snag)
    top, left, bottom, right = snag.box
    return {
        "sort": snag.sort.id,
        "severity": snag.severity.value,
        "size_px": round(snag.size, 1),
        "count": len(snag.finds),
        "at": [round(part, 1) for part in snag.at],
        "box": {"left": left, "top": top, "right": right, "bottom": bottom},
        "says": words_of(snag)[0],
        "accepted": done is not None and done.is_accepted,
        "reason": done.reason if done is not None else "",
    }
