"""The parts of the bench: what each is called, what its section of docs/bench.md says, and how its lines are made."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import partial
from importlib import import_module
from pathlib import Path

__all__ = ["PARTS", "Part", "cases_of_folder"]


@dataclass(frozen=True)
class Part:
    """One subject: its title, what its table shows, and a function that gives the lines of the table."""

    title: str
    says: str
    lines: Callable[[], Iterable[str]]


def _table(module: str, name: str = "table") -> Callable[[], Iterable[str]]:
    """Return a function of a module of the bench, which is imported when the part is run."""
    return lambda: getattr(import_module(f"bench.{module}"), name)()


def _against_the_baseline(kind: str) -> Iterator[str]:
    from bench.cases import demo_case
    from bench.drawn import CAMERA, KINDS, LARGE, drawn_case
    from bench.quality import HEAD, row
    from peel.demo.photos import NAMES

    cases = {
        "drawn": [partial(drawn_case, one) for one in KINDS],
        "camera": [partial(drawn_case, one, CAMERA) for one in KINDS],
        "quality": [partial(demo_case, one) for one in NAMES],
        "large": [partial(drawn_case, "fur", LARGE)],
    }[kind]
    yield HEAD
    for case in cases:
        yield row(case())


def cases_of_folder(folder: Path) -> Iterator[str]:
    """Measure CASE/photo.png, zones.png, alpha.png, fg.png of a folder."""
    from bench.cases import folder_case, folder_paths
    from bench.quality import HEAD, row

    yield HEAD
    for path in folder_paths(folder):
        yield row(folder_case(path))


def _marking() -> Iterator[str]:
    from bench.marking import interactions, latencies, proposals

    for measure in (latencies, proposals, interactions):
        yield from measure()
        yield ""


_BASELINE = (
    "Peel's error over that of closed-form matting in plain SciPy on the same band (eps 1e-7, conjugate gradients with the "
    "diagonal as preconditioner to 1e-5); for colours, over the nearest certain colour with Peel's matte. Below 1 is better."
)

PARTS: dict[str, Part] = {
    "quality": Part("Demo photos", _BASELINE, partial(_against_the_baseline, "quality")),
    "drawn": Part("Drawn cases", _BASELINE, partial(_against_the_baseline, "drawn")),
    "camera": Part("Drawn cases as a camera takes them", _BASELINE, partial(_against_the_baseline, "camera")),
    "large": Part("Fur at 24 megapixels", _BASELINE, partial(_against_the_baseline, "large")),
    "kinds": Part(
        "Each kind its own way",
        "Harder cases before photographs, with careless marks: error over closed-form's, watched and unseen seeds.",
        _table("kinds"),
    ),
    "photographs": Part(
        "Photographs",
        "Real subjects before real backdrops, marked carelessly: error beyond tolerance as a share of the subject's area.",
        _table("photographs"),
    ),
    "edge": Part(
        "The laid band",
        "How much of what is half clear lies in the band, its area against the ideal one's, and the kinds that are right.",
        _table("edge"),
    ),
    "strokes": Part("Strokes at 24 megapixels", "From letting go of a stroke to the matte around it.", _table("strokes", "measure")),
    "marking": Part("Marking", "How long the marking tools take, and how many presses a subject takes.", _marking),
    "separation": Part("Separation", "What renderings, guides and pulls change; watched and unseen.", _table("separation")),
    "repair": Part("Repairs", "Defects put into true mattes, each mended everywhere at once.", _table("repair")),
    "hair": Part(
        "How much hair",
        "Drawn strands: how many longer than the dial stay whole and how many shorter go; how many are followed to within "
        "1.5 pixels over nine tenths of their length.",
        _table("hair"),
    ),
    "snags": Part("Snags", "Faults drawn into exact mattes: found, and not false; watched / unseen.", _table("snags")),
    "second-frame": Part("A second frame", "Errors with a second frame over those without.", _table("second_frame")),
    "colour": Part("Colour", "Mean CIEDE2000 in the band over four backings, against the true colours.", _table("colour")),
    "sheet": Part("The sheet", "Bramble at 24 megapixels: drags, and the pixels of the flat file.", _table("sheet")),
    "deliver": Part("Delivery", "Files of 24 megapixels against their libraries alone.", _table("deliver")),
    "assignment": Part("An assignment", "A board of 300 photos; carrying and delivering.", _table("assignment")),
    "window": Part("The window at 24 megapixels", "Opening, painting, strokes.", _table("window", "measure")),
    "memory": Part("peel cut at 24 megapixels", "A process of its own.", _table("memory")),
}  # fmt: skip
