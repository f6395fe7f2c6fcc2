"""Propose the light of a cast shadow by the subject's own shading."""

from typing import Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.settings import CastShadow
from peel.matte.composite.shadow import proposed_light
from peel.work.stages import Stages

__all__ = ["proposed_cast"]

_LONGEST: Final = 900
_BACK: Final = -0.3  # by how much a shadow leans up the picture: light seldom comes from behind the subject


def proposed_cast(stages: Stages, job: Job) -> Job:
    """Cast a shadow away from the light that the subject was photographed in.

    Raises
    ------
    MarkError
        If nothing is marked, or no side of the subject is lighter than the others.
    """
    level = job.photo.space.level_within(_LONGEST)
    rect = job.photo.space.bounds(level)
    towards = np.array(proposed_light(stages.foreground(job, rect, level), stages.alpha(job, rect, level)))
    if np.hypot(*towards) < 0.05:
        raise MarkError("The subject's shading does not say from where its light comes.", "Drag the tip with Ground.")
    side = -np.sign(towards[0] or 1.0)
    high = float(np.clip(-towards[1] / max(abs(towards[0]), 0.2), 0.3, 2.5))
    made = CastShadow.model_validate(
        {
            **dict(job.settings.recipe.shadow.cast),
            "on": True,
            "towards_deg": float(np.rad2deg(np.arctan2(_BACK, side))),
            "light_deg": float(np.clip(np.rad2deg(np.arctan(high)), 25, 70)),
        }
    )
    return set_value(job, "recipe.shadow.cast", made)
