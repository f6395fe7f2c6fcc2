"""Marks, mattes, colours, sheets and inspection with many settings at once; see `references`."""

import json
from typing import Any

import cv2
import numpy as np
import pytest

from conftest import png_asset
from peel.job.edge_targets import EdgeTarget
from peel.job.edits import colouring, contours, marking, reshaping, shading, touching
from peel.job.edits.carried import with_marks_of, with_recipe_of
from peel.job.edits.edge_values import COLOUR, FINISH
from peel.job.edits.kinds import kinds_in
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.touching import SoftStroke, Touch
from peel.job.edits.values import set_value
from peel.job.job import Job, Photo, new_job
from peel.job.placing.cutouts import (
    add_cutout,
    copy_cutouts,
    corners_of,
    map_cutouts,
    moving,
    numbers_of,
    set_numbers,
    turning,
)
from peel.job.settings import Backing, Colour, Node, Separation, Tint
from peel.matte.edge.kind import Kind
from peel.work.arranging.matching import measured_tones
from peel.work.arranging.picking import cutouts_at
from peel.work.arranging.shadow_light import proposed_cast
from peel.work.delivering.products import Want, products
from peel.work.inspecting.colour_proposals import proposed_rim, proposed_spill
from peel.work.inspecting.fringe import measure_fringe, measure_spill
from peel.work.inspecting.hair import count_hair
from peel.work.inspecting.inspector import Inspector
from peel.work.inspecting.measuring import measure
from peel.work.inspecting.shares import matte_shares, zone_shares
from peel.work.inspecting.snag_specs import words_of
from peel.work.inspecting.why import why_at
from peel.work.many.carrying import carried, framing_of, preview
from peel.work.marking.edge_places import read_news
from peel.work.marking.finding import AlikePick, Finder
from peel.work.marking.tracing import Tracer
from peel.work.separating.choosing import put_separation
from peel.work.separating.separation_sheet import measure_detail, read_sheet
from peel.work.separating.tones import complete, edge_samples
from peel.work.solving.solve import solve_job
from peel.work.stages import Pyramid
from peel.work.views import Look, View, loudest_colour, render, space_of, zone_hues
from work.references import Cases, scene, spoilt, stages_of

pytestmark = pytest.mark.slow

case = Cases(__file__)


# marks and the band


def _marked(trust: float = 0.5) -> Job:
    job = set_value(new_job(scene().photo), "recipe.band.trust", trust)
    height, width = job.photo.height, job.photo.width
    middle = [(0.3, 0.12), (0.7, 0.14), (0.86, 0.5), (0.7, 0.93), (0.28, 0.92), (0.16, 0.5)]
    nodes = [Node(at=(x * width, y * height)) for x, y in middle]
    nodes[2] = contours.make_node(nodes[2].at, back=(0, -20), out=(4, 24), smooth=True)
    for node in nodes[:-1]:
        job = contours.add_node(job, node)
    return contours.close_contour(job, nodes[-1:])


def _planes(job: Job) -> list[np.ndarray]:
    names = ("outline", "marks", "zones", "corrections", "trusted")
    found = [getattr(job, name).read().astype(np.float32) / 255 for name in names]
    return [*found, kinds_in(job, job.photo.bounds).astype(np.float32)]


@case()
def bands_laid_at_three_trusts() -> Any:
    return [_planes(_marked(trust)) for trust in (0.1, 0.5, 0.95)]


@case()
def contours_bent_and_cut() -> Any:
    job = _marked()
    changes = [
        lambda own: contours.with_moved(own, 1, (300.0, 40.0)),
        lambda own: contours.with_curve(own, 3, (12.0, 7.0)),
        lambda own: contours.with_handle(own, 2, "back", (-20.0, -30.0)),
        lambda own: contours.with_smooth(own, 4, True),
        lambda own: contours.with_bend(own, 1, 0.4, (300.0, 90.0)),
        lambda own: contours.with_point(own, 4, 0.3),
        lambda own: contours.without_point(own, 0),
        lambda own: contours.with_trust(own, 2, 0.9),
    ]
    found = []
    for change in changes:
        job = contours.change_contour(job, 0, change)
        nodes = job.settings.photo.contours[0].nodes
        found += [np.array([(*node.at, *node.back, *node.out, node.smooth) for node in nodes], np.float64).ravel()]
    return [*found, _planes(job), contours.outline_of(job.settings.photo.contours[0])[:40].ravel()]


