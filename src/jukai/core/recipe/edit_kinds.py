"""The edits a person can do to a bench, as data: each names things by their ids."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from jukai.core.errors import ValueProblem
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import (  # fmt: skip
    Curve,
    CurvePoint,
    Finish,
    Id,
    KeptView,
    Measure,
    Name,
    Number,
    Placement,
    Point3,
    PointOfCurve,
    Sampling,
    Shown,
    Side,
    Traced,
)
from jukai.core.validation import first_error

__all__ = ["Edit", "parse_edit"]


class _Edit(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class SetValue(_Edit):
    """Give a value of a step, or one number of it, another number, choice or formula; null takes it back to its default."""

    kind: Literal["set_value"] = "set_value"
    part: Id
    step: Id
    key: str = Field(max_length=400, description="the value, or an address below it: size/1, radius_graph/p3/at")
    value: object = None
    start: object = Field(
        None, description="what the value is while nothing is written, where only a part of it is changed"
    )


class SetStep(_Edit):
    """Switch a step on or off, or name it."""

    kind: Literal["set_step"] = "set_step"
    part: Id
    step: Id
    on: bool | None = None
    name: str | None = Field(None, max_length=200)


class AddStep(_Edit):
    """Put a new step behind another one, or first when ``after`` is null, and the curves it takes, if any."""

    kind: Literal["add_step"] = "add_step"
    part: Id
    step: Id
    operator: str
    values: JsonObject = Field(default_factory=dict)
    after: Id | None = None
    curves: list[Curve] = Field(default_factory=list, max_length=200)


class RemoveStep(_Edit):
    """Take a step out."""

    kind: Literal["remove_step"] = "remove_step"
    part: Id
    step: Id


class MoveStep(_Edit):
    """Put a step behind another one, or first when ``after`` is null."""

    kind: Literal["move_step"] = "move_step"
    part: Id
    step: Id
    after: Id | None = None


class CopyStep(_Edit):
    """Put a copy of a step behind it."""

    kind: Literal["copy_step"] = "copy_step"
    part: Id
    step: Id
    copy_id: Id


class TakenBy(BaseModel):
    """A value of a step that takes a curve, and others that are set with it."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    part: Id
    step: Id
    key: str = Field(max_length=64)
    besides: JsonObject = Field(default_factory=dict)


class AddCurve(_Edit):
    """Draw a new curve, and have a step take it, as the only one or, of several, as the last; ``others`` come with it."""

    kind: Literal["add_curve"] = "add_curve"
    curve: Curve
    others: list[Curve] = Field(default_factory=list, max_length=200)
    taken_by: TakenBy | None = None


class SetPoint(_Edit):
    """Change a point of a curve; what is left out stays."""

    kind: Literal["set_point"] = "set_point"
    curve: Id
    point: Id
    at: PointOfCurve | None = None
    fillet: Number | None = None
    chamfer: Number | None = None
    join: Literal["straight", "bezier", "smooth"] | None = None
    out: PointOfCurve | None = None
    into: PointOfCurve | None = None


class AddPoint(_Edit):
    """Put a point behind another one, or first when ``after`` is null."""

    kind: Literal["add_point"] = "add_point"
    curve: Id
    point: Id
    at: PointOfCurve
    after: Id | None = None


class RemovePoint(_Edit):
    """Take a point out of a curve."""

    kind: Literal["remove_point"] = "remove_point"
    curve: Id
    point: Id


class SetCurve(_Edit):
    """Name, close, open or sample a curve otherwise, or give it other points; ``what`` says in a word what was done with them."""

    kind: Literal["set_curve"] = "set_curve"
    curve: Id
    name: Name | None = None
    closed: bool | None = None
    sampling: Sampling | None = None
    points: list[CurvePoint] | None = Field(None, min_length=2, max_length=2000)
    what: str = Field("points", max_length=40)
    others: list[Curve] = Field(default_factory=list, max_length=20, description="further curves that come of it")
    traced: Traced | None = None
    untraced: bool = Field(default=False, description="the picture under it is taken away")


class RemoveCurve(_Edit):
    """Take a curve off the bench that nothing uses."""

    kind: Literal["remove_curve"] = "remove_curve"
    curve: Id


class AddPart(_Edit):
    """Add a part that begins with a blank, and the curves it is made from, if any."""

    kind: Literal["add_part"] = "add_part"
    part: Id
    name: Name
    step: Id
    operator: str
    values: JsonObject = Field(default_factory=dict)
    curve: Curve | None = None
    curves: list[Curve] = Field(default_factory=list, max_length=200, description="where there are several")
    finish: str | None = None
    placement: Placement | None = None
    reference: bool = False
    hides: list[Id] = Field(
        default_factory=list, max_length=500, description="parts that it shows instead: they are hidden with it"
    )


class SetPart(_Edit):
    """Change what a part is called, looks like or where it stands."""

    kind: Literal["set_part"] = "set_part"
    part: Id
    name: Name | None = None
    finish: str | None = None
    heading: str | None = Field(None, max_length=200, description="empty for none")
    hidden: bool | None = None
    locked: bool | None = None
    transparent: bool | None = None
    reference: bool | None = None
    placement: Placement | None = None


class RemovePart(_Edit):
    """Take a part off the bench, others with it, and the curves only they use."""

    kind: Literal["remove_part"] = "remove_part"
    part: Id
    others: list[Id] = Field(default_factory=list, max_length=500)


