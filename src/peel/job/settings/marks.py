"""Drawn outlines, and how the unsure band is laid around what is marked."""

from typing import Annotated, Any, Final, Literal

from pydantic import Field, model_validator

from peel.job.settings.base import Point, SettingsModel

__all__ = ["MOST_CONTOURS", "Band", "Contour", "Node"]

MOST_CONTOURS: Final = 2_000


class Node(SettingsModel):
    """A point of a contour, and the stretch that leads to it from the point before.

    Attributes
    ----------
    at : x, y in photo pixels.
    back, out : handles of the curves that arrive and leave, measured from `at`; (0, 0) where the run is straight.
    smooth : whether the two handles are kept in one line.
    trust : in the stretch that leads here, as `Band.trust`, which holds where it is None. At 1 the stretch is exact: a
        hard edge, with a band of a few pixels.
    fitted : whether it was put in between the ends of a freehand or followed run, rather than set by hand.
    """

    at: Point
    back: Point = (0.0, 0.0)
    out: Point = (0.0, 0.0)
    smooth: bool = False
    trust: Annotated[float, Field(ge=0, le=1)] | None = None
    fitted: bool = False

    @model_validator(mode="before")
    @classmethod
    def _from_exact(cls, data: Any) -> Any:
        """Accept points of the first seven file formats, whose stretches were exact or not."""
        if not isinstance(data, dict) or "exact" not in data:
            return data
        rest = {key: value for key, value in data.items() if key != "exact"}
        return {**rest, "trust": 1.0 if data["exact"] is True else None}

    @property
    def exact(self) -> bool:
        """Whether the stretch that leads here is exact."""
        return self.trust == 1


class Contour(SettingsModel):
    """A drawn outline.

    Attributes
    ----------
    nodes : its points, in order; the stretch to the first one closes it.
    closed : whether it encloses an area yet.
    hole : whether that area is taken out of the subject rather than added.
    """

    nodes: Annotated[tuple[Node, ...], Field(max_length=200_000)] = ()
    closed: bool = False
    hole: bool = False

    @model_validator(mode="before")
    @classmethod
    def _from_first_format(cls, data: Any) -> Any:
        """Accept contours of the first file format: plain points joined by straight runs."""
        if isinstance(data, dict) and "points" in data:
            points = data["points"] if isinstance(data["points"], list) else []
            rest = {key: value for key, value in data.items() if key != "points"}
            return {**rest, "nodes": [{"at": point} for point in points]}
        return data


class Band(SettingsModel):
    """How the unsure band is laid around the marked boundary; lengths in photo pixels.

    Attributes
    ----------
    lay : "laid" where the photo is unsure, or "plain": as far from the boundary as the widths say.
    trust : in the mark, from 0 (rough) to 1 (exact): how deep and how far out the photo's own evidence may move a laid
        band away from the marked boundary.
    margin_px : how far a laid band reaches at least, both ways.
    outward_px, inward_px : how far a plain band reaches into the backdrop and into the subject.
    exact_px : how far either reaches along hard edges, both ways.
    kinds : whether Peel's suggestions of kinds count, or only what was brushed.
    """

    lay: Literal["laid", "plain"] = "laid"
    trust: Annotated[float, Field(ge=0, le=1)] = 0.5
    margin_px: Annotated[float, Field(ge=0, le=400)] = 4.0
    kinds: Literal["suggested", "none"] = "suggested"
    outward_px: Annotated[float, Field(ge=0, le=400)] = 14.0
    inward_px: Annotated[float, Field(ge=0, le=400)] = 8.0
    exact_px: Annotated[float, Field(ge=0, le=40)] = 3.0

    @model_validator(mode="before")
    @classmethod
    def _from_third_format(cls, data: Any) -> Any:
        """Take widths that come alone, as in the first three file formats, for those of a plain band without kinds."""
        if isinstance(data, dict) and data.keys() & {"outward_px", "inward_px"} and not data.keys() & {"lay", "kinds"}:
            return {**data, "lay": "plain", "kinds": "none"}
        return data
