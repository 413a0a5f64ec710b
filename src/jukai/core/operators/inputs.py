"""What operators take besides numbers and words: axes, places, curves, bodies of other parts, files, picks."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Protocol, cast, runtime_checkable

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.curve_pieces import CurveShape, Sampled
from jukai.core.geometry.frames import Frame, frame_along
from jukai.core.geometry.measures import surface_centroid
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import Reach, placed
from jukai.core.picks.picked import Picked

if TYPE_CHECKING:
    from jukai.core.geometry.paths import Path

__all__ = ["Along", "AxisSpec", "Body", "CurveInput", "FileInput", "Files", "Further", "HeldFiles"]


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
        if mesh is None:
            return frame_along("z" if self.name == "longest" else self.name)
        return frame_along(self.lies_along(mesh), surface_centroid(mesh))

    def lies_along(self, mesh: Mesh) -> str:
        """Return the name of a named axis, ``longest`` as the one it is on this body."""
        if self.name != "longest":
            return self.name or ""
        low, high = mesh.bounds
        extent = high - low
        # Z wins a tie, then X: most parts stand
        best = max((float(extent[2]), 2, "z"), (float(extent[0]), 1, "x"), (float(extent[1]), 0, "y"),
                   key=lambda e: (round(e[0] / max(mesh.size, 1e-300), 9), e[1]))  # fmt: skip
        return best[2]


@dataclass(frozen=True, slots=True)
class Along:
    """A place along an axis: mm from the body's start, or a share of its length."""

    value: float
    share: bool = False

    def at(self, length: float) -> float:
        """Return mm from the start of a body of ``length``."""
        return self.value * length / 100 if self.share else self.value


@dataclass(frozen=True, slots=True, eq=False)
class CurveInput:
    """A curve as an operator sees it: its points as numbers, sampled, and where they came from.

    ``sampled`` is that of its own kind: of a profile in its plane, of a path in space.
    """

    id: str
    name: str
    shape: CurveShape
    sampled: Sampled
    point_ids: tuple[str, ...]
    formulas: tuple[frozenset[str], ...] = ()
    key: str = ""
    kind: str = "profile"
    _made: list[object] = field(default_factory=list)  # the path, once it was asked for

    @property
    def path(self) -> Path:
        """The curve as a path in space; a profile stands upright in the plane Y = 0, across along X."""
        from jukai.core.geometry.paths import path_through

        if not self._made:
            self._made.append(path_through(self.shape))
        return cast("Path", self._made[0])


@dataclass(frozen=True, slots=True, eq=False)
class Body:
    """The body of another part.

    Attributes
    ----------
    mesh : in that part's own space; None while the part has no body.
    matrix : (4, 4) where the part stands; the unit matrix where the step does not ask for it.
    reaches : where its sides are told to reach to; ``matrix`` brings them there but for rounding.
    key : the same whenever the body, and where it stands if that counts, are.
    finish : that of the part, where its faces have none of their own.
    facts : what its steps tell of it in numbers or words, the later ones before the earlier.
    frame : (4, 4) from its own space to where this part sees it, where the step asks for that; ``mesh`` stands on the bench
        then and ``matrix`` is from there.
    """

    part: str
    name: str
    mesh: Mesh | None
    matrix: Floats
    key: str
    reaches: tuple[Reach, ...] = ()
    finish: str | None = None
    facts: Mapping[str, float | str] = field(default_factory=dict)
    frame: Floats | None = None

    @property
    def standing(self) -> Mesh | None:
        """The body where the part stands."""
        return None if self.mesh is None else placed(self.mesh, self.matrix, self.reaches)


@runtime_checkable
class Files(Protocol):
    """The files beside a bench; none is read before its bytes are asked for."""

    def hash_of(self, name: str) -> str | None:
        """Return the hash of a file's bytes; None where there is no such file."""

    def read(self, name: str) -> bytes:
        """Return a file's bytes."""


@dataclass(frozen=True, slots=True)
class HeldFiles:
    """Files that are in memory already, by name."""

    rows: Mapping[str, bytes] = field(default_factory=dict)

    def hash_of(self, name: str) -> str | None:
        """Return the hash of a file's bytes; None where there is no such file."""
        data = self.rows.get(name)
        return None if data is None else hashlib.blake2b(data, digest_size=16).hexdigest()

    def read(self, name: str) -> bytes:
        """Return a file's bytes."""
        return self.rows[name]


@dataclass(frozen=True, slots=True, eq=False)
class FileInput:
    """A file beside the bench: its name and hash; the bytes are read when they are asked for."""

    name: str
    hash: str
    files: Files

    def read(self) -> bytes:
        """Return the bytes."""
        return self.files.read(self.name)


@dataclass(frozen=True, slots=True, eq=False)
class Further:
    """A further pick of a step, with a length of its own, mm."""

    pick: Picked
    width: float
