"""The bench: one document, as it stands in a file and in the store."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, StringConstraints, model_validator

from jukai.core.json_data import JsonObject
from jukai.core.recipe.by_row import ByRow

__all__ = [
    "IS_NUMBER",
    "MAX_COORDINATE",
    "SIDES",
    "VERSION",
    "Bench",
    "Curve",
    "CurvePoint",
    "CuttingPlane",
    "Finish",
    "KeptView",
    "Measure",
    "MeasureEnd",
    "NamedNumber",
    "NamedPick",
    "Number",
    "Part",
    "Placement",
    "Sampling",
    "Shown",
    "Side",
    "Step",
]

MAX_COORDINATE = 1e9
VERSION: Literal[2] = 2
"""Of the bench files that are written; older ones are brought up to it when they are read (``versions.py``)."""


def _number(value: object) -> object:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise ValueError("a number, or a formula in quotes, is wanted")  # noqa: TRY004 - pydantic's way
    if isinstance(value, str):
        if len(value) > 400:
            raise ValueError("a formula has 400 characters at most")
        return value
    if not abs(value) <= 1e12:
        raise ValueError("the number is not finite or too large")
    return value


IS_NUMBER = "a number or a formula"
"""Marks what may be a formula, so that all places where a name is used can be found."""
Number = Annotated[float | int | str, BeforeValidator(_number, json_schema_input_type=float | str), IS_NUMBER]
"""A literal or a formula. Lengths in mm, angles in degrees."""
Id = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_-]{1,64}$")]
_CONTROL = re.compile("[\x00-\x1f\x7f-\x9f]+")


def _in_one_line(name: str) -> str:
    """Put a space for control characters: in a request they are refused, a file that has them opens all the same."""
    clean = _CONTROL.sub(" ", name).strip()
    if not clean:
        raise ValueError("a name is wanted, not control characters alone")
    return clean


Name = Annotated[
    str, StringConstraints(min_length=1, max_length=200, strip_whitespace=True), AfterValidator(_in_one_line)
]
Point2 = Annotated[list[Number], Field(min_length=2, max_length=2)]
Point3 = Annotated[list[Number], Field(min_length=3, max_length=3)]
PointOfCurve = Annotated[list[Number], Field(min_length=2, max_length=3)]
"""(across, up) of a profile, (x, y, z) of a path."""


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, allow_inf_nan=False, defer_build=True)


class NamedNumber(_Model):
    """A number of the bench with a name, usable in any formula."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=40)]
    value: Number


class CurvePoint(_Model):
    """A point of a curve and how the piece after it runs."""

    id: Id | None = None
    at: PointOfCurve = Field(description="of a profile (across, up) in its own plane, of a path (x, y, z), mm")
    fillet: Number = Field(0, description="radius of the corner, mm")
    chamfer: Number = Field(
        0, description="how far from the point the corner is cut off straight, mm; instead of a radius"
    )
    join: Literal["straight", "bezier", "smooth"] = "straight"
    out: PointOfCurve | None = Field(None, description="handle of the piece after the point, relative to it")
    into: PointOfCurve | None = Field(
        None, alias="in", description="handle of the piece before the point, relative to it"
    )


class Sampling(_Model):
    """How finely a curve is cut into chords."""

    tolerance: Number | None = Field(None, description="greatest distance between curve and chord, mm")
    count: Number | None = Field(None, description="chords per piece")

    @model_validator(mode="after")
    def _one(self) -> Sampling:
        if self.tolerance is not None and self.count is not None:
            raise ValueError("either tolerance or count, not both")
        return self


SIDES = ("left", "right", "front", "back", "bottom", "top")
"""The six sides of a body on the bench: -X, +X, -Y, +Y, -Z, +Z."""
Side = Literal["left", "right", "front", "back", "bottom", "top"]


class Placement(_Model):
    """Where something stands: scaled and then turned about its zero point, in the order of the fixed X, Y, Z, then moved."""

    move: Point3 = Field([0, 0, 0], description="where the zero point stands on the bench, mm")
    turn: Point3 = Field([0, 0, 0], description="degrees about the fixed X, Y, Z, in that order")
    scale: Point3 = [1, 1, 1]
    zero: Point3 = Field([0, 0, 0], description="the zero point, in the part's own space, mm")
    extents: dict[Side, Number] = Field(
        default_factory=dict,
        description="where sides of the body reach to on the bench, mm: of one side along an axis the body is moved there, "
        "of both it is stretched between them",
    )


