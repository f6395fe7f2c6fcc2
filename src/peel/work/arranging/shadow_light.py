"""Propose light and planes of a cast shadow: by the photo's own shadow, the subject's shading, and the backdrop."""

from typing import Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.standing import direction_of, ground_line, middle_of
from peel.job.settings import CastShadow
from peel.matte.composite.scene import own_lean, proposed_wall
from peel.matte.composite.shadow import Ground, proposed_light
from peel.work.stages import Stages

__all__ = ["proposed_cast"]

_LONGEST: Final = 900  # pixels at which the subject's shading is read
_SCENE: Final = 500  # ... and its shadow and the backdrop
_BACK: Final = -0.3  # by how much a shadow leans up the picture: light seldom comes from behind the subject


def proposed_cast(stages: Stages, job: Job) -> Job:
    """Cast a shadow as the photo has it, else away from the light; where floor and wall meet, it climbs the wall.

    Raises
    ------
    MarkError
        If nothing is marked, or neither a shadow nor the subject's shading says from where the light comes.
    """
    level = job.photo.space.level_within(_SCENE)
    rect = job.photo.space.bounds(level)
    photo, alpha = stages.pyramid.colours(rect, level), stages.alpha(job, rect, level)
    line = ground_line(job)
    x, y = middle_of(line)
    ground = Ground((x / (1 << level), y / (1 << level)), direction_of(line))
    wall = proposed_wall(photo, alpha, ground)
    lean = own_lean(photo, alpha, ground, wall)
    towards, high = _by_shading(stages, job) if lean is None else _by_shadow(lean)
    made = CastShadow.model_validate(
        {
            **dict(job.settings.recipe.shadow.cast),
            "on": True,
            "towards_deg": towards,
            "light_deg": float(np.clip(high, 25, 70)),
            "on_wall": wall is not None and towards < 0,  # one that falls towards the viewer meets no wall
        }
    )
    if wall is not None:
        job = set_value(job, "photo.wall_px", float(round(wall * (1 << level))))
    return set_value(job, "recipe.shadow.cast", made)


def _by_shadow(lean: tuple[float, float]) -> tuple[float, float]:
    """Return where a shadow falls, in degrees, and how high its light stands."""
    return float(np.rad2deg(np.arctan2(lean[1], lean[0]))), float(np.rad2deg(np.arctan(1 / np.hypot(*lean))))


def _by_shading(stages: Stages, job: Job) -> tuple[float, float]:
    """Return the same by which side of the subject is lighter."""
    level = job.photo.space.level_within(_LONGEST)
    rect = job.photo.space.bounds(level)
    towards = np.array(proposed_light(stages.foreground(job, rect, level), stages.alpha(job, rect, level)))
    if np.hypot(*towards) < 0.05:
        message = "Neither a shadow nor the subject's shading says from where its light comes."
        raise MarkError(message, "Drag the tip with Ground.")
    side = -np.sign(towards[0] or 1.0)
    high = float(np.clip(-towards[1] / max(abs(towards[0]), 0.2), 0.3, 2.5))
    return float(np.rad2deg(np.arctan2(_BACK, side))), float(np.rad2deg(np.arctan(high)))
