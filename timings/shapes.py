"""Ready shapes by the face, and the clearance of two bodies beside manifold3d and python-fcl."""

from __future__ import annotations

import statistics
import time
from typing import Any

import numpy as np

from jukai.core.geometry.clearance import clearance, place
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Context
from jukai.core.operators.registry import operators
from timings.measure import Row, measure, timed
from timings.meshes import fresh, quads, triangles

__all__ = ["clearances", "shapes"]

MILLION: dict[str, dict[str, Any]] = {
    "box": {"counts": (408, 408, 408)},
    "sheet": {"counts": (1000, 1000)},
    "cylinder": {"sides": 1000, "rows": 1000},
    "cone": {"sides": 1000, "rows": 1000, "top_radius": 3},
    "capsule": {"sides": 1000, "rows": 500, "cap_rows": 250},
    "sphere": {"sides": 1000, "rows": 1000},
    "quad_sphere": {"counts": 408},
    "torus": {"sides": 1000, "minor_sides": 1000},
    "superellipsoid": {"sides": 1000, "rows": 1000},
    "washer": {"sides": 250_000},
}
HELIX = {"turns": 200, "pitch": 3, "coil_diameter": 20, "wire_diameter": 2, "rows_per_turn": 64, "sides": 24}


def shapes() -> None:
    """Any shape at default values under 5 ms; a million faces within 6 times what NumPy needs to write the arrays."""
    for name, values in MILLION.items():
        op = operators()[name]
        plain, many = op.values(), op.values(**values)
        times = []
        for _ in range(15):
            start = time.perf_counter()
            op.apply(plain, Context("s1"))
            times.append((time.perf_counter() - start) * 1000)
        alone = statistics.median(times)
        print(f"{name} at default values: {alone:.2f} ms (aim 5, {'met' if alone < 5 else 'NOT met'})", flush=True)
        many_faces(name, many)
    wound = operators()["helix"]
    many_faces("helix", wound.values(**HELIX))
    gem = operators()["gem"]
    times = [timed(lambda _: gem.apply(gem.values(), Context("s1")), None) for _ in range(31)]
    alone = 1000 * statistics.median(times)
    print(f"gem: {alone:.2f} ms (aim 3, {'met' if alone < 3 else 'NOT met'})", flush=True)


def many_faces(name: str, many: Any) -> None:
    """Hold a shape of many faces against the arrays that it is made of, written by NumPy."""
    op = operators()[name]
    made: Mesh = op.apply(many, Context("s1")).mesh

    def floor(_: Any) -> Any:
        arrays = (
            np.empty((made.n_points, 3)),
            np.empty(len(made.corners), np.int32),
            np.empty(len(made.offsets), np.int32),
            np.empty((len(made.corners), 2)),
            np.empty(made.n_faces, np.int32),
        )
        for a in arrays:
            a.fill(1)
        return arrays

    measure(
        Row(
            f"{name}, {made.n_faces} faces",
            lambda: None,
            lambda _: op.apply(many, Context("s1")),
            floor,
            {},
            {"floor": 6},
        )
    )


def clearances() -> None:
    """Two bodies of 50 000 triangles: from arrays to the answer, and asked again after a move."""
    import fcl
    import manifold3d

    ball = operators()["sphere"]
    sphere = ball.apply(ball.values(radius=10, sides=226, rows=113), Context("s1")).mesh
    ring = quads(125, 200)
    pairs = {
        "two balls": (sphere, sphere, (20.3, 0.4, 0.2)),
        "two rings": (ring, ring, (96.3, 0.4, 0.2)),
        "a ball beside a ring": (sphere, ring, (58.2, 2, 10)),
    }
    for words, (a, b, move) in pairs.items():
        arrays = [(np.array(m.points), np.array(triangles(fresh(m)))) for m in (a, b)]
        matrix = np.eye(4)
        matrix[:3, 3] = move

        def ours(_: Any, arrays: Any = arrays, matrix: Any = matrix) -> Any:
            x, y = (Mesh.from_triangles(*pair) for pair in arrays)
            return clearance(place(x), place(y, matrix)).distance

        def theirs(_: Any, arrays: Any = arrays, move: Any = move) -> Any:
            x, y = (manifold3d.Manifold(manifold3d.Mesh64(p, t.astype(np.uint64))) for p, t in arrays)
            return x.min_gap(y.translate(move), 0.35)

        assert abs(ours(None) - theirs(None)) < 1e-9
        many = len(arrays[0][1]), len(arrays[1][1])
        measure(Row(f"clearance of {words}, {many[0]} and {many[1]} triangles, from arrays", lambda: None, ours, None,
                    {"manifold3d build + min_gap(.35)": theirs}, {"manifold3d build + min_gap(.35)": 0.5}))  # fmt: skip
        first, second = (Mesh.from_triangles(*pair) for pair in arrays)
        stands = place(first)
        place(second)
        trees = []
        for p, t in arrays:
            model = fcl.BVHModel()
            model.beginModel(len(p), len(t))
            model.addSubModel(p, t)
            model.endModel()
            trees.append(model)

        def again(_: Any, stands: Any = stands, second: Mesh = second, matrix: Any = matrix) -> Any:
            return clearance(stands, place(second, matrix)).distance

        def ready(_: Any, trees: Any = trees, move: Any = move) -> Any:
            x = fcl.CollisionObject(trees[0], fcl.Transform())
            y = fcl.CollisionObject(trees[1], fcl.Transform(np.eye(3), np.array(move)))
            result = fcl.DistanceResult()
            fcl.distance(x, y, fcl.DistanceRequest(), result)
            return result.min_distance

        measure(Row(f"clearance of {words}, asked again after a move", lambda: None, again, None, {"fcl, ready": ready},
                    {"fcl, ready": 10}))  # fmt: skip
