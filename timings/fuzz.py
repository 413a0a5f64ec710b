"""``make fuzz``: bevels of chance bodies, each looked through by another library's exact predicates.

Run before a release. What is looked for: crossings without a warning, bodies that were closed and are no
more, faces folded onto each other, bodies turned inside out. Each trial has a number; ``python -m
timings.fuzz --trial 123`` runs that one alone and says all about it.
"""

from __future__ import annotations

import argparse
import re
import sys
from collections import Counter
from dataclasses import dataclass, field
from fractions import Fraction
from multiprocessing import Pool
from typing import Any

import numpy as np
from igl.copyleft.cgal import remesh_self_intersections
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import ConvexHull
from tests.common import reference_mesh
from tests.solids import PLATONIC, platonic

from jukai.core.errors import CoreError
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.measures import edge_turns, face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import Context
from jukai.core.operators.registry import get_operator
from jukai.core.picks.picked import Picked

DEEP = 1e-7
"""Share of the body's size from which lines in which triangles meet count as crossings: exact predicates see the rounding of a coordinate too."""
_READY = (
    "cube", "pyramid_3", "pyramid_4", "pyramid_5", "pyramid_8_leaning", "bipyramid_3", "bipyramid_6", "inner_corner", "l_block", "mixed_corner_3",
    "saddle_corner_4", "saddle_corner_6", "star_prism", "stairs", "c_prism", "thin_slab", "one_short_edge", "tetrahedron", "beveled_cube",
    "grid_raised_face", "hole_plate_12", "torus_8x6", "nearly_flat_roof", "twisted_cube",
)  # fmt: skip


@dataclass
class Trial:
    """One bevel: the body, what is asked, and what was seen."""

    number: int
    name: str
    asked: dict[str, Any] = field(default_factory=dict)
    refused: str = ""
    warned: bool = False
    seen: list[str] = field(default_factory=list)


def body(rng: np.random.Generator) -> tuple[str, Mesh]:
    """A closed body by chance: bounded by few faces, hollow or not, near the origin or far, small or large."""
    kind = rng.integers(7)
    if kind == 0:
        size = tuple(rng.uniform(2, 40, 3).tolist())
        counts = tuple(rng.integers(1, 4, 3).tolist())
        op = get_operator("box")
        name, mesh = f"box {size} {counts}", op.apply(op.values(size=size, counts=counts), Context("s1")).mesh
    elif kind == 1:
        n = int(rng.integers(3, 13))
        name, mesh = f"prism of {n}", prism(rng, n)
    elif kind == 2:
        name = PLATONIC[rng.integers(len(PLATONIC))]
        mesh = platonic(name)
    elif kind == 3:
        n = int(rng.integers(5, 16))
        points = rng.normal(size=(n, 3)) * rng.uniform(0.3, 1, 3)
        name, mesh = f"hull of {n}", hull(points)
    elif kind == 4:
        n = int(rng.integers(3, 9))
        r, z = rng.uniform(3, 10, n), np.sort(rng.uniform(0, 20, n))
        name = f"turned {n}"
        mesh = turn([Section(np.column_stack([r, z]))], Turning(sides=int(rng.integers(3, 12))), "s1")
    else:
        name = _READY[rng.integers(len(_READY))]
        mesh = reference_mesh(f"{name}.obj")
    points = mesh.points.copy()
    if rng.random() < 0.3:
        points += rng.normal(size=points.shape) * 0.02 * mesh.size
        name += ", bent"
    if rng.random() < 0.3:
        q, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        points = points @ (q * np.sign(np.linalg.det(q)))
        name += ", turned"
    scale = 10.0 ** rng.integers(-2, 4)
    points = points * scale + (rng.integers(-100, 100, 3) * scale if rng.random() < 0.2 else 0)
    return f"{name}, scale {scale:g}", mesh.with_points(points)


