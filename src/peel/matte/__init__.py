"""The numeric heart: pure functions on arrays. It knows no files, no job and no Qt."""

import os
import tempfile
from pathlib import Path


def _choose_kernel_cache() -> None:
    """Let Numba keep compiled kernels somewhere even if Peel is installed read-only and there is no home folder.

    Numba loads what it finds in its cache as code, so the last resort is a folder that only this process knows.
    """
    if "NUMBA_CACHE_DIR" in os.environ or os.access(Path(__file__).parent, os.W_OK):
        return
    cache = Path(os.environ.get("XDG_CACHE_HOME") or Path(os.environ.get("HOME") or "/nonexistent") / ".cache")
    try:
        folder = cache / "peel" / "kernels"
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        writable = os.access(folder, os.W_OK)
    except OSError:
        writable = False
    os.environ["NUMBA_CACHE_DIR"] = str(folder) if writable else tempfile.mkdtemp(prefix="peel-kernels-")


_choose_kernel_cache()
