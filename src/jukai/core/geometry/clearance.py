"""How far two bodies stand apart, exactly; or how deep they cross."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry import _tree
from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.components import components
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["Clearance", "Placed", "clearance", "place"]

_LEAF = 4
_MOST_PIECES = 60_000
Place = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Clearance:
    """What stands between two bodies.

    Attributes
    ----------
    state : ``apart``, ``touching``, ``crossing`` or ``inside`` (one lies wholly within the other).
    distance : least distance, mm; 0 where they touch or cross.
    depth : how deep the deepest point of either surface lies inside the other body, mm; 0 unless they cross. None
        where both are open, so that neither has an inside.
    depth_most : what the depth can be at most; the search stops when it is close to ``depth``.
    places : the two nearest points, on the first and on the second body; where they cross, the deepest point and the
        surface point nearest to it.
    """

    state: str
    distance: float
    depth: float | None = 0.0
    depth_most: float = 0.0
    places: tuple[Place, Place] = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0))

    @property
    def signed(self) -> float:
        """The distance, or less than 0 by how deep the bodies cross."""
        return self.distance if self.state in ("apart", "touching") else -(self.depth or 0.0)


@dataclass(frozen=True, slots=True, eq=False)
class _Tree:
    """What does not change when a body is moved: its triangles, their order, a point of each of its pieces."""

    mesh: Mesh
    triangles: Ints
    order: Ints
    leaves: int
    closed: bool
    spots: Ints

    def fit(self, matrix: Floats) -> Placed:
        # a mirrored body is turned outward again
        mirrored = float(np.linalg.det(matrix[:3, :3])) < 0
        triangles = np.ascontiguousarray(self.triangles[:, ::-1]) if mirrored else self.triangles
        t, box = _tree.fitted(self.mesh.points, triangles, self.order, np.ascontiguousarray(matrix), self.leaves)
        return Placed(self, matrix, t, box)


@dataclass(frozen=True, slots=True, eq=False)
class Placed:
    """A body where it stands, ready to be asked: (n, 3, 3) triangles and the boxes over them."""

    tree: _Tree
    matrix: Floats
    triangles: Floats
    boxes: Floats

    @property
    def size(self) -> float:
        """The greatest extent, mm."""
        return float((self.boxes[0, 3:] - self.boxes[0, :3]).max())


def place(mesh: Mesh, matrix: Floats | None = None) -> Placed:
    """Return a body ready to be asked; what depends on its shape alone is kept with the mesh.

    Raises
    ------
    ValueError
        For a mesh without faces.
    """
    if mesh.n_faces == 0:
        raise ValueError("a body needs faces")
    tree: _Tree = mesh.cached("tree", lambda: _build(mesh))
    return tree.fit(np.eye(4) if matrix is None else matrix)


def _build(mesh: Mesh) -> _Tree:
    # triangle rows of an all-triangle mesh are its corners
    flat = mesh.corners.reshape(-1, 3) if len(mesh.corners) == 3 * mesh.n_faces and (mesh.sides == 3).all() else None
    triangles = np.ascontiguousarray(triangulate(mesh).points(mesh) if flat is None else flat, dtype=np.int32)
    order = np.argsort(_tree.morton(mesh.points, triangles)).astype(np.int32)
    leaves = 1 << max(0, math.ceil(math.log2(max(len(triangles) / _LEAF, 1))))
    closed = bool(len(mesh.connectivity.twins) == 0 or (mesh.connectivity.twins >= 0).all())
    spots = np.zeros(0, np.int32)
    if closed:
        edges = mesh.connectivity.edges
        piece = components(mesh.n_points, edges[:, 0], edges[:, 1])[mesh.corners]
        _, first = np.unique(piece, return_index=True)
        spots = np.asarray(mesh.corners[first])
    return _Tree(mesh, triangles, order, leaves, closed, spots)


def clearance(a: Placed, b: Placed, *, depth: bool = True) -> Clearance:
    """Return the least distance of two bodies, or how deep they cross.

    The distance is exact to rounding; bodies nearer than 1e-9 of their size touch. The depth is searched for by
    halving, until it is known to a millionth of it or to 1e-9 of the bodies' size. With ``depth`` False, bodies that
    touch or cross are not told apart, and not measured.
    """
    best, p, q, _, _ = _tree.nearest(a.triangles, a.boxes, b.triangles, b.boxes, np.inf)
    distance = float(np.sqrt(best))
    dust = 1e-9 * max(a.size, b.size, 1e-3 * float(np.abs(a.boxes[0]).max()))
    if distance > dust:
        if not (_within(a, b) or _within(b, a)):
            return Clearance("apart", distance, places=(p, q))
        state = "inside"
    else:
        state = "crossing"
    if not depth:
        return Clearance(state, 0.0, None, places=(p, q))
    # only a closed body has an inside to lie in
    found = [(_deepest(x, y), x is a) for x, y in ((a, b), (b, a)) if y.tree.closed]
    if not found:
        return Clearance(state, 0.0, None, places=(p, q))
    (deep, there, nearest, _), first = max(found, key=lambda f: f[0][0])
    most = max(f[0][3] for f in found)
    if deep <= dust:
        return Clearance("touching", 0.0, 0.0, most, (p, q))
    return Clearance(state, 0.0, deep, most, (there, nearest) if first else (nearest, there))


def _within(a: Placed, b: Placed) -> bool:
    """Return whether a piece of one body lies inside the other, where their surfaces keep apart."""
    if not b.tree.closed or len(a.tree.spots) == 0:
        return False
    low, high = b.boxes[0, :3], b.boxes[0, 3:]
    stack = np.empty(512, np.int64)
    points = a.tree.mesh.points[a.tree.spots] @ a.matrix[:3, :3].T + a.matrix[:3, 3]
    return any(
        bool((low < p).all() and (p < high).all())
        and _tree.turns_about(b.triangles, b.boxes, (float(p[0]), float(p[1]), float(p[2])), stack) > 0
        for p in points
    )


def _deepest(a: Placed, b: Placed) -> tuple[float, Place, Place, float]:
    """Return the deepest point of one surface inside the other body: depth, both places, the most it can be."""
    # in the axes of the second body its box fits best, and faces that only lie on it are left out at once
    frame = _turned_back(b.matrix)
    if (frame != np.eye(4)).any():
        a, b = a.tree.fit(frame @ a.matrix), b.tree.fit(frame @ b.matrix)
    size = max(a.size, b.size)
    dust = 1e-9 * size
    low, high = a.triangles.min(axis=1), a.triangles.max(axis=1)
    near = ((high > b.boxes[0, :3] + dust) & (low < b.boxes[0, 3:] - dust)).all(axis=1)
    pieces = np.ascontiguousarray(a.triangles[near])
    best, p, q = 0.0, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    most = dropped = 0.0
    for _ in range(40):
        if len(pieces) == 0:
            break
        deep, x, y, bounds = _tree.deepest(pieces, b.triangles, b.boxes, best, dust)
        if deep > best:
            best, p, q = deep, x, y
        left = bounds > best + max(dust, 1e-6 * best)
        most = float(bounds[left].max(initial=0.0))
        if left.sum() > _MOST_PIECES:
            # those that could hold the deepest point; the rest only widens what it can be
            rank = np.argsort(-bounds)[:_MOST_PIECES]
            rest = left.copy()
            rest[rank] = False
            dropped = max(dropped, float(bounds[rest].max(initial=0.0)))
            left = left & ~rest
            if len(pieces) >= 4 * _MOST_PIECES:
                break
        pieces = _tree.quartered(np.ascontiguousarray(pieces[left]))
    back = frame[:3, :3]
    return float(best), _as_place(np.array(p) @ back), _as_place(np.array(q) @ back), max(float(best), most, dropped)


def _as_place(p: Floats) -> Place:
    return float(p[0]), float(p[1]), float(p[2])


def _turned_back(matrix: Floats) -> Floats:
    """Return the (4, 4) turn that takes the axes of a body back to those of the bench, where they stand square."""
    columns = matrix[:3, :3]
    lengths = np.linalg.norm(columns, axis=0)
    axes = columns / lengths
    out = np.eye(4)
    if np.abs(axes.T @ axes - np.eye(3)).max() < 1e-9:
        if np.linalg.det(axes) < 0:
            axes = axes * [1, 1, -1]
        out[:3, :3] = axes.T
    return out
