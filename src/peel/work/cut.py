"""Cut a photo by a mark or by zones given as a picture, without a window and without a job file."""

import resource
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, Literal

import numpy as np

from peel.errors import PhotoError
from peel.files.drawn import read_drawn, read_mask
from peel.files.photo import read_photo
from peel.files.pictures import write_png
from peel.job.assets import Asset
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.kinds import said_in
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import set_value, use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.plane import Plane
from peel.job.preset import Preset
from peel.job.question import counted_frame
from peel.job.settings import Point, Recipe, Separation
from peel.matte.arrays import ByteArray
from peel.matte.edge.kind import KINDS
from peel.matte.edge.kinds import kinds_from_gray
from peel.matte.edge.trimap import missing_zone, trimap_from_gray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.solve.conjugate_gradients import SolveReport
from peel.work.delivering.delivery import deliver
from peel.work.delivering.order import FileOrder
from peel.work.framing.frames import FRAME_WORDS, Fit, fit_of, give_frame, read_frame
from peel.work.framing.proposing import mark_by_set, region_by_set
from peel.work.inspecting.colour_proposals import proposed_rim, proposed_spill
from peel.work.marking.strands import follow_strands, take_strand
from peel.work.marking.tone_start import mark_by_tone, with_ends
from peel.work.solving.given import take_matte
from peel.work.solving.solve import check_solvable, solve_job
from peel.work.stages import Cache, Pyramid, Stages

__all__ = ["CutFiles", "CutReport", "CutRequest", "cut", "prepared"]

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class CutFiles:
    """What to write; any may be None.

    Attributes
    ----------
    matte : 16-bit gray PNG.
    cutout : RGBA PNG, straight alpha.
    flat : JPEG, on the recipe's backing.
    laid : the zones as they were laid, 8-bit gray PNG.
    """

    matte: Path | None = None
    cutout: Path | None = None
    flat: Path | None = None
    laid: Path | None = None

    def orders(self, job: Job) -> list[FileOrder]:
        """List them as orders for delivery."""
        orders = []
        if self.matte is not None:
            orders.append(FileOrder(self.matte, Preset(name="Matte", product="matte", bits=16), "matte"))
        if self.cutout is not None:
            bits: Literal[8, 16] = 16 if job.photo.bits == 16 else 8
            orders.append(FileOrder(self.cutout, Preset(name="Cutout", product="cutout", bits=bits), "cutout"))
        if self.flat is not None:
            orders.append(FileOrder(self.flat, Preset(name="Flat", product="flat", format="jpeg"), "flat picture"))
        return orders


@dataclass(frozen=True)
class CutReport:
    """What a cut took, and what was found on the way.

    Attributes
    ----------
    seconds : dict of str to float
        Per stage.
    peak_memory_mb : float
        Of the process.
    solve : SolveReport
    mixing : str
        How the photo mixes colours.
    colour : dict
        What was proposed for the edge's colours, if that was asked for.
    frame : Fit or None
        How well the second frame fits, if there is one.
    """

    seconds: dict[str, float]
    peak_memory_mb: float
    solve: SolveReport
    mixing: str
    colour: dict[str, Any] = field(default_factory=dict)
    frame: Fit | None = None

    def as_json(self) -> dict[str, object]:
        """Return the report as plain values."""
        return {
            "seconds": {stage: round(seconds, 3) for stage, seconds in self.seconds.items()},
            "peak_memory_mb": round(self.peak_memory_mb, 1),
            "unknown_pixels": self.solve.unknowns,
            "iterations": self.solve.iterations,
            "residual": self.solve.residual,
            "moved": self.solve.moved,
            "converged": self.solve.converged,
            "mixing": self.mixing,
            **({"colour": self.colour} if self.colour else {}),
            **({"frame": asdict(self.frame)} if self.frame else {}),
        }


@dataclass
class _Clock:
    """Times stages one after another."""

    seconds: dict[str, float] = field(default_factory=dict)
    _since: float = field(default_factory=time.perf_counter)

    def lap(self, stage: str) -> None:
        now = time.perf_counter()
        self.seconds[stage] = now - self._since
        self._since = now


