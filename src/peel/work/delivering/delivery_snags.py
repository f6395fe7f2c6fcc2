"""Snags of a delivery, beside those of the matte: what the frame, the size and the colour space of an order do."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.files.delivery_profiles import out_of_gamut
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of, subject_box
from peel.job.preset import Preset
from peel.job.settings import DeliverySnagName, SettledSnag
from peel.matte.inspect.snags import Severity
from peel.matte.pixels import to_bytes
from peel.work.delivering.order import job_for, size_of_file
from peel.work.delivering.products import Want, space_of_product
from peel.work.inspecting.fringe import measure_fringe
from peel.work.inspecting.hair import count_hair, proposed_shortest
from peel.work.stages import Stages

__all__ = ["DeliverySnag", "accept_delivery_snag", "delivery_snags", "is_delivery_snag_accepted", "mend_delivery_snag"]

_LONGEST: Final = 700  # side of the small picture that is looked at
_SOME: Final = 0.02  # share of the subject's pixels outside a gamut that is worth saying
_ENLARGED: Final = 1.02
_SMALL: Final = 0.7  # size of a file, relative to the photo, up to which thin strands may vanish in it
_BORDER_ALPHA: Final = 0.5
_FRINGE: Final = 6.0  # CIEDE2000 along the edge from which it can be pointed at


@dataclass(frozen=True)
class DeliverySnag:
    """Something about an order that the person should know before it is delivered.

    Attributes
    ----------
    sort : str
    severity : Severity
    says : one sentence.
    at : the place in photo pixels.
    mend : what would mend it, in words.
    shortest_px : what it would take as the shortest hair that is kept, where that is what mends it.
    """

    sort: DeliverySnagName
    severity: Severity
    says: str
    at: tuple[float, float]
    mend: str = ""
    shortest_px: float | None = None


def delivery_snags(job: Job, stages: Stages, presets: Sequence[Preset]) -> list[DeliverySnag]:
    """Look at what presets would make of a job; quick: in a small picture."""
    if not job.has_subject:
        return []
    found: list[DeliverySnag] = []
    for preset in presets:
        own = job_for(job, preset)
        found += _by_frame(own, preset)
        found += _by_size(own, preset)
        found += _by_gamut(own, stages, preset)
        found += _by_hair(own, stages, preset)
    found += _placed(job)
    found += _on_backing(job, stages)
    kept: dict[tuple[str, str], DeliverySnag] = {}
    for snag in found:
        kept.setdefault((snag.sort, snag.says), snag)
    return sorted(kept.values(), key=lambda snag: -snag.severity.rank)


def _by_frame(job: Job, preset: Preset) -> list[DeliverySnag]:
    """Say where the sheet's frame cuts the subject, and where the photo's old frame shows on it."""
    if not preset.is_framed:
        return []
    sheet, (top, left, bottom, right) = sheet_of(job), subject_box(job)
    seen = (-sheet.top, -sheet.left, sheet.space.height - sheet.top, sheet.space.width - sheet.left)
    out = []
    cut = [name for name, over in zip(("top", "left", "bottom", "right"),
           (top < seen[0], left < seen[1], bottom > seen[2], right > seen[3]), strict=True) if over]  # fmt: skip
    home = all(own.corners is None for own in job.settings.photo.cutouts)
    if cut and home:
        says = f"{preset.name}: the sheet's frame cuts the subject off at the {' and the '.join(cut)}."
        at = ((left + right) / 2, (top + bottom) / 2)
        out.append(DeliverySnag("frame_cut", Severity.GRAVE, says, at, "Make room around in Backing, Frame."))
    height, width = job.photo.height, job.photo.width
    sides = {
        "top": (top <= 0 and seen[0] < 0, ((left + right) / 2, 0.0)),
        "left": (left <= 0 and seen[1] < 0, (0.0, (top + bottom) / 2)),
        "bottom": (bottom >= height and seen[2] > height, ((left + right) / 2, float(height))),
        "right": (right >= width and seen[3] > width, (float(width), (top + bottom) / 2)),
    }
    for side, (shows, at) in sides.items():
        if shows and home:
            says = f"{preset.name}: the subject ends in a straight line where the photo's frame was, at the {side}."
            out.append(
                DeliverySnag("old_frame", Severity.PLAIN, says, at, "Move the sheet's frame to that side, or crop.")
            )
    return out


def _by_size(job: Job, preset: Preset) -> list[DeliverySnag]:
    """Say whether a file is enlarged, or has fewer pixels than ordered."""
    space = space_of_product(job, Want(preset.product, framed=preset.is_framed)) if preset.product not in {
        "layers", "outline"} else sheet_of(job).space  # fmt: skip
    height, width = size_of_file(job, preset)
    middle = (job.photo.width / 2, job.photo.height / 2)
    if height > space.height * _ENLARGED:
        says = f"{preset.name}: the file is enlarged to {100 * height / space.height:.0f} % of the photo's pixels."
        return [DeliverySnag("enlarged", Severity.PLAIN, says, middle, "Order it smaller, or get a larger photo.")]
    asked = {"longest": max(height, width), "width": width, "height": height}.get(preset.size.fit)
    if asked is not None and asked < preset.size.px:
        says = f"{preset.name}: {asked} px where {preset.size.px} px were ordered; it is not enlarged."
        return [
            DeliverySnag("fewer_pixels", Severity.PLAIN, says, middle, "Get a larger photo, or say so to the client.")
        ]
    return []


def _by_gamut(job: Job, stages: Stages, preset: Preset) -> list[DeliverySnag]:
    """Say whether the subject has colours that a file's profile cannot hold."""
    if preset.profile in {"photo", "gray"} or preset.product in {"matte", "outline", "layers"}:
        return []
    level = job.photo.space.level_within(_LONGEST)
    rect = job.photo.space.bounds(level)
    colours, alpha = stages.foreground(job, rect, level), stages.alpha(job, rect, level)
    outside = out_of_gamut(to_bytes(colours), job.photo.profile, preset.profile)
    outside &= alpha > _BORDER_ALPHA
    share = float(outside.sum()) / max(float((alpha > _BORDER_ALPHA).sum()), 1.0)
    if share < _SOME:
        return []
    rows, columns = np.nonzero(outside)
    at = (float(columns.mean()) * (1 << level), float(rows.mean()) * (1 << level))
    says = f"{preset.name}: {100 * share:.0f} % of the subject has colours that its profile cannot hold."
    return [DeliverySnag("gamut", Severity.PLAIN, says, at, "Deliver in the photo's profile or a wider one.")]


