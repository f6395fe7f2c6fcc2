"""The planes of a job, as one table: what each holds, what is legal in it, and when it is reset."""

from dataclasses import dataclass
from enum import Enum
from typing import Any, Final

import numpy as np

from peel.job.plane import Plane, Raster
from peel.job.settings import MOST_SEPARATIONS, MOST_TINTS
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN

__all__ = ["PLANES", "PlaneSpec", "Role"]


class Role(Enum):
    """What a plane is for; planes are reset by role, so that none can be forgotten."""

    MARK = "marked by hand or by a marking tool"
    BAND = "follows from the marks and the band's settings"
    SOLUTION = "follows from the band by solving"
    TOUCH = "put on the solved matte by hand"
    COLOUR = "put on the subject's colours by hand"
    SHADOW = "put on shadows by hand"


@dataclass(frozen=True)
class PlaneSpec:
    """One plane of a job.

    Attributes
    ----------
    name : str
        Its name in code and in the job file.
    dtype : numpy dtype
    codes : frozenset of int or None
        The legal values; None allows every value of the dtype.
    default : int
        The value of every pixel of an absent plane.
    role : Role
    """

    name: str
    dtype: np.dtype[Any]
    codes: frozenset[int] | None
    default: int
    role: Role

    def allows(self, values: Raster) -> bool:
        """Return whether an array holds legal values only.

        >>> PLANES["zones"].allows(np.array([0, 7], np.uint8))
        False
        """
        if values.dtype != self.dtype:
            return False
        if self.codes is None:
            return True
        legal = np.zeros(1 << (8 * self.dtype.itemsize), bool)
        legal[list(self.codes)] = True
        return bool(legal[values].all())

    def blank(self, height: int, width: int) -> Plane:
        """Make a plane that holds the default throughout."""
        return Plane.filled(height, width, self.default, self.dtype)


_BYTE: Final = np.dtype(np.uint8)

PLANES: Final[dict[str, PlaneSpec]] = {
    spec.name: spec
    for spec in (
        # How much of each pixel the drawn contours cover: 255 inside, 0 outside.
        PlaneSpec("outline", _BYTE, None, 0, Role.MARK),
        # Where Brush, Sweep, Alike and the like overrule the contours: 0 nowhere, 1 backdrop, 2 subject.
        PlaneSpec("marks", _BYTE, frozenset({0, 1, 2}), 0, Role.MARK),
        # What the person says an edge is: 0 nothing, 1 hard beside a contour's exact stretch, 2 brushed to be
        # as Peel suggests, the others 2 more than the kind that was brushed.
        PlaneSpec("kinds", _BYTE, frozenset({0, 1, 2, *(kind + 2 for kind in Kind)}), 0, Role.MARK),
        # Where the zone brushes overrule the laid band: 0 nowhere, 1 backdrop, 2 unsure, 3 subject.
        PlaneSpec("corrections", _BYTE, frozenset({0, 1, 2, 3}), 0, Role.MARK),
        # How much the nearest boundary is trusted: 0 as the recipe says, else 1 (rough) to 255 (exact).
        PlaneSpec("trusted", _BYTE, None, 0, Role.MARK),
        # On which separation's stretches a pixel lies: 0 none, else its number, counted from 1.
        PlaneSpec("separated", _BYTE, frozenset(range(MOST_SEPARATIONS + 1)), 0, Role.MARK),
        # The trimap that follows from those above and the band's widths.
        PlaneSpec("zones", _BYTE, frozenset({BACKGROUND, UNKNOWN, FOREGROUND}), BACKGROUND, Role.BAND),
        # What Peel takes the nearest edge for: 0 nothing, else the kind.
        PlaneSpec("suggested", _BYTE, frozenset({0, *Kind}), 0, Role.BAND),
        # How sure it is of that: 0 to 255.
        PlaneSpec("confidence", _BYTE, None, 0, Role.BAND),
        # Touch-ups. Pulled to clear below 128, to solid above; thinned below 128, firmed above.
        PlaneSpec("force", _BYTE, None, 128, Role.TOUCH),
        PlaneSpec("firmness", _BYTE, None, 128, Role.TOUCH),
        # By how many eighths of a pixel the matte was pushed to the right, and down; 128 is not at all.
        PlaneSpec("push_right", _BYTE, None, 128, Role.TOUCH),
        PlaneSpec("push_down", _BYTE, None, 128, Role.TOUCH),
        # How far it is softened: 0 not at all, 255 fully.
        PlaneSpec("softness", _BYTE, None, 0, Role.TOUCH),
        # Alpha that was brushed in from another version of the matte, 65535 for 1, and how much of it: 0 to 255.
        PlaneSpec("borrowed", np.dtype(np.uint16), None, 0, Role.TOUCH),
        PlaneSpec("borrowed_weight", _BYTE, None, 0, Role.TOUCH),
        # Colour: the number of the tint whose patch a pixel lies in, 0 for none, and how much of it.
        PlaneSpec("patch", _BYTE, frozenset(range(MOST_TINTS + 1)), 0, Role.COLOUR),
        PlaneSpec("patch_weight", _BYTE, None, 0, Role.COLOUR),
        # Darkened below 128, lightened above; how much of the photo's own colour is brushed back, 0 to 255.
        PlaneSpec("toning", _BYTE, None, 128, Role.COLOUR),
        PlaneSpec("original", _BYTE, None, 0, Role.COLOUR),
        # Shadow: how much of the photo's own is kept; weaker below 128, stronger above.
        PlaneSpec("shadow_kept", _BYTE, None, 0, Role.SHADOW),
        PlaneSpec("shadow_weight", _BYTE, None, 128, Role.SHADOW),
        # Alpha as solved so far, 65535 for 1; exact wherever the zones are certain.
        PlaneSpec("matte", np.dtype(np.uint16), None, 0, Role.SOLUTION),
        # 1 where the zones changed and the matte has not caught up.
        PlaneSpec("unsolved", _BYTE, frozenset({0, 1}), 0, Role.SOLUTION),
    )
}
"""Every plane by name. A plane added here is checked on loading, stored, and reset by its role."""