def prism(rng: np.random.Generator, n: int) -> Mesh:
    """A prism over a polygon that is star-shaped about the axis."""
    a = np.arange(n) * 2 * np.pi / n
    r = rng.uniform(4, 10, n) if rng.random() < 0.5 else np.full(n, 8.0)
    ring = np.column_stack([r * np.cos(a), r * np.sin(a)])
    high = rng.uniform(1, 20)
    points = np.concatenate([np.column_stack([ring, np.full(n, z)]) for z in (0.0, high)])
    walls = [[i, (i + 1) % n, n + (i + 1) % n, n + i] for i in range(n)]
    return Mesh.from_faces(points, [list(range(n))[::-1], list(range(n, 2 * n)), *walls])


def hull(points: np.ndarray) -> Mesh:
    """The triangles of a convex hull, all outward."""
    found = ConvexHull(points)
    middle = points[found.vertices].mean(axis=0)
    rows = []
    for a, b, c in found.simplices:
        out = np.dot(np.cross(points[b] - points[a], points[c] - points[a]), points[a] - middle) > 0
        rows.append([a, b, c] if out else [a, c, b])
    used, numbers = np.unique(np.array(rows), return_inverse=True)
    return Mesh.from_triangles(points[used], numbers.reshape(-1, 3))


def ask(rng: np.random.Generator, mesh: Mesh) -> dict[str, Any]:
    """Values of a bevel by chance."""
    con = mesh.connectivity
    points = rng.random() < 0.25
    count = mesh.n_points if points else con.n_edges

    def some() -> np.ndarray:
        kind = rng.integers(4)
        if kind == 0 or (points and kind == 3):
            return np.ones(count, dtype=bool)
        if kind == 1:
            return np.asarray(rng.random(count) < rng.uniform(0.1, 0.9))
        if kind == 2:
            return np.asarray(np.arange(count) == rng.integers(count))
        return np.asarray(edge_turns(mesh) > np.radians(30))

    long = np.linalg.norm(np.diff(mesh.points[con.edges], axis=1)[:, 0], axis=1)
    each = float(np.median(long))
    of = "points" if points else "edges"
    out: dict[str, Any] = {
        "pick": Picked(of, some()), "width": each * 10 ** rng.uniform(-2, 0.2),
        "measured_as": ["leg", "leg", "face", "radius"][rng.integers(4)], "segments": int(rng.integers(1, 5)),
        "roundness": float([-1, -0.5, 0, 0.5, 1, 1, 1, 1.5, 2][rng.integers(9)]),
        "corners": ["patch", "patch", "mitre"][rng.integers(3)], "at_neighbours": ["stop", "stop", "run_on"][rng.integers(3)],
    }  # fmt: skip
    if rng.random() < 0.35:
        out["further_picks"] = [
            {"pick": Picked(of, some()), "width": each * 10 ** rng.uniform(-2, 0.2)} for _ in range(rng.integers(1, 3))
        ]
    return out


def run(number: int, *, tell: bool = False) -> Trial:
    """Run one trial."""
    rng = np.random.default_rng(number)
    name, mesh = body(rng)
    asked = ask(rng, mesh)
    trial = Trial(number, name, asked)
    op = get_operator("bevel")
    before, _ = faults(mesh)
    if before or not mesh.closed or signed_volume(mesh) <= 0:
        trial.refused = "the body was no good before"
        return trial
    values = op.values.model_construct(**{**op.values().model_dump(), **asked, "further_picks": _rows(asked)})
    try:
        result = op.apply(mesh, values, Context("s2"))
    except CoreError as error:
        trial.refused = str(error)
        return trial
    trial.warned = any(n.level == "warning" for n in result.notes)
    out = result.mesh
    if not out.closed:
        trial.seen.append("opened")
    # strips that run on may turn all inside out: that they pass through each other is said
    said = any("pass through each other" in n.text or "not looked for" in n.text for n in result.notes)
    found, places = (set(), np.zeros((0, 3))) if said and not tell else faults(out)
    if out.closed and not said and bool((volumes(out) < 0).any()):
        trial.seen.append("turned")
    if not said and bulges(mesh, out) > 1e-6 and not any("stand out over" in n.text for n in result.notes):
        trial.seen.append("outside")
    if found and not said:
        trial.seen.append("folded" if "folded" in found else "crossing")
    if tell:
        for n in result.notes:
            print("  note:", n.level, n.text)
        print(
            "  faces",
            out.n_faces,
            "faults",
            found,
            places[:4].tolist(),
            "volume",
            signed_volume(mesh),
            signed_volume(out),
        )
    return trial


