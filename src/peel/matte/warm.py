"""Compile every kernel and leave it in the cache: part of setting Peel up, so that no first stroke waits for it."""

import importlib
from typing import Final

__all__ = ["warm"]

_KERNELS: Final = (
    "srgb",
    "laplacian",
    "hat_kernels",
    "coarse_space",
    "run_kernels",
    "along_edges",
    "noise",
    "evening",
    "sampling",
    "local_colours",
    "light",
    "foreground",
    "coverage",
    "edge_line",
    "alike",
    "proposal",
)


def warm() -> None:
    """Import the modules whose kernels have explicit signatures: importing compiles them, or loads them."""
    for name in _KERNELS:
        importlib.import_module(f"peel.matte.{name}")


if __name__ == "__main__":
    warm()
