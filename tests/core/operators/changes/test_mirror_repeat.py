"""Mirroring and repeating: halves and doubles, k-fold symmetry, formulas of the copy, halves joined exactly."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.halving import ahead_of
from jukai.core.geometry.measures import area, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.mirroring import mirror_image
from tests.common import check_sound
from tests.recipes import built

BOX = {"operator": "box", "size": [20, 16, 10], "counts": [3, 4, 2]}
L_SHAPE = [[-8, -8], [22, -8], [22, 2], [2, 2], [2, 22], [-8, 22]]
STARTS: tuple[dict[str, Any], ...] = (
    BOX,
    {"operator": "torus", "major_radius": 12, "minor_radius": 4, "sides": 20, "minor_sides": 10},
    {"operator": "sphere", "radius": 9, "sides": 16, "rows": 8},
    {"operator": "prism", "profile": "c1", "height": 8},
    {"operator": "washer", "inner": 8, "outer": 20, "thickness": 5, "sides": 24},
)


def made(*steps: Any, **more: Any) -> Mesh:
    mesh = built(*steps, profile=L_SHAPE, closed=True, **more).mesh
    assert mesh is not None
    return mesh


def planes(chance: random.Random) -> list[Any]:
    own = {"point": [chance.uniform(-3, 3) for _ in range(3)], "direction": [chance.uniform(-1, 1) for _ in range(3)]}
    return ["x", "y", {"point": [0, 0, 4], "direction": [0, 0, 1]}, own]


class Mirrored(unittest.TestCase):
    def test_halves_and_doubles(self) -> None:
        """Both halves together are the body; each with its image is twice the half, closed, and its own mirror image."""
        chance = random.Random(4)
        for start in STARTS:
            whole = signed_volume(made(start))
            for plane in planes(chance):
                sides = [
                    made(start, {"operator": "mirror", "plane": plane, "crossing": c})
                    for c in ("ahead_stays", "behind_stays")
                ]
                volumes = [signed_volume(m) if m.n_faces else 0.0 for m in sides]
                self.assertAlmostEqual(sum(volumes) / 2 / whole, 1, delta=1e-10)
                for m, crossing in zip(sides, ("ahead_stays", "behind_stays"), strict=True):
                    check_sound(self, m)
                    apart = made(start, {"operator": "mirror", "plane": plane, "crossing": crossing, "join": False})
                    self.assertTrue(apart.closed)
                    self.assertAlmostEqual(signed_volume(apart), signed_volume(m), delta=1e-9 * whole)
                    self.own_image(m, plane)

    def own_image(self, mesh: Mesh, plane: Any) -> None:
        axes = dict(zip("xyz", np.eye(3), strict=True))
        point = np.zeros(3) if isinstance(plane, str) else np.array(plane["point"])
        normal = (
            axes[plane] if isinstance(plane, str) else np.array(plane["direction"]) / np.linalg.norm(plane["direction"])
        )
        image = mirror_image(mesh, point, normal)
        a, b = (np.round(m.points, 7) + 0.0 for m in (mesh, image))
        np.testing.assert_allclose(a[np.lexsort(a.T)], b[np.lexsort(b.T)], atol=3e-7)

    def test_what_crosses_may_be_left_and_the_image_alone(self) -> None:
        left = built(
            BOX, {"operator": "mirror", "plane": {"point": [3, 0, 0], "direction": [1, 0, 0]}, "crossing": "left"}
        )
        assert left.mesh is not None
        self.assertEqual(left.mesh.n_faces, 2 * 52)
        self.assertTrue(any("run through each other" in n.text for s in left.steps for n in s.notes))
        alone = made(
            BOX, {"operator": "mirror", "plane": {"point": [30, 0, 0], "direction": [1, 0, 0]}, "keep_both": False}
        )
        check_sound(self, alone)
        np.testing.assert_allclose(alone.bounds, [[50, -8, 0], [70, 8, 10]])

    def test_points_on_the_plane_are_shared_and_exact(self) -> None:
        mesh = made(BOX, {"operator": "mirror", "plane": {"point": [10, 0, 0], "direction": [1, 0, 0]}})
        check_sound(self, mesh)
        self.assertEqual((mesh.n_points, mesh.n_faces), (2 * 54 - 12 - 2 * 3, 2 * (52 - 8)))
        self.assertEqual(int((mesh.points[:, 0] == 10).sum()), 12)
        self.assertEqual(int(mesh.group_faces("s2", "image").sum()), 44)
        # a body that but touches the plane is not pinched there
        edge = made(BOX, {"operator": "mirror", "plane": {"point": [10, 8, 0], "direction": [1, 1, 0]}})
        self.assertTrue(edge.closed)
        self.assertEqual(edge.n_points, 108)
        with self.assertRaises(CoreError) as found:
            built({"operator": "sheet"}, {"operator": "mirror", "plane": "z"})
        self.assertIn("lies in the plane", str(found.exception))

    def test_faces_cut_keep_what_they_carry(self) -> None:
        """Texture on a sheet is that of the place; hollow faces that the plane meets four times are cut in triangles first."""
        sheet = made({"operator": "sheet", "size": [10, 8], "counts": [3, 2]})
        half = ahead_of(sheet, np.array([0.4, 0.1, 0]), np.array([0.6, 0.8, 0]))
        assert half.uv is not None
        np.testing.assert_allclose((half.uv - 0.5) * [10, 8], half.points[half.corners][:, :2], atol=1e-12)
        u_shape = [[0, 0], [30, 0], [30, 20], [20, 20], [20, 8], [10, 8], [10, 20], [0, 20]]
        prism = built({"operator": "prism", "profile": "c1", "height": 5}, profile=u_shape, closed=True).mesh
        assert prism is not None
        cut = ahead_of(prism, np.array([0, 14.0, 0]), np.array([0, 1.0, 0]))
        self.assertAlmostEqual(area(cut), 2 * 2 * (6 * 10 + 10 * 5 / 2 + 6 * 5), places=9)


class Repeated(unittest.TestCase):
    def test_k_fold_symmetry(self) -> None:
        """Turned by a k-th of the turn the body lies on itself to 1e-12 of its size; it has k times the volume."""
        axis = {"point": [-30, 5, 0], "direction": [0, 0, 1]}
        start = {"operator": "box", "size": [6, 8, 10], "counts": [2, 3, 2]}
        one = made(start)
        for k in (2, 3, 5, 7, 12):
            mesh = made(start, {"operator": "repeat", "how": "round_axis", "count": k, "axis": axis})
            self.assertAlmostEqual(signed_volume(mesh) / (k * signed_volume(one)), 1, delta=1e-12)
            check_sound(self, mesh)
            a = 2 * math.pi / k
            turn = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
            turned = (mesh.points - [-30, 5, 0]) @ turn.T + [-30, 5, 0]
            ahead = np.roll(mesh.points.reshape(k, -1, 3), -1, axis=0).reshape(-1, 3)
            self.assertLess(float(np.abs(turned - ahead).max()), 1e-12 * mesh.size)

    def test_even_spread(self) -> None:
        """A whole turn has no two at its end; a part of one has one at either end; a path its ends, a closed one none twice."""

        def middles(**values: Any) -> np.ndarray:
            mesh = made({"operator": "box", "size": [2, 2, 2]}, {"operator": "repeat", "join": False} | values, **PATHS)
            return np.asarray(mesh.points.reshape(-1, 8, 3).mean(axis=1))

        axis = {"point": [-20, 0, 0], "direction": [0, 0, 1]}
        for over, count, step in ((360, 8, 45.0), (90, 4, 30.0), (-180, 3, -90.0), (720, 4, 180.0)):
            found = middles(how="round_axis", count=count, axis=axis, over=over) - [-20, 0, 0]
            angles = np.degrees(np.unwrap(np.arctan2(found[:, 1], found[:, 0])))
            np.testing.assert_allclose(np.abs(np.diff(angles)), abs(step), atol=1e-9)
        found = middles(how="line", count=4, gap=3, direction="y")
        np.testing.assert_allclose(np.diff(found, axis=0), [[0, 5, 0]] * 3, atol=1e-12)
        np.testing.assert_allclose(
            np.diff(middles(how="line", count=3, pitch=-7), axis=0), [[-7, 0, 0]] * 2, atol=1e-12
        )
        found = middles(how="path", path="c2", count=5, lies="as_it_is")
        np.testing.assert_allclose(found - found[0], np.outer(np.arange(5) * 10, [0, 0, 1]), atol=1e-9)
        ring = middles(how="path", path="c3", count=4)
        gaps = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1)
        np.testing.assert_allclose(gaps, 10, atol=1e-6)

    def test_formulas_of_the_copy(self) -> None:
        """Each by its own number: volumes go with the cube of the scale, heights with the rise; the count may be a formula too."""
        base = {"operator": "box", "size": [2, 2, 2]}
        mesh = made(base, {"operator": "repeat", "how": "line", "count": "n + 1", "pitch": 9, "scale": "0.5 ** copy", "rise": "copy * copies * 1 mm"},
                    dimensions={"n": 3})  # fmt: skip
        parts = mesh.points.reshape(4, 8, 3)
        sizes = np.ptp(parts, axis=1)
        np.testing.assert_allclose(sizes, np.outer(0.5 ** np.arange(4), [2, 2, 2]), atol=1e-12)
        np.testing.assert_allclose(parts.mean(axis=1)[:, 2], 1 + 4 * np.arange(4), atol=1e-12)
        turned = made(
            base, {"operator": "repeat", "how": "line", "count": 4, "pitch": 9, "turn": "copy * 360 / copies"}
        )
        np.testing.assert_allclose(np.ptp(turned.points.reshape(4, 8, 3), axis=1), 2, atol=1e-12)
        for values, text in (({"scale": "1 - copy"}, "times as large"), ({"turn": "copi"}, "no named number"), ({"rise": "copy * 1 deg"}, "length is wanted")):  # fmt: skip
            with self.subTest(text), self.assertRaises(CoreError) as found:
                built(base, {"operator": "repeat", "how": "round_axis", "count": 3} | values)
            self.assertIn(text, str(found.exception))

    def test_copies_that_touch_become_one(self) -> None:
        """Boxes face to face lose both faces; a sector of a ring, open at its ends, becomes the ring."""
        boxes = made(BOX, {"operator": "repeat", "how": "line", "count": 4, "gap": 0})
        check_sound(self, boxes)
        self.assertEqual(boxes.n_faces, 4 * 52 - 6 * 8)
        self.assertAlmostEqual(signed_volume(boxes), 4 * 3200, places=8)
        profile = [[10, 0], [14, 0], [14, 5], [10, 5]]
        sector = {"operator": "revolve", "profile": "c1", "angle": 60, "sides": 4, "ends": "open"}
        ring = built(sector, {"operator": "repeat", "how": "round_axis", "count": 6}, profile=profile, closed=True).mesh
        assert ring is not None
        check_sound(self, ring)
        n = 24
        self.assertAlmostEqual(signed_volume(ring), 5 * n * math.sin(2 * math.pi / n) / 2 * (14**2 - 10**2), places=8)
        apart = made(BOX, {"operator": "repeat", "how": "line", "count": 4, "gap": 0, "join": False})
        self.assertEqual(apart.n_faces, 4 * 52)
        self.assertEqual(int(apart.group_faces("s2", "copies").sum()), 3 * 52)


PATHS = {"curves": [
    {"id": "c1", "name": "L", "closed": True, "points": [{"at": p} for p in L_SHAPE]},
    {"id": "c2", "name": "Up", "kind": "path", "points": [{"at": [0, 0, 0]}, {"at": [0, 0, 40]}]},
    {"id": "c3", "name": "Round", "kind": "path", "closed": True, "points": [{"at": p} for p in ([0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0])]},
]}  # fmt: skip


if __name__ == "__main__":
    unittest.main()
