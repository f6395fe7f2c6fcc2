"""Shadows of every sort, one at a time, in windows at several levels of size; see `references`."""

from typing import Any

import cv2
import numpy as np
import pytest

from conftest import png_asset
from peel.job.edits import shading
from peel.job.edits.touching import SoftStroke
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.cutouts import add_cutout, map_cutouts, moving, turning, with_cutout
from peel.job.rect import Rect
from peel.work.arranging.kept_backings import drawn_backing, kept_backings
from peel.work.views import View, render, space_of
from work.references import Cases, scene, stages_of

pytestmark = pytest.mark.slow

case = Cases(__file__)


def _standing(shadow: dict[str, Any]) -> Job:
    """The lamplighter with room around it and a kite that stands in perspective, on a plain backing."""
    job = set_value(scene(), "recipe.frame", {"around": "photo", "right": 90, "bottom": 70, "left": 50, "top": 20})
    job = set_value(job, "recipe.backing", {"kind": "colour", "colour": "#d0c8b0"})
    kite = np.zeros((60, 80, 4), np.uint8)
    cv2.ellipse(kite, (40, 30), (30, 22), 15, 0, 360, (180, 60, 40, 255), -1)
    job = add_cutout(job, png_asset(kite))
    job = map_cutouts(job, [1], moving(90.0, 60.0) @ turning((180.0, 140.0), 12.0, 1.3, 0.8))
    return set_value(job, "recipe.shadow", shadow)


def _seen(job: Job) -> list[np.ndarray]:
    """Return the whole sheet and windows of it, at three levels."""
    stages, space, found = stages_of(job), space_of(View.BACKING, job), []
    for level in (0, 1, 2):
        whole = space.bounds(level)
        found.append(render(stages, job, View.BACKING, whole, level) / 255)
        part = Rect(whole.height // 2, whole.width // 3, whole.height - 3, whole.width - 5)
        found.append(render(stages, job, View.BACKING, part, level) / 255)
    return found


def _cast(**own: Any) -> dict[str, Any]:
    return {"cast": {"on": True, "soft_px": 9.0, "strength": 0.8, **own}, "colour": "#101830"}


@case()
def cast_to_every_side() -> Any:
    return [
        _seen(_standing(_cast(towards_deg=towards, light_deg=light)))
        for towards, light in ((-25.0, 50.0), (30.0, 35.0), (150.0, 60.0), (-160.0, 25.0))
    ]


@case()
def cast_on_a_wall_faded_moved_and_soft_at_the_foot() -> Any:
    wall = set_value(_standing(_cast(on_wall=True, fade=0.1, foot=0.8)), "photo.wall_px", 30)
    moved = _standing(_cast(move=[25.0, -14.0], fade=0.9, foot=0.0))
    grounded = set_value(_standing(_cast(on_wall=True)), "photo.ground", ((60.0, 250.0), (280.0, 235.0)))
    return [_seen(job) for job in (wall, moved, grounded)]


@case()
def close_to_the_ground() -> Any:
    near = _standing({"contact": {"on": True, "size_px": 7.0, "strength": 0.9}})
    return [_seen(near), _seen(with_cutout(near, 0, casts=False)), _seen(with_cutout(near, 1, casts=False))]


@case()
def kept_from_the_photo() -> Any:
    kept = {"kept": {"on": True, "amount": 1.6, "lift": 0.2}}
    brushed = shading.keep_shadow(_standing(kept), SoftStroke(((120.0, 250.0), (220.0, 260.0)), 30, 0.5, 0.8))
    moved = map_cutouts(_standing(kept), [0], moving(30.0, -20.0))
    return [_seen(job) for job in (_standing(kept), brushed, moved)]


@case()
def painted_taken_off_and_shaded() -> Any:
    job = _standing({"painted": {"on": True, "blur_px": 6.0, "strength": 0.7, "move": [9.0, -5.0]}})
    for k in range(11):
        job = shading.paint_shadow(job, SoftStroke(((20.0 + 30 * k, 280.0), (40.0 + 30 * k, 310.0)), 14, 0.4, 0.6))
    job = shading.paint_shadow(job, SoftStroke(((100.0, 290.0), (200.0, 290.0)), 8, 0.2, 0.9), takes=True)
    shaded = shading.brush_shadow(job, SoftStroke(((60.0, 290.0),), 40, 0.6, 0.7), stronger=True)
    shaded = shading.brush_shadow(shaded, SoftStroke(((300.0, 290.0),), 40, 0.6, 0.9), stronger=False)
    weights = np.full((job.photo.height, job.photo.width), 128, np.uint8)
    weights[200:, :150], weights[200:, 250:] = 200, 40
    old = shaded.with_planes(shadow_weight=job.shadow_weight.write(job.photo.bounds, weights))
    still = set_value(job, "recipe.shadow.painted.blur_px", 0.0)
    gone = set_value(job, "recipe.shadow.painted.on", False)
    return [_seen(own) for own in (job, shaded, old, still, map_cutouts(old, [0], turning((180.0, 140.0), 20.0)), gone)]


@case()
def light_wrapped_around_edges() -> Any:
    job = _standing({})
    wrapped = set_value(job, "recipe.wrap", {"amount": 0.8, "reach_px": 11.0})
    graded = set_value(wrapped, "recipe.subject", {"exposure": -0.6, "dark": 0.1, "light": 0.9, "middle": 0.6})
    return [_seen(wrapped), _seen(graded)]


@case()
def backings_that_are_kept() -> Any:
    return [(own.name, drawn_backing(own, 40, 60) / 255) for own in kept_backings()]


@pytest.mark.parametrize("name", case)
def test_shadows_fall_as_they_did(name: str) -> None:
    case.check(name)
