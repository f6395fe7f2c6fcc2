"""The parameters of a solve, as frozen values that are passed in."""

from dataclasses import dataclass, field

__all__ = ["EdgeTerms", "SolveSettings"]


@dataclass(frozen=True)
class EdgeTerms:
    """The weights of what is added to the matting Laplacian: what one kind of edge needs and another does not.

    Attributes
    ----------
    sampled_colour : float
        Weight of the prior from sampled colours (`peel.matte.solve.sampling`) where it is fully confident. Larger:
        clearer gaps, but similar colours on both sides mislead more.
    local_colour : float
        Weight of the local colour model (`peel.matte.solve.local_colours`) for a variance of alpha of 1.
    sparsity : float
        Weight of the pull towards 0 and 1 (`peel.matte.solve.sparsity`).
    patches : float
        Weight of what is simply backdrop (`peel.matte.solve.patches`); a quarter of it, of what is simply subject.
    lines : float
        Weight of single strands (`peel.matte.solve.line_evidence`).
    steps : float
        Weight of steps along hard edges (`peel.matte.solve.step_fit`).
    ramps : float
        ... and of blurred ones along soft edges.
    sheer : float
        Weight of what a sheer cloth's own colour says (`peel.matte.solve.sheer_line`).
    denoising : float
        Share, from 0 to 1, of the denoised matte in the result; see `peel.matte.solve.matte_denoising`.
    """

    sampled_colour: float = 3e-3
    local_colour: float = 1e-6
    sparsity: float = 1e-5
    patches: float = 2e-3
    lines: float = 3e-3
    steps: float = 1.0
    ramps: float = 1.0
    sheer: float = 0.01
    denoising: float = 1.0


@dataclass(frozen=True)
class SolveSettings:
    """How a matte is computed.

    Attributes
    ----------
    eps : float
        Regulariser of the colour covariance, for colours in [0, 1]. Larger: smoother, fewer thin strands.
    tolerance : float
        The solver stops once the root mean square change of alpha over four iterations is below this.
    max_iterations : int
        Bound on the solver's iterations.
    clean : float
        Alpha within this many standard deviations of its own noise from 0 or 1 becomes 0 or 1; 0 returns the
        solution as it is, noise included.
    terms : EdgeTerms
    """

    eps: float = 1e-7
    tolerance: float = 8e-4
    max_iterations: int = 500
    clean: float = 2.0
    terms: EdgeTerms = field(default_factory=EdgeTerms)
