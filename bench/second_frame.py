"""How much a second frame helps: the empty set, or the same subject before another backdrop, against a solve without."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np

from bench.drawn import KINDS, Drawing, Layers, drawn_layers, mixed, taken
from bench.pencil import backdrop
from peel.demo.camera import cloud, develop
from peel.errors import PhotoError
from peel.files.encoding import Encoding, encoded_png
from peel.job.assets import Asset
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.matte.inspect.measures import sad
from peel.matte.srgb import to_encoded, to_linear
from peel.work.framing.frames import give_frame, kind_of
from peel.work.solving.solve import solve_job

__all__ = ["CASES", "UNSEEN", "WATCHED", "FrameCase", "frame_case", "table"]

_QUALITY: Final = 92  # of the JPEG, whose colours are kept at half size

WATCHED = (101, 103)
UNSEEN = (202, 204)

CASES: Final = (
    ("hair", "mane-blond", "photo"),
    ("hair", "mane-dark", "bokeh"),
    ("hair", "hair", "wall"),
    ("fur", "coat", "photo"),
    ("fur", "fur", "wall"),
    ("whiskers", "whiskers", "bokeh"),
    ("gauze", "drape", "photo"),
    ("gauze", "drape", "wall"),
    ("feather", "plume", "photo"),
    ("feather", "plume", "cloth"),
    ("leaves", "crown", "photo"),
    ("glass", "glass", "photo"),
    ("glass", "glass", "paper"),
    ("hard", "alike", "photo"),
    ("hard", "hard-paper", "paper"),
    ("shadow", "fur", "wall"),
    ("shadow", "hard", "paper"),
    ("shadow", "mane-blond", "photo"),
)
"""Categories, drawings and backdrops, busy and smooth; of `shadow` the subject's shadow lies on the set."""


@dataclass(frozen=True)
class FrameCase:
    """A photo, its zones and truth, and further frames of 8 bits in [0, 1].

    Attributes
    ----------
    empty : the set, shifted, turned, otherwise exposed; `moved` the same with a curtain that has moved.
    again : the same subject before another backdrop.
    """

    name: str
    photo: np.ndarray
    zones: np.ndarray
    alpha: np.ndarray
    empty: np.ndarray
    moved: np.ndarray
    again: np.ndarray


def frame_case(category: str, drawing: str, behind: str, seed: int) -> FrameCase:
    """Draw a case and its second frames."""
    d = Drawing(900, 1320, seed=seed, backdrop=behind, linear=seed % 2 == 0, careless=True)
    rng = np.random.default_rng(seed)
    layers = drawn_layers(drawing, d, rng)
    lit = replace(layers, behind=_shadowed(layers, d)) if category == "shadow" else layers
    photo = _coded(mixed(lit, d), d, rng)
    drift = rng.uniform(-8, 8, 2), rng.uniform(-1, 1), rng.uniform(-1 / 3, 1 / 3)
    empty = _coded(_drifted(layers.behind, *drift), d, rng)
    moved = _coded(_drifted(_curtain(layers.behind, layers.alpha), *drift), d, rng)
    other = "cloth" if behind in ("paper", "wall") else "paper"
    cloth = develop(backdrop(other, d, rng, KINDS[drawing][1]))
    second = mixed(replace(layers, behind=cloth), d)
    again = _coded(_drifted(second, *drift), d, rng)
    name = f"{category}: {drawing}, {behind} {seed}"
    return FrameCase(
        name,
        photo,
        layers.zones,
        layers.alpha,
        empty,
        moved,
        again,
    )


def _coded(clean: np.ndarray, d: Drawing, rng: np.random.Generator) -> np.ndarray:
    """Return a clean picture as a JPEG with grain."""
    pixels = (taken(np.asarray(clean, np.float32), d, rng)[..., ::-1] * 255).round().astype(np.uint8)
    coded = cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])[1]
    return np.ascontiguousarray(cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1], np.float32) / np.float32(255)


def _shadowed(layers: Layers, d: Drawing) -> np.ndarray:
    """Lay the subject's soft shadow on the set, to one side and below."""
    cast = np.roll(layers.alpha, (round(40 * d.unit), round(60 * d.unit)), (0, 1))
    soft = cv2.GaussianBlur(cast, (0, 0), 24 * d.unit)[..., None]
    return to_encoded(to_linear(layers.behind) * (1 - 0.35 * soft))


def _drifted(picture: np.ndarray, shift: np.ndarray, turn_deg: float, stops: float) -> np.ndarray:
    """Move, turn and expose a frame otherwise; its light drifts by a few hundredths from side to side."""
    height, width = picture.shape[:2]
    matrix = _matrix(width, height, shift, turn_deg)
    moved = cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    drift = 1 + 0.04 * (cloud(width, height, 2, 2, 5) - 0.5)[..., None]
    return to_encoded(np.clip(to_linear(np.clip(moved, 0, 1)) * 2**stops * drift, 0, 1)).astype(np.float32)


def _matrix(width: int, height: int, shift: np.ndarray, turn_deg: float) -> np.ndarray:
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), turn_deg, 1.0)
    matrix[:, 2] += shift
    return matrix


def _curtain(picture: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    """Let a quarter of the set hang otherwise: shifted by some 25 px, and darker."""
    height, width = alpha.shape
    y, x = np.mgrid[:height, :width].astype(np.float32)
    share = np.clip((x / width - 0.68) * 12, 0, 1)
    hung = cv2.remap(picture, x + 25 * share, y + 10 * share, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    return np.asarray(hung * (1 - 0.12 * share[..., None]), np.float32)


def _asset(name: str, picture: np.ndarray) -> Asset:
    pixels = (picture * 255).round().astype(np.uint8)
    return Asset(name, encoded_png(pixels, Encoding()), *pixels.shape[:2])


def _begun(case: FrameCase) -> Job:
    pixels = (case.photo * 255).round().astype(np.uint8)
    return use_zones(new_job(Photo("photo.png", pixels)), case.zones)


def _error(job: Job, case: FrameCase) -> float:
    solved = solve_job(job)[0].alpha(job.photo.bounds)
    return sad(solved, case.alpha, (case.zones != 0) & (case.zones != 255))


def table(halves: Sequence[str] = ("watched", "unseen")) -> Iterator[str]:
    """Measure every case of one or both halves of the seeds, as jobs are solved; lines of a table, SAD as ratios."""
    yield "| case and seed | half | without, SAD | empty set | set that moved | other backdrop |\n" + "|---" * 6 + "|"
    for half in halves:
        seeds = WATCHED if half == "watched" else UNSEEN
        for number, (category, drawing, behind) in enumerate(CASES):
            case = frame_case(category, drawing, behind, seeds[number % len(seeds)])
            job = _begun(case)
            base = _error(job, case)
            cells = []
            for name, picture in (("empty", case.empty), ("moved", case.moved), ("again", case.again)):
                asset = _asset(f"{name}.png", picture)
                try:
                    kind = kind_of(asset, job.photo)
                except PhotoError:
                    cells.append("refused")
                    continue
                cells.append(f"{_error(give_frame(job, asset, kind), case) / base:.2f}")
            yield f"| {case.name} | {half} | {base:.1f} | " + " | ".join(cells) + " |"