class Traced(_Model):
    """A picture that lies under a curve on the drawing board, to be drawn over; it is part of no body."""

    file: str = Field(min_length=1, max_length=120, description="a PNG or JPEG beside the bench")
    at: list[Number] = Field(
        default=[0, 0], min_length=2, max_length=2, description="its lower left corner in the plane it lies in, mm"
    )
    wide: Number = Field(description="mm across; its height follows")
    tall: float = Field(gt=0, le=1e4, description="its height in shares of its width")
    plane: Literal["xz", "xy", "yz"] | None = Field(None, description="of a path: the plane it lies in")


class Step(_Model):
    """One operator with its values."""

    id: Id
    operator: Annotated[str, StringConstraints(pattern=r"^[a-z_]{1,64}$")]
    name: Annotated[str, StringConstraints(max_length=200)] | None = None
    on: bool = True
    values: JsonObject = Field(default_factory=dict)


class Curve(_Model):
    """A profile: points in its own plane; or a path: points in space. Open or closed."""

    id: Id
    name: Name
    kind: Literal["profile", "path"] = "profile"
    closed: bool = False
    points: list[CurvePoint] = Field(max_length=2000)
    sampling: Sampling = Field(default_factory=Sampling)
    placement: Placement = Field(default_factory=Placement)
    traced: Traced | None = Field(None, description="a picture under it on the board")
    steps: list[Step] = Field(
        default_factory=list, max_length=50, description="deforming steps that it goes through before it is used"
    )

    @property
    def across(self) -> int:
        """How many numbers each of its points has."""
        return 2 if self.kind == "profile" else 3

    @model_validator(mode="after")
    def _alike(self) -> Curve:
        for i, p in enumerate(self.points, 1):
            for row in (p.at, p.out, p.into):
                if row is not None and len(row) != self.across:
                    raise ValueError(
                        f"point {i} of the {self.kind} '{self.name}' has {len(row)} numbers instead of {self.across}"
                    )
        return self


class NamedPick(_Model):
    """A pick of a part that can be used again by its name; ``of`` in it says of what it is."""

    name: Name
    pick: JsonObject


class Part(_Model):
    """A body with a name, a placement, a finish and a recipe."""

    id: Id
    name: Name
    finish: Annotated[str, StringConstraints(max_length=200)] | None = None
    heading: Annotated[str, StringConstraints(max_length=200)] | None = Field(
        None, description="the heading of the list it stands under"
    )
    hidden: bool = False
    locked: bool = False
    transparent: bool = False
    reference: bool = Field(default=False, description="only there to fit against: never changed, never handed over")
    placement: Placement = Field(default_factory=Placement)
    picks: list[NamedPick] = Field(default_factory=list, max_length=200)
    recipe: list[Step] = Field(max_length=1000)


class Finish(_Model):
    """A named material: glTF metal, roughness, transmission (``clear``) and index of refraction, and a density in g/cm³."""

    name: Name
    colour: Annotated[str, StringConstraints(pattern=r"^#[0-9a-fA-F]{6}$")] = "#b9b4a8"
    metal: float = Field(0, ge=0, le=1)
    roughness: float = Field(0.5, ge=0, le=1)
    clear: float = Field(0, ge=0, le=1, description="how much light goes through, as through glass")
    refraction: float = Field(
        1.5, ge=1, le=3, description="index of refraction: how much what is clear bends light; glass 1.5, diamond 2.42"
    )
    density: float = Field(1, gt=0, le=30)


class MeasureEnd(_Model):
    """What is measured: an element of a part, found again by its lineage and place as one picked by hand is."""

    part: Id
    of: Literal["points", "edges", "faces"]
    element: JsonObject