@case()
def strokes_of_every_sort() -> Any:
    job, across = _marked(), ((90.0, 120.0), (180.0, 160.0), (260.0, 110.0))
    found = []
    for edit in (
        lambda job: marking.paint_mark(job, Stroke(across, 14), subject=True),
        lambda job: marking.paint_mark(job, Stroke(((60.0, 60.0), (120.0, 40.0)), 11), subject=False),
        lambda job: marking.paint_zone(job, Stroke(((100.0, 200.0), (140.0, 230.0)), 9), Zone.UNSURE),
        lambda job: marking.paint_kind(job, Stroke(across, 30), Kind.STRAND),
        lambda job: marking.paint_trust(job, Stroke(((200.0, 60.0), (240.0, 90.0)), 25), 0.95),
        lambda job: marking.narrow_band(job, Stroke(((70.0, 100.0), (70.0, 200.0)), 20)),
        lambda job: marking.release_zone(job, Stroke(((120.0, 215.0),), 12)),
        lambda job: marking.kind_area(job, ((40.0, 200.0), (200.0, 200.0), (200.0, 280.0), (40.0, 280.0)), Kind.LACY),
        lambda job: reshaping.reshape(job, reshaping.Change.GROW, 5.0),
        lambda job: reshaping.reshape(job, reshaping.Change.SMOOTH, 6.0),
        lambda job: reshaping.reshape(job, reshaping.Change.SHRINK, 4.0, ((0.0, 0.0), (150.0, 0.0), (150.0, 300.0))),
        lambda job: reshaping.swap_sides(job, ((0.0, 0.0), (60.0, 0.0), (60.0, 60.0), (0.0, 60.0))),
        marking.all_subject,
    ):
        job = edit(job)
        found.append(_planes(job))
    return found


@case()
def found_by_tools() -> Any:
    job = scene()
    finder = Finder(job.photo, Pyramid(job.photo.pixels))
    pick = AlikePick(((200.0, 120.0), (210.0, 140.0)), 9.0, soft=True)
    alike = finder.mark_alike(new_job(job.photo), pick, Zone.SUBJECT)
    proposals = finder.proposals
    tracer = Tracer(Pyramid(job.photo.pixels))
    path = tracer.path((120.0, 60.0), (260.0, 90.0))
    return [
        _planes(alike), [(own.confidence, own.region.astype(np.float32)) for own in proposals],
        _planes(finder.mark_proposal(new_job(job.photo), proposals[0])), path[::6].ravel(),
        tracer.snapped((130.0, 100.0), 12.0),
    ]  # fmt: skip


@case()
def carried_to_a_moved_photo() -> Any:
    job = _marked()
    moved = new_job(Photo("moved.png", np.roll(job.photo.pixels, (6, -9), axis=(0, 1))))
    framing, taken = framing_of(job, moved), carried(job, moved, "both")
    return [
        framing.right, framing.down, framing.likeness, taken.says, _planes(taken.job), preview(taken.job).astype(np.float32),
        _planes(with_marks_of(moved, job, 7, -4)),
        json.dumps(with_recipe_of(moved, job.with_recipe(band={"margin_px": 9.0})).settings.recipe.band.model_dump()),
    ]  # fmt: skip


# the matte


@case(0.02)
def solved_by_kinds() -> Any:
    job = scene()
    found = []
    for kind in Kind:
        said = marking.kind_everywhere(job, kind) if kind else job
        found.append(solve_job(said)[0].alpha(job.photo.bounds))
    return found


def _finished() -> Job:
    job = scene("bramble", (0, 300, 2000, 2700))
    job = job.with_recipe(finish={
        "everywhere": {"pull_px": 0.7, "crisp": 0.2, "even_px": 1.5, "clear_below": 0.06, "solid_above": 0.93, "middle": 0.45},
        "strand": {"shortest_px": 9.0, "strength": 0.8}, "lacy": {"faint": 0.4},
    })  # fmt: skip
    job = FINISH.add_area(
        job, ((30.0, 30.0), (120.0, 30.0), (120.0, 110.0), (30.0, 110.0)), solid_above=0.6, pull_px=-1.0
    )
    for sort, x in zip(Touch, (60.0, 100.0, 140.0, 180.0, 220.0), strict=True):
        job = touching.touch(job, SoftStroke(((x, 60.0), (x + 10, 110.0)), 12, 0.5, 0.8), sort)
    job = touching.nudge(job, SoftStroke(((150.0, 40.0), (170.0, 46.0)), 25, 0.6, 1.0))
    job = touching.borrow(
        job,
        SoftStroke(((90.0, 150.0),), 20, 0.4, 0.7),
        lambda rect: np.full((rect.height, rect.width), 0.4, np.float32),
    )
    return touching.touch_area(job, ((10.0, 150.0), (60.0, 150.0), (60.0, 190.0)), Touch.SOFTEN, 0.9)


