"""Why the matte is what it is at a place: what decided it, in order of weight, and what would change it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.files.profiles import to_screen
from peel.job.edits.finishing import unfinished, with_all_hair
from peel.job.edits.kinds import is_said, kinds_in
from peel.job.edits.marking import Stroke, Zone, paint_kind, paint_zone
from peel.job.edits.touching import SoftStroke, release
from peel.job.edits.values import set_value
from peel.job.history import History
from peel.job.job import Job
from peel.job.marked import marked_subject
from peel.job.rect import Rect
from peel.job.settings import hex_from_rgb
from peel.matte.arrays import FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.repair.touching import MOST_PUSH
from peel.matte.solve.explained import Term
from peel.work.solving.explaining import explained_at
from peel.work.stages import Stages

__all__ = ["Cure", "Reason", "Why", "why_at"]

_LEAST_EFFECT: Final = 0.015  # on alpha, from which a term is worth a sentence
_MOST: Final = 6
_CHANGED: Final = 0.01
_CURE_PX: Final = 14.0  # radius of the stroke that a cure makes
_FAR_PX: Final = 400  # how far away the nearest certain colours are looked for
_ALIKE: Final = 0.04  # difference of colours up to which they look alike
_NEUTRAL: Final = 128


@dataclass(frozen=True)
class Cure:
    """What would change a decision.

    Attributes
    ----------
    label : str
        What it does, for a button, and for undo.
    edit : callable
        From a job to a new one.
    """

    label: str
    edit: Callable[[Job], Job]


@dataclass(frozen=True)
class Reason:
    """One thing that decided the matte at a place.

    Attributes
    ----------
    name : str
        What it is, for tests and lookups.
    says : str
        A sentence.
    cure : Cure or None
    swatches : tuple of str
        Colours that belong to it, as ``#rrggbb``: the backdrop's, then the subject's.
    """

    name: str
    says: str
    cure: Cure | None = None
    swatches: tuple[str, ...] = ()


@dataclass(frozen=True)
class Why:
    """Why a place is as clear or solid as it is.

    Attributes
    ----------
    x, y : int
    alpha : float
        Of the finished matte.
    reasons : tuple of Reason
        The weightiest first.
    """

    x: int
    y: int
    alpha: float
    reasons: tuple[Reason, ...]


def why_at(job: Job, stages: Stages, x: int, y: int, history: History | None = None) -> Why:
    """Say why the matte is what it is at a pixel of the photo.

    Parameters
    ----------
    job : Job
    stages : Stages
        Of its photo.
    x, y : int
    history : History, optional
        Where the steps are looked up by which the place was marked.
    """
    spot = Rect(y, x, y + 1, x + 1)
    alpha = float(stages.alpha(job, spot, 0)[0, 0])
    reasons = [*_touched(job, spot), *_finished(job, stages, spot, alpha)]
    zone = int(job.zones.read(spot)[0, 0])
    if zone in (BACKGROUND, FOREGROUND):
        reasons.append(_certain(job, spot, zone, history))
    else:
        reasons += [_unsure(job, spot, alpha), *_kind(job, spot), *_solved(job, x, y)]
    return Why(x, y, alpha, tuple(reasons[: _MOST + 1]))


def _at(spot: Rect) -> tuple[float, float]:
    return spot.left + 0.5, spot.top + 0.5


def _stroke(spot: Rect) -> Stroke:
    return Stroke((_at(spot),), _CURE_PX)


def _value(job: Job, plane: str, spot: Rect) -> float:
    """Return the value of a plane of touch-ups, from -1 or 0 to 1."""
    return (float(getattr(job, plane).read(spot)[0, 0]) - _NEUTRAL) / 127


# what was put on by hand


def _touched(job: Job, spot: Rect) -> list[Reason]:
    found = []

    def cure(sort: str) -> Cure:
        soft = SoftStroke((_at(spot),), _CURE_PX, softness=0.0)
        return Cure(f"Take {sort} back here", lambda job: release(job, soft, sort))

    force, firmness = _value(job, "force", spot), _value(job, "firmness", spot)
    if abs(force) > _CHANGED:
        name = "Solid" if force > 0 else "Clear"
        says = f"{name} was brushed here, {min(abs(force), 1) * 100:.0f} % of the way."
        found.append(Reason("force", says, cure("solid and clear")))
    if abs(firmness) > _CHANGED:
        name = "Firm" if firmness > 0 else "Thin"
        says = f"{name} was brushed here, to {min(abs(firmness), 1) * 100:.0f} %."
        found.append(Reason("firmness", says, cure("firm and thin")))
    across, down = (_value(job, plane, spot) * 127 / 8 for plane in ("push_right", "push_down"))
    if np.hypot(across, down) > 0.1:
        says = f"Nudge moved what is seen here by {min(float(np.hypot(across, down)), MOST_PUSH):.1f} px."
        found.append(Reason("nudge", says, cure("nudge")))
    soft = float(job.softness.read(spot)[0, 0]) / 255
    if soft > _CHANGED:
        found.append(Reason("softness", f"Soften was brushed here, to {soft * 100:.0f} %.", cure("soften")))
    other = float(job.borrowed_weight.read(spot)[0, 0]) / 255
    if other > _CHANGED:
        says = f"Another version, or a strand that was followed, was laid over here, {other * 100:.0f} % of it."
        found.append(Reason("borrowed", says, cure("other version")))
    return found


def _finished(job: Job, stages: Stages, spot: Rect, alpha: float) -> list[Reason]:
    """Say what the edge profile does, and how much hair."""
    found = []
    haired = with_all_hair(job)
    with_hair = float(stages.alpha(haired, spot, 0)[0, 0])
    by = alpha - with_hair
    if abs(by) > _CHANGED:
        what = "How much hair brings a strand out here" if by > 0 else "How much hair leaves a strand out here"
        found.append(
            Reason("hair", f"{what}: {abs(by) * 100:.0f} %.", Cure("Leave hair as it was solved", with_all_hair))
        )
    by = with_hair - float(stages.alpha(unfinished(job), spot, 0)[0, 0])
    if abs(by) > _CHANGED:
        says = f"The edge profile makes it {abs(by) * 100:.0f} % more {'solid' if by > 0 else 'clear'}."
        found.append(Reason("profile", says, Cure("Leave edges as they were solved", unfinished)))
    return found


# zones and kinds


def _certain(job: Job, spot: Rect, zone: int, history: History | None) -> Reason:
    """Say who made a place certain."""
    what = "subject" if zone == FOREGROUND else "backdrop"
    unsure = Cure("Make it unsure here", lambda job: paint_zone(job, _stroke(spot), Zone.UNSURE))
    if int(job.corrections.read(spot)[0, 0]):
        says = f"You said that it is {what} for certain{_when(history, spot, 'corrections')}."
        return Reason("certain", says, unsure)
    is_marked = bool(marked_subject(job, spot)[0, 0]) == (zone == FOREGROUND)
    if is_marked and zone == FOREGROUND:
        plane = "marks" if int(job.marks.read(spot)[0, 0]) else "outline"
        says = f"It is marked as subject{_when(history, spot, plane)}, too far inside for the band to reach."
        return Reason("marked", says, unsure)
    if is_marked:
        return Reason("unmarked", "It is not marked as subject, and too far outside for the band to reach.", unsure)
    return Reason("read", f"The photo says that it is {what}, though it is marked otherwise.", unsure)


def _when(history: History | None, spot: Rect, plane: str) -> str:
    """Say by which step of undo a plane got its present value at a pixel, as far as the steps are at hand."""
    if history is None:
        return ""
    states = [state for state in history.states[: history.cursor + 1] if state.job is not None]
    values = [int(getattr(state.job, plane).read(spot)[0, 0]) for state in states]
    for number in range(len(values) - 1, 0, -1):
        if values[number] != values[number - 1]:
            back = len(values) - 1 - number
            ago = "the last step" if back == 0 else f"{back + 1} steps ago"
            return f" ({states[number].label}, {ago})"
    return ""


def _unsure(job: Job, spot: Rect, alpha: float) -> Reason:
    zone, what = (Zone.SUBJECT, "subject") if alpha >= 0.5 else (Zone.BACKDROP, "backdrop")
    cure = Cure(f"Say that it is {what}", lambda job: paint_zone(job, _stroke(spot), zone))
    if int(job.corrections.read(spot)[0, 0]) == Zone.UNSURE.value:
        return Reason("unsure", "It was brushed unsure, so it was computed.", cure)
    side = "inside" if bool(marked_subject(job, spot)[0, 0]) else "outside"
    return Reason("unsure", f"It lies in the unsure band, {side} the mark, so it was computed.", cure)


def _kind(job: Job, spot: Rect) -> list[Reason]:
    kind = int(kinds_in(job, spot)[0, 0])
    if not kind:
        return []
    name = Kind(kind).name.lower()
    if bool(is_said(job, spot)[0, 0]):
        cure = Cure("Leave the kind to Peel here", lambda job: paint_kind(job, _stroke(spot), None))
        return [Reason("kind said", f"You said that the edge is {name}.", cure)]
    sure = float(job.confidence.read(spot)[0, 0]) / 255
    other = Kind.STRAND if kind == Kind.HARD else Kind.HARD
    cure = Cure(f"Say {other.name.lower()} here", lambda job: paint_kind(job, _stroke(spot), other))
    return [Reason("kind suggested", f"Peel takes the edge for {name}, {sure * 100:.0f} % sure.", cure)]


# the solve


def _solved(job: Job, x: int, y: int) -> list[Reason]:
    """Say which terms of the solve decide a pixel, by what it would be without each."""
    explained = explained_at(job, x, y)
    reasons = []
    if explained.toned > 0.5:
        reasons.append(Reason("tone", "A separation's tone alone is the matte here.", _without_separations()))
    reasons += [_reason_of(term) for term in explained.terms if abs(term.effect) >= _LEAST_EFFECT]
    if not reasons:
        says = "No term decides it by itself: what lies around it, of like colour, holds it."
        reasons.append(Reason("around", says))
    return [*reasons[: _MOST - 1], *_by_colours(job, x, y)]


def _by_colours(job: Job, x: int, y: int) -> list[Reason]:
    """Show the nearest certain colours, and how far the place lies from the one to the other."""
    found = nearest_colours(job, x, y)
    if found is None:
        return []
    backdrop, subject, here = found
    way = subject - backdrop
    length = float(way @ way)
    if length < _ALIKE**2:
        says = "The nearest backdrop and subject look alike, so colours say nothing here."
    else:
        share = min(max(float((here - backdrop) @ way) / length, 0.0), 1.0)
        says = f"From the nearest backdrop to the nearest subject, its colour is {share * 100:.0f} % of the way."
    shown = (
        to_screen(np.round(own * 255).astype(np.uint8)[None, None], job.photo.profile) for own in (backdrop, subject)
    )
    return [Reason("colours", says, swatches=tuple(hex_from_rgb(own[0, 0] / 255) for own in shown))]


def _without_separations() -> Cure:
    return Cure("Solve without separations", lambda job: set_value(job, "recipe.separations", ()))


def _reason_of(term: Term) -> Reason:
    sentence = {
        "sampled_colour": "The colours of backdrop and subject near by",
        "local_colour": "The colours close by",
        "sparsity": "That edges are mostly clear or solid",
        "patches": "Patches that look like this place",
        "veils": "The sheer cloth's own colour",
        "lines": "The strand that runs here",
        "steps": "The hard edge that was followed",
        "ramps": "The soft edge that was followed",
        "separation": "The separation's pull",
        "frame": "The second frame",
    }[term.name]
    way = "solid" if term.effect > 0 else "clear"
    says = f"{sentence}: by {abs(term.effect) * 100:.0f} % more {way} than without."
    return Reason(term.name, says, _cure_of(term.name))


def _cure_of(name: str) -> Cure | None:
    """Return the setting that would silence a term."""
    if name == "separation":
        return _without_separations()
    if name == "frame":
        return Cure("Solve without the second frame", lambda job: set_value(job, "recipe.second_frame.used", False))
    return None


def nearest_colours(job: Job, x: int, y: int) -> tuple[FloatArray, FloatArray, FloatArray] | None:
    """Return the colours of the nearest certain backdrop and subject, and of the place; None if either is far."""
    around = Rect(y - _FAR_PX, x - _FAR_PX, y + _FAR_PX, x + _FAR_PX).intersection(job.photo.bounds)
    zones = job.zones.read(around)
    colours = [job.photo.colours(Rect(y, x, y + 1, x + 1))[0, 0]]
    for zone in (FOREGROUND, BACKGROUND):
        rows, columns = np.nonzero(zones == zone)
        if not len(rows):
            return None
        nearest = int(np.argmin(np.hypot(rows + around.top - y, columns + around.left - x)))
        top, left = int(rows[nearest]), int(columns[nearest])
        near = Rect(top - 3, left - 3, top + 4, left + 4).moved(around.top, around.left).intersection(around)
        own = zones[near.within(around)] == zone
        colours.insert(0, job.photo.colours(near)[own].mean(axis=0))
    return colours[0], colours[1], colours[2]
