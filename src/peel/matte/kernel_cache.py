"""Where compiled kernels are kept: beside the sources, in the person's own cache, or as an installation left them.

Numba loads what it finds in its cache as code, so the last resort is a folder that only this process knows.
"""

import hashlib
import os
import sys
import tempfile
from importlib.metadata import version
from pathlib import Path
from typing import Final

__all__ = ["cache_folder", "choose_cache", "mark_in", "old_marks"]

_FOLDER: Final = Path(__file__).parent
_KIND: Final = f"peel-{sys.implementation.cache_tag}"


def choose_cache() -> None:
    """Let Numba keep compiled kernels somewhere, even if Peel is installed read-only and there is no home folder.

    Kernels that were compiled when Peel was installed, on this processor and from these sources, are read there.
    """
    if "NUMBA_CACHE_DIR" in os.environ or os.access(_FOLDER, os.W_OK):
        return
    if mark_in(_FOLDER / "__pycache__").exists():
        os.environ["NUMBA_CACHE_LOCATOR_CLASSES"] = "peel.matte.installed_kernels.InstalledKernels"
        return
    cache = Path(os.environ.get("XDG_CACHE_HOME") or Path(os.environ.get("HOME") or "/nonexistent") / ".cache")
    try:
        folder = cache / "peel" / "kernels"
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        writable = os.access(folder, os.W_OK)
    except OSError:
        writable = False
    os.environ["NUMBA_CACHE_DIR"] = str(folder) if writable else tempfile.mkdtemp(prefix="peel-kernels-")


def cache_folder() -> Path:
    """Return the folder where Numba keeps kernels, or one beside them."""
    return Path(os.environ.get("NUMBA_CACHE_DIR") or _FOLDER / "__pycache__")


def mark_in(cache: Path) -> Path:
    """Return the file that says that the kernels are there: another for other sources, processors, Python or Numba."""
    sources = sorted(_FOLDER.rglob("*.py"))
    known = [str(_FOLDER), sys.version, version("numba"), _processor()]
    known += [f"{path}:{path.stat().st_mtime_ns}" for path in sources]
    digest = hashlib.sha256("\n".join(known).encode()).hexdigest()[:16]
    return cache / f"{_KIND}-{digest}.warm"


def old_marks(cache: Path) -> list[Path]:
    """List marks of this Python, of whatever sources."""
    return list(cache.glob(f"{_KIND}-*.warm"))


def _processor() -> str:
    """Return what the system says of the processor's abilities; machine code is made for them."""
    try:
        with Path("/proc/cpuinfo").open() as lines:
            told = [line for line in (next(lines, "") for _ in range(40)) if line.startswith(("model name", "flags"))]
    except OSError:
        return ""
    return "".join(told)