class Measure(_Model):
    """A number read off the bodies under a name; it follows them and can't be set."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=40)]
    what: Literal["distance", "between", "centres", "angle", "length", "loop", "radius", "area"]
    of: list[MeasureEnd] = Field(min_length=1, max_length=2)
    hidden: bool = Field(default=False, description="it is read, but not drawn on the bodies and on sheets")


class CuttingPlane(_Model):
    """A cutting plane: a unit direction and how far along it the plane stands, mm. What lies ahead is taken away."""

    normal: list[float] = Field(min_length=3, max_length=3)
    offset: float = Field(ge=-MAX_COORDINATE, le=MAX_COORDINATE)


Judging = Literal["bands", "normals", "poles", "hidden_edges", "limit", "rounded_limit", "lights_turn"]


class KeptView(_Model):
    """A way to look at the bench, under a name."""

    name: Name
    target: list[float] = Field(min_length=3, max_length=3, description="what is looked at, mm")
    around: float = Field(description="degrees about Z; 0 looks along +Y", ge=-1e6, le=1e6)
    above: float = Field(ge=-90, le=90, description="degrees; 90 looks straight down")
    distance: float = Field(gt=0, le=1e12, description="mm from the target")
    perspective: bool = True
    drawing: Literal["shaded", "shaded_lines", "lines"] = "shaded_lines"
    section: list[CuttingPlane] = Field(default_factory=list, max_length=2)
    judging: list[Judging] = Field(
        default_factory=list, max_length=7, description="ways to judge a surface that are on"
    )
    hidden: list[Id] = Field(default_factory=list, max_length=500, description="parts that are not shown")


class Shown(_Model):
    """How lengths are shown and read; the file's own numbers are mm whatever it says."""

    unit: Literal["mm", "cm", "in"] = "mm"
    decimals: int | None = Field(
        None, ge=0, le=6, description="places after the point; None shows as many as are needed"
    )


class Bench(_Model):
    """One document: named numbers, curves, finishes and parts. Millimetres and degrees, Z up."""

    format: Literal["jukai-bench"] = "jukai-bench"
    version: Literal[2] = VERSION
    name: Name
    unit: Literal["mm"] = "mm"
    shown: Shown = Field(default_factory=Shown, description="the unit of lengths on the screen, and their decimals")
    floor: float = Field(100, gt=0, le=1e6, description="side of the bench's floor, mm; new shapes are a fifth of it")
    face_limit: int = Field(2_000_000, ge=1, le=20_000_000, description="faces a part may have")
    dimensions: list[NamedNumber] = Field(default_factory=list, max_length=1000)
    finishes: list[Finish] = Field(default_factory=list, max_length=200)
    curves: list[Curve] = Field(default_factory=list, max_length=500)
    parts: list[Part] = Field(default_factory=list, max_length=500)
    measures: list[Measure] = Field(default_factory=list, max_length=500)
    views: list[KeptView] = Field(default_factory=list, max_length=200)

    @model_validator(mode="after")
    def _unique(self) -> Bench:
        def check(what: str, ids: Iterable[str]) -> None:
            seen: set[str] = set()
            for i in ids:
                if i in seen:
                    raise ValueError(f"two {what} are called '{i}'")
                seen.add(i)

        check("named numbers", [*(d.name for d in self.dimensions), *(m.name for m in self.measures)])
        check("kept views", (v.name for v in self.views))
        check("finishes", (f.name for f in self.finishes))
        check("curves", (c.id for c in self.curves))
        check("parts", (p.id for p in self.parts))
        for p in self.parts:
            check(f"steps of part '{p.name}'", (s.id for s in p.recipe))
            check(f"picks of part '{p.name}'", (row.name for row in p.picks))
        for c in self.curves:
            check(f"points of curve '{c.name}'", (p.id for p in c.points if p.id))
        return self

    def curve(self, curve_id: str) -> Curve | None:
        """Return the curve of that id."""
        return next((c for c in self.curves if c.id == curve_id), None)

    def part(self, name_or_id: str) -> Part | None:
        """Return the part of that id, else the first of that name."""
        by_id = next((p for p in self.parts if p.id == name_or_id), None)
        return by_id or next((p for p in self.parts if p.name == name_or_id), None)

    def finish_of(self, part: Part) -> Finish | None:
        """Return the finish of a part, if the bench has it."""
        return next((f for f in self.finishes if f.name == part.finish), None)

    def to_json(self) -> JsonObject:
        """Return the document as it is written: what has its default is left out, but for the head."""
        rows = {name: [_WRITTEN(row) for row in getattr(self, name)] for name in _ROWS}
        head = self.model_dump(mode="json", by_alias=True, exclude_defaults=True, exclude=set(_ROWS))
        out: JsonObject = {"format": self.format, "version": self.version, "name": self.name, "unit": self.unit} | head
        return out | {name: written for name, written in rows.items() if written}


_ROWS = ("dimensions", "finishes", "curves", "parts", "measures", "views")
_WRITTEN: ByRow[BaseModel, JsonObject] = ByRow(
    lambda r: r.model_dump(mode="json", by_alias=True, exclude_defaults=True)
)
"""Rows as they are written."""
