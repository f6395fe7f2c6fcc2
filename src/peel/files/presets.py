"""Presets as JSON files: those that ship with Peel, and those of the person."""

import json
from pathlib import Path
from typing import Final

import platformdirs

from peel.errors import UsageError
from peel.files.atomic import write_whole
from peel.files.json_settings import read_settings, refusal
from peel.files.names import clean_name
from peel.job.preset import Preset

__all__ = [
    "SHIPPED",
    "find_preset",
    "import_preset",
    "keep_preset",
    "own_folder",
    "presets",
    "read_preset",
    "remove_preset",
    "shipped_presets",
    "write_preset",
]

SHIPPED: Final = Path(__file__).parent.parent / "presets"
_MOST: Final = 200


def own_folder() -> Path:
    """Return the folder of the person's own presets."""
    return Path(platformdirs.user_config_dir("peel", appauthor=False)) / "presets"


def read_preset(path: Path) -> Preset:
    """Read a preset.

    Raises
    ------
    PhotoError
        If the file cannot be read.
    UsageError
        If it is none, names a setting that there is not, or asks for what its format cannot do.
    """
    found = read_settings(path, "preset")
    if isinstance(found, dict):
        found = {"name": path.stem, **found}
    try:
        return Preset.model_validate_json(json.dumps(found))
    except (ValueError, RecursionError) as error:
        raise refusal(path, error) from error


def write_preset(preset: Preset, path: Path) -> None:
    """Write a preset, leaving out what is as it is by default.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    own = preset.model_dump(exclude_defaults=True, mode="json")
    text = json.dumps({"name": preset.name, "product": preset.product, "format": preset.format, **own}, indent=2)
    write_whole(path, lambda file: file.write((text + "\n").encode()))


def presets() -> dict[str, Preset]:
    """Return every preset by its name, shipped ones first; files that are none are passed over."""
    return shipped_presets() | _presets_in(own_folder())


def shipped_presets() -> dict[str, Preset]:
    """Return the presets that ship with Peel, by their names."""
    return _presets_in(SHIPPED)


def _presets_in(folder: Path) -> dict[str, Preset]:
    found: dict[str, Preset] = {}
    for path in sorted(folder.glob("*.json"))[:_MOST] if folder.is_dir() else []:
        try:
            preset = read_preset(path)
        except Exception:  # noqa: BLE001 - one file of many that cannot be read is no reason to have none
            continue
        found[preset.name] = preset
    return found


def find_preset(named: str) -> Preset:
    """Return a preset by its name, or from a file.

    Raises
    ------
    UsageError
        If there is none of the name.
    """
    if named.endswith(".json"):
        return read_preset(Path(named))
    known = presets()
    if named in known:
        return known[named]
    by_case = {name.casefold(): preset for name, preset in known.items()}
    if named.casefold() in by_case:
        return by_case[named.casefold()]
    message = f"There is no preset called {named}."
    raise UsageError(message, f"There are: {', '.join(known)}; or give a JSON file.")


def import_preset(path: Path) -> Preset:
    """Add a preset to the person's own; one of the same name is replaced."""
    return keep_preset(read_preset(path))


def keep_preset(preset: Preset) -> Preset:
    """Add a preset to the person's own, in place of one of its name.

    Raises
    ------
    DeliveryError
        If it cannot be written.
    """
    write_preset(preset, _own_path(preset.name))
    return preset


def remove_preset(name: str) -> None:
    """Remove one of the person's own presets."""
    _own_path(name).unlink(missing_ok=True)


def _own_path(name: str) -> Path:
    """Return the file of the person's own preset of a name, as it is or will be called."""
    folder = own_folder()
    known = (path for path in sorted(folder.glob("*.json"))[:_MOST] if _name_in(path) == name)
    there = next(known, None)
    if there is not None:
        return there
    stem = clean_name("".join(part if part.isalnum() or part in " -_" else "-" for part in name).strip() or "preset")
    path, number = folder / f"{stem}.json", 2
    while path.exists():  # another preset's, whose name differs in what no file can be called
        path, number = folder / f"{stem}-{number}.json", number + 1
    return path


def _name_in(path: Path) -> str | None:
    try:
        return read_preset(path).name
    except Exception:  # noqa: BLE001 - whatever it is, it is no preset of that name
        return None