def _rows(asked: dict[str, Any]) -> list[Any]:
    from types import SimpleNamespace

    return [SimpleNamespace(**row) for row in asked.get("further_picks", [])]


def faults(mesh: Mesh) -> tuple[set[str], np.ndarray]:
    """Return what pairs of triangles do that meet deeper than rounding, and where, by exact predicates."""
    corners = np.asarray(triangulate(mesh).points(mesh), dtype=np.int64)
    if len(corners) == 0:
        return set(), np.zeros((0, 3))
    pairs = remesh_self_intersections(mesh.points, corners, detect_only=True)[2].reshape(-1, 2)
    out, places = set(), []
    for a, b in pairs.tolist():
        p, q = mesh.points[corners[a]], mesh.points[corners[b]]
        if _across(p, q) > DEEP * mesh.size:
            out.add("crossing")
            places.append(p.mean(axis=0))
        elif _folded(p, q) > (DEEP * mesh.size) ** 2:
            out.add("folded")
            places.append(p.mean(axis=0))
    return out, np.array(places).reshape(-1, 3)


def volumes(mesh: Mesh) -> np.ndarray:
    """The signed volume of each shell: the sum of the tetrahedra from the middle of the body to its triangles."""
    cut = triangulate(mesh)
    p = (mesh.points - mesh.bounds.mean(axis=0))[np.asarray(cut.points(mesh))]
    each = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) / 6
    links = np.asarray(cut.points(mesh), dtype=np.int64)
    count, shell = connected_components(
        coo_array(
            (np.ones(2 * len(links)), (links[:, [0, 1]].ravel(), links[:, [1, 2]].ravel())), shape=(mesh.n_points,) * 2
        )
    )
    return np.bincount(shell[links[:, 0]], each, minlength=count)[np.unique(shell[links[:, 0]])]


def bulges(before: Mesh, after: Mesh) -> float:
    """How far a body stands out over the planes of the convex one that it was cut from, as a share of its size; 0 for others."""
    normals, first = face_normals(before), before.points[before.corners[before.offsets[:-1]]]
    middle = before.bounds.mean(axis=0)
    level = np.einsum("ij,ij->i", first - middle, normals)
    if float(((before.points - middle) @ normals.T - level).max()) > 1e-9 * before.size:
        return 0.0
    return float(((after.points - middle) @ normals.T - level).max()) / before.size


def _across(p: np.ndarray, q: np.ndarray) -> float:
    """How far two triangles pass through each other, mm, along the line they meet in (exact) and across it: 0 where they only touch."""
    one, two = ([[Fraction(x) for x in row] for row in t.tolist()] for t in (p, q))
    found = []
    for a, b in ((one, two), (two, one)):
        for i in range(3):
            u, v = b[i], b[(i + 1) % 3]
            du, dv = _side(*a, u), _side(*a, v)
            if du * dv > 0 or du == dv:
                continue
            turns = [_side(u, v, a[j], a[(j + 1) % 3]) for j in range(3)]
            if min(turns) >= 0 or max(turns) <= 0:
                found.append([float(x + (y - x) * du / (du - dv)) for x, y in zip(u, v, strict=True)])
    at = np.array(found).reshape(-1, 3)
    long = float(np.linalg.norm(at[:, None] - at, axis=2).max(initial=0.0))
    return min(long, _depth(p, q), _depth(q, p))


def _depth(p: np.ndarray, q: np.ndarray) -> float:
    """How far the corners of one triangle reach to both sides of the other's plane, mm."""
    normal = np.cross(q[1] - q[0], q[2] - q[0])
    size = float(np.linalg.norm(normal))
    if size == 0:
        return 0.0
    high = (p - q[0]) @ normal / size
    return float(min(high.max(), -high.min()))