@case()
def finished_and_touched_up() -> Any:
    job = _finished()
    stages = stages_of(job)
    levels = [stages.alpha(job, job.photo.space.bounds(level), level) for level in (0, 1, 2)]
    released = touching.release(job, SoftStroke(((100.0, 80.0),), 20, 0.5, 1.0))
    return [
        levels,
        stages.alpha(released, job.photo.bounds, 0),
        touching.touched_in(job, job.photo.bounds).astype(np.float32),
    ]


@case(0.02)
def measured_of_the_matte() -> Any:
    job = scene("bramble", (0, 300, 2000, 2700))
    stages = stages_of(job)
    shares, zones = matte_shares(stages, job), zone_shares(job)
    count = count_hair(stages, job, EdgeTarget())
    measured = measure(job, EdgeTarget())
    return [
        list(vars(shares).values()),
        list(vars(zones).values()),
        count.lengths,
        count.left_out(20.0),
        measured.profile,
        measured.values,
    ]


@case(0.02)
def separations_tried() -> Any:
    job = scene("tin-drummer")
    sheet = read_sheet(job)
    key = complete(job, Separation(rendering="key"), edge_samples(job))
    mix = complete(job, Separation(rendering="mix", use="pull"), edge_samples(job))
    pulled = put_separation(job, 0, mix)
    tones = [
        render(stages_of(job), job, View.TONE, job.photo.bounds, 0, Look(separation=own)) / 255 for own in (key, mix)
    ]
    return [
        [(row.separation.rendering, row.separability, row.thumb / 255) for row in sheet.rows], (key.low, key.high, key.hue), (mix.low, mix.high, mix.weights),
        tones, sorted(vars(measure_detail(job, mix)).items()), solve_job(pulled)[0].alpha(job.photo.bounds),
    ]  # fmt: skip


# colours


@case()
def colours_with_everything_on() -> Any:
    job = scene("tin-drummer").with_photo_settings(spill_found="#3c9a4a")
    job = job.with_recipe(colour=Colour(clean=0.8, detail=0.5, roots=0.7, spill_edge=0.9, spill_inside=0.4, rim_light=0.7,
                                        rim_tint=0.5, outward_px=5, strand={"clean": 0.3}))  # fmt: skip
    job = COLOUR.add_area(job, ((60.0, 60.0), (200.0, 60.0), (200.0, 200.0)), rim_light=0.2, rim_px=9.0)
    stroke = SoftStroke(((150.0, 60.0), (220.0, 90.0)), 20.0, softness=0.3)
    job = colouring.brush_tint(colouring.add_tint(job, Tint(saturation=0.4)), stroke, 1)
    job = colouring.brush_tone(job, SoftStroke(((200.0, 90.0),), 30.0), lighter=False)
    job = colouring.brush_tone(job, SoftStroke(((160.0, 110.0),), 30.0), lighter=True)
    job = colouring.brush_original(job, SoftStroke(((120.0, 150.0),), 22.0))
    job = set_value(job, "recipe.colour.spill.give_back", 0.8)
    stages = stages_of(job)
    return [stages.foreground(job, job.photo.space.bounds(level), level) for level in (0, 1)]


@case(0.02)
def colours_measured_and_proposed() -> Any:
    job = scene("tin-drummer")
    stages = stages_of(job)
    spill, rim, fringe = proposed_spill(stages, job), proposed_rim(stages, job), measure_fringe(stages, job)
    return [
        spill.way, spill.before, spill.after, measure_spill(stages, job), rim.colour, rim.pull_px,
        sorted(fringe.figures.items()),
        loudest_colour(stages, job), zone_hues(stages, job.photo),
    ]  # fmt: skip


# the sheet


def _arranged() -> Job:
    ramp = np.zeros((50, 70, 4), np.uint8)
    ramp[5:45, 5:65] = (210, 60, 40, 255)
    ramp[5:45, 5:65, 1] = np.linspace(0, 255, 60)
    job = copy_cutouts(scene(), [0])
    job = add_cutout(job, png_asset(ramp))
    job = map_cutouts(job, [1], moving(60, 20))
    job = map_cutouts(job, [2], turning((100.0, 60.0), 25.0, 1.2, 0.9))
    job = set_value(job, "recipe.frame", {"around": "photo", "right": 60, "bottom": 50, "left": 10})
    job = set_value(job, "recipe.shadow", {
        "cast": {"on": True, "towards_deg": -30.0, "light_deg": 40.0, "soft_px": 12.0, "on_wall": True, "strength": 0.6},
        "contact": {"on": True, "size_px": 9.0}, "painted": {"on": True, "blur_px": 5.0, "move": [4.0, 3.0]},
        "kept": {"on": True, "amount": 0.8}, "colour": "#201030",
    })  # fmt: skip
    job = shading.paint_shadow(job, SoftStroke(((100.0, 260.0), (280.0, 270.0)), 18, 0.5, 0.9))
    job = shading.brush_shadow(job, SoftStroke(((200.0, 240.0),), 30, 0.5, 0.7), stronger=True)
    job = set_value(job, "recipe.wrap", {"amount": 0.7, "reach_px": 14.0})
    return set_value(
        job, "recipe.subject", {"exposure": 0.3, "warmth": 0.2, "contrast": 0.1, "saturation": -0.2, "hue_deg": 8.0}
    )