@dataclass(frozen=True)
class CutRequest:
    """What is cut, and by what.

    Attributes
    ----------
    photo : Path
    zones, mark, given : Path or None
        One of them: a picture of the zones (0 backdrop, 255 subject, between unsure), or of what is marked as subject
        (from half gray up), around which the band lays itself, or a finished matte, which is used as it is.
    tone : Separation or None
        In place of both: a rendering that the mark begins from; ends that it leaves open are proposed.
    empty, again : Path or None
        At most one of them: the set without the subject, or the same subject before another backdrop. With the set
        alone, what differs from it is marked.
    kinds : Path, "suggested", "none" or None
        A picture of the kinds of edge (0 none, 50 hard, 100 soft, 150 strand, 200 lacy, 250 sheer), Peel's own
        suggestions, or a solve that knows of no kinds. None leaves it to the recipe.
    recipe : Recipe
    assets : tuple of Asset
        Pictures that the recipe names.
    photo_settings : dict
        Values of `peel.job.settings.PhotoSettings` to start from.
    exposure : float
        Stops by which a camera file is developed.
    strands : sequence of sequences of points
        Strands that are followed and made subject: each a press on one, or a path along it.
    proposes_colour : bool
        Whether spill and rims of the edge are proposed once it is solved, and what is proposed is done.
    """

    photo: Path
    zones: Path | None = None
    mark: Path | None = None
    given: Path | None = None
    tone: Separation | None = None
    empty: Path | None = None
    again: Path | None = None
    kinds: Path | Literal["suggested", "none"] | None = None
    recipe: Recipe = field(default_factory=Recipe)
    assets: tuple[Asset, ...] = ()
    photo_settings: dict[str, Any] = field(default_factory=dict)
    exposure: float = 0.0
    strands: Sequence[Sequence[Point]] = ()
    proposes_colour: bool = False


def cut(request: CutRequest, files: CutFiles, progress: Progress | None = None) -> CutReport:
    """Solve the matte of a photo and write the results.

    Parameters
    ----------
    request : CutRequest
    files : CutFiles
    progress : callable, optional
        Called with the stage in words and the share done of it.

    Raises
    ------
    PhotoError
        If the photo or what is drawn over it cannot be read or does not fit.
    SolveError
        If the recipe leaves no subject or no backdrop.
    DeliveryError
        If a result cannot be written.
    """
    report = progress or (lambda _stage, _share: None)
    clock = _Clock()
    report("Reading", 0.0)
    job = prepared(request, clock.lap)
    if files.laid is not None:
        write_png(files.laid, job.zones.read(), None)
    if request.given is None:
        check_solvable(job)
    job, solved = solve_job(job, lambda share: report("Solving", share))
    clock.lap("solve")
    found: dict[str, Any] = {}
    if request.strands:
        report("Following strands", 0.0)
        job = _with_strands(job, request.strands)
        clock.lap("strands")
    if request.proposes_colour:
        report("Proposing colours", 0.0)
        job, found = _with_proposals(job)
        clock.lap("colour")
    _write(job, files, clock, report)
    mixing, fit = job.settings.photo.known_mixing or "value", fit_of(job)
    return CutReport(clock.seconds, _peak_memory_mb(), solved, mixing, found, fit)


def _with_strands(job: Job, strands: Sequence[Sequence[Point]]) -> Job:
    """Follow strands and make them subject; the band that opens along them is solved."""
    pyramid = Pyramid(job.photo.pixels)
    for strand in follow_strands(pyramid, job, strands):
        job = take_strand(pyramid, job, strand)
    return solve_job(job)[0]


def _with_proposals(job: Job) -> tuple[Job, dict[str, Any]]:
    """Do what is proposed for the edge's colours; an edge that lies too far out is said, not moved."""
    stages = Stages(job.photo, Cache(64_000_000))
    spill = proposed_spill(stages, job)
    job = spill.applied(job)
    rim = proposed_rim(stages, job)
    found = {"spill": asdict(spill), "rim": asdict(rim)}
    return (job if rim.pull_px else rim.coloured(job, EdgeTarget())), found


