"""Bevels: counts, closed forms and published solids, every small nasty mesh, and random picks."""

from __future__ import annotations

import os
import unittest
from itertools import pairwise

import manifold3d
import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.bevel import rings
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.patches import interior_count, template
from jukai.core.geometry.bevel.profiles import profile_tables
from jukai.core.geometry.bevel.rounding import offsets_for, round_edges
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.measures import area, edge_turns, face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import corner_normals
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate
from tests.bevels import box, lengths, rounded
from tests.common import check_sound, cube, reference, reference_mesh

ROWS = reference("meshes/table.json")["rows"]
RANDOM = int(os.environ.get("JUKAI_BEVELS", "500"))
CROSSED = ("spindle_torus.obj", "pentagram_prism.obj")  # they pass through themselves from the start


class Counts(unittest.TestCase):
    def test_every_edge_of_every_mesh(self) -> None:
        """One segment gives 2E points, 4E edges and F + E + V faces (by counting; meshes/table.json)."""
        for row in ROWS:
            if row["bevel_all_edges_one_segment"] is None or row["file"] == "sliver_triangles.obj":
                continue  # the slivers' strips stop at nothing: faces are gone, and it says so
            mesh = reference_mesh(row["file"])
            for segments in (1, 2, 3):
                with self.subTest(row["file"], segments=segments):
                    out = rounded(mesh, 0.1 * float(lengths(mesh).min()), segments=segments)
                    s = soundness(out.mesh)
                    if segments == 1:
                        self.assertEqual([s.points, s.edges, s.faces], row["bevel_all_edges_one_segment"])
                    self.assertTrue(s.closed and s.manifold and s.oriented)
                    self.assertFalse(out.stopped.any())
                    if row["file"] not in CROSSED:
                        self.assertEqual((s.self_crossings, s.genus), (0, row["genus"]))
                        self.assertGreater(abs(signed_volume(out.mesh)), 0)

    def test_patches_are_four_sided_where_the_count_allows(self) -> None:
        for strips in range(3, 13):
            for chords in (1, 2, 3, 4, 7, 8, 64):
                t = template(strips, chords)
                used = np.unique(np.concatenate([t.quads.ravel(), t.middle]))
                self.assertEqual(len(used), strips * chords + t.inner)
                self.assertEqual(t.inner, interior_count(strips, chords))
                self.assertEqual(len(t.middle), strips if chords % 2 else 0)
                # a disc: V - E + F = 1
                sides = np.concatenate([t.quads[:, [i, (i + 1) % 4]] for i in range(4)])
                sides = np.concatenate([sides, np.stack([t.middle, np.roll(t.middle, -1)], axis=1)])
                edges = len(np.unique(np.sort(sides, axis=1), axis=0))
                self.assertEqual(len(used) - edges + len(t.quads) + bool(len(t.middle)), 1)


