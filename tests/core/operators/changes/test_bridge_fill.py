"""Bridges and fillings: Euler's counts, handles, smooth ends, grids for every hole."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.bridging import paired
from jukai.core.geometry.filling import grid_patch
from jukai.core.geometry.measures import signed_volume, vector_areas
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.rims import rims_of
from jukai.core.geometry.soundness import soundness
from tests.common import check_sound
from tests.recipes import built

BOX = {"operator": "box", "size": [20, 16, 10], "counts": [4, 5, 2]}
TWO = {"operator": "repeat", "how": "line", "count": 2, "direction": "x", "gap": 14}


def at_x(*places: float) -> dict[str, Any]:
    rows = [{"rule": "inside", "of": "faces", "shape": "box", "centre": [x, 0, 5], "size": [1, 30, 30]} for x in places]
    return {"join": [rows[0], *({"and_also": r} for r in rows[1:])], "of": "faces"}


def made(*steps: Any, **more: Any) -> Mesh:
    mesh = built(*steps, **more).mesh
    assert mesh is not None
    return mesh


def bridge(**values: Any) -> dict[str, Any]:
    return {"operator": "bridge"} | values


class Bridges(unittest.TestCase):
    def test_counts_of_euler(self) -> None:
        """Two patches of f faces and a border of b go, r b faces come: two bodies become one, or one gets a handle."""
        for rows in (1, 4):
            for runs in ("straight", "smooth"):
                two = made(BOX, TWO)
                mesh = made(BOX, TWO, bridge(pick=at_x(10, 24), rows=rows, runs=runs))
                check_sound(self, mesh)
                self.assertEqual(mesh.n_faces, two.n_faces - 2 * 10 + rows * 14)
                self.assertEqual((soundness(two).bodies, soundness(mesh).bodies, soundness(mesh).genus), (2, 1, 0))
                # the gap is filled by a bar of the same section
                self.assertAlmostEqual(signed_volume(mesh), 2 * 3200 + 14 * 160, places=8)
        plate = {"operator": "box", "size": [20, 16, 10], "counts": [5, 5, 1]}
        middle = {"rule": "inside", "of": "faces", "shape": "box", "centre": [0, 0, 5], "size": [4.1, 3.3, 30]}
        handle = made(plate, bridge(pick=middle, runs="straight"))
        check_sound(self, handle)
        self.assertEqual((soundness(handle).genus, handle.n_faces), (1, 70 - 2 + 4))
        self.assertAlmostEqual(signed_volume(handle), 3200 - 10 * 4 * 3.2, places=8)

    def test_different_counts(self) -> None:
        """Rims of 24 and 8, 9 and 7 points: as many faces of three sides as they differ, spread evenly."""
        for m, n in ((24, 8), (9, 7), (12, 12), (5, 40)):
            # two tubes above each other, of different counts of sides
            steps = [{"operator": "cylinder", "radius": 8, "height": 6, "sides": m, "ends": "open"}]
            mesh = made(*steps)
            other = made({"operator": "cylinder", "radius": 4, "height": 6, "sides": n, "ends": "open"})
            from jukai.core.geometry.bridging import bridge as between
            from jukai.core.geometry.mesh import join_meshes

            both = join_meshes([mesh, other.with_points(np.add(other.points, [0, 0, 10]))])
            rims = [r for r in rims_of(both) if abs(both.points[r.points, 2].mean() - 8) < 3]
            out = between(both, rims[0], rims[1], 3, turn=0, smooth=None, size=None)
            self.assertEqual((len(out.threes), len(out.fours)), (abs(m - n), 3 * max(m, n) - abs(m - n)))
            gaps = np.diff(np.flatnonzero(np.isin(np.arange(max(m, n)), np.unique(out.threes[:, 0] % max(m, n)))))
            self.assertLessEqual(int(gaps.max(initial=0)), math.ceil(max(m, n) / max(abs(m - n), 1)) + 1)

    def test_the_pairing_is_that_of_least_turn(self) -> None:
        """A loop turned by any number of points is paired with itself point by point (Fuchs, Kedem and Uselton 1977)."""
        a = 2 * np.pi * np.arange(17) / 17
        loop = np.column_stack([3 * np.cos(a), np.sin(a), 0.3 * np.sin(2 * a)])
        for k in range(17):
            way = paired(loop, np.add(np.roll(loop, k, axis=0), [0, 0, 5]), closed=True)
            np.testing.assert_array_equal(way[:17], (np.arange(17) + k) % 17)
        turned = made(BOX, TWO, bridge(pick=at_x(10, 24), runs="straight", turn=7, rows=4))
        self.assertLess(signed_volume(turned), 2 * 3200 + 14 * 160 - 1)

    def test_smooth_ones_leave_in_the_planes_of_the_faces_beside(self) -> None:
        """Between two coaxial tubes of one radius the bridge is the tube; a graph of its size bulges about the middle line."""
        tube = {"operator": "cylinder", "radius": 8, "height": 6, "sides": 24, "ends": "open"}
        up = {"operator": "repeat", "how": "line", "count": 2, "direction": "z", "gap": 10}
        rims = {
            "join": [{"rule": "inside", "of": "edges", "shape": "box", "centre": [0, 0, 11], "size": [40, 40, 12]}],
            "of": "edges",
        }
        mesh = made(tube, up, bridge(pick=rims, rows=10))
        np.testing.assert_allclose(np.hypot(*mesh.points[:, :2].T), 8, atol=1e-9)
        graph = [{"at": 0, "value": 1}, {"at": 0.5, "value": 2}, {"at": 1, "value": 1}]
        bulged = made(tube, up, bridge(pick=rims, rows=10, size_along=graph))
        middle = np.abs(bulged.points[:, 2] - 11) < 1e-9
        np.testing.assert_allclose(np.hypot(*bulged.points[middle, :2].T), 16, atol=1e-9)

    def test_what_can_t_be_is_said(self) -> None:
        for pick, text in (
            (at_x(10), "1 patch of faces is picked"),
            ({"rule": "everything", "of": "faces"}, "All faces are picked"),
            (
                {"join": [at_x(10), {"and_also": {"rule": "group", "step": "s1", "name": "top"}}], "of": "faces"},
                "is picked",
            ),
        ):
            with self.subTest(text), self.assertRaises(CoreError) as found:
                built(BOX, bridge(pick=pick))
            self.assertIn(text, str(found.exception))
        nothing = built(BOX, bridge(pick={"rule": "rim", "of": "edges"}))
        self.assertEqual([n.text for s in nothing.steps for n in s.notes], ["No edge is picked: nothing is bridged."])


class Fillings(unittest.TestCase):
    def test_every_hole_is_closed(self) -> None:
        """Grids of four-sided faces, one of three where the count is odd; one face; a fan. The body is the prism again."""
        for n in (*range(3, 20), 31, 64, 101):
            tube = {"operator": "cylinder", "radius": 10, "height": 8, "sides": n, "ends": "open"}
            for fill, sides in (("four_sided", 4), ("face", n), ("fan", 3)):
                mesh = made(tube, {"operator": "fill_holes", "fill": fill})
                check_sound(self, mesh)
                self.assertAlmostEqual(signed_volume(mesh), 8 * 50 * n * math.sin(2 * math.pi / n), places=8)
                faces = mesh.sides[mesh.group_faces("s2", "filled")]
                if fill == "four_sided":
                    self.assertEqual(int((faces == 3).sum()), 2 * (n % 2))
                    self.assertTrue((faces <= 4).all())
                else:
                    self.assertTrue((faces == (sides if n > 3 else 3)).all())

    def test_grids_put_their_corners_where_the_hole_has_them(self) -> None:
        """A rectangle of a by b cells gets its grid back, each point where it was; on a bent one between the sides (Coons 1967)."""
        before = made(BOX)
        mesh = made(
            BOX,
            {"operator": "delete_faces", "pick": {"rule": "group", "step": "s1", "name": "top"}},
            {"operator": "fill_holes"},
        )
        check_sound(self, mesh)
        self.assertEqual((mesh.n_points, mesh.n_faces), (before.n_points, before.n_faces))
        a, b = (np.round(m.points, 9) for m in (before, mesh))
        np.testing.assert_allclose(a[np.lexsort(a.T)], b[np.lexsort(b.T)], atol=1e-9)
        u = np.linspace(0, 1, 6)
        sides = [np.column_stack([u, 0 * u, u * (1 - u)]), np.column_stack([0 * u + 1, u, 0 * u]), np.column_stack([1 - u, 0 * u + 1, u * (1 - u)]), np.column_stack([0 * u, 1 - u, 0 * u])]  # fmt: skip
        patch = grid_patch(np.concatenate([s[:-1] for s in sides]))
        x = patch.points[:, 0]
        np.testing.assert_allclose(patch.points[:, 2], x * (1 - x), atol=1e-12)

    def test_grids_of_convex_loops_have_no_face_turned_over(self) -> None:
        for n in range(4, 60):
            a = 2 * np.pi * np.arange(n) / n
            loop = np.column_stack([4 * np.cos(a), 2 * np.sin(a), 0 * a])
            for turn in (0, 1):
                patch = grid_patch(loop, turn)
                mesh = Mesh.from_faces(
                    np.concatenate([loop, patch.points]), [*patch.fours.tolist(), *patch.three.reshape(-1, 3).tolist()]
                )
                self.assertGreater(float(vector_areas(mesh)[:, 2].min()), 0, n)

    def test_what_is_picked_is_filled(self) -> None:
        tube = {"operator": "cylinder", "radius": 10, "height": 8, "sides": 12, "ends": "open"}
        above = {"rule": "inside", "of": "edges", "shape": "half_space", "point": [0, 0, 4], "direction": [0, 0, 1]}
        half = made(tube, {"operator": "fill_holes", "pick": above})
        self.assertEqual(int((half.connectivity.edge_sides == 1).sum()), 12)
        none = built({"operator": "box"}, {"operator": "fill_holes"})
        self.assertTrue(any("nothing is filled" in n.text for s in none.steps for n in s.notes))


if __name__ == "__main__":
    unittest.main()
