"""The numeric heart: pure functions on arrays. It knows no files, no job and no Qt."""

from peel.matte.kernel_cache import choose_cache

choose_cache()
