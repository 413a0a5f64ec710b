"""Tidying: welding, turning over, splitting, smoothing, shifting, subdividing, deleting."""

from __future__ import annotations

import random
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry._quads import pair_leaves
from jukai.core.geometry.measures import area, face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh, join_meshes
from jukai.core.geometry.quads import split_many_sided
from jukai.core.geometry.rebuilding import turned_over
from jukai.core.geometry.soundness import pinched_points
from jukai.core.geometry.subdividing import ALWAYS
from jukai.core.geometry.welding import outward, welded
from tests.common import check_sound, reference, reference_mesh
from tests.recipes import built

BOX = {"operator": "box", "size": [20, 16, 10], "counts": [4, 4, 2]}
TOP = {"rule": "group", "step": "s1", "name": "top"}


def made(*steps: Any, **more: Any) -> Mesh:
    mesh = built(*steps, **more).mesh
    assert mesh is not None
    return mesh


def notes(*steps: Any, **more: Any) -> list[str]:
    return [n.text for s in built(*steps, **more).steps for n in s.notes]


class Welding(unittest.TestCase):
    def test_counts_of_the_reference_meshes(self) -> None:
        """Points after an exact weld, counted by the reference's own program."""
        for row in reference("meshes/table.json")["rows"]:
            mesh = reference_mesh(row["file"])
            done = welded(mesh, 0.0)
            if done.flattened or done.doubled:
                continue
            left = done.mesh.n_points
            self.assertEqual(left, row["points_after_exact_weld"], row["file"])

    def test_bodies_face_to_face_become_one(self) -> None:
        box = made(BOX)
        two = join_meshes([box, box.with_points(np.add(box.points, [20, 0, 0]))])
        done = welded(two, 1e-6)
        check_sound(self, done.mesh)
        self.assertEqual((done.doubled, done.points), (16, 15))
        self.assertAlmostEqual(signed_volume(done.mesh), 6400, places=9)

    def test_points_come_to_their_middle(self) -> None:
        chance = random.Random(3)
        mesh = made(BOX)
        loose = join_meshes(
            [Mesh(mesh.points[mesh.corners], np.arange(len(mesh.corners), dtype=np.int32), mesh.offsets)]
        )
        shaken = loose.with_points(
            loose.points + [[chance.uniform(-1e-3, 1e-3) for _ in range(3)] for _ in range(loose.n_points)]
        )
        done = welded(shaken, 4e-3)
        check_sound(self, done.mesh)
        self.assertEqual((done.mesh.n_points, done.mesh.n_faces), (mesh.n_points, mesh.n_faces))
        self.assertAlmostEqual(signed_volume(done.mesh), 3200, delta=1)
        with self.assertRaises(CoreError):
            built(BOX, {"operator": "weld", "distance": 100})


class Turning(unittest.TestCase):
    def test_all_agree_and_look_outward(self) -> None:
        chance = np.random.default_rng(5)
        for name in (
            "cube.obj",
            "torus_8x6.obj",
            "l_block.obj",
            "two_bodies.obj",
            "saddle_corner_6.obj",
            "open_box.obj",
        ):
            mesh = reference_mesh(name)
            mixed = turned_over(mesh, chance.random(mesh.n_faces) < 0.5)
            out, over, torn = outward(mixed)
            self.assertEqual(torn, 0)
            self.assertFalse(out.connectivity.same_direction(out.corners).any())
            if mesh.closed:
                self.assertAlmostEqual(signed_volume(out), abs(signed_volume(mesh)), places=9)
            self.assertLessEqual(over, mesh.n_faces)
        self.assertEqual(outward(reference_mesh("moebius_strip.obj"))[2], 1)

    def test_as_steps(self) -> None:
        check_sound(self, made(BOX, {"operator": "flip", "pick": TOP}, {"operator": "flip", "to": "outward"}))
        self.assertAlmostEqual(signed_volume(made(BOX, {"operator": "flip"})), -3200, places=9)


