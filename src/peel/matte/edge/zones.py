"""The codes of the three zones of a trimap."""

from typing import Final

__all__ = ["BACKGROUND", "FOREGROUND", "UNKNOWN"]

BACKGROUND: Final = 0
UNKNOWN: Final = 128
FOREGROUND: Final = 255
