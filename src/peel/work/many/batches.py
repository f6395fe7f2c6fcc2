"""Jobs begun on many photos: proposed, or carried to from one that was worked on."""

from collections.abc import Callable
from pathlib import Path
from typing import Final

from peel.errors import PhotoError, ProjectError, SolveError, os_reason
from peel.files.atomic import temporary_beside
from peel.files.photo import SUFFIXES, read_bytes
from peel.files.project import ProjectFile
from peel.files.project_checks import explain, photo_digest
from peel.files.recipes import RecipeFile
from peel.job.edits.marking import looked_at
from peel.job.edits.values import use_settings
from peel.job.job import Job
from peel.work.framing.frames import FRAME_WORDS, fit_of, give_frame, read_frame
from peel.work.framing.proposing import mark_by_set, region_by_set
from peel.work.many.carrying import What, carried
from peel.work.many.photo_jobs import job_of, note_job
from peel.work.many.runs import Opening, count_snags, opened_alone
from peel.work.many.status import status_of
from peel.work.many.thumbs import job_thumb
from peel.work.marking.finding import proposal_words
from peel.work.session.memory import is_file
from peel.work.session.session import Session

__all__ = ["approve", "carry_job", "give_set", "jobs_in", "load_job", "photos_in", "propose_job", "was_carried"]

_WAIT_S: Final = 24 * 3600


def photos_in(folder: Path) -> list[Path]:
    """List the photos in a folder, by name; what is hidden or being written under another name is not among them."""
    try:
        entries = sorted(folder.iterdir())
    except OSError as error:
        message = f"{folder} cannot be read: {os_reason(error)}."
        raise ProjectError(message, "Check that it is there and that you may read it.") from error
    return [path for path in entries if path.suffix.lower() in SUFFIXES and _is_ours(path)]


def _is_ours(path: Path) -> bool:
    """Return whether a name is not hidden and leads to a regular file: a pipe would keep its reader for ever."""
    return not path.name.startswith(".") and is_file(path)


def load_job(path: Path) -> Job:
    """Read the current state of a job file, and let go of the file.

    Raises
    ------
    PhotoError, ProjectError
    """
    project = ProjectFile.open(path)
    try:
        return project.load(project.history().current.number, project.read_photo())
    finally:
        project.close()


def jobs_in(folder: Path) -> list[Path]:
    """List the jobs in a folder, by name."""
    return sorted(path for path in folder.glob("*.peel") if _is_ours(path))


def propose_job(photo: Path, path: Path, recipe: RecipeFile | None = None) -> str:
    """Begin a job on a photo with Peel's own guess of the subject, solved and inspected; say what was found.

    Where Peel cannot tell a subject, nothing is marked.

    Raises
    ------
    PhotoError, SolveError
    ProjectError
        If there is a job of that name already, too.
    """

    def work(session: Session) -> str:
        finder = session.finder
        proposal = finder.propose()
        said, is_worth_it = proposal_words(proposal)

        def edit(job: Job) -> Job:
            if recipe is not None:
                for asset in recipe.assets:
                    job = job.with_asset(asset)
                job = use_settings(job, job.settings.model_copy(update={"recipe": recipe.recipe}))
            by_set = region_by_set(job)
            if by_set is not None:
                return mark_by_set(job, by_set).with_photo_settings(carried=True)
            return finder.mark_proposal(job, proposal, unseen=True) if is_worth_it else job

        session.apply("Propose", edit, by_hand=False)
        return said

    return _begun(photo, path, work)


def carry_job(source: Job, photo: Path, path: Path, what: What, opening: Opening = opened_alone) -> str:
    """Carry to a photo or to its job, as one step of undo; return a sentence that says what was carried.

    A job is changed where it lies, and so is that of a photo that has one at `path`; else a photo gets one there.
    `opening` gives the session on a job that is there.

    Raises
    ------
    PhotoError, ProjectError, MarkError, SolveError
    """
    said: list[str] = []

    def edit(job: Job) -> Job:
        done = carried(source, job, what)
        said.append(done.says)
        return done.job

    def work(session: Session) -> str:
        after = edit(session.job)  # here, so that what cannot be carried is said to whoever asked
        session.apply(_carry_label(source), lambda _job: after, by_hand=False)
        return said[0]

    return _on_job(photo, path, work, opening)