class CopyPart(_Edit):
    """Add a copy of a part, with copies of its curves."""

    kind: Literal["copy_part"] = "copy_part"
    part: Id
    copy_id: Id
    curve_ids: dict[Id, Id] = Field(default_factory=dict)
    placement: Placement | None = None


class PlaceParts(_Edit):
    """Place several parts at once; ``what`` says in a word what was done with them."""

    kind: Literal["place_parts"] = "place_parts"
    placements: dict[Id, Placement] = Field(min_length=1, max_length=500)
    what: str = Field("placement", max_length=40)


class SetExtent(_Edit):
    """Let a side of a part reach to a place: moved there whole, or stretched while the other side stays. Null lets go."""

    kind: Literal["set_extent"] = "set_extent"
    part: Id
    side: Side
    at: Number | None = None
    how: Literal["moved", "stretched"] = "moved"


class SetZero(_Edit):
    """Put a part's zero point elsewhere in it; the body stays where it is."""

    kind: Literal["set_zero"] = "set_zero"
    part: Id
    at: Literal["base", "middle", "own"] | Point3


class LineUp(_Edit):
    """Line parts up with one of them: by a side, or by their middles along an axis."""

    kind: Literal["line_up"] = "line_up"
    parts: list[Id] = Field(min_length=2, max_length=500)
    to: Id
    by: Side | Literal["middle_x", "middle_y", "middle_z"]


class SpreadParts(_Edit):
    """Spread parts evenly along an axis: the outermost stay, the gaps between all become the same."""

    kind: Literal["spread_parts"] = "spread_parts"
    parts: list[Id] = Field(min_length=3, max_length=500)
    along: Literal["x", "y", "z"]


class BringPart(_Edit):
    """Bring a part to another one: zero point to zero point, or middle to middle."""

    kind: Literal["bring_part"] = "bring_part"
    part: Id
    to: Id
    by: Literal["zero", "middle"] = "zero"


class MovePart(_Edit):
    """Put a part behind another one in the list, or first."""

    kind: Literal["move_part"] = "move_part"
    part: Id
    after: Id | None = None


class SetPick(_Edit):
    """Keep a pick of a part under a name, or another one under that name; null takes it out."""

    kind: Literal["set_pick"] = "set_pick"
    part: Id
    name: Name
    pick: JsonObject | None = None


class SetDimension(_Edit):
    """Give a named number another value, or make a new one."""

    kind: Literal["set_dimension"] = "set_dimension"
    name: str
    value: Number
    new: bool = Field(default=False, description="refused where there is one of that name already")


class RenameDimension(_Edit):
    """Rename a named number, in every formula too."""

    kind: Literal["rename_dimension"] = "rename_dimension"
    name: str
    new_name: str


class RemoveDimension(_Edit):
    """Take out a named number that nothing uses."""

    kind: Literal["remove_dimension"] = "remove_dimension"
    name: str


class AddMeasure(_Edit):
    """Keep a number read off the bodies under a name."""

    kind: Literal["add_measure"] = "add_measure"
    measure: Measure


class RenameMeasure(_Edit):
    """Give a kept measure another name."""

    kind: Literal["rename_measure"] = "rename_measure"
    name: str
    new_name: str


class HideMeasure(_Edit):
    """Draw a kept measure on the bodies and on sheets, or not."""

    kind: Literal["hide_measure"] = "hide_measure"
    name: str
    hidden: bool = True


class RemoveMeasure(_Edit):
    """Take a kept measure out."""

    kind: Literal["remove_measure"] = "remove_measure"
    name: str


class KeepView(_Edit):
    """Keep a way to look at the bench, or another one under that name."""

    kind: Literal["keep_view"] = "keep_view"
    view: KeptView


class RenameView(_Edit):
    """Give a kept view another name."""

    kind: Literal["rename_view"] = "rename_view"
    name: str
    new_name: Name


class RemoveView(_Edit):
    """Take a kept view out."""

    kind: Literal["remove_view"] = "remove_view"
    name: str


class SetBench(_Edit):
    """Rename the bench, change its limits, or how its lengths are shown."""

    kind: Literal["set_bench"] = "set_bench"
    name: Name | None = None
    floor: float | None = Field(None, gt=0, le=1e6)
    face_limit: int | None = Field(None, ge=1, le=20_000_000)
    shown: Shown | None = None


class SetFinish(_Edit):
    """Add a finish or change one of that name."""

    kind: Literal["set_finish"] = "set_finish"
    finish: Finish


Edit = Annotated[
    SetValue | SetStep | AddStep | RemoveStep | MoveStep | CopyStep | AddCurve | SetPoint | AddPoint | RemovePoint | SetCurve | RemoveCurve
    | AddPart | SetPart | RemovePart | CopyPart | MovePart | PlaceParts | SetExtent | SetZero | LineUp | SpreadParts | BringPart
    | SetPick | SetDimension | RenameDimension | RemoveDimension | SetBench | SetFinish
    | AddMeasure | RenameMeasure | HideMeasure | RemoveMeasure | KeepView | RenameView | RemoveView,
    Field(discriminator="kind"),
]  # fmt: skip
_ADAPTER: TypeAdapter[Edit] = TypeAdapter(Edit)


def parse_edit(data: object) -> Edit:
    """Return an edit from plain data.

    Raises
    ------
    ValueProblem
        When it is none.
    """
    try:
        return _ADAPTER.validate_python(data)
    except ValidationError as e:
        where, text = first_error(e)
        place = ".".join(str(p) for p in where[1:])
        raise ValueProblem(
            f"The edit can't be read: {place + ': ' if place else ''}{text}.", field=place or None
        ) from None