@case()
def sheets_on_every_backing() -> Any:
    job = _arranged()
    cloud = cv2.resize(np.random.default_rng(3).integers(0, 255, (5, 7, 3), np.uint8), (140, 100))
    asset = png_asset(cloud, "cloud.png")
    job = job.with_asset(asset)
    found = []
    for backing in (
        {"kind": "colour", "colour": "#3f6c8f"},
        {"kind": "gradient", "gradient": {"shape": "round", "start": [0.3, 0.3], "end": [0.9, 0.8], "stops": [
            {"at": 0.0, "colour": "#ffee88"}, {"at": 0.6, "colour": "#884422"}, {"at": 1.0, "colour": "#101010"}]}},
        {"kind": "pattern", "pattern": {"motif": "stars", "period_px": 60.0, "turn_deg": 20.0}},
        {"kind": "photo", "photo": {"picture": asset.digest, "scale": 1.3, "move": [0.1, -0.05], "mirrored": True,
                                    "blur_px": 6.0}},
        {"kind": "colour", "colour": "#c0c0c0", "grade": {"exposure": -0.4, "warmth": 0.3, "dark": 0.1, "light": 0.9,
                                                          "middle": 0.6, "contrast": 0.2}},
    ):  # fmt: skip
        own = set_value(job, "recipe.backing", Backing.model_validate(backing))
        found.append(products(own, stages_of(own), [Want("flat")])[0] / 255)
    return found


@case()
def products_of_every_sort() -> Any:
    job = set_value(_arranged(), "recipe.backing", Backing(kind="colour", colour="#88aacc"))
    wants = [Want(product, bits) for product in ("cutout", "flat", "matte", "shadow", "backing") for bits in (8, 16)]
    wants += [Want("cutout", framed=True), Want("matte", framed=True), Want("cutout", continued=False)]
    found = products(job, stages_of(job), wants)
    return [pixels / np.iinfo(pixels.dtype).max for pixels in found]


@case()
def every_view_at_two_levels() -> Any:
    job = set_value(_arranged(), "recipe.backing", Backing(kind="colour", colour="#88aacc"))
    stages = stages_of(job)
    return [
        render(stages, job, view, space_of(view, job).bounds(level), level, Look(before=scene(), lift="shadows")) / 255
        for view in View
        for level in (0, 1)
    ]


@case()
def places_on_the_sheet() -> Any:
    job = _arranged()
    cutouts = job.settings.photo.cutouts
    moved = set_numbers(job, 1, (200.0, 150.0), turn_deg=12.0, skew_deg=5.0)
    hits = [len(cutouts_at(job, stages_of(job), at, 4.0)) for at in ((150.0, 150.0), (210.0, 170.0), (5.0, 5.0))]
    return [
        [sorted(vars(numbers_of(job, own)).items()) for own in cutouts], hits,
        [corners_of(moved, own) for own in moved.settings.photo.cutouts],
    ]  # fmt: skip


@case(0.02)
def light_proposed_and_tones_measured() -> Any:
    job = _arranged()
    stages = stages_of(job)
    cast = proposed_cast(stages, scene()).settings.recipe.shadow.cast
    tones = [measured_tones(stages, scene(), what) for what in ("subject", "backdrop")]
    return [cast.towards_deg / 90, cast.light_deg / 90, [list(vars(own).values()) for own in tones if own is not None]]


# inspection


@case(0.05)
def snags_of_a_spoilt_matte() -> Any:
    job = spoilt()
    found = Inspector(stages_of(job)).inspect(job)
    return [
        [
            (words_of(snag), str(snag.sort), snag.severity.name, len(snag.finds), [find.size for find in snag.finds])
            for snag in found.snags
        ]
    ]


@case(0.05)
def checked_and_explained() -> Any:
    job = scene()
    stages = stages_of(job)
    spots = [(x, y) for y in (60, 140, 220) for x in (60, 150, 240)]
    reasons = [
        [(reason.name, reason.says, reason.swatches) for reason in why_at(job, stages, x, y).reasons] for x, y in spots
    ]
    news = read_news(job)
    return [reasons, [(place.at, place.reach_px, place.doubt) for place in news.places], len(news.places)]


@pytest.mark.parametrize("name", case)
def test_everything_comes_out_as_it_did(name: str) -> None:
    case.check(name)
