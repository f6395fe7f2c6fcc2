"""The assignment as a board: the photos of a folder, or chosen ones, with their jobs and how far each has come.

A job on a photo of the board lies beside the photo, under its name. Photos may arrive, be replaced or vanish while one
works: each scan says what is there.
"""

import stat
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Final

from PIL import Image

from peel.errors import PeelError, ProjectError
from peel.files.connection import is_open_here
from peel.files.developing import is_developed_name
from peel.files.names import clean_name
from peel.files.photo import SUFFIXES, read_bytes
from peel.files.project import ProjectFile
from peel.files.project_checks import photo_digest
from peel.work.many.batches import photos_in
from peel.work.many.photo_jobs import job_path_for, note_job, noted_jobs
from peel.work.many.status import Progress, Status, read_status
from peel.work.session import memory
from peel.work.session.job_files import forget, is_unkept
from peel.work.session.memory import is_file

__all__ = ["Board", "Entry", "note_board", "recent_boards"]

_MOST_RECENT: Final = 8
_RECENT: Final = "assignments"


@dataclass(frozen=True)
class Entry:
    """A photo on the board.

    Attributes
    ----------
    photo : Path
    job : Path
        Where its job lies, or will lie.
    status : Status
    is_arriving : bool
        Whether it is still being written.
    is_gone : bool
        Whether it was there before, and is not any more.
    is_begun : bool
        Whether its job was there when the folder was looked at.
    """

    photo: Path
    job: Path
    status: Status = field(default_factory=Status)
    is_arriving: bool = False
    is_gone: bool = False
    is_begun: bool = False

    @property
    def name(self) -> str:
        """The photo's name."""
        return self.photo.name


_Seen = tuple[int, int]


class Board:
    """The photos of one assignment. One thread at a time.

    Parameters
    ----------
    folder : Path or None
        Watched for photos; None for a board of chosen photos alone.
    photos : sequence of Path
        Chosen ones.
    """

    def __init__(self, folder: Path | None = None, photos: Sequence[Path] = ()) -> None:
        self.folder = folder.absolute() if folder is not None else None
        self._chosen = [path.absolute() for path in photos if path.suffix.lower() in (*SUFFIXES, ".peel")]
        self._seen: dict[Path, _Seen] = {}
        self._whole: set[Path] = set()
        self._status: dict[Path, tuple[_Seen, Status]] = {}
        self._told: dict[Path, Status] = {}
        self._listed: dict[Path, None] = {}
        self._stems: Counter[str] = Counter()
        self._noted: dict[Path, Path] = {}
        self._changed: dict[tuple[_Seen, _Seen | None], bool] = {}

    @property
    def title(self) -> str:
        """What the assignment is called."""
        return self.folder.name if self.folder is not None else "Chosen photos"

    def add(self, photos: Sequence[Path]) -> None:
        """Add photos, or the photos of folders."""
        for path in photos:
            found = photos_in(path) if path.is_dir() else [path]
            self._chosen += [own.absolute() for own in found if own.suffix.lower() in SUFFIXES]

    def tell(self, job: Path, status: Status) -> None:
        """Tell how far a job has come that is open in this process, and is not read meanwhile."""
        self._told[job] = status

    def scan(self) -> list[Entry]:
        """Look at what is there now; a folder that vanished leaves what was known of it, as gone.

        Two photos of one name in different folders each have a job beside them.
        """
        present: list[Path] = []
        if self.folder is not None:
            try:
                present = photos_in(self.folder)
            except ProjectError:
                present = []
        self._stems = Counter(path.stem for path in present)
        self._noted = noted_jobs()
        for path in (*present, *self._chosen):
            self._listed.setdefault(path, None)
        entries = [self._entry(path) for path in self._listed]
        return [replace(entry, is_begun=entry.job.exists()) for entry in entries]

    def _entry(self, photo: Path) -> Entry:
        job = photo if photo.suffix.lower() == ".peel" else self._job_of(photo)
        seen = _stamp(photo)
        if seen is None:
            self._whole.discard(photo)
            self._seen.pop(photo, None)
            return Entry(photo, job, self._status_of(job), is_gone=True)
        if self._seen.get(photo) != seen:
            # new, or replaced: it is whole once it has not changed between two scans and can be read to its end
            was_known = photo in self._seen
            self._seen[photo] = seen
            self._whole.discard(photo)
            if was_known or not _is_whole(photo):
                return Entry(photo, job, self._status_of(job), is_arriving=True)
            self._whole.add(photo)
        elif photo not in self._whole:
            if not _is_whole(photo):
                broken = Status(Progress.BROKEN, says=f"{photo.name} is damaged or cut short.")
                return Entry(photo, job, broken if not job.exists() else self._status_of(job))
            self._whole.add(photo)
        return Entry(photo, job, self._told_if_changed(photo, seen, job))

    def _told_if_changed(self, photo: Path, seen: _Seen, job: Path) -> Status:
        """Return a job's status; that the photo was replaced since comes before all else."""
        status = self._status_of(job)
        if status.progress is Progress.UNTOUCHED or job == photo or not job.exists():
            return status
        key = seen, _stamp(job) if not is_open_here(job) else None
        if key not in self._changed:
            self._changed[key] = _is_replaced(photo, seen, job)
        if not self._changed[key]:
            return status
        return Status(
            Progress.CHANGED, status.snags, status.backing, f"{photo.name} is not the photo that its job is on."
        )

    def _job_of(self, photo: Path) -> Path:
        """Return where the job on a photo lies or will lie: beside it, unless it was last worked on elsewhere."""
        is_own = photo.parent == self.folder
        beside = job_path_for(photo, photo.parent, has_twin=self._stems[photo.stem] > 1 if is_own else None)
        if beside.exists():
            return beside
        return self._noted.get(photo, beside)

    def adopt(self) -> list[str]:
        """Give the unkept jobs of this folder's photos their place beside them; those that are open are left.

        Returns
        -------
        list of str
            Sentences about those that could not be.
        """
        said = []
        for photo, job in noted_jobs(self.folder).items() if self.folder is not None else []:
            beside = job_path_for(photo, photo.parent)
            if not is_unkept(job) or is_open_here(job) or beside.exists() or not is_file(photo):
                continue
            try:
                project = ProjectFile.open(job)
                try:
                    kept = project.copied_to(beside)
                finally:
                    project.close()
                kept.close()
                note_job(photo, ProjectFile.photo_of(beside).digest, beside)
                forget(job)
            except PeelError as error:
                said.append(f"The job on {photo.name} stays in the folder for working files: {error.message}")
        return said

    def _status_of(self, job: Path) -> Status:
        """Return a job's status: read once while its file does not change, or as it was told if it is open here."""
        if is_open_here(job):
            return self._told.get(job, Status(Progress.SOLVED))
        seen = _stamp(job)
        if seen is None:
            return Status()
        known = self._status.get(job)
        if known is None or known[0] != seen:
            known = self._status[job] = seen, read_status(job)
        return known[1]


