"""Booleans against manifold3d and closed forms: volumes, inclusion and exclusion, whole flat faces, what touches."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import manifold3d
import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry._booleans import in_order, outlines, texture_at
from jukai.core.geometry.booleans import Cutter, combine
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import Evaluation, evaluate
from tests.common import check_sound
from tests.recipes import body

BOX = {"operator": "box", "size": [20, 20, 10]}
DRILL = {"operator": "cylinder", "radius": 4, "height": 40, "sides": 32}
BODIES: tuple[dict[str, Any], ...] = (
    BOX,
    {"operator": "box", "size": [12, 18, 9], "counts": [3, 2, 2]},
    {"operator": "cylinder", "radius": 8, "height": 12, "sides": 20},
    {"operator": "sphere", "radius": 9, "sides": 16, "rows": 8},
    {"operator": "torus", "major_radius": 10, "minor_radius": 3, "sides": 20, "minor_sides": 10},
    {"operator": "superellipsoid", "half_sizes": [8, 8, 8], "sides": 16, "rows": 8},
)


def combined(how: str, first: Any, *others: Any, places: Any = None, own: Any = (0, 0, 0), **values: Any) -> Evaluation:
    def recipe(*steps: Any) -> list[Any]:
        return [
            {"id": f"s{i}", "operator": s["operator"], "values": {k: v for k, v in s.items() if k != "operator"}}
            for i, s in enumerate(steps, 1)
        ]

    ids = [f"p{i}" for i in range(2, 2 + len(others))]
    step = {"operator": "boolean", "parts": ids, "how": how} | values
    places = places or [(0, 0, 0)] * len(others)
    parts = [{"id": i, "name": i.upper(), "placement": {"move": list(at)}, "recipe": recipe(o), "finish": "Steel"}
             for i, o, at in zip(ids, others, places, strict=True)]  # fmt: skip
    finishes = [{"name": n, "colour": "#888888", "metal": 1, "roughness": 0.3} for n in ("Steel", "Brass")]
    me = {"id": "p1", "name": "Me", "placement": {"move": list(own)}, "recipe": recipe(first, step)}
    return evaluate(Bench.model_validate({"name": "T", "parts": [me, *parts], "finishes": finishes}), "p1")


def mesh_of(evaluation: Evaluation) -> Mesh:
    if evaluation.error is not None:
        raise evaluation.error
    assert evaluation.mesh is not None
    return evaluation.mesh


def solid(mesh: Mesh) -> Any:
    tri = triangulate(mesh).points(mesh).astype(np.uint64)
    return manifold3d.Manifold(manifold3d.Mesh64(np.array(mesh.points), tri))


class Against(unittest.TestCase):
    def test_volumes_of_random_pairs(self) -> None:
        """Each against manifold3d, and the three by inclusion and exclusion: V(a + b) = V(a) + V(b) - V(a b)."""
        chance = random.Random(11)
        for trial in range(24):
            a, b = (body(chance.choice(BODIES)) for _ in range(2))
            turn = np.linalg.qr(np.array([[chance.gauss(0, 1) for _ in range(3)] for _ in range(3)]))[0]
            turn *= np.sign(np.linalg.det(turn))
            b = b.with_points(b.points @ turn.T + [chance.uniform(-6, 6) for _ in range(3)])
            volumes = {}
            for how, sign in (("union", "+"), ("subtract", "-"), ("intersect", "^")):
                out = combine(a, [Cutter(b)], how, "s")
                other = {"+": solid(a) + solid(b), "-": solid(a) - solid(b), "^": solid(a) ^ solid(b)}[sign]
                volumes[how] = signed_volume(out) if out.n_faces else 0.0
                self.assertAlmostEqual(volumes[how], other.volume(), delta=1e-9 * 4000, msg=f"{trial} {how}")
                if out.n_faces:
                    check_sound(self, out)
                    self.assertEqual(solid(out).genus(), other.genus())
            whole = signed_volume(a) + signed_volume(b)
            self.assertAlmostEqual(volumes["union"] + volumes["intersect"], whole, delta=1e-9 * whole)
            self.assertAlmostEqual(volumes["subtract"] + volumes["intersect"], signed_volume(a), delta=1e-9 * whole)

    def test_a_drilled_hole(self) -> None:
        """A cylinder of n sides takes n r² sin(2 π / n) / 2 times the thickness; all faces beside the hole come back whole."""
        out = combined("subtract", BOX, DRILL, places=[(1, 2, -5)], finish="Brass")
        mesh = mesh_of(out)
        check_sound(self, mesh)
        self.assertAlmostEqual(signed_volume(mesh), 4000 - 10 * 16 * 16 * math.sin(math.pi / 16), places=9)
        # the four sides as they were, 32 walls, and both ringed faces in as few pieces as can be
        self.assertEqual(mesh.n_faces, 4 + 32 + 2 * 2)
        self.assertEqual(
            {k: mesh.groups().get(k) for k in ("left", "cut", "walls")}, {"left": 1, "cut": 32, "walls": 32}
        )
        assert mesh.face_finish is not None
        self.assertEqual({mesh.finishes[f] if f >= 0 else None for f in mesh.face_finish.tolist()}, {None, "Brass"})
        union = mesh_of(combined("union", BOX, DRILL, places=[(1, 2, -5)]))
        assert union.face_finish is not None
        added = union.group_faces("s2", "added")
        self.assertEqual({union.finishes[f] for f in union.face_finish[added].tolist()}, {"Steel"})

    def test_several_at_once_where_they_stand(self) -> None:
        """Four drills as a plate sees them, wherever it stands itself."""
        places = [(x, y, 0) for x in (-6, 6) for y in (-6, 6)]
        for own in ((0, 0, 5), (300, -40, 5)):
            at = [(x + own[0], y + own[1], 0) for x, y, _ in places]
            small = {"operator": "cylinder", "radius": 2, "height": 40, "sides": 16}
            mesh = mesh_of(combined("subtract", BOX, *[small] * 4, places=at, own=own))
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), 4000 - 4 * 10 * 8 * 4 * math.sin(math.pi / 8), places=8)
            np.testing.assert_allclose(mesh.bounds, [[-10, -10, 0], [10, 10, 10]], atol=1e-9)

    def test_texture_stays_where_it_was(self) -> None:
        sheeted = {"operator": "box", "size": [20, 20, 10], "counts": [4, 4, 2]}
        plain, cut = body(sheeted), mesh_of(combined("subtract", sheeted, DRILL, places=[(1, 2, -5)]))
        assert cut.uv is not None and plain.uv is not None
        top = cut.group_faces("s1", "top")
        corner = top[cut.corner_faces]
        np.testing.assert_allclose(cut.uv[corner] * 20 - 10, cut.points[cut.corners[corner]][:, :2], atol=1e-9)


class Touching(unittest.TestCase):
    def test_coplanar_faces_and_edges_that_touch(self) -> None:
        cases: tuple[tuple[str, Any, float | None], ...] = (
            ("union", (0, 0, 10), 8000), ("union", (20, 0, 0), 8000), ("union", (20, 20, 0), 8000), ("union", (0, 0, 0), 4000), ("union", (5, 0, 0), 5000),
            ("subtract", (0, 0, 10), 4000), ("subtract", (20, 20, 0), 4000), ("subtract", (10, 0, 0), 2000), ("subtract", (0, 0, 0), None),
            ("intersect", (0, 0, 10), None), ("intersect", (20, 20, 0), None), ("intersect", (0, 0, 0), 4000), ("intersect", (10, 0, 0), 2000),
        )  # fmt: skip
        for how, at, volume in cases:
            with self.subTest(how=how, at=at):
                out = combined(how, BOX, BOX, places=[at])
                if volume is None:
                    self.assertIsInstance(out.error, CoreError)
                    continue
                mesh = mesh_of(out)
                check_sound(self, mesh)
                self.assertAlmostEqual(signed_volume(mesh), volume, places=8)
        far = mesh_of(combined("subtract", BOX, BOX, places=[(100, 0, 0)]))
        self.assertEqual(far.n_faces, 6)

    def test_what_can_t_be_is_said(self) -> None:
        tube = {"operator": "cylinder", "radius": 4, "height": 40, "ends": "open"}
        for first, other, text in (
            (tube, BOX, "The part is open"),
            (BOX, tube, "'P2' is open"),
            (BOX, {"operator": "sheet"}, "'P2' is open"),
        ):
            found = combined("subtract", first, other).error
            self.assertIn(text, str(found))
        self.assertIn(
            "Nothing is left", str(combined("subtract", DRILL, {"operator": "box", "size": [99, 99, 99]}).error)
        )

    def test_compiled_loops_answer_as_plain_ones_do(self) -> None:
        a = body(BODIES[3])
        cut = triangulate(a)
        order = np.argsort(cut.faces, kind="stable")
        tri = a.corners[cut.corners[order]].astype(np.int64)
        starts = np.concatenate([[0], np.cumsum(np.bincount(cut.faces, minlength=a.n_faces))])
        for x, y in zip(
            outlines(tri, starts, np.ones(a.n_faces, bool)),
            outlines.plain(tri, starts, np.ones(a.n_faces, bool)),
            strict=True,
        ):
            np.testing.assert_array_equal(x, y)
        assert a.uv is not None
        every = np.arange(a.n_faces)
        middles = np.add.reduceat(a.points[a.corners], a.offsets[:-1], axis=0) / a.sides[:, None]
        within = (middles, every, np.arange(a.n_faces + 1, dtype=np.int32))
        for new in ((a.points, a.corners.astype(np.int64), a.offsets), within):
            out = np.zeros((2, len(new[1]), 2))
            for run, into in ((texture_at, out[0]), (texture_at.plain, out[1])):
                run(new, every, a.points, a.corners, cut.corners, starts, a.uv, into)
            np.testing.assert_array_equal(out[0], out[1])
            if new is within:
                self.assertTrue((out[0] >= np.minimum.reduceat(a.uv, a.offsets[:-1]) - 1e-12).all())
                self.assertTrue((out[0] <= np.maximum.reduceat(a.uv, a.offsets[:-1]) + 1e-12).all())
            else:
                np.testing.assert_array_equal(out[0], a.uv)
        key = np.array([2, 0, 2, 1, 0, 2])
        for run in (in_order, in_order.plain):
            np.testing.assert_array_equal(run(key, np.array([0, 2, 3, 6])), np.argsort(key, kind="stable"))


if __name__ == "__main__":
    unittest.main()
