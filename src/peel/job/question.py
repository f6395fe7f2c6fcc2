"""The question that a solve answers: everything its matte depends on, as one comparable value."""

from dataclasses import dataclass

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
    zones : Plane
        Compared by identity.
    mixing : "value", "light" or None
        How colours mix, as the person chose; None leaves it to the solve to find out.
    sheer_colours : tuple of str
    solving : Solving
    """

    zones: Plane
    mixing: Mixing | None
    sheer_colours: tuple[str, ...]
    solving: Solving


def question(job: Job) -> Question:
    """Return the question that a job's matte has to answer."""
    photo = job.settings.photo
    return Question(job.zones, photo.mixing, photo.sheer_colours, job.settings.recipe.solving)


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
        denoising=solving.denoising,
    )
    return SolveSettings(terms=terms)
