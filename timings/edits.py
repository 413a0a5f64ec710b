"""Edits on faces and rims beside other libraries and the writing of their arrays."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from jukai.core.geometry.booleans import Cutter, combine
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.subdividing import subdivided
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import Context
from jukai.core.operators.registry import get_operator
from jukai.core.recipe.bench import Bench, Step
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.resolve import Inputs, Resolver
from jukai.memory import keep_freed_memory
from timings.bevels import floor
from timings.measure import Row, measure

_SIDE = 200
"""Cells along each edge of the box that is edited: 240 000 faces."""


def _made(operator: str, **values: Any) -> Mesh:
    bench = {
        "name": "T",
        "parts": [{"id": "p1", "name": "P", "recipe": [{"id": "s1", "operator": operator, "values": values}]}],
    }
    mesh = evaluate(Bench.model_validate(bench), "p1").mesh
    assert mesh is not None
    return mesh


def _apart(mesh: Mesh) -> Mesh:
    """Return the same body; what is known of its faces goes along, as it does from step to step."""
    return replace(mesh, points=np.array(mesh.points), _cache={})


def _step(mesh: Mesh, operator: str, **values: Any) -> Callable[[Mesh], object]:
    op = get_operator(operator)
    bench = Bench.model_validate({"name": "T", "face_limit": 5_000_000, "parts": []})
    resolved = Resolver(bench).step(Step(id="s2", operator=operator, values=values), op, Inputs(mesh)).values
    return lambda m: op.apply(m, resolved, Context("s2", face_limit=10_000_000))


def edits() -> None:
    """Extrude, inset, mirror and repeat of a box of 240 000 faces; Catmull-Clark to 400 000; a boolean of 2 × 50 000 triangles."""
    box = _made("box", size=[20, 20, 20], counts=[_SIDE] * 3)
    _ = box.connectivity
    top = {"rule": "group", "step": "s1", "name": "top"}
    some = {"rule": "every_nth", "of": "faces", "among": {"rule": "everything"}, "n": 2}
    n, f = box.n_points, box.n_faces
    for name, step, faces, points in (
        (
            "extrude, one side of 40 000 faces",
            _step(box, "extrude", pick=top, distance=2),
            f + 4 * _SIDE,
            n + 4 * _SIDE,
        ),
        (
            "extrude, 120 000 faces each by itself",
            _step(box, "extrude", pick=some, each="each", distance=0.01, inset=0.01),
            f + 2 * f,
            n + 2 * f,
        ),
        (
            "inset, 240 000 faces each by itself",
            _step(box, "inset", pick={"rule": "everything"}, each="each", distance=0.01),
            5 * f,
            n + 4 * f,
        ),
        (
            "mirror, half of 240 000 faces",
            _step(box, "mirror", plane={"point": [10, 0, 0], "direction": [1, 0, 0]}),
            2 * f,
            2 * n,
        ),
        (
            "repeat, 4 × 240 000 faces",
            _step(box, "repeat", how="round_axis", count=4, axis={"point": [-40, 0, 0], "direction": [0, 0, 1]}),
            4 * f,
            4 * n,
        ),
    ):
        measure(Row(name, lambda: _apart(box), step, floor(faces, points), {}, {"floor": 8}))
    _subdivision()
    _boolean()


def _subdivision() -> None:
    import igl

    ball = _made("quad_sphere", radius=10, counts=65)  # 25 350 faces, 405 600 after two levels
    _ = ball.connectivity
    tri = triangulate(ball).points(ball).astype(np.int64)
    points = np.array(ball.points)
    none = np.zeros(ball.connectivity.n_edges)
    measure(
        Row(
            "Catmull-Clark, 25 350 faces, 2 levels", lambda: _apart(ball), lambda m: subdivided(m, none, 2), floor(16 * ball.n_faces, 16 * ball.n_faces + 2),
            {"igl.loop": lambda _: igl.loop(points, tri, 2)}, {"igl.loop": 0.10},
        )
    )  # fmt: skip


def _boolean() -> None:
    import manifold3d

    one = _made("torus", major_radius=20, minor_radius=6, sides=250, minor_sides=100)
    two = one.with_points(one.points[:, [0, 2, 1]] * [1, -1, 1] + [7, 3, 1])
    arrays = [(m.points, triangulate(m).points(m).astype(np.uint64)) for m in (one, two)]

    def other(_: object) -> object:
        bodies = [manifold3d.Manifold(manifold3d.Mesh64(np.array(p), t)) for p, t in arrays]
        return manifold3d.Manifold.batch_boolean(bodies, manifold3d.OpType.Subtract).to_mesh64()

    measure(
        Row(
            "boolean, 2 × 50 000 triangles", lambda: (_apart(one), _apart(two)), lambda m: combine(m[0], [Cutter(m[1])], "subtract", "s"),
            floor(50_000, 50_000), {"manifold3d, arrays to arrays": other}, {"manifold3d, arrays to arrays": 1.25},
        )
    )  # fmt: skip


if __name__ == "__main__":
    keep_freed_memory()  # as the command and the server do
    edits()
