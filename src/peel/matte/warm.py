"""Compile every kernel and leave it in the cache: part of setting Peel up, so that no first stroke waits for it."""

import importlib
import pkgutil

import peel.matte

__all__ = ["warm"]


def warm() -> None:
    """Import every module below `peel.matte`: kernels have explicit signatures, so importing compiles or loads them."""
    for module in pkgutil.walk_packages(peel.matte.__path__, "peel.matte."):
        if module.name != __name__:
            importlib.import_module(module.name)


if __name__ == "__main__":
    warm()
