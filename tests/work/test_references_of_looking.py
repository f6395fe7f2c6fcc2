"""Tools that read a large photo, and what is said of mattes that are wrong; see `references`."""

from typing import Any

import numpy as np
import pytest

from peel.job.edits import marking, touching
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.touching import SoftStroke, Touch
from peel.job.edits.values import set_value
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Separation
from peel.work.inspecting.checking import check_job
from peel.work.inspecting.far_changes import far_change, without_far
from peel.work.inspecting.fringe import measure_fringe, measure_rim, measure_spill
from peel.work.inspecting.inspector import Inspector
from peel.work.inspecting.looks import looks_at, ranked, snag_picture
from peel.work.inspecting.proving import doubted, proof_words, prove
from peel.work.inspecting.snag_specs import snag_row
from peel.work.inspecting.why import why_at
from peel.work.many.carrying import carried, framing_of
from peel.work.marking.drawing import freehand
from peel.work.marking.finding import AlikePick, Finder
from peel.work.marking.strands import follow_strand, strand_through, take_strand
from peel.work.marking.tone_start import mark_by_tone, propose_starts, tone_thumb
from peel.work.marking.tracing import Tracer
from peel.work.stages import Pyramid
from peel.work.views import LIFTS, Look, View, render
from work.references import Cases, scene, spoilt, stages_of

pytestmark = pytest.mark.slow

case = Cases(__file__)


def _large(by: int = 2) -> Job:
    """The lamplighter, with pixels repeated until it is read at a reduced size."""
    job = scene(by=4)
    pixels = job.photo.pixels.repeat(by, axis=0).repeat(by, axis=1)
    return new_job(Photo("large.png", pixels))


def _marks(job: Job) -> list[np.ndarray]:
    return [job.zones.read() / 255, job.trusted.read() / 255]


@case(0.01)
def tools_in_a_large_photo() -> Any:
    job = _large()
    height, width = job.photo.height, job.photo.width
    pyramid = Pyramid(job.photo.pixels)
    finder, tracer = Finder(job.photo, pyramid), Tracer(pyramid)
    pick = AlikePick(((0.05 * width, 0.05 * height), (0.9 * width, 0.1 * height)), 11.0, connected=True)
    across = ((0.4 * width, 0.45 * height), (0.55 * width, 0.6 * height))
    outline = np.array([(0.1, 0.05), (0.9, 0.05), (0.95, 0.97), (0.05, 0.97)]) * (width, height)
    return [
        finder.alike_shown(pick).astype(np.float32),
        _marks(finder.mark_alike(job, pick, Zone.BACKDROP)),
        finder.swept_shown(job, across, 20.0, subject=True).astype(np.float32),
        _marks(finder.mark_swept(job, across, 20.0, subject=True)),
        _marks(finder.mark_swept(job, across, 20.0, subject=True, reach_px=60.0)),
        _marks(finder.mark_within(job, outline)),
        tracer.path((0.2 * width, 0.3 * height), (0.8 * width, 0.35 * height))[::9].ravel() / width,
        [tracer.snapped((x * width, 0.4 * height), 30.0)[0] / width for x in (0.3, 0.5, 0.7)],
        len(freehand(job, [(float(x), 90.0 + 9 * np.sin(x / 30)) for x in range(60, 400, 3)], 2.0, False, False).settings.photo.contours[0].nodes),
    ]  # fmt: skip


@case(0.01)
def starts_by_tone() -> Any:
    job = _large(1)
    starts = propose_starts(job)
    own = starts[0][0]
    return [
        [(found.rendering, found.low, found.high, share) for found, share in starts],
        tone_thumb(job, own, 60, 60) / 255,
        _marks(mark_by_tone(job, 0, own)),
        _marks(mark_by_tone(_large(), 0, Separation(rendering="lightness", low=0.2, high=0.8))),
    ]


@case(0.02)
def strands_followed() -> Any:
    job = scene("bramble", (0, 300, 1400, 1900), 4)
    pyramid = Pyramid(job.photo.pixels)
    found = []
    alpha = job.alpha(job.photo.bounds)
    ys, xs = np.nonzero((alpha > 0.3) & (alpha < 0.7) & (job.zones.read() == 128))
    for k in np.linspace(0, len(ys) - 1, 7).astype(int):
        strand = follow_strand(pyramid, job, (float(xs[k]), float(ys[k])))
        found.append((strand.length / 100, np.asarray(strand.points)[::7].ravel() / 100))
    taken = take_strand(pyramid, job, follow_strand(pyramid, job, (float(xs[9]), float(ys[9]))))
    through = strand_through(pyramid, job, [(float(xs[3]), float(ys[3])), (float(xs[3]) + 9, float(ys[3]) + 14)])
    return [found, taken.zones.read() / 255, taken.alpha(job.photo.bounds), through.length / 100]


