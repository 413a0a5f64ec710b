"""What goes over the wire: operators, their values and what they pick."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from jukai.core.json_data import JsonObject
from jukai.core.operators.kinds.all import kinds
from jukai.web.models_base import NoteView


class PickPath(BaseModel):
    """A pick of a step."""

    bench: str = Field(max_length=64)
    part: str = Field(max_length=200)
    step: str = Field(max_length=64)
    key: str = Field(max_length=64)


class OperatorPath(BaseModel):
    """An operator in a path."""

    operator: str = Field(max_length=64)


class LookQuery(BaseModel):
    """The look that a drawing is for."""

    look: Literal["paper", "dusk"] = "paper"


class ChoiceView(BaseModel):
    """One choice of a value."""

    value: object
    words: str


class ConditionView(BaseModel):
    """That the value of a key is among some, or with ``negated`` is none of them."""

    key: str
    among: list[object]
    negated: bool


class ValueView(BaseModel):
    """A value of an operator."""

    key: str
    kind: str = Field(json_schema_extra={"enum": list(kinds())})
    unit: str
    description: str
    required: bool
    default: object
    otherwise: str
    instead_of: str
    follows: str = Field(description="the value that what is left out comes from, if any")
    least: float | None
    most: float | None
    choices: list[ChoiceView]
    of: list[str] = Field(description="what a pick may be of, or what a curve must be: a profile or a path, closed")
    axes: int
    chapter: str
    relevant: list[ConditionView] = Field(description="when it counts; all of them must hold")
    whole: bool
    lowest: float
    refers: str = Field(description="what it names: curve, part, step, file, finish")
    beside: str = Field(description="the value beside it that it depends on")
    plays: bool = Field(description="whether it goes round, so that it can be run through in a loop")


class GroupView(BaseModel):
    """A group of faces that an earlier step left."""

    step: str
    name: str


class OfferView(BaseModel):
    """A rule that picks just what is picked, in words and as it would stand in the file."""

    words: str
    pick: JsonObject


class HistoryView(BaseModel):
    """A row of the history of faces: a step, a group it left, and the row before, -1 for none."""

    step: str
    group: str
    parent: int


class ThroughView(BaseModel):
    """Elements of another kind that a pick goes by, as faces whose edges are picked."""

    kind: Literal["points", "edges", "faces"]
    picked: list[int]


class PickView(BaseModel):
    """What a step picks: the body it picks on, the elements, and the rules they look like."""

    mesh: str
    matrix: list[float]
    kind: Literal["points", "edges", "faces"]
    kinds: list[Literal["points", "edges", "faces"]]
    of: int
    picked: list[int]
    through: ThroughView | None
    notes: list[NoteView]
    groups: list[GroupView]
    lineage: list[HistoryView]
    named: list[str]
    offers: list[OfferView]


class MaskView(BaseModel):
    """How much a step acts at each point of the body that comes to it."""

    mesh: str
    matrix: list[float]
    points: int
    weights: str = Field(description="one byte for each point, 0 to 255, in base 64")


class ExtentView(BaseModel):
    """What an extent that is drawn gives: a value's address, and its gain per mm."""

    target: str
    gain: float


class PlacingView(BaseModel):
    """What a footprint drawn by hand, and then a height, give."""

    wide: ExtentView | None
    deep: ExtentView | None
    radius: ExtentView | None
    up: ExtentView | None
    hole: bool = Field(description="whether it takes its size from a hole that it is set down on")


class HolesQuery(BaseModel):
    """For what holes are looked for."""

    operator: str = Field(max_length=64)
    scale: float = Field(default=1.0, gt=0, description="of the body where it stands")


class HoleView(BaseModel):
    """A round hole of a body, and what fits it."""

    centre: list[float]
    normal: list[float]
    radius: float
    values: JsonObject = Field(description="what the operator takes from it; nothing where nothing fits")
    words: str


class HolesView(BaseModel):
    """The round holes of a body, in its own space."""

    holes: list[HoleView]


class OperatorView(BaseModel):
    """An operator: what chips, callouts and menus are made from."""

    id: str
    kind: Literal["blank", "change"]
    name: str
    chapter: str = Field(description="the heading it stands under in lists")
    has_drawing: bool
    description: str
    sentence: str
    quiet: str
    groups: list[str]
    synonyms: list[str]
    version: int
    placing: PlacingView | None
    values: list[ValueView]
    schema_: JsonObject = Field(alias="schema")


class OperatorList(BaseModel):
    """All operators."""

    operators: list[OperatorView]