def prepared(request: CutRequest, lap: Callable[[str], None] | None = None) -> Job:
    """Read a photo and what is drawn over it, and lay the band; nothing is solved yet.

    Parameters
    ----------
    request : CutRequest
    lap : callable, optional
        Called with "read" and "band" when either is done.

    Raises
    ------
    PhotoError
        If the photo or what is drawn over it cannot be read or does not fit.
    """
    lap = lap or (lambda _stage: None)
    photo = read_photo(request.photo, request.exposure)
    job = new_job(photo).with_photo_settings(**request.photo_settings)
    job = job.with_settings(job.settings.model_copy(update={"recipe": request.recipe}))
    for asset in request.assets:
        job = job.with_asset(asset)
    job = _with_kinds(_with_frame(job, request), request.kinds)
    drawn = _drawn(request, photo)
    lap("read")
    if request.given is not None:
        job = take_matte(job, read_mask(request.given, photo))
    elif request.tone is not None:
        job = mark_by_tone(job, 0, with_ends(request.tone, job))
    elif drawn is not None:
        job = use_zones(job, drawn) if request.mark is None else _marked(job, drawn)
    elif counted_frame(job.settings) is not None:
        job = _marked_by_set(job)
    lap("band")
    return job


def _with_frame(job: Job, request: CutRequest) -> Job:
    """Give the job its second frame, which has to be what it is called."""
    for path, kind in ((request.empty, "empty"), (request.again, "again")):
        if path is not None:
            asset, found = read_frame(path, job.photo)
            if found != kind:
                message = f"{path} is {FRAME_WORDS[found]}, not {FRAME_WORDS[kind]}."
                raise PhotoError(message, f"Give it as --{found}.")
            job = give_frame(job, asset, found)
    return job


def _marked_by_set(job: Job) -> Job:
    found = region_by_set(job)
    if found is None:
        message = f"Nothing in {job.photo.name} differs from its set, or the set is missing."
        raise PhotoError(message, "Draw the subject with --mark.")
    return mark_by_set(job, found)


def _drawn(request: CutRequest, photo: Photo) -> ByteArray | None:
    """Read the zones or the mark, if there is either, and make sure that both sides are in it."""
    path = request.mark or request.zones
    if path is None:
        return None
    if request.mark is not None:
        drawn = np.where(
            read_drawn(path, photo, "mark", "Draw the subject 255 and all else 0.") >= 128, FOREGROUND, BACKGROUND
        ).astype(np.uint8)
    else:
        hint = "Draw backdrop 0, subject 255 and anything unsure in between."
        drawn = trimap_from_gray(read_drawn(path, photo, "zones", hint))
    missing = missing_zone(drawn)
    if missing is not None:
        message = f"{path} marks no {missing}."
        raise PhotoError(message, "Draw backdrop 0 and subject 255, both somewhere.")
    return drawn


def _marked(job: Job, drawn: ByteArray) -> Job:
    return mark_region(job, drawn == FOREGROUND, Zone.SUBJECT)


def _with_kinds(job: Job, kinds: Path | str | None) -> Job:
    if kinds is None:
        return job
    if isinstance(kinds, str):
        return set_value(job, "recipe.band.kinds", kinds)
    hint = f"Draw 0 for none, {', '.join(f'{spec.mask_level} {kind.id}' for kind, spec in KINDS.items())}."
    levels = read_drawn(kinds, job.photo, "kinds", hint)
    kinds_drawn = kinds_from_gray(levels)
    if ((levels > 0) & (kinds_drawn == 0)).any():
        message = f"{kinds} holds gray levels that stand for no kind of edge."
        raise PhotoError(message, hint)
    return set_value(job.with_planes(kinds=Plane.from_array(said_in(kinds_drawn))), "recipe.band.kinds", "none")


def _write(job: Job, files: CutFiles, clock: _Clock, report: Progress) -> None:
    stages = Stages(job.photo, Cache(64_000_000))
    for order in files.orders(job):
        stage = f"Writing the {order.what}"

        def tell(share: float, stage: str = stage) -> bool:
            report(stage, share)
            return True

        (written,) = deliver(job, stages, [order], tell)
        if order.preset.product == "cutout":
            clock.seconds["colours"] = written.pixels_s
            clock.seconds["cutout"] = written.encoding_s
        else:
            clock.seconds[order.preset.product] = written.pixels_s + written.encoding_s


def _peak_memory_mb() -> float:
    """Return the most memory the process has held; Linux counts in kilobytes, other systems in bytes."""
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak / 1024 if sys.platform.startswith("linux") else peak / 1024**2
