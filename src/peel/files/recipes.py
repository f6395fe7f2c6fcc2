"""Recipes kept in files of their own, as JSON."""

from pathlib import Path
from typing import Final

from pydantic import ValidationError

from peel.errors import UsageError
from peel.files.photo import read_bytes
from peel.job.settings import Recipe

__all__ = ["read_recipe"]

_MAX_BYTES: Final = 1_000_000


def read_recipe(path: Path) -> Recipe:
    """Read a recipe; what it leaves out is as in a new job.

    Raises
    ------
    PhotoError
        If the file cannot be read.
    UsageError
        If it is no recipe, or one of its settings is unknown or out of bounds; the sentence names it.
    """
    content = read_bytes(path)
    if len(content) > _MAX_BYTES:
        message = f"{path} is too large to be a recipe."
        raise UsageError(message, 'Give a JSON file with settings such as {"colour": {"clean": 0.5}}.')
    try:
        return Recipe.model_validate_json(content)
    except (ValidationError, RecursionError) as error:
        raise UsageError(_sentence(path, error), "Mend it, or leave the setting out.") from error


def _sentence(path: Path, error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return f"{path} is no recipe."
    first = error.errors(include_url=False, include_input=False)[0]
    where = ".".join(str(part) for part in first["loc"])[:80]
    if first["type"] == "extra_forbidden":
        return f"{path} names a setting that there is not: {where}."
    said = str(first["msg"]).rstrip(".")
    return f"{path} cannot be used: {where + ': ' if where else ''}{said[0].lower()}{said[1:]}."
