"""The question that a solve answers: everything its matte depends on, as one comparable value."""

from dataclasses import dataclass
from typing import Literal

from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.settings import FrameNudge, JobSettings, Mixing, Recipe, SecondFrame, Separation, Solving
from peel.matte.solve.settings import EdgeTerms, SolveSettings

__all__ = ["Question", "counted_frame", "question", "solve_settings", "used_separations"]


@dataclass(frozen=True)
class Question:
    """What is to be solved; a solve is still wanted as long as the job asks an equal one.

    Attributes
    ----------
    zones, kinds, suggested, separated : Plane
        Compared by identity.
    use : "suggested" or "none"
        Whether suggested kinds count.
    mixing : "value", "light" or None
        How colours mix, as the person chose; None leaves it to the solve to find out.
    sheer_colours : tuple of str
    solving : Solving
    separations : tuple of Separation
        Those that are in use; the others are only looked at.
    second_frame : SecondFrame and FrameNudge, or None
        None where there is none, or it does not count.
    """

    zones: Plane
    kinds: Plane
    suggested: Plane
    separated: Plane
    use: Literal["suggested", "none"]
    mixing: Mixing | None
    sheer_colours: tuple[str, ...]
    solving: Solving
    separations: tuple[Separation | None, ...]
    second_frame: tuple[SecondFrame, FrameNudge] | None


def question(job: Job) -> Question:
    """Return the question that a job's matte has to answer."""
    photo = job.settings.photo
    recipe = job.settings.recipe
    planes = job.zones, job.kinds, job.suggested, job.separated
    in_use = used_separations(recipe)
    return Question(
        *planes,
        recipe.band.kinds,
        photo.mixing,
        photo.sheer_colours,
        recipe.solving,
        in_use,
        counted_frame(job.settings),
    )


def counted_frame(settings: JobSettings) -> tuple[SecondFrame, FrameNudge] | None:
    """Return the second frame and how it was moved by hand; None if it does not count."""
    second = settings.recipe.second_frame
    return (second, settings.photo.frame_nudge) if second.counts else None


def used_separations(recipe: Recipe) -> tuple[Separation | None, ...]:
    """Return a recipe's separations at their numbers, None for those that are only looked at."""
    return tuple(None if separation.use == "look" else separation for separation in recipe.separations)


def solve_settings(solving: Solving) -> SolveSettings:
    """Return the solver's settings for a recipe's strengths.

    >>> from peel.job.settings import Solving
    >>> solve_settings(Solving(sparsity=0)).terms.sparsity
    0.0
    """
    default = EdgeTerms()
    terms = EdgeTerms(
        sampled_colour=solving.sampled_colour * default.sampled_colour,
        local_colour=solving.local_colour * default.local_colour,
        sparsity=solving.sparsity * default.sparsity,
        patches=solving.patches * default.patches,
        lines=solving.lines * default.lines,
        steps=solving.steps * default.steps,
        ramps=solving.steps * default.ramps,
        sheer=solving.sheer * default.sheer,
        denoising=solving.denoising,
    )
    return SolveSettings(terms=terms)
