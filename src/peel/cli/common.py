"""What the commands share: the application they register with, progress on stderr, and jobs opened and solved."""

import unicodedata
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.console import Console
from rich.markup import escape
from rich.progress import Progress, TextColumn

from peel.errors import SolveError, UsageError

if TYPE_CHECKING:
    from peel.work.delivering.rows import RunRow
    from peel.work.many.each import WorkRow
    from peel.work.session.session import Session

__all__ = ["app", "code_of", "colour_of", "complain", "progress", "say", "share_of", "solved"]

app = typer.Typer(
    help="Cut a photograph's subject from its backdrop as a clean alpha matte.",
    no_args_is_help=False,
    add_completion=False,
    pretty_exceptions_enable=False,
)
errors = Console(stderr=True)


@contextmanager
def solved(path: Path) -> "Iterator[tuple[Session, Callable[[str, float], None]]]":
    """Open a job, solve what is unsolved, and give its session with something to tell progress to.

    Raises
    ------
    SolveError
        If it has no subject, or cannot be solved.
    """
    from peel.files.project import ProjectFile
    from peel.work.session.session import Session
    from peel.work.solving.solve import check_solvable

    session = Session.resume(ProjectFile.open(path))
    try:
        if not session.job.has_subject:
            message = f"{path} has no subject marked yet."
            raise SolveError(message, "Open it in the window and mark one.")
        with progress() as tell:
            tell("Solving", 0.0)
            check_solvable(session.job)
            session.wait_idle(24 * 3600)
            if not session.job.is_solved:
                message = f"The matte of {path} could not be solved."
                raise SolveError(message, "Open it in the window to see why.")
            yield session, tell
    finally:
        session.close()


def share_of(tell: Callable[[str, float], None], stage: str) -> Callable[[float], bool]:
    """Return what takes a share done and tells it as progress of a stage."""

    def told(share: float) -> bool:
        tell(stage, share)
        return True

    return told


def say(text: str, *, err: bool = False) -> None:
    """Print a line; names with control characters in them are printed as what they are, not obeyed."""
    typer.echo(printable(text), err=err)


def printable(text: str) -> str:
    r"""Return a text with everything that a terminal obeys, or that cannot be encoded, written out.

    >>> printable("a\x1b[31mb")
    'a\\x1b[31mb'
    """
    return "".join(
        character if unicodedata.category(character)[0] != "C" else character.encode("unicode_escape").decode("ascii")
        for character in text
    )


def complain(path: str, error: str, *, alone: bool = False) -> None:
    """Say on stderr what went wrong with one of several files, and with which one unless the sentence names it."""
    named = "" if alone or Path(path).name in error else f"{path}: "
    say(f"peel: {named}{error}", err=True)


def code_of(rows: Sequence["RunRow | WorkRow"]) -> int:
    """Return the exit code of several pieces of work: of what failed first, before what was only left out."""
    codes = [5 if row.code is None else row.code for row in rows if row.error]
    return next((code for code in codes if code != 1), max(codes, default=0))


class progress:  # noqa: N801 - used like a function
    """Show progress on stderr: a bar on a terminal, a line per stage in a log."""

    def __init__(self) -> None:
        self._bar = Progress(
            *Progress.get_default_columns()[:2],
            TextColumn("{task.percentage:>3.0f} %"),
            console=errors,
            transient=True,
        )
        self._task = self._bar.add_task("", total=1.0)
        self._stage = ""

    def __enter__(self) -> Callable[[str, float], None]:
        if errors.is_terminal:
            self._bar.start()
        return self._tell

    def __exit__(self, *_error: object) -> None:
        if errors.is_terminal:
            self._bar.stop()

    def _tell(self, stage: str, share: float) -> None:
        if stage != self._stage and not errors.is_terminal:
            say(stage, err=True)
        self._stage = stage
        self._bar.update(self._task, description=escape(printable(stage)), completed=share)


def colour_of(text: str) -> str:
    """Return a colour that was written as ``#rrggbb``.

    Raises
    ------
    UsageError
        If it is none.
    """
    import re

    if not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        message = f"{text} is not a colour."
        raise UsageError(message, "Give it as #rrggbb, for example #ffffff.")
    return text.lower()