class ClosedForms(unittest.TestCase):
    def test_chamfered_boxes(self) -> None:
        """solids.json: l w h - 2 (l + w + h) t² + 16/3 t³."""
        for case in reference("solids.json")["chamfered_box"]["cases"]:
            out = rounded(box(*case["outer"]), case["set_back"], segments=1).mesh
            self.assertAlmostEqual(signed_volume(out), case["volume"], places=12)
            self.assertAlmostEqual(area(out), case["area"], places=12)
        out = rounded(cube(), 0.5, segments=1).mesh  # to the middle: an octahedron, a³/6
        self.assertEqual((out.n_points, out.n_faces), (6, 8))
        self.assertAlmostEqual(signed_volume(out), 1 / 6, places=12)

    def test_rounded_boxes_converge_to_steiner(self) -> None:
        """solids.json, Steiner 1840: abc + 2r(ab+bc+ca) + πr²(a+b+c) + 4/3 πr³; the error falls by four when segments double."""
        for case in reference("solids.json")["rounded_box"]["cases"][:3]:
            errors = []
            for segments in (4, 8, 16):
                out = rounded(box(*case["outer"]), case["radius"], segments=segments).mesh
                errors.append(abs(signed_volume(out) - case["volume"]))
            for coarse, fine in pairwise(errors):
                self.assertAlmostEqual(coarse / fine, 4, delta=0.25)
            self.assertLess(errors[-1], 5e-3 * case["volume"])

    def test_three_equal_strips_lie_on_the_sphere(self) -> None:
        for segments in (2, 3, 5, 8):
            out = rounded(box(4, 3, 2), 0.5, segments=segments).mesh
            middle = out.bounds.mean(axis=0)
            inner = np.abs(out.points - middle) - (np.array([4, 3, 2]) / 2 - 0.5)
            corner = (inner >= -1e-12).all(axis=1)
            self.assertGreater(corner.sum(), 8 * 3)
            np.testing.assert_allclose(np.linalg.norm(inner[corner], axis=1), 0.5, atol=1e-12)

    def test_rounded_platonic_solids_lie_on_their_balls(self) -> None:
        """A ball that touches all faces of a corner fits any number of equal strips: tested on the apex of pyramids."""
        for k in (3, 4, 5, 7):
            mesh = reference_mesh(f"pyramid_{k}.obj")
            apex = int(np.argmax(mesh.points[:, 2]))
            pick = (mesh.connectivity.edges == apex).any(axis=1)
            out = rounded(mesh, 0.1, pick, segments=4).mesh
            check_sound(self, out)
            normals = face_normals(mesh)
            sides = normals[normals[:, 2] > -0.9]
            # tangent planes n·x = n·apex: the ball of radius r stands where n·c = n·apex - r
            top = mesh.points[apex]
            r = 0.1 / np.tan(np.pi / 2 - edge_turns(mesh)[pick][0] / 2)
            new = out.points[np.linalg.norm(out.points - top, axis=1) < 0.35]
            self.assertTrue(((new - top) @ sides.T <= 1e-12).all(), "inside the old faces")
            self.assertGreater(r, 0)

    def test_round_strips_are_arcs(self) -> None:
        """A strip between faces that turn by φ with legs w is an arc of radius w / tan(φ/2)."""
        for width in (0.1, 0.3):
            out = rounded(cube(), width, segments=6, pick=np.eye(12, dtype=bool)[0]).mesh
            strip = np.unique(out.corners[np.repeat(out.group_faces("s9", "strips"), out.sides)])
            e = cube().connectivity.edges[0]
            a, b = cube().points[e]
            away = out.points[strip] - a
            direction = (b - a) / np.linalg.norm(b - a)
            flat = away - np.outer(away @ direction, direction)
            inward = flat.sum(axis=0)
            centre = np.sign(np.round(inward, 9)) * width
            np.testing.assert_allclose(np.linalg.norm(flat - centre, axis=1), width, atol=1e-12)

    def test_measures_of_the_width(self) -> None:
        turn_ = np.array([np.pi / 2, np.pi / 3])
        np.testing.assert_allclose(offsets_for(turn_, np.full(2, 2.0), "leg"), 2)
        np.testing.assert_allclose(offsets_for(turn_, np.full(2, 2.0), "face"), [np.sqrt(2), 1 / np.cos(np.pi / 6)])
        np.testing.assert_allclose(offsets_for(turn_, np.full(2, 2.0), "radius"), 2 * np.tan(turn_ / 2))

    def test_roundness_runs_without_a_jump(self) -> None:
        volumes = [signed_volume(rounded(cube(), 0.2, segments=8, roundness=r).mesh) for r in np.linspace(-1, 2, 61)]
        self.assertTrue((np.diff(volumes) > 0).all())
        self.assertLess(np.abs(np.diff(volumes, 2)).max(), 0.004)
        self.assertAlmostEqual(volumes[-1], 1, places=12)  # back to the sharp edge
        for r in (-1.0, 0.0, 1.0, 2.0):
            check_sound(self, rounded(cube(), 0.2, segments=4, roundness=r).mesh)
        t = profile_tables(4, -0.5)
        self.assertEqual((t[2, :3].tolist(), t[3, 0]), ([0.5, 0.5, 0.0], 1.0))