def give_set(frame: Path, photo: Path, path: Path, opening: Opening = opened_alone) -> str:
    """Give a photo or its job the picture of its set, as one step of undo; return a sentence that says how it fits.

    A photo that has no job yet gets one, marked by what differs from the set. Parameters are those of `carry_job`.

    Raises
    ------
    PhotoError, ProjectError, SolveError
    """

    def work(session: Session) -> str:
        asset, kind = read_frame(frame, session.job.photo)
        if kind != "empty":
            message = f"{frame.name} is {FRAME_WORDS[kind]} for {photo.name}."
            raise PhotoError(message, "Give such a frame to that photo alone, in Mark.")
        after = give_frame(session.job, asset, kind)
        if not after.has_subject:
            found = region_by_set(after)
            after = after if found is None else mark_by_set(after, found)
        after = after.with_photo_settings(carried=True)  # even where it was marked before: the matte is another one
        session.apply("Second frame", lambda _job: after, by_hand=False)
        fit = fit_of(after)
        return "" if fit is None else fit.says

    return _on_job(photo, path, work, opening)


def _on_job(photo: Path, path: Path, work: Callable[[Session], str], opening: Opening) -> str:
    """Work on a job where it lies, on that of a photo if it has one at `path`, or on a new one there."""
    there = photo if photo.suffix.lower() == ".peel" else path
    if not there.exists():
        return _begun(photo, path, work)
    with opening(there) as session:
        text = work(session)
        _finish(session)
    return text


def was_carried(source: Job, path: Path) -> bool:
    """Return whether a job was carried to before, as far as its steps of undo tell.

    Raises
    ------
    ProjectError
    """
    project = ProjectFile.open(path)
    try:
        return any(state.label == _carry_label(source) for state in project.history().states)
    finally:
        project.close()


def _carry_label(source: Job) -> str:
    return f"Carry from {source.photo.name}"


def approve(session: Session) -> None:
    """Take note that somebody has looked at what Peel made alone.

    Raises
    ------
    PeelError
    """
    session.apply("Look at the result", looked_at)
    _finish(session)


def _begun(photo: Path, path: Path, work: Callable[[Session], str]) -> str:
    """Begin a job beside its place, work on it, and give it its name once it is whole."""
    if path.exists():
        raise _there_already(path)
    content = read_bytes(photo)
    other = job_of(photo, photo_digest(content), path.parent)
    with explain(path):
        path.parent.mkdir(parents=True, exist_ok=True)
    with explain(path), temporary_beside(path) as temporary:
        session = Session.begin_with(content, photo.name, temporary)
        try:
            text = work(session)
            _finish(session)
        finally:
            session.close()
        _name(temporary, path)
        note_job(photo, photo_digest(content), path)
    return text if other is None else f"{text} There is another job on this photo: {other.path}."


def _name(temporary: Path, path: Path) -> None:
    """Give a file its name, unless another process gave it to a job meanwhile."""
    try:
        path.hardlink_to(temporary)
    except FileExistsError:
        raise _there_already(path) from None
    except OSError:  # a disk that knows no links
        temporary.replace(path)


def _there_already(path: Path) -> ProjectError:
    return ProjectError(
        f"There is a job called {path.name} already.", "Skip it with --resume, or choose another folder."
    )


def _finish(session: Session) -> None:
    """Wait until a job is solved, inspect it, and note how far it has come."""
    session.wait_idle(_WAIT_S)
    job = session.job
    if job.has_subject and not job.is_solved:
        raise SolveError(f"The matte of {job.photo.name} could not be solved.", "Open it in the window to see why.")
    if job.has_subject:
        count_snags(session)
    session.note("status", status_of(job).as_note())
    session.note("thumb", job_thumb(session.stages, job))
    session.check_stored()
