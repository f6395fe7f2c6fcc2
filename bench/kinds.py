"""How well each kind of edge is solved in its own way: before busy and smooth backdrops, on seeds watched and unseen."""

import dataclasses
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from bench.backdrops import has_photographs
from bench.cases import Case
from bench.drawn import Drawing, drawn_case
from peel.matte.edge.kind import Kind
from peel.matte.inspect.measures import gradient_error, sad
from peel.matte.solve.closed_form import Given, solve_matte
from peel.matte.solve.evidence import Evidence, gather_evidence
from peel.matte.solve.kind_terms import term_maps
from peel.matte.solve.mixing import mixes_linearly
from peel.matte.solve.settings import EdgeTerms, SolveSettings
from peel.matte.solve.term_maps import TermMaps
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["CASES", "UNSEEN", "WATCHED", "KindCase", "converged", "kind_case", "kind_cases", "table"]

_BEFORE = EdgeTerms(patches=0, lines=0, steps=0, sheer=0)
_NOTHING = EdgeTerms(sampled_colour=0, local_colour=0, sparsity=0, patches=0, lines=0, steps=0, sheer=0, denoising=0)
_PICKED = to_encoded(np.array([[0.50, 0.47, 0.54]], np.float32))  # what a person picks on the drawn gauze

WATCHED = (101, 102, 103, 104)
"""Seeds of pictures that may be looked at while the engine is changed."""

UNSEEN = (201, 202, 203, 204)
"""Seeds that are only run to report figures."""


@dataclass(frozen=True)
class KindCase:
    """What is drawn, which kind of edge it has, and before what."""

    drawing: str
    kind: Kind
    backdrop: str

    @property
    def name(self) -> str:
        """How tables call it."""
        return f"{self.drawing}, {self.backdrop}"


CASES = (
    KindCase("mane-dark", Kind.STRAND, "photo"),
    KindCase("mane-blond", Kind.STRAND, "photo"),
    KindCase("mane-white", Kind.STRAND, "bokeh"),
    KindCase("mane-blond", Kind.STRAND, "green"),
    KindCase("coat", Kind.STRAND, "photo"),
    KindCase("coat", Kind.STRAND, "bokeh"),
    KindCase("whiskers", Kind.STRAND, "photo"),
    KindCase("whiskers", Kind.STRAND, "bokeh"),
    KindCase("crown", Kind.LACY, "photo"),
    KindCase("crown", Kind.LACY, "sky"),
    KindCase("plume-alike", Kind.STRAND, "bokeh"),
    KindCase("plume", Kind.STRAND, "cloth"),
    KindCase("alike", Kind.HARD, "photo"),
    KindCase("alike", Kind.HARD, "bokeh"),
    KindCase("hard", Kind.HARD, "clutter"),
    KindCase("deep", Kind.SOFT, "photo"),
    KindCase("deep", Kind.SOFT, "bokeh"),
    KindCase("drape", Kind.SHEER, "photo"),
    KindCase("drape", Kind.SHEER, "bokeh"),
    KindCase("drape", Kind.SHEER, "cloth"),
)


def kind_case(case: KindCase, seed: int) -> Case:
    """Draw a case; with even seeds colours mix in linear light, with odd ones as encoded."""
    d = Drawing(900, 1320, seed=seed, backdrop=case.backdrop, linear=seed % 2 == 0, camera=True, careless=True)
    drawn = drawn_case(case.drawing, d)
    return dataclasses.replace(
        drawn, name=f"{case.name} {seed}", kinds=np.full(drawn.zones.shape, int(case.kind), np.uint8)
    )


def kind_cases(seeds: tuple[int, ...]) -> Iterator[tuple[KindCase, int]]:
    """List every case with some of the seeds: each case gets two of them, so that each seed is used evenly.

    Cases before photographs are left out where this machine has none.
    """
    for number, case in enumerate(CASES):
        if case.backdrop in ("photo", "bokeh") and not has_photographs():
            continue
        for turn in range(2):
            yield case, seeds[(number + turn) % len(seeds)]


def _solved(case: Case, terms: EdgeTerms, maps: TermMaps | None, own: np.ndarray | None = None) -> np.ndarray:
    """Solve a case as a job is solved: mixing found out, evidence gathered first."""
    is_linear = mixes_linearly((case.photo * 255 + 0.5).astype(np.uint8), case.zones)
    evidence = gather_evidence(case.photo, case.zones, case.band, terms, maps, is_linear=is_linear, own_colours=own)
    photo = to_linear(case.photo) if is_linear else case.photo
    return solve_matte(photo, case.zones, Given(evidence=evidence, maps=maps), settings=SolveSettings(terms=terms))[0]


def converged(case: Case) -> np.ndarray:
    """Solve a case by closed form alone, to convergence.

    This is `bench.baseline.closed_form` by Peel's own solver, 25 times faster: both differ by 0.1 % in the error.
    """
    settings = SolveSettings(terms=_NOTHING, clean=0, tolerance=2e-5, max_iterations=3000)
    return solve_matte(case.photo, case.zones, Given(evidence=Evidence.none(case.zones.shape)), settings=settings)[0]


def _errors(case: Case, matte: np.ndarray) -> tuple[float, float]:
    return sad(matte, case.alpha, case.band), gradient_error(matte, case.alpha, case.band)


def table(halves: Sequence[str] = ("watched", "unseen")) -> Iterator[str]:
    """Measure every case of one or both halves of the seeds; lines of a table, SAD / gradient as ratios."""
    yield (
        "| case and seed | half | before | no kind known | its own kind | its own kind, colour picked |\n"
        + "|---" * 6
        + "|"
    )
    for half in halves:
        for kind, seed in kind_cases(WATCHED if half == "watched" else UNSEEN):
            case = kind_case(kind, seed)
            base = _errors(case, converged(case))
            maps = term_maps(np.full(case.zones.shape, int(kind.kind), np.uint8))
            mattes = [_solved(case, _BEFORE, None), _solved(case, EdgeTerms(), None), _solved(case, EdgeTerms(), maps)]
            if kind.kind is Kind.SHEER:
                mattes.append(_solved(case, EdgeTerms(), maps, _PICKED))
            cells = [[ours / theirs for ours, theirs in zip(_errors(case, m), base, strict=True)] for m in mattes]
            texts = [f"{total:.2f} / {gradient:.2f}" for total, gradient in cells]
            yield f"| {case.name} | {half} | " + " | ".join([*texts, *["–"] * (4 - len(texts))]) + " |"
