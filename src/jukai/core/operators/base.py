"""What an operator is made of: values, a pure function, its sentence, its callouts."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from jukai.core.errors import Cancelled, Estimated, Heavy, TooLarge
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note

__all__ = ["CHAPTERS", "Callout", "CalloutForm", "Context", "Example", "Kind", "Note", "Operator", "OperatorValues", "Placing", "Point", "Result",
           "chord_sides", "found", "operator", "points_of", "three"]  # fmt: skip


class Kind(StrEnum):
    """Blanks make a body; changes work on it."""

    BLANK = "blank"
    CHANGE = "change"


class OperatorValues(BaseModel):
    """Base of the values of an operator: resolved numbers, choices, curves."""

    model_config = ConfigDict(
        extra="forbid", frozen=True, allow_inf_nan=False, arbitrary_types_allowed=True,
        populate_by_name=True, alias_generator=lambda name: name.rstrip("_"),  # from_ is written from
    )  # fmt: skip


class CalloutForm(StrEnum):
    """How a number is drawn on the body."""

    LENGTH = "length"
    RADIUS = "radius"
    DIAMETER = "diameter"
    ANGLE = "angle"
    COUNT = "count"
    LEVEL = "level"
    """A place along an axis."""
    POINT = "point"
    FACTOR = "factor"
    SHARE = "share"


Point = tuple[float, float, float]


class Callout(NamedTuple):
    """A number drawn on the body, and how a drag there changes it. All in the part's own space.

    Attributes
    ----------
    target : the address of the number: ``values/sides`` of the step, or ``curves/c1/p3/fillet``.
    at, to : the two ends of what is dimensioned (for an angle: centre and start of the arc; for a
        radius: centre of the arc and a point on it; for a count, factor or share: where its leader ends).
    along : direction in which a drag makes the number larger; for an angle the axis it turns about.
    gain : change of the number per mm dragged along (per degree for an angle).
    second : for a point, the direction of its second coordinate.
    stopped : the number that could be had, where what is asked for was limited.
    slope : degrees between a chamfer and the faces beside it, to be written behind its leg.
    grip : where it is taken hold of: a place on the body; ``to`` where nothing else is said.
    label : what is written instead of the number, as drawings name a thread: M10 × 1.5.
    """

    target: str
    form: CalloutForm
    at: Point
    to: Point
    along: Point
    gain: float = 1.0
    second: Point | None = None
    stopped: float | None = None
    slope: float | None = None
    grip: Point | None = None
    label: str | None = None

    @property
    def held_at(self) -> Point:
        """Where it is taken hold of."""
        return self.to if self.grip is None else self.grip


@dataclass(frozen=True, slots=True)
class Result:
    """What a step gives.

    Attributes
    ----------
    used : the values that were chosen for what was left out, such as ``{"sides": 36}``, each as it would be
        written. Values that were written are never told here.
    facts : what else there is to tell in numbers or words: ``{"length": 40.0, "axis": "z"}``.
    axis : point and direction of an axis to be drawn.
    turned : whether the body is one of turning about that axis: as deep as it is wide.
    pieces : groups that are bodies of their own, which another part can follow one by one.
    lines : (k, 6) both ends of lines on the body that show where the step acts.
    shown : what written numbers came to that only the operator can work out, by address.
    run : (k, 4) what its graphs go by, where it has any: places from 0 to 1, and the point of the body's run at each.
    """

    mesh: Mesh
    notes: tuple[Note, ...] = ()
    callouts: tuple[Callout, ...] = ()
    used: Mapping[str, object] = field(default_factory=dict)
    facts: Mapping[str, float | str] = field(default_factory=dict)
    axis: tuple[Floats, Floats] | None = None
    turned: bool = False
    pieces: tuple[str, ...] = ()
    run: Floats | None = None
    lines: Floats | None = None
    shown: Mapping[str, float] = field(default_factory=dict)


STEP_BYTES = 4_000_000_000
"""Memory that a step may take while it is worked out."""
BYTES_OF_FACE = 300
"""What making a blank takes for each face at most: 88 (a sheet) to 286 (a cylinder of a million sides), measured."""


@dataclass(slots=True)
class Context:
    """What a step may know of the world, and how it says that it is alive.

    Attributes
    ----------
    step : id of the step, for the lineage.
    blank_size : size of a shape that gives none, mm.
    face_limit : faces a part may have.
    on_progress, stop : where progress goes, and whether to stop.
    estimate : only say how many faces there would be, by raising ``Estimated``.
    preview_limit : faces up to which work is done while a number is dragged.
    """

    step: str
    blank_size: float = 20.0
    face_limit: int = 2_000_000
    on_progress: Callable[[str, float], None] | None = None
    stop: Callable[[], bool] | None = None
    estimate: bool = False
    preview_limit: int = 100_000_000

    def checkpoint(self, fraction: float) -> None:
        """Report progress; raise ``Cancelled`` if the work is to stop."""
        if self.stop is not None and self.stop():
            raise Cancelled("Stopped.")
        if self.on_progress is not None:
            self.on_progress(self.step, fraction)

    def afford(
        self, faces: int, *, field: str | None = None, rough: bool = False, bytes_each: int = BYTES_OF_FACE
    ) -> None:
        """Refuse work whose result would have more faces than the part may have, or that would take too much memory.

        ``rough`` counts come before the arrays that the real one needs, and are no estimate; ``bytes_each`` is what the
        work takes at most for each face.
        """
        if faces > self.face_limit:
            raise TooLarge(
                f"This would make {faces:,} faces; {self.face_limit:,} are the most a part may have here.".replace(",", " "),
                field=field, hint="Lower a count, or raise the bench's face limit.",
            )  # fmt: skip
        if faces * bytes_each > STEP_BYTES:
            raise TooLarge(
                f"This would make {faces:,} faces and take some {faces * bytes_each / 1e9:.2g} GB of memory; {STEP_BYTES / 1e9:g} GB are the most that a step may take.".replace(",", " "),
                field=field, hint=f"Lower a count: {STEP_BYTES // bytes_each:,} faces would do.".replace(",", " "),
            )  # fmt: skip
        if rough:
            return
        if self.estimate:
            raise Estimated(faces)
        if faces > self.preview_limit:
            raise Heavy(
                f"{faces:,} faces: worked out when you let go.".replace(",", "\u2009"),
                field=field, hint="Escape puts back what was there.",
            )  # fmt: skip


Extent = tuple[str, float]
"""A value's address (``radius``, ``size/0``) and what it grows by per mm of an extent."""


