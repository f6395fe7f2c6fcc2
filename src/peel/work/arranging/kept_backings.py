"""Gradients and patterns that are kept under names: a dozen drawn for Peel, and those of the person."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from pydantic import ValidationError

from peel.errors import MarkError, UsageError
from peel.job.settings import Backing, Gradient, GradientStop, Pattern, rgb_from_hex
from peel.matte.arrays import ByteArray
from peel.matte.composite.gradient import gradient
from peel.matte.composite.pattern import pattern
from peel.matte.pixels import to_bytes
from peel.work.session.memory import read_preference, write_preference

__all__ = ["SHIPPED", "KeptBacking", "backing_named", "drawn_backing", "keep_backing", "kept_backings", "leave_backing"]

_KEY: Final = "backings"
_MOST: Final = 60
_SWATCH_SHEET: Final = 6.0  # by how much smaller than a sheet of middle size a picture of a pattern is drawn


@dataclass(frozen=True)
class KeptBacking:
    """A gradient or a pattern under a name.

    Attributes
    ----------
    name : str
    kind : "gradient" or "pattern"
    value : Gradient or Pattern
    is_own : bool
        Whether the person kept it.
    """

    name: str
    kind: Literal["gradient", "pattern"]
    value: Gradient | Pattern
    is_own: bool = False

    def on(self, backing: Backing) -> Backing:
        """Return a backing with this one in place."""
        return backing.model_copy(update={"kind": self.kind, self.kind: self.value})

    def is_on(self, backing: Backing) -> bool:
        """Return whether a backing is this one."""
        return backing.kind == self.kind and getattr(backing, self.kind) == self.value


def _gradient(name: str, *stops: tuple[float, str], is_round: bool = False) -> KeptBacking:
    ends = ((0.5, 0.42), (0.5, 1.15)) if is_round else ((0.5, 0.0), (0.5, 1.0))
    made = Gradient(
        shape="round" if is_round else "straight",
        start=ends[0],
        end=ends[1],
        stops=tuple(GradientStop(at=at, colour=colour) for at, colour in stops),
    )
    return KeptBacking(name, "gradient", made)


def _pattern(name: str, motif: str, period: float, ink: str, paper: str, turn: float = 0.0) -> KeptBacking:
    made = Pattern.model_validate({"motif": motif, "period_px": period, "ink": ink, "paper": paper, "turn_deg": turn})
    return KeptBacking(name, "pattern", made)


SHIPPED: Final = (
    _gradient("Morning wall", (0, "#f7f6f2"), (0.62, "#e6e3dc"), (0.64, "#d6d2c8"), (1, "#efece6")),
    _gradient("Porcelain", (0, "#ffffff"), (0.5, "#f3f3f1"), (1, "#d4d6d8"), is_round=True),
    _gradient("Workshop grey", (0, "#a9abad"), (0.6, "#84878a"), (1, "#5d6063"), is_round=True),
    _gradient("Before the play", (0, "#46557a"), (0.55, "#27304d"), (1, "#10131f"), is_round=True),
    _gradient("Footlights", (0, "#2b1d2e"), (0.55, "#7a3b3a"), (0.82, "#d98a4e"), (1, "#f3cf8e")),
    _gradient("Peach paper", (0, "#fbe9dc"), (0.6, "#f4cfb8"), (1, "#e3a98d")),
    _pattern("Star cloth", "stars", 320, "#e7d7a0", "#22304a"),
    _pattern("Confetti", "dots", 180, "#d9694f", "#faf4e8", 18),
    _pattern("Tent", "stripes", 420, "#b8433a", "#f6efe0"),
    _pattern("Harlequin", "lozenges", 360, "#2f6f73", "#e9e2cf"),
    _pattern("Painted sea", "waves", 300, "#8fb9c9", "#2f5f78"),
    _pattern("Pinstripe", "stripes", 48, "#3a3f47", "#30343b", 90),
)  # fmt: skip
"""Six gradients and six patterns."""


def kept_backings(kind: str | None = None) -> tuple[KeptBacking, ...]:
    """Return what is kept, of one kind or of both: what came with Peel first, then what the person kept."""
    stored = read_preference(_KEY)
    own = [_read(entry) for entry in stored] if isinstance(stored, list) else []
    found = (*SHIPPED, *(kept for kept in own if kept is not None))
    return tuple(kept for kept in found if kind in (None, kept.kind))


def _read(entry: object) -> KeptBacking | None:
    """Return a kept backing as it was written; None if it is of no use any more."""
    if not isinstance(entry, dict):
        return None
    kind, name = entry.get("kind"), str(entry.get("name", ""))[:80]
    models: dict[str, type[Gradient] | type[Pattern]] = {"gradient": Gradient, "pattern": Pattern}
    model = models.get(str(kind))
    try:
        value = model.model_validate_json(str(entry.get("value"))) if model is not None else None
    except ValidationError:
        value = None
    return None if value is None or not name else KeptBacking(name, kind, value, is_own=True)  # type: ignore[arg-type]


def keep_backing(name: str, backing: Backing) -> None:
    """Keep a backing's gradient or pattern under a name; one of the same name that the person kept is replaced.

    Raises
    ------
    MarkError
        If the backing is neither, the name is empty or one of Peel's own, or there are too many.
    """
    name = " ".join(name.split())[:80]
    if backing.kind not in ("gradient", "pattern"):
        raise MarkError("Gradients and patterns are kept.", "Choose one of them in Behind.")
    if backing.kind == "pattern" and backing.pattern.motif == "tile":
        raise MarkError("A pattern of a tile of your own is not kept.", "Its picture is kept in the job.")
    if not name or name in {kept.name for kept in SHIPPED}:
        raise MarkError(f"A backing cannot be kept as {name or 'nothing'}.", "Give it a name of its own.")
    own = [kept for kept in kept_backings() if kept.is_own and kept.name != name]
    if len(own) >= _MOST:
        raise MarkError("As many gradients and patterns are kept as Peel keeps.", "Take one off with the right button.")
    value = backing.gradient if backing.kind == "gradient" else backing.pattern
    _write([*own, KeptBacking(name, backing.kind, value, is_own=True)])


def leave_backing(name: str) -> None:
    """Keep a backing of the person's no longer."""
    _write([kept for kept in kept_backings() if kept.is_own and kept.name != name])


