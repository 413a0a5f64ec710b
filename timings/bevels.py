"""Bevels: time for each face, from small to large, in order and at random; and their crossings looked for elsewhere."""

from __future__ import annotations

from statistics import median
from typing import Any

import numpy as np
from tests.common import reference, reference_mesh

from jukai.core.errors import MeshProblem
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.rounding import round_edges
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import Context
from jukai.core.operators.registry import get_operator
from timings.measure import Row, measure, timed
from timings.meshes import fresh, shuffled

EACH = 0.2
FLOOR = 40
SHUFFLED = 4


def box(cells: int) -> Mesh:
    op = get_operator("box")
    return op.apply(op.values(size=(60, 60, 60), counts=(cells, cells, cells)), Context("s1")).mesh


def revolved() -> Mesh:
    """100 000 quads: a torus of 400 sides and 250 points round its section."""
    a = np.linspace(0, 2 * np.pi, 250, endpoint=False)
    ring = np.stack([30 + 10 * np.cos(a), 10 * np.sin(a)], axis=1)
    return turn([Section(ring, closed=True)], Turning(sides=400), "s1")


def bevel_all(mesh: Mesh, width: float) -> Mesh:
    n = mesh.connectivity.n_edges
    return round_edges(mesh, np.ones(n, bool), np.full(n, width), Bevel(2), "s2").mesh


def seconds(mesh: Mesh, width: float, rounds: int = 7) -> tuple[float, int]:
    """Return the median time of a bevel of all edges, connectivity, attributes and stops included, and its faces."""
    times, faces = [], 0
    for _ in range(rounds + 1):  # the first one is not counted
        out: list[Mesh] = []
        times.append(timed(lambda one, out=out: out.append(bevel_all(one, width)), fresh(mesh)))
        faces = out[0].n_faces
    return median(times[1:]), faces


def floor(faces: int, points: int) -> Any:
    def run(_: Any) -> Any:
        tables = [
            np.empty((points, 3)), np.empty(4 * faces, np.int32), np.empty(faces + 1, np.int32), np.empty((4 * faces, 2)), np.empty(faces, np.int32)
        ]  # fmt: skip
        for t in tables:
            t.fill(1)
        return tables

    return run


def bevels() -> None:
    """All edges in two segments, complete results."""
    told = {}
    for name, mesh, width in (
        ("a 60 x 60 x 60-cell box", box(60), 0.2),
        ("the same, numbered at random", shuffled(box(60)), 0.2),
        ("a revolve of 100 000 faces", revolved(), 0.05),
        ("a 190 x 190 x 190-cell box", box(190), 0.06),
    ):
        took, faces = seconds(mesh, width, 7 if faces_of(mesh) < 200_000 else 3)
        told[name] = took / faces
        aim = SHUFFLED * EACH if "random" in name else EACH
        met = "met" if took / faces * 1e6 <= aim else "NOT met"
        print(
            f"bevel of all edges of {name}: {faces} faces in {took * 1e3:.0f} ms, {took / faces * 1e6:.3f} µs a face (aim {aim:g}, {met})",
            flush=True,
        )
    small, large = told["a 60 x 60 x 60-cell box"], told["a 190 x 190 x 190-cell box"]
    print(f"    a face of the large one takes {large / small:.2f} of one of the small one", flush=True)
    for name, mesh, width in (("60³-cell box", box(60), 0.2), ("revolve of 100 000 faces", revolved(), 0.05)):
        out = bevel_all(fresh(mesh), width)
        measure(Row(f"bevel of all edges of a {name}, 2 segments", lambda m=mesh: fresh(m), lambda m, w=width: bevel_all(m, w),
                    floor(out.n_faces, out.n_points), {}, {"floor": FLOOR}))  # fmt: skip


def faces_of(mesh: Mesh) -> int:
    return mesh.n_faces


def elsewhere(count: int = 300) -> None:
    """Random bevels of the reference meshes held against igl.copyleft.cgal, which finds crossings exactly."""
    from igl.copyleft import cgal

    rng = np.random.default_rng(8)
    bodies = [reference_mesh(r["file"]) for r in reference("meshes/table.json")["rows"]]

    def crosses(mesh: Mesh) -> bool:
        tri = triangulate(mesh).points(mesh).astype(np.int64)
        return bool(len(cgal.remesh_self_intersections(mesh.points, tri, detect_only=True)[2]))

    bodies = [m for m in bodies if soundness(m).sound and not crosses(m)]
    crossed = made = errors = 0
    for _ in range(count):
        mesh = bodies[int(rng.integers(len(bodies)))]
        n = mesh.connectivity.n_edges
        ends = mesh.points[mesh.connectivity.edges]
        width = float(np.median(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1))) * 10 ** rng.uniform(-2, 0.2)
        try:
            out = round_edges(mesh, rng.random(n) < 0.7, np.full(n, width), Bevel(int(rng.integers(1, 5))), "s9").mesh
        except MeshProblem:
            errors += 1
            continue
        made += 1
        crossed += crosses(out)
    print(f"{made} random bevels ({errors} named errors): igl.copyleft.cgal finds crossings in {crossed}", flush=True)
