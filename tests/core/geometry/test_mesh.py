"""Connectivity, lineage, components, triangulation, normals, measures: counting, closed forms, and both ways alike."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from jukai.core.geometry._connect import bucket_edges
from jukai.core.geometry._faces import areas_loop, edge_turns_loop, quads_loop, volume_loop
from jukai.core.geometry._fans import fans_loop, frames_loop
from jukai.core.geometry.components import _hooking, _union_find, components
from jukai.core.geometry.connectivity import MANY, RIM, _connect_by_sorting, connect
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.measures import area, edge_turns, face_normals, signed_volume, surface_centroid, vector_areas
from jukai.core.geometry.mesh import Lineage, Mesh, Topology, join_meshes
from jukai.core.geometry.normals import (
    Fans,
    _each_for_itself,
    _marks,
    corner_angles,
    corner_normals,
    sharp_edges,
    smooth_fans,
)
from jukai.core.geometry.placing import placed, placement_matrix
from jukai.core.geometry.selecting import faces_of
from jukai.core.geometry.triangulation import _SHORTER, _cut_few, triangulate
from jukai.core.geometry.view import view_of
from tests.common import check_sound, cube, reference, reference_mesh, written_volume
from tests.drawn import drawn

ROWS = reference("meshes/table.json")["rows"]


def ball(sides: int = 24, rows: int = 12) -> Mesh:
    a = np.linspace(-np.pi / 2, np.pi / 2, rows + 1)
    profile = np.column_stack([np.cos(a), np.sin(a)])
    profile[[0, -1], 0] = 0
    return turn([Section(profile)], Turning(sides=sides), "s1")


def shuffled(mesh: Mesh, seed: int) -> Mesh:
    rng = np.random.default_rng(seed)
    order = rng.permutation(mesh.n_points)
    back = np.argsort(order)
    faces = [back[mesh.corners[a:b]].tolist() for a, b in zip(mesh.offsets[:-1], mesh.offsets[1:], strict=True)]
    rng.shuffle(faces)
    return Mesh.from_faces(mesh.points[order], faces)


class ConnectivityTest(unittest.TestCase):
    def test_both_ways_give_the_same_numbers(self) -> None:
        bodies = [reference_mesh(r["file"]) for r in ROWS] + [ball(), shuffled(ball(), 1)]
        for mesh in bodies:
            one = _connect_by_sorting(mesh.corners, mesh.offsets, mesh.n_points)
            two = bucket_edges(mesh.corners, mesh.offsets, mesh.n_points)
            for a, b in zip(one, two, strict=True):
                np.testing.assert_array_equal(a, b)

    def test_a_large_fan(self) -> None:
        n = 9000
        ring = np.arange(1, n + 1)
        corners = np.stack([np.zeros(n, int), ring, np.roll(ring, -1)], axis=1).ravel().astype(np.int32)
        con = connect(corners, np.arange(0, 3 * n + 1, 3, dtype=np.int32), n + 1)
        self.assertEqual((con.n_edges, int((con.twins == RIM).sum())), (2 * n, n))

    def test_twins_point_at_each_other(self) -> None:
        for mesh in (ball(), reference_mesh("fin.obj"), reference_mesh("moebius_strip.obj")):
            con = mesh.connectivity
            c = np.flatnonzero(con.twins >= 0)
            np.testing.assert_array_equal(con.twins[con.twins[c]], c)
            np.testing.assert_array_equal(con.corner_edge[con.twins[c]], con.corner_edge[c])
        self.assertEqual(int((reference_mesh("fin.obj").connectivity.twins == MANY).sum()), 3)

    def test_corners_round_a_point(self) -> None:
        mesh = shuffled(ball(), 3)
        con = mesh.connectivity
        for p in (0, 7, mesh.n_points - 1):
            own = con.point_corners[con.point_offsets[p] : con.point_offsets[p + 1]]
            np.testing.assert_array_equal(np.sort(own), np.flatnonzero(mesh.corners == p))

    def test_components(self) -> None:
        rng = np.random.default_rng(2)
        for n, k in ((1, 0), (50, 20), (400, 390)):
            a, b = rng.integers(0, n, (2, k)).astype(np.int32)
            np.testing.assert_array_equal(_hooking(n, a, b), _union_find(n, a, b))
        self.assertEqual(components(5, np.array([0, 3]), np.array([1, 4])).tolist(), [0, 0, 1, 2, 2])


class MeshTest(unittest.TestCase):
    def test_arrays_can_not_be_changed(self) -> None:
        with self.assertRaises(ValueError):
            cube().points[0, 0] = 3

    def test_lineage_walks_to_the_oldest(self) -> None:
        table, first = Lineage().extended([("s1", "walls", -1)])
        table, second = table.extended([("s2", "strips", first)])
        self.assertEqual(table.trail(second), [("s1", "walls"), ("s2", "strips")])
        mesh = cube().with_changes(lineage=table, face_lineage=np.array([0, 0, 1, 1, 1, -1], np.int32))
        self.assertEqual(mesh.group_faces("s1", "walls").sum(), 5)
        self.assertEqual(mesh.group_faces("s2", "strips").sum(), 3)
        self.assertEqual(mesh.groups(), {"strips": 3, "walls": 5})

    def test_joined_meshes_keep_lineage_and_faces(self) -> None:
        one = turn([Section(np.array([[1, 0], [1, 2.0]]))], Turning(sides=6), "a")
        two = turn([Section(np.array([[2, 0], [2, 2.0]]))], Turning(sides=8), "b")
        both = join_meshes([one, two])
        self.assertEqual(both.n_faces, one.n_faces + two.n_faces)
        self.assertEqual(both.groups()["walls"], 14)
        self.assertAlmostEqual(signed_volume(both), signed_volume(one) + signed_volume(two))

    def test_digest_sees_every_table(self) -> None:
        mesh = ball()
        assert mesh.uv is not None
        other = mesh.with_changes(uv=mesh.uv * 0.5)
        self.assertEqual(mesh.digest(), ball().digest())
        self.assertNotEqual(mesh.digest(), other.digest())


class Triangles(unittest.TestCase):
    def test_every_face_gives_its_sides_less_two_and_keeps_its_area(self) -> None:
        for row in ROWS:
            mesh = reference_mesh(row["file"])
            tri = triangulate(mesh)
            np.testing.assert_array_equal(np.bincount(tri.faces, minlength=mesh.n_faces), mesh.sides - 2)
            if row["bent_faces"] or row["file"] in ("pentagram_prism.obj", "repeated_corner.obj", "spindle_torus.obj"):
                continue
            p = mesh.points[tri.points(mesh)]
            cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
            along = np.einsum("ij,ij->i", cross, face_normals(mesh)[tri.faces])
            self.assertGreaterEqual(float(along.min()), -1e-9 * mesh.size**2, row["file"])
            self.assertAlmostEqual(float(along.sum() / 2), area(mesh), delta=1e-6 * area(mesh) + 1e-30)

    def test_closed_bodies_stay_closed(self) -> None:
        for row in ROWS:
            if (
                row["closed"]
                and row["manifold"]
                and row["oriented"]
                and row["file"] not in ("two_sided_quad.obj", "zero_area_face.obj")
            ):
                mesh = reference_mesh(row["file"])
                cut = Mesh.from_triangles(mesh.points, triangulate(mesh).points(mesh))
                self.assertEqual(int((cut.connectivity.edge_sides != 2).sum()), 0, row["file"])

    def test_random_stars(self) -> None:
        """Polygons seen whole from their middle, with many hollow corners: area by the shoelace formula."""
        rng = np.random.default_rng(8)
        for n in (5, 9, 30, 200):
            a = np.sort(rng.uniform(0, 2 * np.pi, n))
            flat = np.column_stack([np.cos(a), np.sin(a)]) * rng.uniform(0.2, 1, n)[:, None]
            if np.diff(np.append(a, a[0] + 2 * np.pi)).max() > 3:
                continue
            turned = np.column_stack([flat, np.zeros(n)]) @ np.linalg.qr(rng.normal(size=(3, 3)))[0]
            mesh = Mesh.from_faces(turned, [list(range(n))])
            p = mesh.points[triangulate(mesh).points(mesh)]
            got = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2
            x, y = flat.T
            self.assertAlmostEqual(got, abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2, places=9)

    def test_a_hollow_quad_is_cut_inside(self) -> None:
        for shift in range(4):
            arrow = np.roll([[0, 0, 0], [2, 1, 0], [0, 2, 0], [0.5, 1, 0]], shift, axis=0)
            mesh = Mesh.from_faces(arrow, [[0, 1, 2, 3]])
            p = mesh.points[triangulate(mesh).points(mesh)]
            self.assertTrue((np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 2] > 0).all())


class Normals(unittest.TestCase):
    def test_cube_stays_flat_and_ball_smooth(self) -> None:
        mesh = cube()
        np.testing.assert_allclose(corner_normals(mesh), face_normals(mesh)[mesh.corner_faces])
        round_ = ball(48, 24)
        np.testing.assert_allclose(corner_normals(round_), round_.points[round_.corners], atol=0.01)

    def test_fans_are_the_same_both_ways(self) -> None:
        bodies = [reference_mesh(r["file"]) for r in ROWS] + [ball(), ball(90, 5), shuffled(ball(90, 5), 3)]
        ahead = ball().connectivity.edges
        two = ahead[(ahead[:, 0] == 60) | (ahead[:, 1] == 60)][:3]  # a point parted by two sharp edges
        marked = ball().with_changes(edge_pairs=two, edge_data={"sharp": np.array([True, True, False])})
        for mesh in (*bodies, marked):
            fans = smooth_fans(mesh)
            areas, normals, angles = frames_loop(mesh.points, mesh.corners, mesh.offsets)
            np.testing.assert_allclose(areas, vector_areas(mesh), atol=1e-15 * max(mesh.size, 1) ** 2)
            np.testing.assert_allclose(normals, face_normals(mesh), atol=1e-12)
            np.testing.assert_allclose(angles, corner_angles(mesh), atol=1e-12)
            loop = fans_loop(
                mesh.corners, mesh.offsets, mesh.corner_faces, normals, angles, _marks(mesh), mesh.n_points, np.cos(np.radians(30 + 1e-4))
            )  # fmt: skip
            each = _each_for_itself(mesh, Fans(*loop[:4]))
            np.testing.assert_array_equal(each.sharp, mesh.connectivity.edges[sharp_edges(mesh)])
            np.testing.assert_array_equal(each.sharp, fans.sharp)
            np.testing.assert_array_equal(each.of_corner, fans.of_corner)
            np.testing.assert_array_equal(each.first, fans.first)
            np.testing.assert_allclose(each.normals, fans.normals, atol=1e-12)
            self.assertEqual(loop[4], not loop[2].any(axis=1).all())
        self.assertGreater(len(smooth_fans(marked).first), len(smooth_fans(ball()).first))

    def test_turns_volume_and_diagonals_agree_both_ways(self) -> None:
        for row in ROWS:
            mesh = reference_mesh(row["file"])
            con = mesh.connectivity
            turns = edge_turns_loop(
                face_normals(mesh), mesh.corners, mesh.corner_faces, con.twins, con.corner_edge, con.n_edges
            )
            np.testing.assert_allclose(turns, edge_turns(mesh), atol=1e-12)
            centre = mesh.bounds.mean(axis=0).tolist()
            volume = volume_loop(mesh.points, triangulate(mesh).points(mesh), *centre) / 6
            self.assertAlmostEqual(volume, signed_volume(mesh), delta=1e-12 * mesh.size**3)
            starts = np.concatenate([[0], np.cumsum(mesh.sides - 2)])
            one, two = (np.zeros((int(starts[-1]), 3), np.int32) for _ in range(2))
            quads_loop(mesh.points, mesh.corners, mesh.offsets, vector_areas(mesh), _SHORTER, one)
            _cut_few(mesh, starts, two)
            np.testing.assert_array_equal(one, two)

    def test_areas_and_normals_are_the_same_whoever_asks_first(self) -> None:
        """With the angles or without, to the bit; and those of array code."""
        for name, mesh in [(r["file"], reference_mesh(r["file"])) for r in ROWS] + [("ball", ball(200, 100))]:
            with self.subTest(name):
                given = mesh.points, mesh.corners, mesh.offsets
                areas, normals = areas_loop(*given)
                for one, two in zip((areas, normals), frames_loop(*given)[:2], strict=True):
                    np.testing.assert_array_equal(one, two)
                np.testing.assert_allclose(areas, vector_areas(mesh), atol=1e-13 * mesh.size**2)
                np.testing.assert_array_equal(np.linalg.norm(normals, axis=1) > 0.5, areas.any(axis=1))

    def test_marked_edges_are_sharp(self) -> None:
        mesh = ball()
        pairs = mesh.connectivity.edges[[3, 50]]
        marked = Mesh(
            mesh.points,
            mesh.corners,
            mesh.offsets,
            edge_pairs=pairs[:, ::-1],
            edge_data={"sharp": np.array([True, True])},
        )
        self.assertEqual(int(sharp_edges(marked).sum()) - int(sharp_edges(mesh).sum()), 2)


class Measures(unittest.TestCase):
    def test_volume_far_from_the_origin(self) -> None:
        self.assertAlmostEqual(signed_volume(reference_mesh("far_away_cube.obj")), 1, places=6)
        self.assertEqual(signed_volume(reference_mesh("inverted_cube.obj")), -1)

    def test_volume_of_bent_faces_is_that_of_the_triangles_written(self) -> None:
        """A twisted box of bent quads and a bent prism of seven sides, against the divergence theorem on what the STL file holds."""
        rng = np.random.default_rng(3)
        heptagon = turn([Section(np.array([[3, 0], [3, 2.0]]))], Turning(sides=7), "s")
        for mesh in (reference_mesh("twisted_cube.obj"), heptagon, ball()):
            bent = mesh.with_points(mesh.points + rng.normal(size=mesh.points.shape) * 0.05)
            written = written_volume(bent)
            self.assertAlmostEqual(signed_volume(bent), written, delta=2e-6 * abs(written))

    def test_middle_of_an_odd_prism_is_its_axis(self) -> None:
        prism = turn([Section(np.array([[1, 0], [1, 2.0]]))], Turning(sides=5), "s")
        np.testing.assert_array_equal(surface_centroid(prism)[:2], [0, 0])

    def test_placement(self) -> None:
        """Scaled, then turned about the fixed X, Y, Z in that order, then moved; a mirror stays outward."""
        m = placement_matrix(np.array([1, 2, 3.0]), np.array([90, 0, 90.0]), np.array([2, 1, 1.0]))
        np.testing.assert_allclose((m @ [1, 0, 0, 1])[:3], [1, 4, 3], atol=1e-15)
        np.testing.assert_allclose((m @ [0, 1, 0, 1])[:3], [1, 2, 4], atol=1e-15)
        np.testing.assert_allclose((m @ [0, 0, 1, 1])[:3], [2, 2, 3], atol=1e-15)
        mirrored = placed(ball(), placement_matrix(np.zeros(3), np.zeros(3), np.array([-2, 1, 1.0])))
        check_sound(self, mirrored)
        self.assertAlmostEqual(signed_volume(mirrored), 2 * signed_volume(ball()))


class Drawing(unittest.TestCase):
    def test_only_what_faces_outward_all_over_is_drawn_by_its_near_side_alone(self) -> None:
        small = cube().with_points(cube().points * 0.5 + 0.25)
        flipped = [Mesh.from_faces(m.points, m.corners.reshape(-1, 4)[:, ::-1].tolist()) for m in (cube(), small)]
        beside = small.with_points(small.points + 3)
        open_ = faces_of(cube(), np.arange(6) > 0)
        for name, mesh, known in (
            ("a cube", cube(), 1), ("a ball", ball(), 1), ("a large ball", ball(260, 120), 1), ("two cubes", join_meshes([cube(), beside]), 1),
            ("inside out", flipped[0], 0), ("open", open_, 0), ("one of two inside out", join_meshes([beside, flipped[0]]), 0),
            ("with a hollow", join_meshes([cube(), flipped[1]]), 0), ("nothing", Mesh.empty(), 0),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(drawn(mesh).closed, bool(known))

    def test_bytes(self) -> None:
        """The head counts what follows, and each triangle's sides are drawn just where the polygon has one."""
        for mesh in (cube(), ball(), reference_mesh("c_prism.obj"), ball(130, 90)):
            data = drawn(mesh)
            self.assertEqual((len(data.triangles), len(data.face_lineage)), (int((mesh.sides - 2).sum()), mesh.n_faces))
            lines = 0
            corner = data.edge[data.triangles][:, :, :3]
            for k in range(3):
                i, j = (k + 1) % 3, (k + 2) % 3
                lines += int(((corner[:, i] == 0) & (corner[:, j] == 0)).any(axis=1).sum())
            self.assertEqual(lines, len(mesh.corners))

    def test_finishes_of_single_faces(self) -> None:
        """The fourth place of a normal is the number of its face's finish, 0 for the part's own (layout in view.py)."""
        for mesh in (cube(), reference_mesh("hole_plate_12.obj")):
            finish = np.full(mesh.n_faces, -1, np.int32)
            finish[2], finish[3] = 0, 1
            data = drawn(mesh.with_changes(finishes=("Brass", "Steel"), face_finish=finish))
            np.testing.assert_array_equal(data.normal[:, 3], finish[data.face] + 1)
            self.assertEqual(data.finishes, ["Brass", "Steel"])

    def test_vertices_stand_at_their_corners(self) -> None:
        for mesh in (cube(), reference_mesh("hole_plate_12.obj"), ball(130, 90)):
            data, tri = drawn(mesh), triangulate(mesh)
            np.testing.assert_allclose(
                data.position[data.triangles] + data.origin, mesh.points[tri.points(mesh)], atol=1e-5 * mesh.size
            )
            np.testing.assert_array_equal(data.face[data.triangles], np.repeat(tri.faces[:, None], 3, axis=1))
            normals = corner_normals(mesh)[tri.corners]
            np.testing.assert_allclose(data.normal[data.triangles][:, :, :3] / 127, normals, atol=0.5 / 127 + 1e-12)

    def test_a_form_is_that_of_all_bodies_of_which_only_the_points_moved(self) -> None:
        for mesh in (cube(), ball(130, 90)):
            # faces made anew are those made before
            again = replace(
                mesh,
                points=mesh.points * [1.0, 1.0, 1.25],
                corners=mesh.corners.copy(),
                _topology=Topology(),
                _cache={},
            )
            first = view_of(mesh).form
            self.assertIs(view_of(again).form, first)
            self.assertIs(again.connectivity, mesh.connectivity)
            finish = np.zeros(mesh.n_faces, np.int32)
            sharp = {
                "edge_pairs": mesh.connectivity.edges[:1],
                "edge_data": {"sharp": np.array([len(mesh.points) > 8])},
            }
            moved = np.where(np.arange(mesh.n_points) == 0, -0.9 * mesh.size, 0.0)[:, None]
            for name, other in (
                ("a finish", mesh.with_changes(finishes=("Brass",), face_finish=finish)),
                ("another cut", mesh.with_points(mesh.points + moved)),
                ("an edge marked otherwise", mesh.with_changes(**sharp)),
                (
                    "an unused point",
                    replace(mesh, points=np.vstack([mesh.points, mesh.points[:1]]), _topology=Topology(), _cache={}),
                ),
            ):
                with self.subTest(name):
                    self.assertNotEqual(view_of(other).form.digest, first.digest)


if __name__ == "__main__":
    unittest.main()