def _side(a: list[Fraction], b: list[Fraction], c: list[Fraction], d: list[Fraction]) -> Fraction:
    """Six times the volume of a tetrahedron: its sign says on which side of three points a fourth one lies."""
    u, v, w = ([x - y for x, y in zip(t, a, strict=True)] for t in (b, c, d))
    return u[0] * (v[1] * w[2] - v[2] * w[1]) - u[1] * (v[0] * w[2] - v[2] * w[0]) + u[2] * (v[0] * w[1] - v[1] * w[0])


def _folded(p: np.ndarray, q: np.ndarray) -> float:
    """The area in which two triangles of one plane that look opposite ways lie over each other, mm²."""
    normal = np.cross(p[1] - p[0], p[2] - p[0])
    other = np.cross(q[1] - q[0], q[2] - q[0])
    size = np.linalg.norm(normal) * np.linalg.norm(other)
    if size == 0 or float(normal @ other) > -0.999 * size:
        return 0.0
    u = (p[1] - p[0]) / np.linalg.norm(p[1] - p[0])
    v = np.cross(normal / np.linalg.norm(normal), u)
    flat = [(x - p[0]) @ np.column_stack([u, v]) for x in (p, q[::-1])]
    poly = list(flat[0])
    for i in range(3):  # Sutherland and Hodgman 1974
        a, b = flat[1][i], flat[1][(i + 1) % 3]
        edge = b - a
        side = [edge[0] * (x[1] - a[1]) - edge[1] * (x[0] - a[0]) for x in poly]
        new = []
        for j in range(len(poly)):
            k = (j + 1) % len(poly)
            if side[j] >= 0:
                new.append(poly[j])
            if (side[j] > 0) != (side[k] > 0) and side[j] != side[k]:
                new.append(poly[j] + (poly[k] - poly[j]) * side[j] / (side[j] - side[k]))
        poly = new
        if not poly:
            return 0.0
    ring = np.array(poly)
    x, y = ring.T
    return float(abs(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) / 2)


def main() -> int:
    """Run the trials and say what was seen; 1 where anything was."""
    parser = argparse.ArgumentParser(prog="fuzz", description=__doc__)
    parser.add_argument("count", nargs="?", type=int, default=20_000, help="how many trials (default 20 000)")
    parser.add_argument("--from", dest="first", type=int, default=0, help="number of the first trial")
    parser.add_argument("--trial", type=int, help="run this one alone and tell all about it")
    args = parser.parse_args()
    if args.trial is not None:
        one = run(args.trial, tell=True)
        print(one.name, {k: v for k, v in one.asked.items() if k not in ("pick", "further_picks")})
        print(
            one.asked["pick"].kind,
            one.asked["pick"].mask.nonzero()[0].tolist(),
            [(r["width"], r["pick"].mask.nonzero()[0].tolist()) for r in one.asked.get("further_picks", [])],
        )
        print(one.refused or one.seen or "nothing wrong")
        return 1 if one.seen else 0
    seen: Counter[str] = Counter()
    refused: Counter[str] = Counter()
    which: dict[str, list[int]] = {}
    with Pool(2) as pool:
        for one in pool.imap_unordered(run, range(args.first, args.first + args.count), chunksize=50):
            kind = one.asked["pick"].kind
            for what in one.seen:
                seen[f"{what}, {kind}"] += 1
                which.setdefault(f"{what}, {kind}", []).append(one.number)
            if one.refused:
                why = re.sub(r"-?[0-9][-+.0-9e]*", "#", one.refused)
                refused[why] += 1
                which.setdefault(why, []).append(one.number)
    print(f"{args.count} bevels")
    for what, many in sorted(seen.items()):
        print(f"  {many:6} {what}: {sorted(which[what])[:12]}")
    for why, many in refused.most_common(12):
        print(f"  {many:6} refused: {why} {sorted(which[why])[:12]}")
    return 1 if seen else 0


if __name__ == "__main__":
    sys.exit(main())
