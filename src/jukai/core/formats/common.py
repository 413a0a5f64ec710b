"""What the mesh formats share: limits, checks, units, what a reader gives."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.geometry.arrays import Array, Floats, Ints, concatenated_ranges
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.mesh import Mesh

__all__ = ["FORMATS", "LIMIT", "NUMBER", "UNIT_MM", "RawMesh", "ReadMesh", "WriteOptions", "check_points", "check_text",
           "checkpoint", "finish_reading",
           "merge_same_points", "plural", "refuse_too_large", "watched"]  # fmt: skip

LIMIT = 1e9
"""Greatest coordinate, mm."""
MOST_POINTS = 50_000_000
FORMATS = {"obj": "OBJ", "stl": "STL", "ply": "PLY", "glb": "GLB", "off": "OFF", "3mf": "3MF"}
UNIT_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
_BYTES_OF_FILE, _BYTES_MORE = 8, 500_000_000
"""What reading may take: so many bytes for each of the file, and so many more."""
_BYTES_OF_POINT, _BYTES_OF_TRIANGLE = 170, 80
"""What a point and a triangle take at most while they are put together and merged; 164 and 233 for one of each were
measured, of the whole process, in GLB and 3MF files that come to over half a million points."""
MOST_NAMES = 200_000
"""Names of groups, materials or objects in a file."""
NUMBER = re.compile(rb"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,6})?")


_watch: ContextVar[Callable[[float], None] | None] = ContextVar("watch", default=None)


@contextmanager
def watched(watch: Callable[[float], None] | None) -> Iterator[None]:
    """Have ``watch`` called with the fraction done, again and again, while a file is read in this thread; it may raise to end that."""
    token = _watch.set(watch)
    try:
        yield
    finally:
        _watch.reset(token)


def checkpoint(fraction: float) -> None:
    """Tell how far reading has come; what waits for it may end it here."""
    watch = _watch.get()
    if watch is not None:
        watch(fraction)


def _room(file_size: int) -> int:
    return _BYTES_OF_FILE * file_size + _BYTES_MORE


def most_points(file_size: int) -> int:
    """Return how many points a file of so many bytes may come to at most."""
    return min(MOST_POINTS, _room(file_size) // _BYTES_OF_POINT)


def refuse_too_large(file_size: int, points: int, triangles: int) -> None:
    """Refuse what a small file would make large, by parts that are placed many times, before it is made."""
    room = _room(file_size)
    need = points * _BYTES_OF_POINT + triangles * _BYTES_OF_TRIANGLE
    if points > MOST_POINTS or need > room:
        told = [f"{n}" if n < 10**15 else f"over 10^{len(str(n)) - 1}" for n in (points, triangles)]
        raise FileProblem(
            f"The file builds {told[0]} points and {told[1]} triangles of {file_size / 1e6:.3g} MB, with all that it places more than once: too many.",
            hint=f"{min(MOST_POINTS, room // (_BYTES_OF_POINT + 2 * _BYTES_OF_TRIANGLE))} points would do.",
        )


@dataclass(slots=True)
class RawMesh:
    """What a parser found, before it is checked.

    Attributes
    ----------
    points : (n, 3) float64 in the file's unit.
    corners, offsets : compressed rows of faces.
    uv : (c, 2) texture coordinates or None.
    groups, face_group : names and (f,) int32 into them, -1 for none.
    finishes, face_finish : the same for materials.
    place : how the file counts its points, for messages: ``line`` or ``point``.
    """

    points: Floats
    corners: Ints
    offsets: Ints
    uv: Floats | None = None
    groups: tuple[str, ...] = ()
    face_group: Ints | None = None
    finishes: tuple[str, ...] = ()
    face_finish: Ints | None = None
    notes: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True, eq=False)
class ReadMesh:
    """A mesh from a file, in mm and Z up when the format says so, else in the file's own numbers.

    Attributes
    ----------
    groups, face_group : names from the file and (f,) int32 into them, -1 for none.
    notes : what was left out or set right, one sentence each.
    has_units : whether the format fixes unit and up axis.
    """

    mesh: Mesh
    groups: tuple[str, ...]
    face_group: Ints
    notes: tuple[str, ...]
    has_units: bool = False


@dataclass(frozen=True, slots=True)
class WriteOptions:
    """How to write: the unit and up axis of the numbers, polygons or triangles where both go, texture coordinates or none."""

    unit: str = "mm"
    up: str = "z"
    triangles: bool = False
    texture: bool = True

    def transform(self, points: Floats) -> Floats:
        """Return points in the unit and up axis asked for."""
        if self.up == "y":
            points = np.stack([points[:, 0], points[:, 2], -points[:, 1]], axis=1)
        factor = UNIT_MM[self.unit]
        return points if factor == 1.0 else points / factor


def plural(n: int, one: str, many: str | None = None) -> str:
    """Return ``1 face`` or ``2 faces``."""
    return f"{n} {one if n == 1 else many or one + 's'}"


def check_text(data: bytes, what: str) -> None:
    """Refuse what is no text at all."""
    if not data:
        raise FileProblem("The file is empty.")
    if data[:2] in (b"\xff\xfe", b"\xfe\xff") or (len(data) > 3 and data[1:80:2].count(0) > 15):
        raise FileProblem(f"The text is UTF-16; this is no {what} file.", hint="Save it as UTF-8.")
    if b"\x00" in data:
        raise FileProblem(f"This is not a text {what} file: byte 0 found at position {data.index(0)}.")
    head = data[:4096]
    strange = sum(b < 9 or 13 < b < 32 for b in head)
    if strange * 20 > len(head):
        raise FileProblem(f"This is not a text {what} file.")


def check_points(points: Array) -> None:
    """Refuse a coordinate that is not finite or too large, and say which."""
    if len(points) and points.max() <= LIMIT and points.min() >= -LIMIT:
        return
    good = (np.abs(points) <= LIMIT).all(axis=1)
    if not good.all():
        at = int(np.argmin(good))
        if not np.isfinite(points[at]).all():
            raise FileProblem(f"Point {at}: a coordinate is not a finite number.")
        raise FileProblem(f"Point {at}: a coordinate is too large; {LIMIT:g} mm is the limit.")


def finish_reading(
    raw: RawMesh, *, merge: bool, has_units: bool = False, explain: Callable[[], None] | None = None
) -> ReadMesh:
    """Check what a parser found and make the mesh of it.

    ``explain`` may raise a better error than ours when a coordinate is out of its limits.

    Faces of fewer than three different points are left out with a note; points at the same place
    are merged where the format repeats them for every face.
    """
    points, corners, offsets = raw.points, raw.corners, raw.offsets
    notes = list(raw.notes)
    if len(points) > MOST_POINTS:
        raise FileProblem(f"The file has {len(points)} points; {MOST_POINTS} are the most.")
    if merge:
        points, corners = merge_same_points(points, corners)
    keep, good, seen = _checked(points, corners, offsets)
    if not good:
        if explain is not None:
            explain()
        raise FileProblem(f"A coordinate is over the limit of {LIMIT:g} mm.")
    face_group = raw.face_group if raw.face_group is not None else np.full(len(offsets) - 1, -1, np.int32)
    face_finish, uv = raw.face_finish, raw.uv
    if not keep.all():
        lost = int((~keep).sum())
        if not keep.any():
            raise FileProblem(
                f"No usable face: {plural(lost, 'face has', 'faces have')} fewer than 3 different points."
            )
        notes.append(f"{plural(lost, 'face')} with fewer than 3 different points left out.")
        sides = np.diff(offsets)
        ids = concatenated_ranges(offsets[:-1][keep], sides[keep])
        corners, uv = corners[ids], None if uv is None else uv[ids]
        offsets = np.concatenate([[0], np.cumsum(sides[keep])]).astype(np.int32)
        face_group = face_group[keep]
        face_finish = None if face_finish is None else face_finish[keep]
        seen = None
    mesh = Mesh(points, corners, offsets, uv=uv, finishes=raw.finishes, face_finish=face_finish)
    if seen is not None:
        mesh.know_bounds(*seen)
    if not mesh.size > 1e-150:
        notes.append("The body has no size.")
    return ReadMesh(mesh, raw.groups, face_group, tuple(notes), has_units)


def _checked(points: Floats, corners: Ints, offsets: Ints) -> tuple[Array, bool, tuple[Array, Floats] | None]:
    """Return the usable faces, whether the coordinates are, and of large bodies the points used and their bounds."""
    if len(corners) > FEW:
        from jukai.core.formats._check_fast import check_mesh

        good, keep, _, used, box = check_mesh(
            np.ascontiguousarray(points, dtype=np.float64),
            np.ascontiguousarray(corners, dtype=np.int32),
            np.ascontiguousarray(offsets, dtype=np.int32),
            LIMIT,
        )
        return keep, bool(good), (used, box)
    good = len(points) == 0 or bool(points.max() <= LIMIT and points.min() >= -LIMIT)
    return _usable(corners, offsets), good, None


def _usable(corners: Ints, offsets: Ints) -> np.ndarray:
    """Return which faces have three different points or more."""
    sides = np.diff(offsets)
    keep = sides >= 3
    for k in (3, 4):
        rows = np.flatnonzero(sides == k)
        if len(rows) == 0:
            continue
        ring = (
            corners.reshape(-1, k) if len(rows) == len(sides) else corners[offsets[:-1][rows][:, None] + np.arange(k)]
        )
        same = np.zeros(len(rows), dtype=np.int8)
        for i in range(k):
            for j in range(i):
                same += ring[:, i] == ring[:, j]
        # one pair of equal corners leaves a four-sided face three points, two pairs may not
        doubtful = same > (k == 4)
        keep[rows[doubtful]] = [len(set(r)) >= 3 for r in ring[doubtful].tolist()]
    for f in np.flatnonzero(sides > 4):
        keep[f] = len(np.unique(corners[offsets[f] : offsets[f + 1]])) >= 3
    return np.asarray(keep)


def merge_same_points(points: Floats, corners: Ints) -> tuple[Floats, Ints]:
    """Merge points at exactly the same place; the first of each stays, in its order."""
    if len(points) > 50_000:
        from jukai.core.geometry._weld import weld_exact

        first, where = weld_exact(np.ascontiguousarray(points) + 0.0)
        whole = len(corners) == len(where) and len(where) > 0 and bool((corners == np.arange(len(where))).all())
        return points[first], where if whole else where[corners]
    order = np.lexsort(points.T)
    ranked = points[order]
    new = np.ones(len(points), dtype=bool)
    new[1:] = (ranked[1:] != ranked[:-1]).any(axis=1)
    group = np.cumsum(new) - 1
    first = np.full(int(group[-1]) + 1 if len(group) else 0, len(points), dtype=np.int64)
    np.minimum.at(first, group, order)
    rank = np.argsort(np.argsort(first))
    where = np.zeros(len(points), dtype=np.int32)
    where[order] = rank[group]
    return points[np.sort(first)], where[corners]


def offsets_of(sizes: Array) -> Ints:
    """Return compressed-row offsets of ``sizes``."""
    out = np.zeros(len(sizes) + 1, np.int32)
    np.cumsum(sizes, out=out[1:])
    return out