def _by_hair(job: Job, stages: Stages, preset: Preset) -> list[DeliverySnag]:
    """Say whether strands of the subject are too thin to be more than haze in a small file."""
    if preset.product == "outline":
        return []
    scale = size_of_file(job, preset)[0] / space_of_product(job, Want("cutout", framed=preset.is_framed)).height
    if scale > _SMALL:
        return []
    shortest = proposed_shortest(stages, job, scale)
    if shortest is None or shortest <= job.settings.recipe.finish.overall.shortest_px:
        return []
    number, _ = count_hair(stages, job, EdgeTarget()).left_out(shortest)
    says = f"{preset.name}: at {100 * scale:.0f} % of the photo's size much hair is thinner than a third of a pixel."
    mend = f"Leave out {number:,} strands shorter than {shortest:.0f} px."
    top, left, bottom, right = subject_box(job)
    at = ((left + right) / 2, (top + bottom) / 2)
    return [DeliverySnag("hair_haze", Severity.SLIGHT, says, at, mend, shortest)]


def _on_backing(job: Job, stages: Stages) -> list[DeliverySnag]:
    """Say whether the edge stands out on the chosen backing."""
    if job.settings.recipe.backing.kind == "nothing":
        return []
    fringe = measure_fringe(stages, job)
    if fringe is None or fringe.figures["backing"] < _FRINGE:
        return []
    top, left, bottom, right = subject_box(job)
    says = f"The edge stands out on this backing, by {fringe.figures['backing']:.1f} dE along it on average."
    at = ((left + right) / 2, (top + bottom) / 2)
    return [DeliverySnag("backing_fringe", Severity.PLAIN, says, at, "Propose rims in Colour, or match in Backing.")]


def _placed(job: Job) -> list[DeliverySnag]:
    """Say which cutouts on the sheet are larger than their own pixels."""
    out = []
    for number, placement in enumerate(sheet_of(job).cutouts):
        corners = np.array(placement.corners)
        sides = np.hypot(*(np.roll(corners, -1, axis=0) - corners).T)
        own = np.array([placement.size[1], placement.size[0]] * 2, float)
        scale = float((sides / own).max())
        if scale > _ENLARGED:
            sheet = sheet_of(job)
            x, y = sheet.to_photo(*(float(part) for part in corners.mean(axis=0)))
            says = f"Cutout {number + 1} stands on the sheet at {100 * scale:.0f} % of its own pixels."
            out.append(DeliverySnag("enlarged", Severity.SLIGHT, says, (x, y), "Scale it down in Backing, Cutouts."))
    return out


def mend_delivery_snag(job: Job, snag: DeliverySnag) -> Job:
    """Do what mends a snag of a delivery, where Peel can: leave out strands that would be haze."""
    return job if snag.shortest_px is None else set_value(job, "recipe.finish.everywhere.shortest_px", snag.shortest_px)


def accept_delivery_snag(job: Job, snag: DeliverySnag, reason: str) -> Job:
    """Take a snag of a delivery for right as it is; the reason is kept in the job."""
    done = SettledSnag(sort=snag.sort, at=snag.at, reach_px=4.0, how="accepted", reason=(reason or snag.says)[:500])
    return set_value(job, "photo.settled_snags", (*job.settings.photo.settled_snags, done))


def is_delivery_snag_accepted(job: Job, snag: DeliverySnag) -> bool:
    """Return whether a snag of a delivery was accepted."""
    return any(
        own.sort == snag.sort and own.is_accepted and abs(own.at[0] - snag.at[0]) + abs(own.at[1] - snag.at[1]) < 8
        for own in job.settings.photo.settled_snags
    )
