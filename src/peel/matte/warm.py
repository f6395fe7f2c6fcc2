"""Compile every kernel and leave it in the cache, so that no first stroke waits for it.

A kernel that is compiled after others of the same process can differ, in the last bits of what it computes, from the
same kernel read back from the cache. So kernels are compiled in a process that computes nothing, and every process
that does compute reads them: only so does the first photo come out as it would the second time.
"""

import contextlib
import fcntl
import hashlib
import importlib
import os
import pkgutil
import subprocess
import sys
from importlib.metadata import version
from pathlib import Path

import peel.matte

__all__ = ["is_warm", "warm", "warm_apart"]

_FOLDER = Path(peel.matte.__file__).parent
_KIND = f"peel-{sys.implementation.cache_tag}"


def is_warm() -> bool:
    """Return whether these kernels have been compiled on this machine; takes a few milliseconds."""
    return _mark().exists()


def warm() -> None:
    """Import every module below `peel.matte`: kernels have explicit signatures, so importing compiles or loads them."""
    for module in pkgutil.walk_packages(peel.matte.__path__, "peel.matte."):
        if module.name != "peel.matte.warm":
            importlib.import_module(module.name)
    mark = _mark()
    mark.parent.mkdir(parents=True, exist_ok=True)
    for old in mark.parent.glob(f"{_KIND}-*.warm"):
        old.unlink(missing_ok=True)
    mark.touch()


def warm_apart() -> None:
    """Have another process compile the kernels, unless that has been done; waits, up to minutes.

    Several that ask at once wait for one. Should the other process fail, or nothing can be written to the cache, this
    one compiles for itself as it goes on.
    """
    if is_warm():
        return
    with contextlib.suppress(OSError):
        _cache().mkdir(parents=True, exist_ok=True)
        with (_cache() / "peel.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not is_warm():
                subprocess.run([sys.executable, "-m", "peel.matte.warm"], check=False, stdin=subprocess.DEVNULL)


def _cache() -> Path:
    """Return the folder where Numba keeps kernels, or one beside them."""
    return Path(os.environ.get("NUMBA_CACHE_DIR") or _FOLDER / "__pycache__")


def _mark() -> Path:
    """Return the file that says that the kernels are there: another one for other sources, Python or Numba."""
    sources = sorted(_FOLDER.rglob("*.py"))
    known = [str(_FOLDER), sys.version, version("numba"), *(f"{path}:{path.stat().st_mtime_ns}" for path in sources)]
    digest = hashlib.sha256("\n".join(known).encode()).hexdigest()[:16]
    return _cache() / f"{_KIND}-{digest}.warm"


if __name__ == "__main__":
    warm()
