"""What goes over the wire: benches, parts, revisions and files; see ``models_curves``, ``models_looking`` and ``models_operators`` for the rest."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, RootModel

from jukai.core.json_data import JsonObject
from jukai.core.operators.base import CalloutForm
from jukai.core.recipe.bench import Bench, Curve, Name, Shown
from jukai.core.recipe.edits import Edit
from jukai.web.models_base import ErrorView, In, NoteView, Vector
from jukai.web.models_curves import CurveView
from jukai.web.models_looking import Finding, MeasureView


class BenchPath(BaseModel):
    """A bench in a path."""

    bench: str


class PartPath(BenchPath):
    """A part of a bench in a path."""

    part: str


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


class Emptied(BaseModel):
    """What was deleted for good: how many benches, and the bytes that the disk has again."""

    benches: int
    bytes: int


class BenchId(BaseModel):
    """The id of a bench that was made."""

    id: str


class StepsItem(BaseModel):
    """What undo or redo would do."""

    number: int
    label: str


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
    label: str | None = Field(description="written instead of the number")


class AxisView(BaseModel):
    """An axis of turning."""

    point: Vector
    direction: Vector


class StepView(BaseModel):
    """What became of a step."""

    id: str
    state: Literal["done", "off", "failed", "waiting"]
    shown: dict[str, float]
    used: JsonObject
    facts: dict[str, float | str] = Field(description="what else there is to tell of the step")
    pieces: list[str] = Field(description="groups that are bodies of their own")
    notes: list[NoteView]
    error: ErrorView | None
    faces_added: int
    faces: int
    callouts: list[CalloutView]
    turned: bool = Field(description="whether it makes a body of turning, as deep as it is wide")
    axis: AxisView | None
    lines: list[list[float]] = Field(description="both ends of lines on the body that show where the step acts")
    run: list[list[float]] | None = Field(
        description="what its graphs go by: a place from 0 to 1 and the point of the part there, in order"
    )


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

    rows: list[JsonObject]
    order: list[str] | None


class DocumentChange(BaseModel):
    """What of a document is no longer as it was; what is left out is."""

    name: str | None = None
    floor: float | None = None
    face_limit: int | None = None
    shown: Shown | None = None
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
    since: int | None = Field(
        None, description="the revision it was first sent upon, where its answer never came: it is not done twice"
    )


class PreviewIn(EditIn):
    """An edit to be worked out and not kept; of some parts alone, or of all. ``held`` are hashes of drawing data that is there, ``forms`` of its forms."""

    parts: list[str] | None = Field(None, max_length=500)
    held: list[str] = Field(default_factory=list, max_length=500)
    forms: list[str] = Field(default_factory=list, max_length=500)
    told: bool = Field(default=True, description="whether what is only told is worked out too: measures")


class EstimateView(BaseModel):
    """What an edit would make and take; null where that is not known before."""

    faces: int | None
    seconds: float | None
    bytes: float | None


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


class CurvePath(BenchPath):
    """A curve of a bench in a path."""

    curve: str


class PicturePath(BenchPath):
    """A picture beside a bench in a path."""

    file: str


class CurveFormatQuery(BaseModel):
    """As what a curve is drawn."""

    format: Literal["svg", "dxf"] = "svg"


class ReadCurves(BaseModel):
    """The curves of a drawing, numbered c1, c2 ..."""

    curves: list[Curve]


class UploadView(BaseModel):
    """What an uploaded file holds."""

    file: str
    format: str
    points: int
    faces: int
    size: Vector = Field(description="of a mesh in its own unit, of a picture in pixels")
    has_units: bool
    notes: list[str]


class EventsQuery(BaseModel):
    """Which bench to listen to."""

    bench: str | None = None


class Health(BaseModel):
    """That the server is there."""

    name: str
    version: str
