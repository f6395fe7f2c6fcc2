"""Compile every kernel and leave it in the cache, so that no first stroke waits for it.

A kernel that is compiled after others of the same process can differ, in the last bits of what it computes, from the
same kernel read back from the cache. So kernels are compiled in a process that computes nothing, and every process
that does compute reads them: only so does the first photo come out as it would the second time.
"""

import contextlib
import fcntl
import importlib
import pkgutil
import subprocess
import sys

import peel.matte
from peel.matte.kernel_cache import cache_folder, mark_in, old_marks

__all__ = ["is_warm", "warm", "warm_apart"]


def is_warm() -> bool:
    """Return whether these kernels have been compiled on this machine; takes a few milliseconds."""
    return mark_in(cache_folder()).exists()


def warm() -> None:
    """Import every module below `peel.matte`: kernels have explicit signatures, so importing compiles or loads them."""
    for module in pkgutil.walk_packages(peel.matte.__path__, "peel.matte."):
        if module.name != "peel.matte.warm":
            importlib.import_module(module.name)
    mark = mark_in(cache_folder())
    mark.parent.mkdir(parents=True, exist_ok=True)
    for old in old_marks(mark.parent):
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
        cache_folder().mkdir(parents=True, exist_ok=True)
        with (cache_folder() / "peel.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not is_warm():
                subprocess.run([sys.executable, "-m", "peel.matte.warm"], check=False, stdin=subprocess.DEVNULL)


if __name__ == "__main__":
    warm()
