"""Settings in JSON files of their own: read with a bound on their size, and what is wrong with them in a sentence."""

import json
from pathlib import Path
from typing import Any, Final

from pydantic import ValidationError
from pydantic_core import ErrorDetails

from peel.errors import UsageError
from peel.files.photo import read_bytes

__all__ = ["read_settings", "refusal", "said_of"]

_MAX_BYTES: Final = 1_000_000


def read_settings(path: Path, what: str) -> Any:
    """Read a JSON file that holds settings, called `what` when something is wrong.

    Raises
    ------
    PhotoError
        If the file cannot be read.
    UsageError
        If it is no JSON file, or too large for one with settings.
    """
    content = read_bytes(path)
    if len(content) > _MAX_BYTES:
        raise UsageError(f"{path} is too large to be a {what}.", "Give a JSON file with settings.")
    try:
        return json.loads(content)
    except (ValueError, RecursionError) as error:
        raise refusal(path, error) from error


def refusal(path: Path, error: Exception) -> UsageError:
    """Return the error that says what is wrong with the settings in a file, by name."""
    return UsageError(_sentence(path, error), "Mend it, or leave the setting out.")


def _sentence(path: Path, error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return f"{path} cannot be used: it is no JSON file with settings."
    first = error.errors(include_url=False, include_input=False)[0]
    if first["type"] == "extra_forbidden":
        return f"{path} names a setting that there is not: {_where(first)}."
    return f"{path} cannot be used: {said_of(error)}."


def said_of(error: ValidationError) -> str:
    """Return what is wrong with settings, the first of it, as a clause without a stop."""
    first = error.errors(include_url=False, include_input=False)[0]
    said = str(first["msg"]).rstrip(".")
    own = said.removeprefix("Value error, ")
    said = own if own != said else said[0].lower() + said[1:]
    where = _where(first)
    return f"{where + ': ' if where else ''}{said}"


def _where(error: ErrorDetails) -> str:
    return ".".join(str(part) for part in error["loc"])[:80]
