"""Recipes kept in files of their own, as JSON."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Final, TypeVar

from pydantic import Field, TypeAdapter

from peel.errors import UsageError
from peel.files.assets import read_asset
from peel.files.json_settings import read_settings, refusal
from peel.job.assets import Asset
from peel.job.settings import MOST_SHADOW_STROKES, Point, Recipe, ShadowStroke

__all__ = ["RecipeFile", "read_recipe", "read_strands", "read_strokes"]

_T = TypeVar("_T")
_STROKES: Final = TypeAdapter(Annotated[tuple[ShadowStroke, ...], Field(max_length=MOST_SHADOW_STROKES)])
_Strand = Annotated[tuple[Point, ...], Field(min_length=1, max_length=20_000)]
_STRANDS: Final = TypeAdapter(Annotated[tuple[_Strand, ...], Field(max_length=2_000)])


@dataclass(frozen=True)
class RecipeFile:
    """A recipe, and the pictures that it names."""

    recipe: Recipe
    assets: tuple[Asset, ...] = ()


def read_recipe(path: Path) -> RecipeFile:
    """Read a recipe; what it leaves out is as in a new job.

    A backing's photo, a pattern's tile or a second frame names its picture by ``"file"``, relative to the recipe.

    Raises
    ------
    PhotoError
        If the file, or a picture that it names, cannot be read.
    UsageError
        If it is no recipe, or one of its settings is unknown or out of bounds; the sentence names it.
    """
    settings = read_settings(path, "recipe")
    assets = _with_pictures(settings, path)
    try:
        return RecipeFile(Recipe.model_validate_json(json.dumps(settings)), assets)
    except (ValueError, RecursionError) as error:
        raise refusal(path, error) from error


def read_strokes(path: Path) -> tuple[ShadowStroke, ...]:
    """Read strokes of a painted shadow: a list, or an object with ``"strokes"``.

    Raises
    ------
    PhotoError
        If the file cannot be read.
    UsageError
        If it holds no strokes, or one of their values is out of bounds; the sentence names it.
    """
    return _read_list(path, "strokes", _STROKES)


def read_strands(path: Path) -> tuple[tuple[Point, ...], ...]:
    """Read strands to be followed: a list, or an object with ``"strands"``, of lists of points [x, y].

    Raises
    ------
    PhotoError
        If the file cannot be read.
    UsageError
        If it holds no strands, or one of their values is out of bounds; the sentence names it.
    """
    return _read_list(path, "strands", _STRANDS)


def _read_list(path: Path, name: str, kind: TypeAdapter[_T]) -> _T:
    """Read a list that is a file of its own, or stands in an object under its name."""
    found = read_settings(path, f"list of {name}")
    if isinstance(found, dict):
        found = found.get(name)
    try:
        return kind.validate_json(json.dumps(found))
    except (ValueError, RecursionError) as error:
        raise refusal(path, error) from error


def _beside(recipe: Path, name: str) -> Path:
    """Return a picture's path; a recipe from a stranger must not take in what lies anywhere else.

    Raises
    ------
    UsageError
    """
    folder = recipe.parent.resolve()
    path = (folder / name).resolve()
    if Path(name).is_absolute() or not path.is_relative_to(folder):
        message = f"{recipe} names a picture outside its own folder: {name}."
        raise UsageError(message, "Put the picture beside the recipe, and name it from there.")
    return path


def _with_pictures(settings: Any, path: Path) -> tuple[Asset, ...]:
    """Read the pictures that a recipe names by file, and name them by their digests instead."""
    if not isinstance(settings, dict):
        return ()
    backing = settings.get("backing")
    parts = [backing.get(name) for name in ("photo", "pattern")] if isinstance(backing, dict) else []
    found = []
    for part in (*parts, settings.get("second_frame")):
        if isinstance(part, dict) and isinstance(part.get("file"), str):
            asset = read_asset(_beside(path, part.pop("file")))
            part["picture"] = asset.digest
            found.append(asset)
    return tuple(found)
