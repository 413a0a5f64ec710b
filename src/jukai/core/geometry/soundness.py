"""The report on a mesh: is it a body one can rely on, and where is it not."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from jukai.core.errors import TooLarge
from jukai.core.geometry.arrays import Floats, Ints
from jukai.core.geometry.components import components
from jukai.core.geometry.crossings import Crossings, self_crossings
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import area, edge_turns, face_normals, signed_volume, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["Finding", "Soundness", "faces_without_area", "folded_edges", "folded_faces", "pinched_points", "soundness"]

_PLACES = 50
_SLIVER = 1e-4
_FLAT = 1e-6
_BACK = 1e-10
"""Radians by which a surface may miss turning back on itself."""
_POLE = 8
"""Edges at a point from which poles are counted together."""


_Find = Callable[..., None]
"""Notes a finding: kind, level, text, places, and how many there are where not all have one."""


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing the report has to say.

    Attributes
    ----------
    kind : a word for programs, such as ``open_edges``.
    level : ``failure`` (not sound), ``warning`` or ``info``.
    text : a sentence for people, with the number.
    count : how many.
    places : up to 50 coordinates in mm.
    """

    kind: str
    level: str
    text: str
    count: int
    places: list[list[float]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Soundness:
    """Counts, sizes and findings of a mesh; failures come first."""

    points: int
    edges: int
    faces: int
    sides: dict[str, int]
    bodies: int
    euler: int
    genus: int | None
    closed: bool
    manifold: bool
    oriented: bool
    self_crossings: int
    volume: float | None
    area: float
    bounds: list[list[float]]
    findings: list[Finding]

    @property
    def sound(self) -> bool:
        """Whether nothing failed."""
        return all(f.level != "failure" for f in self.findings)

    def summary(self) -> str:
        """Return the report in a line."""
        failures = [f.text for f in self.findings if f.level == "failure"]
        if failures:
            return " ".join(failures)
        bodies = "one body" if self.bodies == 1 else f"{self.bodies} bodies"
        looked = all(f.kind != "crossings_not_looked_for" for f in self.findings)
        return f"Sound: closed, {bodies}, {'no crossings' if looked else 'crossings not looked for'}"


def soundness(mesh: Mesh) -> Soundness:
    """Inspect a mesh.

    Notes
    -----
    *Closed*: every edge has two faces or more. *Manifold*: no edge of three faces or more, none
    from a point to itself, and the faces round each point are connected by edges. *Oriented*: the two faces
    of an edge run it in opposite directions. The volume is given where each edge is run as often
    one way as the other.
    """
    return mesh.cached("soundness", lambda: _inspect(mesh))


def _number(n: int, one: str, many: str | None = None) -> str:
    return f"{n:,} {one if n == 1 else (many or one + 's')}".replace(",", " ")


def _inspect(mesh: Mesh) -> Soundness:
    con = mesh.connectivity
    middles = mesh.points[con.edges].mean(axis=1) if con.n_edges else np.zeros((0, 3))
    rims = np.flatnonzero(con.edge_sides == 1)
    many = np.flatnonzero(con.edge_sides > 2)
    loops = np.flatnonzero(con.edges[:, 0] == con.edges[:, 1])
    same = mesh.same_direction
    turned = np.unique(con.corner_edge[same])
    pinched = pinched_points(mesh)
    used = np.diff(con.point_offsets) > 0
    forward = mesh.corners < mesh.corners[con.following]
    balance = np.bincount(con.corner_edge, weights=np.where(forward, 1.0, -1.0), minlength=con.n_edges)
    closed = mesh.n_faces > 0 and len(rims) == 0
    manifold = not (len(many) or len(loops) or len(pinched))
    oriented = len(turned) == 0
    volume = signed_volume(mesh) if closed and not balance.any() else None
    bodies, euler = int(mesh.pieces.max(initial=-1)) + 1, int(used.sum()) - con.n_edges + mesh.n_faces
    genus = (2 * bodies - euler) // 2 if closed and manifold and oriented else None
    findings: list[Finding] = []
    try:
        crossings = self_crossings(mesh)
    except TooLarge as error:
        crossings = Crossings(np.zeros((0, 2), np.int32), np.zeros((0, 3)))
        findings.append(Finding("crossings_not_looked_for", "warning", f"{error.message} It was not looked for.", 1))

    def find(kind: str, level: str, text: str, places: Floats, count: int | None = None) -> None:
        number = len(places) if count is None else count
        if number:
            findings.append(Finding(kind, level, text, number, places[:_PLACES].tolist()))

    if mesh.n_faces == 0:
        findings.append(Finding("empty", "failure", "There is no face.", 1))
    find("open_edges", "failure", f"Open: {_number(len(rims), 'rim edge')}.", middles[rims])
    find(
        "many_sided_edges",
        "failure",
        f"{_number(len(many), 'edge has', 'edges have')} three faces or more.",
        middles[many],
    )
    find(
        "edges_to_themselves",
        "failure",
        f"{_number(len(loops), 'face names', 'faces name')} one point twice in a row.",
        middles[loops],
    )
    find(
        "pinched_points",
        "failure",
        f"{_number(len(pinched), 'point holds', 'points hold')} faces together that share nothing else.",
        mesh.points[pinched],
    )
    find(
        "not_oriented",
        "failure",
        f"{_number(len(turned), 'edge lies', 'edges lie')} between faces that look opposite ways.",
        middles[turned],
    )
    _shells_that_fail(mesh, find, volume if oriented else None, alone=bodies == 1 or bool(len(crossings.pairs)))
    find(
        "self_crossings",
        "failure",
        f"{_number(len(crossings.pairs), 'pair of faces crosses', 'pairs of faces cross')} each other.",
        crossings.places,
    )
    _faces_that_fail(mesh, find)
    doubled = _doubled_points(mesh, used)
    find(
        "doubled_points",
        "warning" if closed else "failure",
        f"{_number(len(doubled), 'point stands', 'points stand')} where another one is.",
        mesh.points[doubled],
    )
    unused = np.flatnonzero(~used)
    find(
        "unused_points",
        "warning",
        f"{_number(len(unused), 'point is', 'points are')} used by no face.",
        mesh.points[unused],
    )
    _things_to_know(mesh, find)
    order = {"failure": 0, "warning": 1, "info": 2}
    findings.sort(key=lambda f: order[f.level])
    sides = mesh.sides
    return Soundness(
        points=mesh.n_points, edges=con.n_edges, faces=mesh.n_faces,
        sides={"3": int((sides == 3).sum()), "4": int((sides == 4).sum()), "more": int((sides > 4).sum())},
        bodies=bodies, euler=euler, genus=genus, closed=closed, manifold=manifold, oriented=oriented,
        self_crossings=len(crossings.pairs), volume=volume, area=area(mesh),
        bounds=mesh.bounds.tolist(), findings=findings,
    )  # fmt: skip


def _shells_that_fail(mesh: Mesh, find: _Find, volume: float | None, *, alone: bool) -> None:
    """Tell of shells that look the wrong way; where faces cross there is no telling what lies in what."""
    if volume is None:
        return
    shells = None
    if not alone:
        from jukai.core.geometry.shells import (
            shells_of,
        )  # most bodies are one shell: what it needs is not loaded for them

        shells = shells_of(mesh)
    if shells is None or shells.inward.all():
        if volume < 0:
            find("inside_out", "failure", "Inside out: the faces look inward.", np.zeros((0, 3)), 1)
        return
    inward, doubled = np.flatnonzero(shells.inward), np.flatnonzero(shells.doubled)
    text = f"{_number(len(inward), 'shell is', 'shells are')} inside out: the faces look inward."
    find("inside_out", "failure", text, shells.spots[inward])
    text = f"{_number(len(doubled), 'shell lies', 'shells lie')} in another one and {'looks' if len(doubled) == 1 else 'look'} outward as it does."
    find("shells_in_shells", "failure", text, shells.spots[doubled])


def pinched_points(mesh: Mesh) -> Ints:
    """Return the points whose faces are not connected by edges round them."""
    con, n = mesh.connectivity, len(mesh.corners)
    c = np.flatnonzero(con.twins > np.arange(n))
    t, follow = con.twins[c], con.following
    same = mesh.corners[c] == mesh.corners[t]
    # an edge of two faces joins their corners at both its ends
    a = np.concatenate([c, follow[c]])
    b = np.concatenate([np.where(same, t, follow[t]), np.where(same, follow[t], t)])
    fan = components(n, a, b)
    pairs = np.unique(fan.astype(np.int64) * mesh.n_points + mesh.corners)
    fans = np.bincount(pairs % max(mesh.n_points, 1), minlength=mesh.n_points)
    on_many = np.zeros(mesh.n_points, dtype=bool)
    on_many[con.edges[con.edge_sides > 2]] = True  # told as an edge already
    return np.flatnonzero((fans > 1) & ~on_many).astype(np.int32)


def _doubled_points(mesh: Mesh, used: np.ndarray) -> Ints:
    ids = np.flatnonzero(used)
    p = mesh.points[ids]
    order = np.lexsort(p.T)
    same = (p[order][1:] == p[order][:-1]).all(axis=1)
    return np.sort(ids[order[1:][same]]).astype(np.int32)


def _faces_that_fail(mesh: Mesh, find: _Find) -> None:
    va = vector_areas(mesh)
    areas = np.sqrt(np.einsum("ij,ij->i", va, va))
    spread, centres = _spread(mesh)
    none = faces_without_area(mesh)
    find("faces_without_area", "failure", f"{_number(len(none), 'face has', 'faces have')} no area.", centres[none])
    thin = np.flatnonzero((areas > 1e-14 * spread**2) & (areas < _SLIVER * spread**2))
    find("slivers", "warning", f"{_number(len(thin), 'face is a sliver', 'faces are slivers')}.", centres[thin])
    folded = folded_faces(mesh)
    find(
        "folded_faces",
        "failure",
        f"{_number(len(folded), 'face crosses itself', 'faces cross themselves')}.",
        centres[folded],
    )
    back = folded_edges(mesh)
    find(
        "folded_edges",
        "failure",
        f"{_number(len(back), 'edge is', 'edges are')} folded: the faces beside lie on each other.",
        mesh.points[mesh.connectivity.edges[back]].mean(axis=1),
    )
    key = mesh.connectivity.corner_edge.astype(np.int64)
    if mesh.n_faces:
        sums = np.stack([np.add.reduceat(key, mesh.offsets[:-1]), np.add.reduceat(key * key % 1_000_003, mesh.offsets[:-1]),
                         mesh.sides.astype(np.int64), np.minimum.reduceat(key, mesh.offsets[:-1])], axis=1)  # fmt: skip
        _, first, counts = (
            np.unique(sums, axis=0, return_index=True, return_counts=True)
            if mesh.n_faces < 400_000
            else (None, np.zeros(0, int), np.zeros(0, int))
        )
        twice = first[counts > 1]
        find("repeated_faces", "warning", f"{_number(len(twice), 'face is', 'faces are')} there twice.", centres[twice])


def folded_faces(mesh: Mesh) -> Ints:
    """Return the flat faces whose triangles cover more than their area: their outline crosses itself."""
    va = vector_areas(mesh)
    areas = np.sqrt(np.einsum("ij,ij->i", va, va))
    tri = triangulate(mesh)
    # seen along the face's normal: a thin face that is bent a little covers no more than its area
    if len(mesh.corners) > FEW:
        from jukai.core.geometry._faces import covered_areas

        covered = covered_areas(mesh.points, tri.points(mesh), tri.faces, face_normals(mesh), mesh.n_faces)
    else:
        p = mesh.points[tri.points(mesh)]
        cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        seen = np.abs(np.einsum("ij,ij->i", cross, face_normals(mesh)[tri.faces]))
        covered = np.bincount(tri.faces, 0.5 * seen, minlength=mesh.n_faces)
    over = (mesh.sides > 3) & (covered > areas * (1 + 1e-6))
    return np.flatnonzero(over & ~_bent(mesh) if over.any() else over).astype(np.int32)


def faces_without_area(mesh: Mesh) -> Ints:
    """Return the faces that have none, or whose halves look opposite ways."""
    va = vector_areas(mesh)
    return np.flatnonzero(np.sqrt(np.einsum("ij,ij->i", va, va)) <= 1e-14 * _spread(mesh)[0] ** 2).astype(np.int32)


def folded_edges(mesh: Mesh) -> Ints:
    """Return the edges at which the surface turns back on itself: between their two faces there is no thickness."""
    turns = edge_turns(mesh)
    return np.flatnonzero((mesh.connectivity.edge_sides == 2) & (turns > np.pi - _BACK) & ~_against(mesh)).astype(
        np.int32
    )


def _against(mesh: Mesh) -> np.ndarray:
    """Return (e,) the edges along which both faces run the same way: there the angle says nothing."""
    out = np.zeros(mesh.connectivity.n_edges, dtype=bool)
    out[mesh.against] = True
    return out


def _bent(mesh: Mesh) -> np.ndarray:
    """Return which faces are not flat."""
    if mesh.n_faces == 0:
        return np.zeros(0, bool)
    normal = face_normals(mesh)
    first = mesh.points[mesh.corners[mesh.offsets[:-1]]]
    faces = mesh.corner_faces
    height = np.einsum("ij,ij->i", mesh.points[mesh.corners] - first[faces], normal[faces])
    depth = np.maximum.reduceat(height, mesh.offsets[:-1]) - np.minimum.reduceat(height, mesh.offsets[:-1])
    return np.asarray(depth > _FLAT * np.maximum(_spread(mesh)[0], 1e-300))


def _spread(mesh: Mesh) -> tuple[Floats, Floats]:
    """Return (f,) the extent of each face and (f, 3) its middle."""
    if mesh.n_faces == 0:
        return np.zeros(0), np.zeros((0, 3))
    p = mesh.points[mesh.corners]
    low = np.minimum.reduceat(p, mesh.offsets[:-1], axis=0)
    high = np.maximum.reduceat(p, mesh.offsets[:-1], axis=0)
    return (high - low).max(axis=1), (low + high) / 2


def _things_to_know(mesh: Mesh, find: _Find) -> None:
    from jukai.core.geometry.elements import poles

    _, centres = _spread(mesh)
    many = np.flatnonzero(mesh.sides > 4)
    find(
        "many_sided_faces",
        "info",
        f"{_number(len(many), 'face has', 'faces have')} more than four sides.",
        centres[many],
    )
    at, edges = poles(mesh)
    count = np.bincount(np.minimum(edges, _POLE), minlength=_POLE + 1)
    kinds = [f"{n} of {k}{' or more' if k == _POLE else ''} edges" for k, n in enumerate(count.tolist()) if n]
    find("poles", "info", f"{_number(len(at), 'pole')} on smooth surfaces: {', '.join(kinds)}.", at)
    bent = np.flatnonzero(_bent(mesh))
    find("bent_faces", "info", f"{_number(len(bent), 'face is', 'faces are')} not flat.", centres[bent])
