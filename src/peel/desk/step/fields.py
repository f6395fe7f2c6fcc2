"""Numbers of the settings as controls: bounds, defaults and units are read from the settings themselves."""

from typing import Final

from pydantic import BaseModel

from peel.desk.controls.number_field import NumberField
from peel.job.settings.bounds import Bounds, bounds_in, bounds_of

__all__ = ["field_for", "field_in"]

_UNITS: Final = {"_px": ("px", 1.0), "_deg": ("°", 1.0), "_quality": ("%", 1.0)}
_NO_UNIT: Final = {"exposure": 10.0, "top": 1.0, "bottom": 1.0, "left": 1.0, "right": 1.0}
_SHARE: Final = ("%", 100.0)  # of all other numbers: 1 is 100 %


def field_for(
    path: str,
    name: str,
    *,
    tip: str,
    step: float = 1.0,
    curve: float = 1.0,
    track: tuple[float, float] | None = None,
) -> NumberField:
    """Make the control of a number by its path in the settings.

    Parameters
    ----------
    path : str
    name, tip : str
        What the window calls it, and what it does.
    step : float
        Of wheel and arrows, in the control's unit.
    curve : float
        Above 1, small values get more room on the track.
    track : (float, float), optional
        Where the track begins and ends, in the control's unit, if that is not where the setting does: what lies
        beyond it can be typed.
    """
    return _made(path.rpartition(".")[2], bounds_of(path), name, tip, step, curve, track)


def field_in(
    model: type[BaseModel],
    part: str,
    name: str,
    *,
    tip: str,
    step: float = 1.0,
    curve: float = 1.0,
    track: tuple[float, float] | None = None,
) -> NumberField:
    """Make the control of a number that a model of settings holds; see `field_for`."""
    return _made(part, bounds_in(model, part), name, tip, step, curve, track)


def _made(
    part: str, bounds: Bounds, name: str, tip: str, step: float, curve: float, track: tuple[float, float] | None
) -> NumberField:
    unit, scale = next((found for end, found in _UNITS.items() if part.endswith(end)), _SHARE)
    if part in _NO_UNIT:
        unit, scale = "", _NO_UNIT[part]
    return NumberField(
        name,
        low=bounds.low * scale,
        high=bounds.high * scale,
        default=bounds.default * scale,
        unit=unit,
        scale=scale,
        step=step,
        curve=curve,
        track=track,
        tip=tip,
    )
