"""The one mesh class: immutable, flat arrays, no object per element."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, TypeVar
from weakref import WeakValueDictionary

import numpy as np
from numpy.typing import ArrayLike, NDArray

from jukai.core.geometry.arrays import Array, Floats, Ints, frozen, row_ids, sides_of
from jukai.core.geometry.kernels import FEW

if TYPE_CHECKING:
    from jukai.core.geometry.connectivity import Connectivity

__all__ = ["Lineage", "Mesh", "Topology", "join_meshes"]

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Lineage:
    """The history table of faces: rows of (step, group, parent row), oldest parents first.

    A face carries one row number; following the parents names every step and group that the face
    has come from. Parent -1 ends the walk.
    """

    rows: tuple[tuple[str, str, int], ...] = ()

    def extended(self, rows: Iterable[tuple[str, str, int]]) -> tuple[Lineage, int]:
        """Return the table with ``rows`` added and the number of the first of them."""
        return Lineage(self.rows + tuple(rows)), len(self.rows)

    def trail(self, row: int) -> list[tuple[str, str]]:
        """Return the (step, group) pairs of one row, oldest first."""
        out: list[tuple[str, str]] = []
        while row >= 0:
            step, group, row = self.rows[row]
            out.append((step, group))
        return out[::-1]

    def rows_in_group(self, step: str, group: str) -> NDArray[np.bool_]:
        """Return for each row whether it, or a parent of it, is this group of this step."""
        inside = np.zeros(len(self.rows), dtype=bool)
        for i, (s, g, parent) in enumerate(self.rows):  # parents stand before their children
            inside[i] = (s == step and g == group) or (parent >= 0 and bool(inside[parent]))
        return inside


_SHADING = ("fans", "sharp", "view")
"""Kept results that depend on attributes, not on points and faces alone."""
_EMPTY: Mapping[str, Array] = MappingProxyType({})


class Topology(dict[str, object]):
    """What is known of the faces of meshes, whatever their points; meshes of the same faces share one."""

    __slots__ = ("__weakref__",)


_KNOWN: WeakValueDictionary[tuple[bytes, int], Topology] = WeakValueDictionary()
"""That of meshes that are still there, by their faces and number of points."""


@dataclass(frozen=True, slots=True, eq=False)
class Mesh:
    """A polygon mesh in compressed rows.

    Attributes
    ----------
    points : (n, 3) float64, mm.
    corners : (c,) int32, the point of each face corner, counter-clockwise from outside.
    offsets : (f + 1,) int32, first corner of each face.
    lineage, face_lineage : the history table and (f,) int32 rows of it, -1 for none.
    finishes, face_finish : names and (f,) int32 into them, -1 for the part's own finish.
    uv : (c, 2) float64 texture coordinates per corner, or None.
    crease, by_area : degrees by which faces must turn for their edge to be sharp in the shading, None
        for 30; and whether faces are weighed by their area there instead of their angle.
    edge_pairs : (k, 2) int32 point pairs that carry edge attributes; the tables in ``edge_data``
        (``sharp``, ``crease``) have k rows.
    point_data : tables of n rows, such as masks.
    """

    points: Floats
    corners: Ints
    offsets: Ints
    lineage: Lineage = Lineage()
    face_lineage: Ints | None = None
    finishes: tuple[str, ...] = ()
    face_finish: Ints | None = None
    face_soft: NDArray[np.bool_] | None = None
    uv: Floats | None = None
    edge_pairs: Ints | None = None
    edge_data: Mapping[str, Array] = field(default_factory=lambda: _EMPTY)
    point_data: Mapping[str, Array] = field(default_factory=lambda: _EMPTY)
    crease: float | None = None
    by_area: bool = False
    _cache: dict[str, object] = field(default_factory=dict, repr=False)
    _topology: Topology = field(default_factory=Topology, repr=False)  # shared by all meshes of the same faces

    def __post_init__(self) -> None:
        set_ = object.__setattr__
        set_(self, "points", frozen(np.ascontiguousarray(self.points, dtype=np.float64)))
        for name in ("corners", "offsets", "face_lineage", "face_finish", "edge_pairs"):
            value = getattr(self, name)
            if value is not None:
                set_(self, name, frozen(np.ascontiguousarray(value, dtype=np.int32)))
        if self.face_soft is not None:
            set_(self, "face_soft", frozen(np.ascontiguousarray(self.face_soft, dtype=np.bool_)))
        if self.uv is not None:
            set_(self, "uv", frozen(np.ascontiguousarray(self.uv, dtype=np.float64)))

    # -- making ---------------------------------------------------------------------------------
    @staticmethod
    def empty() -> Mesh:
        """Return the mesh of nothing."""
        return Mesh(np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros(1, np.int32))

    @staticmethod
    def from_faces(points: ArrayLike, faces: Sequence[Sequence[int]]) -> Mesh:
        """Return a mesh from nested lists; for files, samples and tests, not for hot paths."""
        sizes = np.fromiter((len(f) for f in faces), dtype=np.int64, count=len(faces))
        offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
        corners = np.fromiter((p for f in faces for p in f), dtype=np.int32, count=int(sizes.sum()))
        return Mesh(np.asarray(points, dtype=np.float64).reshape(-1, 3), corners, offsets)

    @staticmethod
    def from_triangles(points: ArrayLike, triangles: ArrayLike) -> Mesh:
        """Return a mesh of the (m, 3) triangles."""
        tri = np.asarray(triangles, dtype=np.int32).reshape(-1, 3)
        offsets = np.arange(0, 3 * len(tri) + 1, 3, dtype=np.int32)
        return Mesh(np.asarray(points, dtype=np.float64).reshape(-1, 3), tri.ravel(), offsets)

    def with_points(self, points: Floats) -> Mesh:
        """Return the same faces on moved points; the connectivity is shared, not computed anew."""
        return replace(self, points=points, _cache={})

    def with_changes(self, **changes: Any) -> Mesh:
        """Return a copy with other attribute tables on the same points and faces."""
        return replace(self, **changes, _cache={k: v for k, v in self._cache.items() if not k.startswith(_SHADING)})

    # -- asking ---------------------------------------------------------------------------------
    @property
    def n_points(self) -> int:
        """Number of points."""
        return len(self.points)

    @property
    def n_faces(self) -> int:
        """Number of faces."""
        return len(self.offsets) - 1

    @property
    def sides(self) -> Ints:
        """(f,) number of sides of each face."""
        return self._of_faces("sides", lambda: sides_of(self.offsets))

    @property
    def corner_faces(self) -> Ints:
        """(c,) face of each corner."""
        return self._of_faces("corner_faces", lambda: row_ids(self.offsets))

    @property
    def connectivity(self) -> Connectivity:
        """Edges, twins and the faces round a point; computed once and kept."""
        from jukai.core.geometry.connectivity import connect

        if len(self.corners) > FEW and "connectivity" not in self._topology:
            self.share_topology()  # looking faces up takes a fraction of the time
        return self._of_faces("connectivity", lambda: connect(self.corners, self.offsets, self.n_points))

    @property
    def against(self) -> Ints:
        """(k,) edges along which both faces run the same way: one of them looks the wrong way."""
        con = self.connectivity
        return self._of_faces("against", lambda: con.corner_edge[self.same_direction])

    @property
    def same_direction(self) -> NDArray[np.bool_]:
        """(c,) whether the face beside runs the same way along a corner's edge (not oriented)."""
        return self._of_faces("same direction", lambda: frozen(self.connectivity.same_direction(self.corners)))

    @property
    def closed(self) -> bool:
        """Whether each edge has two faces, and these run opposite ways along it."""

        def compute() -> bool:
            con = self.connectivity
            return bool((con.edge_sides == 2).all()) and not self.same_direction.any()

        found: bool = self._of_faces("closed", compute)
        return found

    @property
    def pieces(self) -> Ints:
        """(f,) int32, the connected piece that each face is of, by its points; numbered by the lowest point of each."""

        def compute() -> Ints:
            from jukai.core.geometry.components import components

            first = self.corners[self.offsets[:-1]]
            label = components(self.n_points, np.repeat(first, self.sides), self.corners)[first]
            return np.unique(label, return_inverse=True)[1].astype(np.int32)

        found: Ints = self._of_faces("pieces", compute)
        return found

    @property
    def used_points(self) -> NDArray[np.bool_]:
        """(n,) whether a face uses each point."""

        def compute() -> NDArray[np.bool_]:
            mask = np.zeros(self.n_points, dtype=bool)
            mask[self.corners] = True
            return mask

        return self._of_faces("used_points", compute)

    @property
    def bounds(self) -> Floats:
        """(2, 3) least and greatest coordinates of the points that faces use; zeros when none."""

        def compute() -> Floats:
            if len(self.corners) == 0:
                return np.zeros((2, 3))
            mask = self.used_points
            if self.n_points > FEW:
                from jukai.core.geometry._faces import reach

                return np.array(reach(self.points, mask))
            used = self.points if mask.all() else self.points[mask]
            columns = used.T  # reducing a column is many times faster than reducing rows of three
            return np.array([[c.min() for c in columns], [c.max() for c in columns]])

        return self.cached("bounds", compute)

    def know_bounds(self, used: NDArray[np.bool_], bounds: Floats) -> None:
        """Keep what a pass over all points has found on its way: which are used, and their bounds."""
        self._topology["used_points"] = used
        self._cache["bounds"] = bounds

    @property
    def size(self) -> float:
        """The greatest extent, mm."""
        low, high = self.bounds
        return float((high - low).max())

    def cached(self, name: str, compute: Any) -> Any:
        """Return ``compute()``, kept under ``name`` for the life of this mesh."""
        try:
            return self._cache[name]
        except KeyError:
            value = self._cache[name] = compute()
            return value

    def known(self, name: str) -> Any:
        """Return what is kept under ``name``, or None."""
        return self._cache.get(name)

    def _of_faces(self, name: str, compute: Any) -> Any:
        """Return ``compute()``, kept for all meshes that have these faces."""
        try:
            return self._topology[name]
        except KeyError:
            value = self._topology[name] = compute()
            return value

    @property
    def nbytes(self) -> int:
        """Memory held by the arrays and what was computed from them so far."""
        tables = [self.points, self.corners, self.offsets, self.face_lineage, self.face_finish, self.face_soft,
                  self.uv, self.edge_pairs, *self.edge_data.values(), *self.point_data.values()]  # fmt: skip
        total = sum(t.nbytes for t in tables if t is not None)
        for value in self._cache.values():
            total += int(getattr(value, "nbytes", 0))
        return total

    def soft(self) -> NDArray[np.bool_]:
        """(f,) whether a face's normal gives way to its neighbours'."""
        return self.face_soft if self.face_soft is not None else np.zeros(self.n_faces, dtype=bool)

    def group_faces(self, step: str, group: str) -> NDArray[np.bool_]:
        """Return (f,) whether each face belongs to a group an earlier step left behind."""
        if self.face_lineage is None or not self.lineage.rows:
            return np.zeros(self.n_faces, dtype=bool)
        inside = np.append(self.lineage.rows_in_group(step, group), [False])
        return np.asarray(inside[self.face_lineage])

    def groups(self) -> dict[str, int]:
        """Return how many faces each group has, ancestors' groups included."""
        if self.face_lineage is None or not self.lineage.rows:
            return {}
        rows = self.face_lineage[self.face_lineage >= 0]
        counts = np.bincount(rows, minlength=len(self.lineage.rows))
        out: dict[str, int] = {}
        for row, count in enumerate(counts.tolist()):
            if count:
                for group in {g for _, g in self.lineage.trail(row)}:
                    out[group] = out.get(group, 0) + count
        return dict(sorted(out.items()))

    def faces_digest(self) -> bytes:
        """Return a hash of which points make which faces."""

        def compute() -> bytes:
            h = hashlib.blake2b(self.corners.data, digest_size=16)
            h.update(self.offsets.data)
            return h.digest()

        return self._of_faces("digest", compute)

    def share_topology(self) -> None:
        """Take over what is known of these faces from another mesh that has the same ones, where one is still there.

        A number that is dragged mostly moves points: the faces made anew for each value are those made before.
        """
        known = _KNOWN.setdefault((self.faces_digest(), self.n_points), self._topology)
        if known is not self._topology:
            for name, value in self._topology.items():
                known.setdefault(name, value)
            object.__setattr__(self, "_topology", known)

    def last_fitting(self, name: str, fits: Callable[[T], bool], compute: Callable[[], T]) -> T:
        """Return the last of ``compute()`` that was kept under ``name`` for a mesh of these faces if it still ``fits``, else a new one."""
        last: Any = self._topology.get(name)
        if last is None or not fits(last):
            last = self._topology[name] = compute()
        found: T = last
        return found

    def digest(self) -> str:
        """Return a hash of everything the mesh holds: equal meshes have equal digests."""
        h = hashlib.blake2b(digest_size=16)
        for table in (self.points, self.corners, self.offsets, self.face_lineage, self.face_finish, self.face_soft,
                      self.uv, self.edge_pairs):  # fmt: skip
            h.update(b"-" if table is None else str(table.shape).encode() + table.tobytes())
        for tables in (self.edge_data, self.point_data):
            for name in sorted(tables):
                h.update(name.encode() + np.ascontiguousarray(tables[name]).tobytes())
        h.update(repr((self.lineage.rows, self.finishes, self.crease, self.by_area)).encode())
        return h.hexdigest()


