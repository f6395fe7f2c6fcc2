"""How well each kind of edge is solved in its own way: before busy and smooth backdrops, on seeds watched and unseen."""

import dataclasses
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from bench.cases import Case
from bench.drawn import Drawing, drawn_case
from peel.matte.edge.kinds import Kind

__all__ = ["CASES", "UNSEEN", "WATCHED", "KindCase", "kind_case", "kind_cases"]

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
        return f"{self.drawing}, {'busy' if self.backdrop == 'clutter' else self.backdrop}"


CASES = tuple(
    KindCase(drawing, kind, backdrop)
    for drawing, kind, smooth in (
        ("hard", Kind.HARD, "wall"),
        ("hard-paper", Kind.HARD, "paper"),
        ("soft", Kind.SOFT, "wall"),
        ("whiskers", Kind.STRAND, "wall"),
        ("hair", Kind.STRAND, "wall"),
        ("hair-blond", Kind.STRAND, "lights"),
        ("fur", Kind.STRAND, "brown"),
        ("leaves", Kind.LACY, "sky"),
        ("sheer", Kind.SHEER, "cloth"),
    )
    for backdrop in ("clutter", smooth)
)


def kind_case(case: KindCase, seed: int) -> Case:
    """Draw a case; with even seeds colours mix in linear light, with odd ones as encoded."""
    d = Drawing(seed=seed, backdrop=case.backdrop, linear=seed % 2 == 0, camera=True)
    drawn = drawn_case(case.drawing, d)
    return dataclasses.replace(
        drawn, name=f"{case.name} {seed}", kinds=np.full(drawn.zones.shape, int(case.kind), np.uint8)
    )


def kind_cases(seeds: tuple[int, ...]) -> Iterator[tuple[KindCase, int]]:
    """List every case with some of the seeds: each case gets two of them, so that each seed is used evenly."""
    for number, case in enumerate(CASES):
        for turn in range(2):
            yield case, seeds[(number + turn) % len(seeds)]