class Shapes(unittest.TestCase):
    def test_symmetric_in_symmetric_out(self) -> None:
        for mesh in (
            cube(),
            reference_mesh("saddle_corner_6.obj").with_points(reference_mesh("saddle_corner_6.obj").points),
        ):
            for segments in (1, 2, 3, 4):
                out = rounded(mesh, 0.1, segments=segments).mesh
                if mesh.n_points == 8:
                    p = out.points - 0.5
                    for mirror in (p * [-1, 1, 1], p * [1, -1, 1], p[:, [1, 0, 2]], p[:, [2, 1, 0]]):
                        gap = np.linalg.norm(p[:, None] - mirror[None], axis=2).min(axis=1)
                        self.assertLess(gap.max(), 1e-12)

    def test_the_same_points_whatever_the_order(self) -> None:
        rng = np.random.default_rng(5)
        for name in ("cube.obj", "saddle_corner_4.obj", "mixed_corner_3.obj", "star_prism.obj", "torus_8x6.obj"):
            mesh = reference_mesh(name)
            width = 0.15 * float(lengths(mesh).min())
            order = rng.permutation(mesh.n_points)
            back = np.argsort(order)
            faces = [back[mesh.corners[a:b]].tolist() for a, b in zip(mesh.offsets[:-1], mesh.offsets[1:], strict=True)]
            faces = [f[k:] + f[:k] for f in faces for k in [int(rng.integers(len(f)))]]
            rng.shuffle(faces)
            other = Mesh.from_faces(mesh.points[order], faces)
            for segments in (1, 2, 3):
                one, two = (rounded(m, width, segments=segments).mesh.points for m in (mesh, other))
                self.assertEqual(len(one), len(two))
                gap = np.linalg.norm(one[:, None] - two[None], axis=2).min(axis=1)
                self.assertLess(gap.max(), 1e-12 * mesh.size)

    def test_flat_faces_stay_flat_and_so_does_their_shading(self) -> None:
        mesh = box(4, 3, 2)
        for keep in (True, False):
            out = rounded(mesh, 0.3, segments=4, keep_flats=keep).mesh
            flat = ~out.soft() if keep else np.arange(out.n_faces) < 6
            shade = corner_normals(out)[flat[out.corner_faces]]
            own = face_normals(out)[out.corner_faces][flat[out.corner_faces]]
            off = float(np.abs(shade - own).max())
            self.assertTrue(off < 1e-5 if keep else off > 1e-2, off)

    def test_texture_runs_on_and_lineage_is_told(self) -> None:
        mesh = turn([Section(np.array([[10, 0], [10, 20.0]]))], Turning(sides=12), "s1")
        pick = edge_turns(mesh) > 1
        out = rounded(mesh, 1, pick, segments=3, finish="Steel", sharp=True).mesh
        assert out.uv is not None and mesh.uv is not None and out.edge_pairs is not None
        walls = out.group_faces("s1", "walls") & ~out.group_faces("s9", "strips")
        corner = walls[out.corner_faces]
        # on the walls, texture up is height over 20
        np.testing.assert_allclose(out.uv[corner, 1], out.points[out.corners[corner], 2] / 20, atol=1e-12)
        self.assertEqual({g for _, g in out.lineage.trail(int(out.face_lineage[-1]))} & {"strips"}, {"strips"})  # type: ignore[index]
        self.assertEqual(out.finishes, ("Steel",))
        self.assertEqual(len(out.edge_pairs), 2 * int(pick.sum()))
        cut = rounded(mesh, 1, pick, segments=3, cut_texture=True).mesh
        strips = cut.group_faces("s9", "strips")
        assert cut.uv is not None
        self.assertEqual(set(np.round(cut.uv[strips[cut.corner_faces]] * 3).ravel().tolist()), {0, 1, 2, 3})

    def test_ends_of_strips(self) -> None:
        """One strip ends in a face, two meet in a mitre, a loop has no end, a rim stays a rim."""
        one = rounded(cube(), 0.2, np.eye(12, dtype=bool)[3], segments=4).mesh
        check_sound(self, one)
        self.assertEqual((one.n_faces, sorted(one.sides.tolist())[-2:]), (10, [8, 8]))
        top = (cube().points[cube().connectivity.edges][:, :, 2] == 1).all(axis=1)
        loop = rounded(cube(), 0.2, top, segments=4).mesh
        check_sound(self, loop)
        self.assertEqual(loop.n_faces, 6 + 16)
        open_ = reference_mesh("open_box.obj")
        out = rounded(open_, 0.1, open_.connectivity.edge_sides == 2, segments=2).mesh
        s = soundness(out)
        self.assertTrue(s.manifold and s.oriented and not s.closed)


