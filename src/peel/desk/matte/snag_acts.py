"""What is done about a snag, wherever it is listed: the walk's order, mended, accepted."""

from collections.abc import Collection, Sequence

from peel.desk.desk_state import DeskState
from peel.job.edits.snags import accept
from peel.matte.inspect.snags import Snag
from peel.work.inspecting.proving import Proof
from peel.work.inspecting.snag_specs import is_accepted, mend

__all__ = ["accept_snag", "mend_snag", "next_open"]


def next_open(order: Sequence[int], still_open: Collection[int], at: int, by: int) -> int | None:
    """Return the open one that comes after, or before, a place in an order, going round; None if there is none.

    >>> next_open([4, 7, 2], {4, 2}, 0, 1), next_open([4, 7, 2], {4}, 0, -1)
    (2, 4)
    """
    step = 1 if by > 0 else -1
    places = [(at + step * k) % len(order) for k in range(1, len(order) + 1)]
    return next((order[place] for place in places if order[place] in still_open), None)


def mend_snag(desk: DeskState, snag: Snag, proof: Proof) -> None:
    """Mend a snag of the open job as it was proved: what was solved to judge it is not solved again."""
    desk.edit(f"Mend: {snag.sort.value.lower()}", lambda job: proof.mended if job is proof.job else mend(job, snag))


def accept_snag(desk: DeskState, snag: Snag, reason: str) -> None:
    """Take a snag of the open job for right as it is, unless that was said before."""
    if desk.job is not None and not is_accepted(desk.job, snag):
        desk.edit("Accept a snag", lambda job: accept(job, snag, reason))