class Splitting(unittest.TestCase):
    def test_area_and_sides(self) -> None:
        """On flat faces the area stays; convex ones of n sides make (n - 2) / 2 faces of four, one of three where n is odd."""
        for n in range(5, 40):
            drum = {"operator": "cylinder", "radius": 10, "height": 5, "sides": n}
            before, mesh = made(drum), made(drum, {"operator": "split_many_sided"})
            check_sound(self, mesh)
            self.assertAlmostEqual(area(mesh), area(before), places=9)
            self.assertEqual((mesh.n_faces - n, int((mesh.sides == 3).sum())), (2 * ((n - 1) // 2), 2 * (n % 2)))
            self.assertEqual(mesh.n_points, before.n_points)

    def test_hollow_ones(self) -> None:
        """Pairs from the leaves inward are as many as can be: an L of six points is two faces of four (a pairing of its tree)."""
        shapes = {"L": [[0, 0], [30, 0], [30, 10], [10, 10], [10, 30], [0, 30]],
                  "U": [[0, 0], [30, 0], [30, 20], [20, 20], [20, 8], [10, 8], [10, 20], [0, 20]],
                  "comb": [[0, 0], [50, 0], *[[50 - 5 * i, 20 if i % 2 else 8] for i in range(11)]]}  # fmt: skip
        for name, profile in shapes.items():
            mesh = made(
                {"operator": "prism", "profile": "c1", "height": 5},
                {"operator": "split_many_sided"},
                profile=profile,
                closed=True,
            )
            check_sound(self, mesh)
            before = made({"operator": "prism", "profile": "c1", "height": 5}, profile=profile, closed=True)
            self.assertAlmostEqual(area(mesh), area(before), places=8, msg=name)
            self.assertTrue((mesh.sides <= 4).all())
            self.assertTrue((np.abs(face_normals(mesh)).max(axis=1) > 0.1).all())
        for name in ("pentagram_prism.obj", "star_prism.obj", "c_prism.obj", "bridged_hole.obj", "stairs.obj"):
            mesh = reference_mesh(name)
            out, _ = split_many_sided(mesh, np.ones(mesh.n_faces, bool), "s")
            self.assertTrue((out.sides <= 4).all())
            self.assertAlmostEqual(float(signed_volume(out)), float(signed_volume(mesh)), places=9)

    def test_pairs_by_hand(self) -> None:
        """Of a path of 5 nodes two pairs, of a star of 4 one."""
        path = pair_leaves.plain(np.arange(4), np.arange(1, 5), 5)
        self.assertEqual(int(path.sum()), 2)
        self.assertEqual(int(pair_leaves.plain(np.zeros(3, np.int64), np.array([1, 2, 3]), 4).sum()), 1)
        np.testing.assert_array_equal(path, pair_leaves(np.arange(4), np.arange(1, 5), 5))


class Smoothing(unittest.TestCase):
    def test_volume_and_ripples(self) -> None:
        """Taubin 1995: a noisy ball keeps its volume to 2 % and loses most of its roughness; without, it shrinks."""
        ball = made({"operator": "quad_sphere", "radius": 10, "counts": 10})
        from jukai.core.geometry.smoothing import smoothed

        chance = np.random.default_rng(1)
        rough = ball.with_points(ball.points + chance.normal(0, 0.15, ball.points.shape))
        every = np.ones(ball.n_points, bool)
        kept = smoothed(rough, every, 0.5, 20, keep_volume=True, rims_run=False)
        shrunk = smoothed(rough, every, 0.5, 20, keep_volume=False, rims_run=False)
        radius = [np.linalg.norm(p - [0, 0, 10], axis=1) for p in (rough.points, kept)]
        self.assertLess(float(radius[1].std()), 0.35 * float(radius[0].std()))
        self.assertAlmostEqual(signed_volume(rough.with_points(kept)) / signed_volume(ball), 1, delta=0.02)
        self.assertLess(signed_volume(rough.with_points(shrunk)) / signed_volume(ball), 0.97)

    def test_what_stays(self) -> None:
        sheet = {"operator": "sheet", "size": [20, 16], "counts": [5, 4]}
        flat = made(sheet, {"operator": "smooth", "rounds": 4})
        np.testing.assert_allclose(flat.points, made(sheet).points, atol=1e-12)
        rim = made(sheet, {"operator": "smooth", "rounds": 4, "rims": "run", "keep_volume": False})
        self.assertLess(float(rim.bounds[1, 0]), 10)
        part = made(
            BOX,
            {
                "operator": "smooth",
                "pick": {"rule": "facing", "of": "faces", "direction": [0, 0, 1]},
                "keep_volume": False,
            },
        )
        low = part.points[:, 2] == 0
        np.testing.assert_array_equal(part.points[low], made(BOX).points[low])


class Shifting(unittest.TestCase):
    def test_moved_turned_and_scaled(self) -> None:
        up = made(BOX, {"operator": "shift", "pick": TOP, "move": [0, 0, 4]})
        self.assertAlmostEqual(signed_volume(up), 20 * 16 * 14, places=9)
        small = made(
            {"operator": "box", "size": [16, 16, 10]}, {"operator": "shift", "pick": TOP, "scale": [0.5, 0.5, 1]}
        )
        self.assertAlmostEqual(signed_volume(small), 10 * (256 + 64 + 128) / 3, places=9)
        side = {"rule": "group", "step": "s1", "name": "right"}
        out = made(BOX, {"operator": "shift", "pick": side, "move": [0, 0, 3]})  # Z of its own frame looks out of it
        self.assertAlmostEqual(float(out.bounds[1, 0]), 13, places=12)
        part = made(BOX, {"operator": "shift", "pick": side, "move": [3, 0, 0], "frame": "part"})
        np.testing.assert_allclose(out.points, part.points, atol=1e-12)
        turned = made(BOX, {"operator": "shift", "pick": TOP, "turn": [0, 0, 90], "frame": "part"})
        top = turned.points[turned.points[:, 2] == 10]
        np.testing.assert_allclose(np.ptp(top, axis=0), [16, 20, 0], atol=1e-12)

    def test_the_soft_reach(self) -> None:
        """(1 - (d / r)²)² of it at distance d, straight or along the edges; nothing beyond."""
        sheet = {"operator": "sheet", "size": [40, 40], "counts": [40, 40]}
        middle = {"rule": "inside", "of": "points", "shape": "ball", "centre": [0, 0, 0], "radius": 0.1}
        for measured in ("straight", "on_surface"):
            mesh = made(
                sheet,
                {
                    "operator": "shift",
                    "pick": middle,
                    "move": [0, 0, 5],
                    "reach": 10,
                    "measured": measured,
                    "frame": "part",
                },
            )
            p = mesh.points
            far = np.hypot(p[:, 0], p[:, 1]) if measured == "straight" else np.abs(p[:, :2]).sum(axis=1)
            np.testing.assert_allclose(p[:, 2], 5 * np.where(far < 10, (1 - (far / 10) ** 2) ** 2, 0), atol=1e-9)
        with self.assertRaises(CoreError):
            built(sheet, {"operator": "shift", "scale": [0, 1, 1]})


class Steps(unittest.TestCase):
    def test_subdivided(self) -> None:
        """A cube's 26 points (Catmull and Clark 1978): faces' middles, (R + F) / 2 of edges, (F + 2 R + S) / 4 of corners."""
        cube = {"operator": "box", "size": [2, 2, 2]}
        mesh = made(cube, {"operator": "subdivide", "levels": 1})
        p = np.abs(mesh.points - [0, 0, 1])
        self.assertEqual((mesh.n_points, mesh.n_faces), (26, 24))
        np.testing.assert_allclose(p[:8], 5 / 9, atol=1e-14)
        np.testing.assert_allclose(np.sort(p[8:20], axis=1), [[0, 0.75, 0.75]] * 12, atol=1e-14)
        np.testing.assert_allclose(np.sort(p[20:], axis=1), [[0, 0, 1]] * 6, atol=1e-14)
        limit = made(cube, {"operator": "subdivide", "levels": 1, "on_limit": True})
        np.testing.assert_allclose(np.abs(limit.points[:8] - [0, 0, 1]), 0.5, atol=1e-14)
        sharp = made(cube, {"operator": "subdivide", "levels": 3, "sharp": {"rule": "everything"}})
        self.assertAlmostEqual(signed_volume(sharp), 8, places=12)
        self.assertGreater(ALWAYS, 20)
        too_much = built({"operator": "sheet", "counts": [900, 900]}).steps
        self.assertIsNone(too_much[0].error)
        with self.assertRaises(CoreError) as found:
            built({"operator": "sheet", "counts": [900, 900]}, {"operator": "subdivide", "levels": 8})
        self.assertIn("faces", str(found.exception))

    def test_deleted(self) -> None:
        mesh = made(BOX, {"operator": "delete_faces", "pick": TOP})
        self.assertEqual((mesh.n_faces, int((mesh.connectivity.edge_sides == 1).sum())), (48, 16))
        self.assertIn("The part is open: 16 rim edges.", notes(BOX, {"operator": "delete_faces", "pick": TOP}))
        chequered = {
            "operator": "delete_faces",
            "pick": {"rule": "every_nth", "of": "faces", "among": {"rule": "everything"}, "n": 2},
        }
        odd = {"operator": "box", "size": [9, 9, 9], "counts": [3, 3, 3]}
        self.assertGreater(len(pinched_points(made(odd, chequered))), 0)
        self.assertTrue(any("share nothing else" in n for n in notes(odd, chequered)))
        with self.assertRaises(CoreError):
            built(BOX, {"operator": "delete_faces", "pick": {"rule": "everything"}})


if __name__ == "__main__":
    unittest.main()