class Limits(unittest.TestCase):
    def test_strips_stop_where_neighbours_meet(self) -> None:
        out = rounded(box(4, 3, 1), 2, segments=2)
        self.assertTrue(out.stopped.any())
        self.assertAlmostEqual(float(out.width.min()), 0.5, places=9)
        check_sound(self, out.mesh)
        slab = reference_mesh("thin_slab.obj")
        out = rounded(slab, 1, segments=1)
        self.assertAlmostEqual(float(out.width.min()), 0.0005, places=9)

    def test_a_run_shares_its_limit(self) -> None:
        """The rim of a cylinder turns by 15° at each point: where one edge is stopped, all are, and the border stays round."""
        top = turn([Section(np.array([[10, 0], [10, 20.0]]))], Turning(sides=24), "s1")
        squeezed = top.with_points(top.points * [1, 0.6, 1])  # sides of unequal length
        rim = (squeezed.points[squeezed.connectivity.edges][:, :, 2] == 20).all(axis=1)
        out = rounded(squeezed, 9, rim, segments=2)
        self.assertEqual(int(out.stopped.sum()), 24)
        self.assertEqual(len(np.unique(np.round(out.width[rim], 9))), 1)
        self.assertLess(out.fits, 1)

    def test_edges_that_can_not_be_bevelled_are_named(self) -> None:
        for name, words in (
            ("two_cubes_edge.obj", "4 faces"),
            ("fin.obj", "3 faces"),
            ("single_quad.obj", "one face only"),
        ):
            mesh = reference_mesh(name)
            with self.subTest(name), self.assertRaises(MeshProblem) as caught:
                rounded(mesh, 0.1, segments=1)
            self.assertIn(words, caught.exception.message)
            good = mesh.connectivity.edge_sides == 2
            if good.any():
                out = rounded(mesh, 0.1, good, segments=2).mesh
                self.assertTrue(np.isfinite(out.points).all())

    def test_strips_that_meet_inside_the_body_stop_too(self) -> None:
        """Two opposite edges of a cube share no face: a chamfer of w runs through the other when 2 w > 2, at w = 1."""
        ends = cube().points[cube().connectivity.edges]
        upright = (ends[:, 0, 2] != ends[:, 1, 2]) & (ends[:, 0, 0] == ends[:, 0, 1])
        out = rounded(box(1, 1, 4), 0.97, upright, segments=1)
        check_sound(self, out.mesh)
        self.assertEqual(int(upright.sum()), 2)
        # a hollow section reaches farther in: (1 - 1/√2) of the leg beyond its chord, so they meet sooner
        out = rounded(box(1, 1, 4), 0.97, upright, segments=8, roundness=-1)
        check_sound(self, out.mesh)
        self.assertTrue(out.stopped.any())
        self.assertLess(float(out.width[upright].max()), np.sqrt(0.5) + 0.01)

    def test_a_hollow_face_is_not_cut_in_two(self) -> None:
        """The notch of a C: strips of its two faces across each other stop where they meet in the flat faces."""
        mesh = reference_mesh("c_prism.obj")
        for width in (0.3, 0.6, 2.0):
            out = rounded(mesh, width, segments=3)
            check_sound(self, out.mesh)
        self.assertTrue(out.stopped.any())

    def test_faces_that_shrink_to_nothing_are_gone(self) -> None:
        """An L of arms one wide: at half a mm its flat faces are bent lines without area, and fall away."""
        out = rounded(reference_mesh("l_block.obj"), 0.5, segments=2)
        check_sound(self, out.mesh)
        self.assertEqual(soundness(out.mesh).genus, 0)
        self.assertLess(int((~out.mesh.group_faces("s9", "strips") & ~out.mesh.group_faces("s9", "corners")).sum()), 8)

    def test_random_picks(self) -> None:
        """Random picks, widths, sections and corners over the closed meshes: sound, or a named error with its place.

        500; ``JUKAI_BEVELS=20000`` for a long run.
        """
        rng = np.random.default_rng(2)
        bodies = [reference_mesh(r["file"]) for r in ROWS if r["closed"] and r["manifold"] and r["oriented"]]
        bodies = [mesh for mesh in bodies if soundness(mesh).sound]
        self.assertGreater(len(bodies), 35)
        errors = 0
        kept, rings._PLAIN = rings._PLAIN, 0  # the compiled loops are quicker here
        try:
            for i in range(RANDOM):
                mesh = bodies[int(rng.integers(len(bodies)))]
                n = mesh.connectivity.n_edges
                pick = rng.random(n) < rng.choice([0.1, 0.3, 0.6, 0.9, 1.0])
                scale = float(np.median(lengths(mesh)) if rng.random() < 0.5 else lengths(mesh).min())
                width = scale * 10 ** rng.uniform(-2.5, 0.3) * rng.choice([1.0, 1.0, 0.3], n)
                options = Bevel(
                    int(rng.integers(1, 6)),
                    float(rng.choice([-1, -0.5, 0, 0.5, 1, 1.5, 2])),
                    mitre=bool(rng.random() < 0.3),
                )
                with self.subTest(i):
                    out = round_edges(mesh, pick, width, options, "s9")
                    self.assertTrue(out.mesh.closed)
                    if out.never:
                        errors += 1
                        self.assertTrue(len(out.crosses))
                        continue
                    check_sound(self, out.mesh)
        finally:
            rings._PLAIN = kept
        self.assertLess(errors, RANDOM / 40)

    def test_rims_and_edges_of_many_faces_are_left_as_they_are(self) -> None:
        """200 random picks on open and not manifold meshes: nothing fails that did not fail before, doubled points apart."""
        rng = np.random.default_rng(4)
        bodies = [reference_mesh(r["file"]) for r in ROWS if not (r["closed"] and r["manifold"] and r["oriented"])]
        self.assertGreater(len(bodies), 10)
        for i in range(200):
            mesh = bodies[int(rng.integers(len(bodies)))]
            con = mesh.connectivity
            two = np.zeros(con.n_edges, bool)
            two[con.corner_edge[(con.twins >= 0) & ~con.same_direction(mesh.corners)]] = True
            pick = (rng.random(con.n_edges) < rng.choice([0.1, 0.3, 0.6, 1.0])) & two
            width = float(np.median(lengths(mesh))) * 10 ** rng.uniform(-2.5, 0.2)
            options = {"segments": int(rng.integers(1, 6)), "roundness": float(rng.choice([-1, 0, 1, 2]))}
            with self.subTest(i):
                bevelled = rounded(mesh, width, pick, **options)
                out = soundness(bevelled.mesh)
                before = {f.kind for f in soundness(mesh).findings if f.level == "failure"} | {"doubled_points"}
                if bevelled.never:  # what ends at a slit may lie back on the faces there, which is said
                    self.assertTrue(len(bevelled.crosses))
                    before.add("folded_edges")
                self.assertEqual([f.text for f in out.findings if f.level == "failure" and f.kind not in before], [])

    def test_what_comes_out_is_watertight_elsewhere_too(self) -> None:
        """manifold3d 3.5.4 takes the triangles as a closed body of the same volume and genus."""
        for row in ROWS:
            mesh = reference_mesh(row["file"])
            if not soundness(mesh).sound or row["E"] > 200:
                continue
            out = rounded(mesh, 0.1 * float(np.median(lengths(mesh))), segments=3).mesh
            tri = triangulate(out).points(out)
            solid = manifold3d.Manifold(manifold3d.Mesh64(out.points.copy(), tri.astype(np.uint64)))
            with self.subTest(row["file"]):
                self.assertEqual(solid.status(), manifold3d.Error.NoError)
                size = max(mesh.size, 1e-300) ** 3
                own = abs(
                    float(
                        np.einsum(
                            "ij,ij->i", out.points[tri[:, 0]], np.cross(out.points[tri[:, 1]], out.points[tri[:, 2]])
                        ).sum()
                    )
                    / 6
                )
                if mesh.size < 100 and np.abs(mesh.points).max() < 100:  # it works in 32 bits far from the zero point
                    self.assertAlmostEqual(abs(solid.volume()) / size, own / size, places=6)


class BothWays(unittest.TestCase):
    def test_compiled_and_plain_give_the_same(self) -> None:
        """The loops are compiled for large bodies and run as they are for small ones: the same points and faces."""
        rng = np.random.default_rng(3)
        kept = rings._PLAIN
        try:
            for name in (
                "mixed_corner_3.obj",
                "saddle_corner_6.obj",
                "open_box.obj",
                "genus_2_plate.obj",
                "pole_sphere.obj",
            ):
                mesh = reference_mesh(name)
                pick = (rng.random(mesh.connectivity.n_edges) < 0.5) & (mesh.connectivity.edge_sides == 2)
                rings._PLAIN = 10**9
                one = rounded(mesh, 0.1, pick, segments=3).mesh
                rings._PLAIN = 0
                two = rounded(mesh, 0.1, pick, segments=3).mesh
                np.testing.assert_array_equal(one.corners, two.corners)
                np.testing.assert_allclose(one.points, two.points, atol=1e-14)
        finally:
            rings._PLAIN = kept


if __name__ == "__main__":
    unittest.main()
