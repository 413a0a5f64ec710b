"""What goes over the wire."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, RootModel

from jukai.core.operators.base import CalloutForm
from jukai.core.operators.kinds.all import kinds
from jukai.core.recipe.bench import Bench, Name
from jukai.core.recipe.edits import Edit

Vector = list[float]


class In(BaseModel):
    """Base of what comes in."""

    model_config = ConfigDict(extra="forbid")


class BenchPath(BaseModel):
    """A bench in a path."""

    bench: str


class PartPath(BenchPath):
    """A part of a bench in a path."""

    part: str


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


class StepPath(PartPath):
    """A step of a part in a path."""

    step: str


class BakedPath(BenchPath):
    """A baked result in a path."""

    baked: int


class DigestPath(BaseModel):
    """Drawing data by its hash."""

    digest: str


class BenchItem(BaseModel):
    """A bench in the list."""

    id: str
    name: str
    revision: int
    changed: float = Field(description="seconds since 1970")
    removed: float | None
    parts: int


class BenchList(BaseModel):
    """All benches."""

    benches: list[BenchItem]


class NewBench(In):
    """What to make: empty, or the demo."""

    name: Name = "New bench"
    demo: bool = False


class BenchId(BaseModel):
    """The id of a bench that was made."""

    id: str


class StepsItem(BaseModel):
    """What undo or redo would do."""

    number: int
    label: str


class ErrorView(BaseModel):
    """What is wrong with a step, number or curve."""

    code: str
    message: str
    field: str | None
    hint: str | None
    places: list[Vector]
    position: int | None = None


class SolveView(BaseModel):
    """A number that would mend what a note says, and words for it."""

    key: str
    value: float
    words: str


class NoteView(BaseModel):
    """What a step has to say."""

    level: str
    text: str
    places: list[Vector]
    field: str | None
    solve: SolveView | None = None
    lines: list[list[float]] = Field(default_factory=list, description="both ends of edges, to be drawn as a chain")


class CalloutView(BaseModel):
    """A number drawn on the body."""

    target: str
    form: CalloutForm
    at: Vector
    to: Vector
    along: Vector
    gain: float
    second: Vector | None
    stopped: float | None
    slope: float | None
    grip: Vector = Field(description="where it is taken hold of, on the body")


class AxisView(BaseModel):
    """An axis of turning."""

    point: Vector
    direction: Vector


class StepView(BaseModel):
    """What became of a step."""

    id: str
    state: Literal["done", "off", "failed", "waiting"]
    shown: dict[str, float]
    used: dict[str, Any]
    facts: dict[str, float | str] = Field(description="what else there is to tell of the step")
    pieces: list[str] = Field(description="groups that are bodies of their own")
    notes: list[NoteView]
    error: ErrorView | None
    faces_added: int
    faces: int
    callouts: list[CalloutView]
    turned: bool = Field(description="whether it makes a body of turning, as deep as it is wide")
    axis: AxisView | None


class PlacedView(BaseModel):
    """The numbers of a placement, worked out."""

    move: Vector
    turn: Vector
    scale: Vector
    zero: Vector
    extents: dict[str, float]


class PartView(BaseModel):
    """A part worked out."""

    part: str
    name: str
    hidden: bool
    steps: list[StepView]
    matrix: Vector | None
    placed: PlacedView | None
    key: str | None
    mesh: str | None = Field(description="hash of the drawing data")
    faces: int
    points: int
    four_sided: int
    bounds: list[Vector] | None
    stands: list[Vector] | None
    volume: float | None = Field(description="mm³")
    mass: float | None = Field(description="g")
    groups: dict[str, int]
    error: ErrorView | None


class NumberView(BaseModel):
    """A named number worked out."""

    name: str
    written: float | int | str
    value: float | None
    measures: str | None
    error: ErrorView | None


class CurvePointView(BaseModel):
    """A point of a curve as numbers."""

    id: str
    at: Vector
    fillet: float
    join: Literal["straight", "bezier", "smooth"]
    out: Vector
    into: Vector


class FilletView(BaseModel):
    """The arc at a corner."""

    point: str
    asked: float
    radius: float
    centre: Vector


class CurveView(BaseModel):
    """A curve worked out."""

    id: str
    name: str
    closed: bool
    points: list[CurvePointView]
    samples: list[Vector]
    fillets: list[FilletView]
    error: ErrorView | None


class BenchView(BaseModel):
    """A bench worked out."""

    id: str
    revision: int
    document: Bench
    undo: StepsItem | None
    redo: StepsItem | None
    numbers: list[NumberView]
    curves: list[CurveView]
    parts: list[PartView]
    measures: list[MeasureView] = []
    waiting: list[str] = Field(description="parts that are not worked out yet")
    stopped: list[str] = Field(description="parts whose work was stopped")
    milliseconds: float


class RowsChange(BaseModel):
    """Rows of a list that changed or came; the keys of all its rows where they are not the same in the same order."""

    rows: list[dict[str, Any]]
    order: list[str] | None


class DocumentChange(BaseModel):
    """What of a document is no longer as it was; what is left out is."""

    name: str | None = None
    floor: float | None = None
    face_limit: int | None = None
    dimensions: RowsChange | None = None
    finishes: RowsChange | None = None
    curves: RowsChange | None = None
    parts: RowsChange | None = None
    measures: RowsChange | None = None
    views: RowsChange | None = None


class BenchChanges(BaseModel):
    """What became of a bench since a revision: only what is no longer as it was there."""

    id: str
    base: int
    revision: int
    document: DocumentChange
    undo: StepsItem | None
    redo: StepsItem | None
    numbers: list[NumberView] | None
    curves: list[CurveView]
    parts: list[PartView]
    measures: list[MeasureView] | None
    waiting: list[str]
    stopped: list[str]
    milliseconds: float


class BenchAnswer(RootModel[BenchView | BenchChanges]):
    """A bench after a change: all of it, or with ``Prefer: return=minimal`` only what changed."""


class PartsView(BaseModel):
    """Parts of the head that are ready."""

    revision: int
    parts: list[PartView]
    measures: list[MeasureView]
    waiting: list[str]
    stopped: list[str]


class PartsQuery(BaseModel):
    """Which parts, by their ids with commas."""

    ids: str = Field(max_length=40_000)


class BeforeView(BaseModel):
    """The parts before the last edit; no label at the first revision."""

    label: str | None
    parts: list[PartView]


class EditIn(In):
    """An edit, the revision it was made on, and the window it comes from."""

    base: int
    edit: Edit
    author: str = Field("", max_length=64)
    join: bool = False


class PreviewIn(EditIn):
    """An edit to be worked out and not kept; of some parts alone, or of all. ``held`` are hashes of drawing data that is there."""

    parts: list[str] | None = Field(None, max_length=500)
    held: list[str] = Field(default_factory=list, max_length=500)
    told: bool = Field(default=True, description="whether what is only told is worked out too: measures")


class EstimateView(BaseModel):
    """What an edit would make and take; null where that is not known before."""

    faces: int | None
    seconds: float | None
    bytes: float | None


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
    element: dict[str, Any]


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

    ends: list[dict[str, Any]]
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


class MoveIn(In):
    """Undo or redo on a revision, or go to one."""

    base: int
    author: str = Field("", max_length=64)
    revision: int | None = None


class HistoryItem(BaseModel):
    """A revision in the history."""

    number: int
    parent: int | None
    label: str
    name: str | None
    time: float
    on_branch: bool


class History(BaseModel):
    """All revisions, newest first."""

    revisions: list[HistoryItem]
    head: int


class RevisionName(In):
    """A name for a revision; null takes it."""

    revision: int
    name: str | None = Field(None, max_length=200)


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


class BakedView(BaseModel):
    """A baked result."""

    id: int
    part: str
    part_name: str
    revision: int
    time: float
    older: bool = Field(description="the part has changed since")
    faces: int
    size: Vector
    sound: bool
    summary: str
    findings: list[Finding]
    volume: float | None


class HandoverView(BaseModel):
    """What stands in the hand-over."""

    baked: list[BakedView]


class DownloadQuery(BaseModel):
    """How to write what is downloaded."""

    ids: str = ""
    format: Literal["obj", "stl", "ply", "glb", "off", "3mf"] = "glb"
    unit: Literal["mm", "cm", "m", "in"] = "mm"
    up: Literal["z", "y"] = "z"
    triangles: bool = False
    together: bool = True
    texture: bool = True


class UploadQuery(BaseModel):
    """The name of the file that is sent."""

    name: str


class UploadView(BaseModel):
    """What an uploaded file holds."""

    file: str
    format: str
    points: int
    faces: int
    size: Vector
    has_units: bool
    notes: list[str]


class EventsQuery(BaseModel):
    """Which bench to listen to."""

    bench: str | None = None


class ChoiceView(BaseModel):
    """One choice of a value."""

    value: Any
    words: str


class ConditionView(BaseModel):
    """That the value of a key is among some, or with ``negated`` is none of them."""

    key: str
    among: list[Any]
    negated: bool


class ValueView(BaseModel):
    """A value of an operator."""

    key: str
    kind: str = Field(json_schema_extra={"enum": list(kinds())})
    unit: str
    description: str
    required: bool
    default: Any
    otherwise: str
    instead_of: str
    least: float | None
    most: float | None
    choices: list[ChoiceView]
    of: list[str] = Field(description="what a pick may be of, or a curve must be")
    axes: int
    chapter: str
    relevant: list[ConditionView] = Field(description="when it counts; all of them must hold")
    whole: bool
    lowest: float
    refers: str = Field(description="what it names: curve, part, step, file, finish")
    beside: str = Field(description="the value beside it that it hangs on")


class GroupView(BaseModel):
    """A group of faces that an earlier step left."""

    step: str
    name: str


class OfferView(BaseModel):
    """A rule that picks just what is picked, in words and as it would stand in the file."""

    words: str
    pick: dict[str, Any]


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
    schema_: dict[str, Any] = Field(alias="schema")


class OperatorList(BaseModel):
    """All operators."""

    operators: list[OperatorView]


class Health(BaseModel):
    """That the server is there."""

    name: str
    version: str
