"""Screws and nuts: light and full, beside a boolean union of thread and core, and whether another library finds crossings."""

from __future__ import annotations

import itertools
import math
import statistics
import time
from collections.abc import Callable

import numpy as np

from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.threads import H
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import Context
from jukai.core.operators.registry import get_operator
from timings.measure import Row, measure


def _call(name: str, **values: object) -> Callable[[object], Mesh]:
    op = get_operator(name)
    given = op.values(**values)
    return lambda _: op.apply(given, Context("s1")).mesh


def _told(name: str, call: Callable[[object], object], aim: float) -> None:
    call(None)
    times = []
    for _ in range(21):
        start = time.perf_counter()
        call(None)
        times.append(1000 * (time.perf_counter() - start))
    own = statistics.median(times)
    print(f"{name}: {own:.2f} ms (aim {aim:g}, {'met' if own < aim else 'NOT met'})", flush=True)


def _ridge(d: float, p: float, length: float, n: int) -> tuple[np.ndarray, np.ndarray]:
    """Return points and triangles of a closed ridge of the basic profile, led a little into its core."""
    depth = 5 / 8 * H * p
    section = np.array([[-7 / 16 * p, -depth * 1.1], [7 / 16 * p, -depth * 1.1], [p / 16, 0.0], [-p / 16, 0.0]])
    rows = int(n * (length / p - 1)) + 1
    turn = np.arange(rows) / n
    z = -length + p / 2 + p * turn[:, None] + section[:, 0]
    r = d / 2 + section[:, 1] + 0 * z
    a = 2 * math.pi * turn[:, None]
    points = np.stack([r * np.cos(a), r * np.sin(a), z], axis=2).reshape(-1, 3)
    i, k = (x.ravel() for x in np.meshgrid(np.arange(rows - 1), np.arange(4), indexing="ij"))
    q = [4 * i + k, 4 * i + (k + 1) % 4, 4 * i + 4 + (k + 1) % 4, 4 * i + 4 + k]
    sides = np.concatenate([np.stack([q[0], q[1], q[2]], 1), np.stack([q[0], q[2], q[3]], 1)])
    last = 4 * rows - 4
    ends = np.array([[0, 2, 1], [0, 3, 2], [last, last + 1, last + 2], [last, last + 2, last + 3]])
    return points, np.concatenate([sides, ends]).astype(np.uint64)


def fasteners() -> None:
    """Light under 3 ms; M10 × 60 full at 64 sides under 60 ms and a tenth of a union by manifold3d; a full nut under 30 ms."""
    import manifold3d

    _told("light screw M10", _call("screw", size="M10"), 3)
    _told("light screw M10, cylindrical head with socket", _call("screw", size="M10", head="socket"), 3)
    _told("light nut M10", _call("nut", size="M10"), 3)
    full = _call("screw", size="M10", length=60, thread_length=60, detail="full", root="flat", sides=64)
    _told("full screw M10 × 60 at 64 sides", full, 60)
    _told("full nut M10 at 64 sides", _call("nut", size="M10", detail="full", sides=64), 30)
    points, corners = _ridge(10, 1.5, 60, 64)
    core, head = (
        manifold3d.Manifold.cylinder(h, r, r, s, False)
        for h, r, s in ((60, 10 / 2 - 5 / 8 * H * 1.5, 64), (6.4, 9.2376, 6))
    )

    def united(_: object) -> object:
        ridge = manifold3d.Manifold(manifold3d.Mesh64(points, corners))
        out = manifold3d.Manifold.batch_boolean([ridge, core.translate([0, 0, -60]), head], manifold3d.OpType.Add)
        return out.to_mesh64() if hasattr(out, "to_mesh64") else out.to_mesh()

    name = "manifold3d"
    print("the same body by a union of its ridge, core and head:", flush=True)
    measure(
        Row("full screw M10 × 60 at 64 sides per turn", lambda: None, full, others={name: united}, aims={name: 0.1})
    )
    crossings()


def crossings() -> None:
    """Say in how many of a sample of screws and nuts CGAL (igl) finds faces that cross."""
    from igl.copyleft import cgal

    found, made = [], 0
    sample = [
        ("screw", {"head": h, "size": s, "drive": v})
        for h, (s, v) in itertools.product(
            ("hexagon", "cheese", "socket", "countersunk", "pan", "knurled", "none"),
            (("M3", "usual"), ("M10", "hexalobular"), ("M20x2", "cross_recess")),
        )
    ]
    sample += [("nut", {"style": s, "size": d}) for s in ("hexagon", "square", "knurled", "domed") for d in ("M4", "M24")]  # fmt: skip
    for name, values in sample:
        mesh = _call(name, detail="full", sides=36, **values)(None)
        tri = triangulate(mesh).points(mesh).astype(np.int64)
        made += 1
        if len(cgal.remesh_self_intersections(mesh.points, tri, detect_only=True)[2]):
            found.append((name, values))
    print(f"CGAL finds crossings in {len(found)} of {made} screws and nuts {found}", flush=True)


if __name__ == "__main__":
    fasteners()
