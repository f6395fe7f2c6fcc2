"""Every exception that Peel raises on purpose.

Each carries one sentence a person can act on: what failed, on which file, why; the hint says what to do next.
"""

__all__ = [
    "AlreadyThereError",
    "Cancelled",
    "DeliveryError",
    "InUseError",
    "MarkError",
    "PeelError",
    "PhotoError",
    "ProjectError",
    "SolveError",
    "UsageError",
    "os_reason",
]


class PeelError(Exception):
    """Something expected went wrong; the message is meant for the person.

    Parameters
    ----------
    message : str
        One sentence: what failed, on what, and why.
    hint : str
        What the person can do next; may be empty.
    """

    def __init__(self, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint

    def __str__(self) -> str:
        return f"{self.message} {self.hint}".strip()


class PhotoError(PeelError):
    """A picture cannot be read, or does not fit what it is meant for."""


class ProjectError(PeelError):
    """A job file cannot be opened, is in use, or cannot be written."""


class InUseError(ProjectError):
    """A job file is open elsewhere."""


class DeliveryError(PeelError):
    """A file to be delivered could not be written."""


class AlreadyThereError(DeliveryError):
    """A file of that name is there, and nobody said that it may be replaced."""


class MarkError(PeelError):
    """A mark cannot be made there, or would come to nothing."""


class SolveError(PeelError):
    """The zones or the photo do not allow a matte to be computed."""


class UsageError(PeelError):
    """A command or setting makes no sense as given."""


class Cancelled(Exception):  # noqa: N818 - not an error: the work was overtaken or cancelled
    """The computation was cancelled before it was done."""


def os_reason(error: OSError | ValueError) -> str:
    """Say in plain words why the system refused a file.

    >>> os_reason(PermissionError(13, "Permission denied"))
    'permission denied'
    """
    return (getattr(error, "strerror", None) or str(error) or type(error).__name__).lower()


def exit_code(error: PeelError) -> int:
    """Return the exit code that an error ends a command with."""
    if isinstance(error, UsageError):
        return 2
    if isinstance(error, DeliveryError):
        return 4
    if isinstance(error, PhotoError | ProjectError | SolveError):
        return 3
    return 5