@dataclass(frozen=True, slots=True)
class Placing:
    """How a footprint drawn by hand, and then a height, become the numbers of a shape.

    Attributes
    ----------
    wide, deep : what a footprint with sides gives.
    radius : what the radius of a round footprint gives; one that has it is round.
    up : what the height gives; None where the footprint settles everything.
    hole : what the diameter of a hole gives that it is set down on: a value's key, and the value by the diameter, mm, with
        words that say why; None where nothing fits.
    """

    wide: Extent | None = None
    deep: Extent | None = None
    radius: Extent | None = None
    up: Extent | None = None
    hole: tuple[str, Callable[[float], tuple[str, str] | None]] | None = None


@dataclass(frozen=True, slots=True)
class Example:
    """A small bench that shows what an operator does, for its drawing.

    Attributes
    ----------
    steps : operator and values of each step of the only part, as they are written; the last one is the operator's.
        What stands before the last is drawn as the state before, if the operator changes a body.
    beside : the steps of another part ``p0``, where one is needed; it is drawn as the state before.
    files : files beside the bench, by name.
    profile : the points of a curve ``c1``, where one is needed.
    closed : whether that curve is closed.
    path, second : the points of a path or of another closed profile ``c2``, where one is needed.
    seen_from : degrees around and above that it is looked at from.
    """

    steps: tuple[tuple[str, Mapping[str, object]], ...]
    beside: tuple[tuple[str, Mapping[str, object]], ...] = ()
    files: Mapping[str, bytes] = field(default_factory=dict)
    profile: tuple[object, ...] = ()
    closed: bool = False
    path: tuple[object, ...] = ()
    second: tuple[object, ...] = ()
    seen_from: tuple[float, float] = (-35.0, 25.0)


