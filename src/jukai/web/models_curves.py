"""What goes over the wire of curves that were worked out."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from jukai.core.json_data import JsonObject
from jukai.web.models_base import ErrorView, Vector

__all__ = ["CurveView"]


class CurvePointView(BaseModel):
    """A point of a curve as numbers."""

    id: str
    at: Vector
    fillet: float
    chamfer: float
    join: Literal["straight", "bezier", "smooth"]
    out: Vector
    into: Vector


class FilletView(BaseModel):
    """The arc at a corner, or with ``cut`` its chamfer, whose ``radius`` is its leg."""

    point: str
    asked: float
    radius: float
    centre: Vector
    cut: bool


class TracedView(BaseModel):
    """A picture under a curve, its numbers worked out."""

    file: str
    at: Vector
    wide: float
    tall: float
    plane: Literal["xz", "xy", "yz"] | None


class CurveStepView(BaseModel):
    """What became of a step that a curve goes through."""

    id: str
    used: JsonObject
    shown: dict[str, float]
    facts: dict[str, float | str]
    error: ErrorView | None


class CurveView(BaseModel):
    """A curve worked out."""

    id: str
    name: str
    kind: Literal["profile", "path"]
    closed: bool
    length: float | None = Field(description="mm; null of a curve without two places")
    crosses: Vector | None = Field(description="where a profile crosses itself")
    points: list[CurvePointView]
    samples: list[Vector]
    fillets: list[FilletView]
    traced: TracedView | None = Field(description="the picture under it")
    steps: list[CurveStepView] = Field(description="what it goes through before it is used")
    deformed: list[Vector] = Field(description="samples of it as it is used, where steps change it")
    error: ErrorView | None
