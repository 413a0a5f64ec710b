"""What goes over the wire: sections, distances, outlines, sheets, reports, and what is solved for."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from jukai.core.json_data import JsonObject
from jukai.core.recipe.edits import Edit
from jukai.web.models_base import ErrorView, In, Vector


class ClearanceIn(In):
    """A part whose clearances are asked for, as it is or as it would be after an edit."""

    part: str
    base: int | None = None
    edit: Edit | None = None


class ClearanceRow(BaseModel):
    """What stands between a part and another one; ``about`` when only the boxes were looked at."""

    part: str
    name: str
    state: Literal["apart", "touching", "crossing", "inside"]
    distance: float
    depth: float | None
    depth_most: float
    signed: float
    places: list[Vector]
    about: bool


class ClearanceView(BaseModel):
    """The clearances of a part, the least first."""

    part: str
    rows: list[ClearanceRow]
    milliseconds: float


class SolveIn(In):
    """A number to be found: the largest or smallest that leaves a clearance to one part or to all."""

    part: str
    address: str = Field(max_length=200)
    requested: float = Field(ge=0, le=1e6)
    to: str | None = None
    which: Literal["largest", "smallest"] = "largest"
    author: str = Field("", max_length=64)


class SolvedView(BaseModel):
    """The number found, what it leaves, and the edit that sets it; ``limit`` when nothing but its own limit stopped it."""

    value: float
    measured: float
    tries: int
    limit: bool
    edit: Edit


class PlaneIn(In):
    """A cutting plane; what lies on the side the normal points to is taken away."""

    point: Vector = Field(min_length=3, max_length=3)
    normal: Vector = Field(min_length=3, max_length=3)


class ShownIn(In):
    """A body as it is shown."""

    part: str = Field(max_length=64)
    mesh: str = Field(max_length=64, description="hash of the drawing data")
    matrix: Vector = Field(min_length=16, max_length=16)


class SectionIn(In):
    """Bodies to be cut by one plane, or by two that take a corner away."""

    planes: list[PlaneIn] = Field(min_length=1, max_length=2)
    bodies: list[ShownIn] = Field(max_length=500)
    chosen: str | None = None


class SubdividedQuery(BaseModel):
    """Whether sharp edges are rounded too."""

    rounded: bool = False


class MarksView(BaseModel):
    """Poles (x, y, z, edges) and the sides of many-sided faces (x, y, z twice), in the part's own space."""

    poles: list[Vector]
    n_poles: int
    lines: list[Vector]
    n_many: int


class MeasuredIn(In):
    """An element of a body that is shown."""

    mesh: str = Field(max_length=64, description="hash of the drawing data")
    matrix: Vector = Field(min_length=16, max_length=16)
    of: Literal["points", "edges", "faces"]
    element: JsonObject


class MeasureIn(In):
    """One picked element, or two."""

    of: list[MeasuredIn] = Field(min_length=1, max_length=2)


class ReadingView(BaseModel):
    """One thing read: both ends of a distance, centre and a point of a radius, corner and two arms of an angle."""

    what: Literal["distance", "between", "centres", "angle", "length", "loop", "radius", "area"]
    words: str
    unit: str
    value: float
    places: list[Vector]


class ReadView(BaseModel):
    """All that can be read, and how the elements are written in a kept measure."""

    ends: list[JsonObject]
    rows: list[ReadingView]


class MeasureView(BaseModel):
    """A kept measure as it reads now."""

    name: str
    what: str
    words: str
    unit: str
    value: float | None
    places: list[Vector]
    parts: list[str]
    hidden: bool
    error: ErrorView | None


class OutlinesIn(In):
    """Shown bodies, and the sides they are looked at from."""

    bodies: list[ShownIn] = Field(max_length=500)
    views: list[Literal["front", "left", "right", "top", "back", "bottom", "turned"]] = Field(
        min_length=1, max_length=7
    )


class OutlineView(BaseModel):
    """What is seen from a side: straight pieces as base64 of little endian float32, across and up of both ends."""

    view: str
    outline: str
    edge: str


class OutlinesView(BaseModel):
    """What is seen from some sides."""

    views: list[OutlineView]
    milliseconds: float


class SheetQuery(BaseModel):
    """How a drawing sheet is made. ``section`` is a direction and an offset with commas; ``step`` part/step whose lengths are drawn."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["svg", "pdf"] = "svg"
    paper: Literal["A4", "A3", "A2", "A1"] = "A3"
    scale: float | None = Field(None, gt=0, description="paper for bench; left out, the largest that fits")
    angle: Literal["first", "third"] = "first"
    lettering: float = 3.5
    parts: str = Field("", max_length=4000, description="ids with commas; none means all that are shown")
    section: str = Field("", max_length=200)
    step: str | None = Field(None, max_length=200)
    drawn: str = Field("", max_length=40, description="who drew it")


class CutView(BaseModel):
    """What one plane meets of one body; triangles and lines are base64 of little endian float32."""

    part: str
    plane: int
    area: float | None = Field(description="mm², null when the body is open there")
    perimeter: float = Field(description="mm")
    loops: int
    hatch: int
    cap: str
    lines: str


class GapView(BaseModel):
    """What lies between two cuts in one plane."""

    plane: int
    part: str
    other: str
    distance: float
    crossing: bool
    places: list[Vector]


class SectionView(BaseModel):
    """A section: what is cut, and the gaps in it."""

    origin: Vector
    rows: list[CutView]
    gaps: list[GapView]
    milliseconds: float


class Finding(BaseModel):
    """One line of a soundness report."""

    kind: str
    level: Literal["failure", "warning", "info"]
    text: str
    count: int
    places: list[Vector]


class SoundnessView(BaseModel):
    """A soundness report."""

    sound: bool
    summary: str
    points: int
    edges: int
    faces: int
    sides: dict[str, int]
    bodies: int
    genus: int | None
    closed: bool
    manifold: bool
    oriented: bool
    self_crossings: int
    volume: float | None
    area: float
    bounds: list[Vector]
    findings: list[Finding]