@dataclass(frozen=True, slots=True)
class Operator:
    """An operator as the registry keeps it."""

    id: str
    kind: Kind
    name: str
    sentence: str
    quiet: str
    values: type[OperatorValues]
    apply: Callable[..., Result]
    groups: tuple[str, ...]
    synonyms: tuple[str, ...]
    version: int
    description: str
    placing: Placing | None = None
    example: Example | None = None

    @property
    def chapter(self) -> str:
        """The heading it stands under in lists of operators: that of the folder its file lies in."""
        folder = self.apply.__module__.split(".")[-2]
        return CHAPTERS.get(folder, folder)


CHAPTERS = {
    "blanks": "ready shapes",
    "curves": "from curves",
    "changes": "edges and faces",
    "deform": "deforming",
    "tidy": "tidying and finish",
}
"""Folders of operators, in the order in which lists show them, and the words for each."""
_FOUND: dict[str, Operator] = {}


def operator(  # noqa: PLR0913 - what a file of an operator says once
    *,
    id: str,  # noqa: A002 - the word of the file format
    kind: Kind,
    values: type[OperatorValues],
    sentence: str,
    quiet: str = "",
    name: str | None = None,
    groups: Sequence[str] = (),
    synonyms: Sequence[str] = (),
    version: int = 1,
    placing: Placing | None = None,
    example: Example | None = None,
) -> Callable[[Callable[..., Result]], Callable[..., Result]]:
    """Register a function as an operator.

    ``sentence`` is what a person reads: ``{key}`` stands for a value, ``{a|b}`` for whichever of
    two is given. ``quiet`` is the second sentence with the less used values. Raise ``version`` when
    the result for the same values changes, so that nothing stale is taken from a cache. ``placing``
    is given by shapes whose numbers can be drawn; ``example`` is drawn beside the operator's name.
    Brackets in a sentence hold what is left out while a value in them is not relevant.
    """

    def register(function: Callable[..., Result]) -> Callable[..., Result]:
        if id in _FOUND:
            raise RuntimeError(f"two operators are called '{id}'")
        title = name or id.replace("_", " ").capitalize()
        text = (function.__doc__ or values.__doc__ or "").strip().split("\n")[0]
        _FOUND[id] = Operator(
            id,
            kind,
            title,
            sentence,
            quiet,
            values,
            function,
            tuple(groups),
            tuple(synonyms),
            version,
            text,
            placing,
            example,
        )
        return function

    return register


def found() -> Mapping[str, Operator]:
    """Return what has been registered so far; the registry imports the files first."""
    return _FOUND


def three(v: Floats) -> Point:
    """Return three coordinates as plain numbers."""
    return float(v[0]), float(v[1]), float(v[2])


def points_of(rows: Floats) -> tuple[Point, ...]:
    """Return (n, 3) coordinates as plain numbers."""
    return tuple((x, y, z) for x, y, z in rows.tolist())


def chord_sides(radius: float, size: float, angle: float = 360.0, *, multiple: int = 12) -> int:
    """Return the sides of a round of ``radius`` for a chord tolerance of ``size`` / 500.

    Rounded up to a multiple of 12 over a whole turn, in proportion for a part of one.
    """
    tolerance = max(size, 1e-300) / 500
    whole = 3.0 if tolerance >= radius else np.pi / np.arccos(1 - tolerance / radius)
    whole = multiple * int(np.ceil(max(whole, 3) / multiple - 1e-9))
    return max(1, int(np.ceil(whole * min(abs(angle), 3.6e6) / 360.0 - 1e-9)))
