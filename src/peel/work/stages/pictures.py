"""The pictures that stand on a sheet beside the photo, decoded on first use."""

import threading
from weakref import WeakKeyDictionary

import numpy as np

from peel.errors import PhotoError
from peel.files.assets import decode_asset
from peel.job.assets import Asset
from peel.matte.arrays import FloatArray
from peel.matte.pixels import to_words, unit_floats
from peel.work.stages.pyramid import Pyramid

__all__ = ["Pictures"]

_ROWS = 256


class Pictures:
    """Assets at every level, premultiplied, in the sheet's profile. Any thread.

    Parameters
    ----------
    profile : bytes or None
    """

    def __init__(self, profile: bytes | None) -> None:
        self._profile = profile
        self._kept: WeakKeyDictionary[Asset, Pyramid | None] = WeakKeyDictionary()
        self._turn = threading.Lock()

    def pyramid(self, asset: Asset) -> Pyramid | None:
        """Return a picture at every level; None if it cannot be decoded."""
        if asset not in self._kept:
            with self._turn:
                if asset not in self._kept:
                    self._kept[asset] = self._decoded(asset)
        return self._kept[asset]

    def at_hand(self, asset: Asset) -> Pyramid | None:
        """Return a picture if it has been decoded already, without waiting for one that is being decoded."""
        return self._kept.get(asset)

    def _decoded(self, asset: Asset) -> Pyramid | None:
        try:
            pixels = decode_asset(asset, self._profile)
        except PhotoError:
            return None
        if pixels.shape[2] == 3:
            return Pyramid(pixels)
        out = np.empty(pixels.shape, np.uint16)
        for top in range(0, pixels.shape[0], _ROWS):  # in strips: all of it in floats would take too much memory
            part = unit_floats(pixels[top : top + _ROWS])
            part[..., :3] *= part[..., 3:]
            out[top : top + _ROWS] = to_words(part)
        return Pyramid(out)

    def is_solid(self, asset: Asset) -> bool:
        """Return whether a picture has no alpha."""
        pyramid = self.pyramid(asset)
        return pyramid is not None and pyramid.pixels(0).shape[2] == 3

    def premultiplied(self, asset: Asset, window: tuple[int, int, int, int], level: int) -> FloatArray:
        """Return a window (top, left, bottom, right) of a level as (h, w, 4) float32, premultiplied.

        All of a picture without alpha is solid; all of one that cannot be decoded is clear.
        """
        top, left, bottom, right = window
        pyramid = self.pyramid(asset)
        if pyramid is None:
            return np.zeros((bottom - top, right - left, 4), np.float32)
        values = unit_floats(pyramid.pixels(level)[top:bottom, left:right])
        return values if values.shape[2] == 4 else np.dstack([values, np.ones(values.shape[:2], np.float32)])