def _stamp(path: Path) -> _Seen | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return (found.st_size, found.st_mtime_ns) if stat.S_ISREG(found.st_mode) else None


def _is_replaced(photo: Path, seen: _Seen, job: Path) -> bool:
    """Return whether a photo is another one than its job's; its bytes are read only if nothing cheaper tells."""
    try:
        stored = ProjectFile.photo_of(job)
        if not stored.digest or stored.name != clean_name(photo.name):
            return False
        if stored.size_bytes != seen[0]:
            return True
        return seen[1] > job.stat().st_mtime_ns and photo_digest(read_bytes(photo)) != stored.digest
    except (PeelError, OSError):
        return False


def _is_whole(photo: Path) -> bool:
    """Return whether a photo can be read to its end; JPEG and PNG by their last bytes, others by their header."""
    if is_open_here(photo):
        return True
    try:
        with photo.open("rb") as file:
            head = file.read(12)
            file.seek(max(0, photo.stat().st_size - 64))
            tail = file.read()
        if head.startswith(b"\xff\xd8"):
            return b"\xff\xd9" in tail
        if head.startswith(b"\x89PNG"):
            return b"IEND" in tail
        if is_developed_name(photo.name) or photo.suffix.lower() == ".peel":
            return len(head) == 12
        with Image.open(photo) as image:
            image.verify()
    except Exception:  # noqa: BLE001 - whatever is wrong, it is not whole
        return False
    return True


def note_board(folder: Path) -> None:
    """Put an assignment at the top of the recent ones."""
    others = [str(path) for path in recent_boards() if path != folder]
    memory.write_preference(_RECENT, [str(folder), *others][:_MOST_RECENT])


def recent_boards() -> list[Path]:
    """List the folders of assignments opened lately that are still there."""
    found = memory.read_preference(_RECENT)
    paths = [Path(text) for text in found if isinstance(text, str)] if isinstance(found, list) else []
    return [path for path in paths if path.is_dir()]
