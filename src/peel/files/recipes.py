"""Recipes kept in files of their own, as JSON."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from pydantic import ValidationError

from peel.errors import UsageError
from peel.files.assets import read_asset
from peel.files.photo import read_bytes
from peel.job.assets import Asset
from peel.job.settings import Recipe

__all__ = ["RecipeFile", "read_recipe"]

_MAX_BYTES: Final = 1_000_000


@dataclass(frozen=True)
class RecipeFile:
    """A recipe, and the pictures that its backing names."""

    recipe: Recipe
    assets: tuple[Asset, ...] = ()


def read_recipe(path: Path) -> RecipeFile:
    """Read a recipe; what it leaves out is as in a new job.

    A backing's photo, or a pattern's tile, names its picture by ``"file"``, relative to the recipe.

    Raises
    ------
    PhotoError
        If the file, or a picture that it names, cannot be read.
    UsageError
        If it is no recipe, or one of its settings is unknown or out of bounds; the sentence names it.
    """
    content = read_bytes(path)
    if len(content) > _MAX_BYTES:
        message = f"{path} is too large to be a recipe."
        raise UsageError(message, 'Give a JSON file with settings such as {"colour": {"clean": 0.5}}.')
    try:
        settings = json.loads(content)
        assets = _with_pictures(settings, path)
        return RecipeFile(Recipe.model_validate_json(json.dumps(settings)), assets)
    except (ValueError, RecursionError) as error:  # of JSON, of text, and of settings
        raise UsageError(_sentence(path, error), "Mend it, or leave the setting out.") from error


def _with_pictures(settings: Any, path: Path) -> tuple[Asset, ...]:
    """Read the pictures that a recipe names by file, and name them by their digests instead."""
    backing = settings.get("backing") if isinstance(settings, dict) else None
    found = []
    for name in ("photo", "pattern"):
        part = backing.get(name) if isinstance(backing, dict) else None
        if isinstance(part, dict) and isinstance(part.get("file"), str):
            asset = read_asset(path.parent / part.pop("file"))
            part["picture"] = asset.digest
            found.append(asset)
    return tuple(found)


def _sentence(path: Path, error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return f"{path} cannot be used: it is no JSON file with settings."
    first = error.errors(include_url=False, include_input=False)[0]
    where = ".".join(str(part) for part in first["loc"])[:80]
    if first["type"] == "extra_forbidden":
        return f"{path} names a setting that there is not: {where}."
    said = str(first["msg"]).rstrip(".")
    return f"{path} cannot be used: {where + ': ' if where else ''}{said[0].lower()}{said[1:]}."
