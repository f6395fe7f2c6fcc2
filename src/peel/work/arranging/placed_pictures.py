"""Pictures to stand on a sheet: from a file, or the cutout of another job."""

from pathlib import Path

from peel.errors import MarkError, SolveError
from peel.files.assets import read_asset, read_cutout
from peel.files.encoding import Encoding, encoded_png
from peel.files.project import ProjectFile
from peel.job.assets import Asset
from peel.work.delivering.products import cutout_pixels
from peel.work.stages import Cache, Stages

__all__ = ["cutout_asset"]

_CACHE_BYTES = 64_000_000


def cutout_asset(path: Path, own: Path | None = None, *, also_solid: bool = False) -> Asset:
    """Read a cutout: any picture with alpha, or a job, whose cutout is made as it would be delivered; waits.

    Parameters
    ----------
    path : Path
    own : Path, optional
        The open job's file, which cannot be placed on itself.
    also_solid : bool
        Whether a picture without transparency is taken as well.

    Raises
    ------
    PhotoError, ProjectError, SolveError
        If it cannot be read, has no transparency, or is not solved.
    MarkError
        If it is the open job.
    """
    if path.suffix.lower() != ".peel":
        return read_asset(path) if also_solid else read_cutout(path)
    if own is not None and path.exists() and path.resolve() == own.resolve():
        raise MarkError("This is the open job itself.", "Use Copy to place its subject once more.")
    project = ProjectFile.open(path)
    try:
        photo = project.read_photo()
        job = project.load(project.history().current.number, photo)
    finally:
        project.close()
    if not (job.has_subject and job.is_solved):
        message = f"{path} is not solved yet, so it has no cutout to place."
        raise SolveError(message, "Open it and mark its subject first.")
    pixels = cutout_pixels(job, Stages(photo, Cache(_CACHE_BYTES)), photo.bits)
    return Asset(
        f"{path.stem} (cutout)", encoded_png(pixels, Encoding(profile=photo.profile)), photo.height, photo.width
    )
