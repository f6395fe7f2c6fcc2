"""How Numba finds kernels that were compiled when Peel was installed; see `peel.matte.kernel_cache`."""

from numba.core.caching import InTreeCacheLocator

__all__ = ["InstalledKernels"]


class InstalledKernels(InTreeCacheLocator):  # type: ignore[misc] # Numba has no types
    """Kernels beside their sources, in a folder that is only read; Numba passes over one that it cannot write to."""

    def ensure_cache_path(self) -> None:
        """Do nothing: the mark beside them says that they are there."""
