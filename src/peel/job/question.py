"""The question that a solve answers: everything its matte depends on, as one comparable value."""

from dataclasses import dataclass
from typing import Literal

from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.settings import Mixing, Solving
from peel.matte.solve.settings import EdgeTerms, SolveSettings

__all__ = ["Question", "question", "solve_settings"]


@dataclass(frozen=True)
class Question:
    """What is to be solved; a solve is still wanted as long as the job asks an equal one.

    Attributes
    ----------
    zones, kinds, suggested : Plane
        Compared by identity.
    use : "suggested" or "none"
        Whether suggested kinds count.
    mixing : "value", "light" or None
        How colours mix, as the person chose; None leaves it to the solve to find out.
    sheer_colours : tuple of str
    solving : Solving
    """

    zones: Plane
    kinds: Plane
    suggested: Plane
    use: Literal["suggested", "none"]
    mixing: Mixing | None
    sheer_colours: tuple[str, ...]
    solving: Solving


def question(job: Job) -> Question:
    """Return the question that a job's matte has to answer."""
    photo = job.settings.photo
    recipe = job.settings.recipe
    planes = job.zones, job.kinds, job.suggested
    return Question(*planes, recipe.band.kinds, photo.mixing, photo.sheer_colours, recipe.solving)


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
        sheer=solving.sheer * default.sheer,
        denoising=solving.denoising,
    )
    return SolveSettings(terms=terms)