@case(0.05)
def mends_proved_and_doubted() -> Any:
    job = spoilt()
    stages = stages_of(job)
    snags = Inspector(stages).inspect(job).snags
    proofs = [prove(stages, job, snag) for snag in snags]
    return [
        [(proof_words(snag, proof), doubted(stages, job, snag), snag_row(job, snag))
         for snag, proof in zip(snags, proofs, strict=True)],
        [(proof.before, proof.after, proof.mended.force.read() / 255) for proof in proofs if proof is not None],
    ]  # fmt: skip


@case(0.05)
def snags_as_others_will_see_them() -> Any:
    job = spoilt()
    stages = stages_of(job)
    snags = Inspector(stages).inspect(job).snags
    looks = looks_at({"white": "#ffffff", "night": "#102040"}, 0.5)
    found = ranked(stages, job, snags, looks)
    return [
        [(snag.sort.name, snag.severity.name, snag.shown.on, snag.shown.area_px / 100, snag.shown.weight / 100) for snag in found],
        [snag_picture(stages, job, snag, 60, looks) / 255 for snag in found],
        check_job(job, stages),
    ]  # fmt: skip


@case(0.02)
def views_of_a_spoilt_matte() -> Any:
    job = spoilt()
    stages = stages_of(job)
    part = Rect(41, 33, 201, 231)
    return [
        render(stages, job, view, part, 0, Look(before=scene(), lift=lift)) / 255
        for view in View
        for lift in ("", *LIFTS)
        if not view.shows_sheet
    ]


@case(0.05)
def reasons_after_every_sort_of_hand() -> Any:
    job = scene("bramble", (0, 300, 1400, 1900))
    height, width = job.photo.height, job.photo.width
    middle = (0.5 * width, 0.25 * height)
    stroke, soft = Stroke((middle,), 15), SoftStroke((middle,), 15, softness=0)
    found = []
    for edit in (
        lambda own: own,
        lambda own: marking.paint_zone(own, stroke, Zone.UNSURE),
        lambda own: marking.paint_mark(own, stroke, subject=False),
        lambda own: touching.touch(own, soft, Touch.SOLID),
        lambda own: touching.nudge(own, SoftStroke((middle, (middle[0] + 8, middle[1])), 20)),
        lambda own: set_value(own, "recipe.finish.everywhere", {"pull_px": 2.0, "clear_below": 0.3}),
        lambda own: set_value(own, "photo.sheer_colours", ("#808080",)),
    ):
        own = edit(job)
        why = why_at(own, stages_of(own), int(middle[0]), int(middle[1]))
        found.append([(reason.name, reason.says) for reason in why.reasons])
    return found


@case()
def changes_far_from_a_stroke() -> Any:
    job = scene()
    zones = job.zones.read()
    zones[200:230, 30:90], zones[40:70, 200:240] = 128, 0
    after = job.with_planes(zones=job.zones.write(job.photo.bounds, zones))
    change = far_change(job, after, ((220.0, 55.0),), 40.0)
    assert change is not None
    return [change.count / 1000, change.shown(8).astype(np.float32), without_far(after, change).zones.read() / 255,
            far_change(job, after, ((220.0, 55.0),), 400.0) is None]  # fmt: skip


@case(0.02)
def edges_measured_against_other_colours() -> Any:
    job = set_value(scene("tin-drummer"), "recipe.backing", {"kind": "colour", "colour": "#204060"})
    stages = stages_of(job)
    rims = [measure_rim(stages, job, width) for width in (None, 4.0, 9.0)]
    fringe = measure_fringe(stages, job)
    return [
        [(sorted((key, value) for key, value in vars(rim).items() if isinstance(value, float))) for rim in rims if rim is not None],
        sorted(fringe.figures.items()), measure_spill(stages, job),
    ]  # fmt: skip


@case()
def carried_between_unlike_photos() -> Any:
    source, other = scene("tin-drummer"), scene()
    tuned = source.with_recipe(band={"trust": 0.8}, colour={"spill": {"hue": "#30a050"}, "clean": 0.6})
    again = new_job(Photo("again.png", np.roll(source.photo.pixels, (4, 7), axis=(0, 1))))
    found = []
    for target in (again, new_job(other.photo)):
        for what in ("recipe", "both"):
            own = carried(tuned, target, what)
            recipe = own.job.settings.recipe
            found.append(
                (
                    own.says,
                    recipe.band.trust,
                    str(recipe.colour.spill.hue),
                    recipe.colour.clean,
                    own.job.zones.read() / 255,
                )
            )
    return [found, [list(vars(framing_of(tuned, target)).values()) for target in (again, new_job(other.photo))]]


@pytest.mark.parametrize("name", case)
def test_what_is_read_and_said_is_as_it_was(name: str) -> None:
    case.check(name)