def _write(own: Sequence[KeptBacking]) -> None:
    stored = [{"name": kept.name, "kind": kept.kind, "value": kept.value.model_dump_json()} for kept in own]
    write_preference(_KEY, stored)


def backing_named(name: str) -> KeptBacking:
    """Return a kept backing by its name, whatever its case.

    Raises
    ------
    UsageError
        If there is none.
    """
    known = kept_backings()
    for kept in known:
        if kept.name.lower() == name.strip().lower():
            return kept
    message = f"No gradient or pattern is kept as {name}."
    raise UsageError(message, f"There are {', '.join(kept.name for kept in known)}.")


def drawn_backing(kept: KeptBacking, height: int, width: int) -> ByteArray:
    """Draw a kept backing small, (height, width, 3) uint8."""
    window = (0, 0, height, width)
    if isinstance(kept.value, Gradient):
        ends = tuple((x * width, y * height) for x, y in (kept.value.start, kept.value.end))
        stops = [(stop.at, rgb_from_hex(stop.colour)) for stop in kept.value.stops]
        drawn = gradient(window, (ends[0], ends[1]), stops, is_round=kept.value.shape == "round")
    else:
        own = kept.value
        inks = rgb_from_hex(own.ink), rgb_from_hex(own.paper)
        drawn = pattern(
            window, own.motif, inks, period_px=max(own.period_px / _SWATCH_SHEET, 4.0), turn_deg=own.turn_deg
        )
    return to_bytes(np.clip(drawn, 0, 1))
