"""What an operator is made of: values, a pure function, its sentence, its callouts."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from jukai.core.errors import Cancelled, Foreseen, Heavy, TooLarge, ValueProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.curves import CurveShape, Sampled
from jukai.core.geometry.frames import Frame, frame_along
from jukai.core.geometry.measures import surface_centroid
from jukai.core.geometry.mesh import Mesh

__all__ = ["Along", "AxisSpec", "Callout", "Context", "Further", "Kind", "Note", "Operator", "OperatorValues", "Picked", "Placing", "ProfileCurve", "Result",
           "chord_sides", "operator"]  # fmt: skip


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


@dataclass(frozen=True, slots=True)
class Note:
    """Something a step has to say; ``level`` is ``info`` or ``warning``.

    ``solve`` offers a number that would mend it: the value's key, the number, and words for it. ``lines`` are
    both ends of edges it is about, to be drawn as a chain.
    """

    level: str
    text: str
    places: tuple[tuple[float, float, float], ...] = ()
    field: str | None = None
    solve: tuple[str, float, str] | None = None
    lines: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True, slots=True)
class Callout:
    """A number drawn on the body, and how a drag there changes it. All in the part's own space.

    Attributes
    ----------
    target : the address of the number: ``values/sides`` of the step, or ``curves/c1/p3/fillet``.
    form : ``length``, ``radius``, ``diameter``, ``angle``, ``count``, ``level`` (a place along an axis) or ``point``.
    at, to : the two ends of what is dimensioned (for an angle: centre and start of the arc; for a
        radius: centre of the arc and a point on it).
    along : direction in which a drag makes the number larger; for an angle the axis it turns about.
    gain : change of the number per mm dragged along (per degree for an angle).
    second : for a point, the direction of its second coordinate.
    stopped : the number that could be had, where what is asked for was limited.
    slope : degrees between a chamfer and the faces beside it, to be written behind its leg.
    """

    target: str
    form: str
    at: tuple[float, float, float]
    to: tuple[float, float, float]
    along: tuple[float, float, float]
    gain: float = 1.0
    second: tuple[float, float, float] | None = None
    stopped: float | None = None
    slope: float | None = None


@dataclass(frozen=True, slots=True)
class Result:
    """What a step gives.

    Attributes
    ----------
    used : the values that were chosen for what was left out, such as ``{"sides": 36}``.
    axis : point and direction of turning, to be drawn.
    """

    mesh: Mesh
    notes: tuple[Note, ...] = ()
    callouts: tuple[Callout, ...] = ()
    used: Mapping[str, Any] = field(default_factory=dict)
    axis: tuple[Floats, Floats] | None = None


@dataclass(slots=True)
class Context:
    """What a step may know of the world, and how it says that it is alive.

    Attributes
    ----------
    step : id of the step, for the lineage.
    blank_size : size of a shape that gives none, mm.
    face_limit : faces a part may have.
    files : bytes of imported files by name.
    body : the body of the other part that a value names, if one does.
    on_progress, stop : where progress goes, and whether to stop.
    foresee : only say how many faces there would be, by raising ``Foreseen``.
    preview_limit : faces up to which work is done while a number is dragged.
    """

    step: str
    blank_size: float = 20.0
    face_limit: int = 2_000_000
    files: Mapping[str, bytes] = field(default_factory=dict)
    body: Mesh | None = None
    on_progress: Callable[[str, float], None] | None = None
    stop: Callable[[], bool] | None = None
    foresee: bool = False
    preview_limit: int = 100_000_000

    def checkpoint(self, fraction: float) -> None:
        """Report progress; raise ``Cancelled`` if the work is to stop."""
        if self.stop is not None and self.stop():
            raise Cancelled("Stopped.")
        if self.on_progress is not None:
            self.on_progress(self.step, fraction)

    def afford(self, faces: int, *, field: str | None = None, rough: bool = False) -> None:
        """Refuse work whose result would have more faces than the part may have.

        ``rough`` counts come before the arrays that the real one needs, and are no forecast.
        """
        if faces > self.face_limit:
            raise TooLarge(
                f"This would make {faces:,} faces; {self.face_limit:,} are the most a part may have here.".replace(",", " "),
                field=field, hint="Lower a count, or raise the bench's face limit.",
            )  # fmt: skip
        if rough:
            return
        if self.foresee:
            raise Foreseen(faces)
        if faces > self.preview_limit:
            raise Heavy(
                f"{faces:,} faces: worked out when you let go.".replace(",", "\u2009"),
                field=field, hint="Escape puts back what was there.",
            )  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class ProfileCurve:
    """A profile as an operator sees it: its points as numbers, sampled, and where they came from."""

    id: str
    name: str
    shape: CurveShape
    sampled: Sampled
    point_ids: tuple[str, ...]
    formulas: tuple[frozenset[str], ...] = ()
    key: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Picked:
    """A pick worked out on the body that comes to a step: what kind of element, and which of them."""

    kind: str
    mask: Bools

    @property
    def count(self) -> int:
        """How many are picked."""
        return int(self.mask.sum())


@dataclass(frozen=True, slots=True, eq=False)
class Further:
    """A further pick of a step, with a length of its own, mm."""

    pick: Picked
    width: float


@dataclass(frozen=True, slots=True)
class AxisSpec:
    """An axis as written: ``x``, ``y``, ``z``, ``longest``, or a point and a direction."""

    name: str | None = None
    point: tuple[float, float, float] | None = None
    direction: tuple[float, float, float] | None = None

    def frame(self, mesh: Mesh | None = None) -> Frame:
        """Return the frame. A named axis runs through the middle of ``mesh``, or the zero point."""
        if self.name is None:
            if self.direction is None or self.point is None:
                raise ValueProblem("An axis needs a point and a direction.", field="axis")
            d = np.array(self.direction)
            if not np.linalg.norm(d) > 0:
                raise ValueProblem(
                    "The axis has no direction: all three numbers are 0.", field="axis", hint="For example [0, 0, 1]."
                )
            return frame_along(d, np.array(self.point))
        name = self.name
        if mesh is None:
            return frame_along("z" if name == "longest" else name)
        if name == "longest":
            low, high = mesh.bounds
            extent = high - low
            # Z wins a tie, then X: most parts stand
            best = max((float(extent[2]), 2, "z"), (float(extent[0]), 1, "x"), (float(extent[1]), 0, "y"),
                       key=lambda e: (round(e[0] / max(mesh.size, 1e-300), 9), e[1]))  # fmt: skip
            name = best[2]
        return frame_along(name, surface_centroid(mesh))


@dataclass(frozen=True, slots=True)
class Along:
    """A place along an axis: mm from the body's start, or a share of its length."""

    value: float
    share: bool = False

    def at(self, length: float) -> float:
        """Return mm from the start of a body of ``length``."""
        return self.value * length / 100 if self.share else self.value


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
    """

    wide: Extent | None = None
    deep: Extent | None = None
    radius: Extent | None = None
    up: Extent | None = None


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
) -> Callable[[Callable[..., Result]], Callable[..., Result]]:
    """Register a function as an operator.

    ``sentence`` is what a person reads: ``{key}`` stands for a value, ``{a|b}`` for whichever of
    two is given. ``quiet`` is the second sentence with the less used values. Raise ``version`` when
    the result for the same values changes, so that nothing stale is taken from a cache. ``placing``
    is given by shapes whose numbers can be drawn.
    """

    def register(function: Callable[..., Result]) -> Callable[..., Result]:
        if id in _FOUND:
            raise RuntimeError(f"two operators are called '{id}'")
        title = name or id.replace("_", " ").capitalize()
        text = (function.__doc__ or values.__doc__ or "").strip().split("\n")[0]
        _FOUND[id] = Operator(
            id, kind, title, sentence, quiet, values, function, tuple(groups), tuple(synonyms), version, text, placing
        )
        return function

    return register


def found() -> Mapping[str, Operator]:
    """Return what has been registered so far; the registry imports the files first."""
    return _FOUND


def chord_sides(radius: float, size: float, angle: float = 360.0, *, multiple: int = 12) -> int:
    """Return the sides of a round of ``radius`` for a chord tolerance of ``size`` / 500.

    Rounded up to a multiple of 12 over a whole turn, in proportion for a part of one.
    """
    tolerance = max(size, 1e-300) / 500
    whole = 3.0 if tolerance >= radius else np.pi / np.arccos(1 - tolerance / radius)
    whole = multiple * int(np.ceil(max(whole, 3) / multiple - 1e-9))
    return max(1, int(np.ceil(whole * min(abs(angle), 3.6e6) / 360.0 - 1e-9)))