def join_meshes(meshes: Sequence[Mesh]) -> Mesh:
    """Return one mesh that holds all of ``meshes``, points not merged.

    Texture coordinates are kept when every mesh has them; lineage tables are put end to end.
    """
    if len(meshes) == 1:
        return meshes[0]
    if not meshes:
        return Mesh.empty()
    point_shift = np.cumsum([0, *(m.n_points for m in meshes)])
    corner_shift = np.cumsum([0, *(len(m.corners) for m in meshes)])
    corners = np.concatenate([m.corners + s for m, s in zip(meshes, point_shift, strict=False)])
    offsets = np.concatenate(
        [m.offsets[:-1] + s for m, s in zip(meshes, corner_shift, strict=False)] + [corner_shift[-1:]]
    )
    rows: list[tuple[str, str, int]] = []
    lineage_rows, finish_rows = [], []
    finishes: list[str] = []
    for m in meshes:
        base = len(rows)
        rows += [(s, g, p + base if p >= 0 else -1) for s, g, p in m.lineage.rows]
        own = m.face_lineage if m.face_lineage is not None else np.full(m.n_faces, -1, np.int32)
        lineage_rows.append(np.where(own >= 0, own + base, -1))
        for name in m.finishes:
            if name not in finishes:
                finishes.append(name)
        names = [finishes.index(name) for name in m.finishes]
        lookup = np.array([*names, -1], dtype=np.int32)
        fin = m.face_finish if m.face_finish is not None else np.full(m.n_faces, -1, np.int32)
        finish_rows.append(lookup[fin])
    uv = None
    if all(m.uv is not None for m in meshes):
        uv = np.concatenate([m.uv for m in meshes if m.uv is not None])
    return Mesh(
        np.concatenate([m.points for m in meshes]),
        corners,
        offsets,
        lineage=Lineage(tuple(rows)),
        face_lineage=np.concatenate(lineage_rows),
        finishes=tuple(finishes),
        face_finish=np.concatenate(finish_rows),
        face_soft=np.concatenate([m.soft() for m in meshes]) if any(m.face_soft is not None for m in meshes) else None,
        uv=uv,
    )
