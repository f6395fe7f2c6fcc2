"""Outlines as files: SVG, and the path that clips a TIFF or JPEG."""

import struct
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["path_resource", "svg_outline"]

Runs = Sequence[Sequence[NDArray[Any]]]
"""Closed runs of cubic pieces (4, 2), x and y in pixels."""


def svg_outline(runs: Runs, height: int, width: int) -> bytes:
    """Write closed runs of curves as one SVG path, filled by the even-odd rule."""
    parts = []
    for run in runs:
        x, y = run[0][0]
        parts.append(f"M{x:.2f} {y:.2f}")
        parts += ["C" + " ".join(f"{u:.2f} {v:.2f}" for u, v in piece[1:]) for piece in run]
        parts.append("Z")
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">'
        f'<path fill-rule="evenodd" d="{"".join(parts)}"/></svg>\n'
    ).encode()


def path_resource(runs: Runs, height: int, width: int) -> bytes:
    """Write closed runs of curves as a path of image resources.

    Notes
    -----
    Records of 26 bytes: a rule, then for each run its number of knots and the knots, each as the handle before it, the
    knot and the handle after it; down before across, in 2^24ths of the picture's size.
    """
    size = np.array([height, width], np.float64)

    def fixed(point: NDArray[Any]) -> bytes:
        down, across = np.round(np.clip(point[::-1] / size, -100, 100) * (1 << 24)).astype(int)
        return struct.pack(">ii", down, across)

    out = struct.pack(">H24x", 6) + struct.pack(">HH22x", 8, 0)
    for run in runs:
        out += struct.pack(">HHhH18x", 0, len(run), 1, 1)
        for before, piece in zip([run[-1], *run[:-1]], run, strict=True):
            out += struct.pack(">H", 2) + fixed(before[2]) + fixed(piece[0]) + fixed(piece[1])
    return out
