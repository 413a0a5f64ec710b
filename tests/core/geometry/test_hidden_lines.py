"""What is seen of bodies: counts that are known, and rays cast on sample points of edges."""

from __future__ import annotations

import unittest

import numpy as np

from jukai.core.geometry.hidden_lines import SEEN_FROM, Eye, Lines, visible_lines
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import sharp_edges
from jukai.core.geometry.placing import placement_matrix
from jukai.core.geometry.section import Plane, clipped, cut
from jukai.core.geometry.triangulation import triangulate
from tests.recipes import body

I4 = np.eye(4)


def eye(back: tuple[float, float, float]) -> Eye:
    b = np.array(back, dtype=float)
    b /= np.linalg.norm(b)
    right = np.cross([0, 0, 1.0], b)
    right /= np.linalg.norm(right)
    return Eye(right, np.cross(b, right), b)


def length(lines: Lines) -> float:
    return float(np.linalg.norm(lines.pieces[:, 1] - lines.pieces[:, 0], axis=1).sum())


def at(*move: float, turn: tuple[float, float, float] = (0, 0, 0)) -> np.ndarray:
    return placement_matrix(np.array(move, dtype=float), np.array(turn, dtype=float), np.ones(3))


class Known(unittest.TestCase):
    def test_a_box_shows_four_edges_squarely_and_nine_aslant(self) -> None:
        box = body({"operator": "box", "size": [2, 3, 4], "counts": [2, 2, 2]})
        for name, wide, high in (
            ("front", 2, 4),
            ("left", 3, 4),
            ("right", 3, 4),
            ("back", 2, 4),
            ("top", 2, 3),
            ("bottom", 2, 3),
        ):
            lines = visible_lines([(box, I4)], SEEN_FROM[name])
            self.assertAlmostEqual(length(lines), 2 * (wide + high), delta=1e-9, msg=name)
            self.assertTrue(lines.outline.all())
        e = eye((1, -1, 1))
        lines = visible_lines([(box, I4)], e)
        # nine of the twelve edges: three of each direction, as long as that direction shows
        expected = sum(3 * s * float(np.hypot(e.right[k], e.up[k])) for k, s in enumerate((2, 3, 4)))
        self.assertAlmostEqual(length(lines), expected, delta=1e-9)
        self.assertAlmostEqual(
            length(Lines(lines.pieces[lines.outline], lines.body, lines.outline)), expected * 2 / 3, delta=1e-9
        )

    def test_far_from_the_zero_point_the_same_is_seen(self) -> None:
        """A turned body and one behind it, here and at 1e6 mm, by its points and by its placement."""
        ring = body({"operator": "torus"})
        box = body({"operator": "box", "size": [3, 3, 3]})
        e = eye((1, -2, 1.3))
        here = visible_lines([(ring, I4), (box, at(0, 4, 1))], e)
        away = np.array([1e6, -2e6, 3e6])
        for moved in (
            [(ring, at(*away)), (box, at(*(away + np.array([0, 4, 1]))))],
            [(ring.with_points(ring.points + away), I4), (box.with_points(box.points + away), at(0, 4, 1))],
        ):
            there = visible_lines(moved, e)
            self.assertEqual(len(there.pieces), len(here.pieces))
            np.testing.assert_allclose(there.pieces - (e.axes @ away)[:2], here.pieces, atol=1e-8)

    def test_a_mirrored_body_shows_its_front(self) -> None:
        wedge = body({"operator": "cylinder", "radius": 3, "height": 5, "sides": 5})
        e = eye((1, -1, 1))
        mirrored = placement_matrix(np.zeros(3), np.zeros(3), np.array([-1.0, 1, 1]))
        baked = Mesh.from_faces(
            wedge.points * [-1, 1, 1],
            [wedge.corners[a:b][::-1].tolist() for a, b in zip(wedge.offsets[:-1], wedge.offsets[1:], strict=True)],
        )
        one, two = visible_lines([(wedge, mirrored)], e), visible_lines([(baked, I4)], e)
        self.assertAlmostEqual(length(one), length(two), delta=1e-9)
        self.assertEqual(int((~one.outline).sum()), int((~two.outline).sum()))
        self.assertGreater(int((~one.outline).sum()), 0)

    def test_views_stand_upright(self) -> None:
        arrow = body({"operator": "box", "size": [2, 4, 6]})
        moved = at(10, 20, 30)
        for name, low in (
            ("front", (9, 30)),
            ("left", (-22, 30)),
            ("right", (18, 30)),
            ("top", (9, 18)),
            ("back", (-11, 30)),
            ("bottom", (9, -22)),
        ):
            lines = visible_lines([(arrow, moved)], SEEN_FROM[name])
            np.testing.assert_allclose(lines.pieces.min(axis=(0, 1)), low, atol=1e-9, err_msg=name)

    def test_what_stands_before_covers(self) -> None:
        box = body({"operator": "box", "size": [2, 2, 2]})
        lines = visible_lines([(box, I4), (box, at(1, -5, 1))], SEEN_FROM["front"])
        behind = Lines(lines.pieces[lines.body == 0], lines.body, lines.outline)
        self.assertAlmostEqual(length(behind), 8 - 2, delta=1e-9)  # a corner of 1 by 1 is covered: two halves of sides
        self.assertAlmostEqual(length(lines), 14, delta=1e-9)

    def test_a_hole_is_looked_through(self) -> None:
        washer = body({"operator": "washer", "inner": 10, "outer": 30, "thickness": 4})
        rod = body({"operator": "cylinder", "radius": 2, "height": 4, "sides": 24})
        lines = visible_lines([(washer, I4), (rod, at(0, 0, -20)), (rod, at(10, 0, -20))], SEEN_FROM["top"])
        self.assertAlmostEqual(
            length(Lines(lines.pieces[lines.body == 1], lines.body, lines.outline)),
            48 * 2 * np.sin(np.pi / 24),
            delta=1e-9,
        )
        self.assertEqual((lines.body == 2).sum(), 0)

    def test_bodies_that_run_into_each_other_show_their_seam(self) -> None:
        plate = body({"operator": "box", "size": [20, 20, 2]})
        post = body({"operator": "box", "size": [4, 6, 8]})
        e = eye((1, -1, 1))
        lines = visible_lines([(plate, I4), (post, at(0.5, 0.25, 0))], e)
        within = lines.pieces[~lines.outline]
        # the two sides of the post that are seen stand on the plate's upper face
        seam = [s * float(np.hypot(e.right[k], e.up[k])) for k, s in enumerate((4, 6))]
        height = e.axes[:2] @ np.array([0.5, 0.25 - 3, 2])
        on = []
        for a, b in within:
            (x, y), (u, v) = b - a, height - a
            if abs(x * v - y * u) < 1e-6 * np.hypot(x, y):
                on.append((a, b))
        self.assertAlmostEqual(length(Lines(np.array(on), lines.body, lines.outline)), seam[0], delta=1e-6)
        alone = length(visible_lines([(plate, I4)], e)), length(visible_lines([(post, at(0.5, 0.25, 0))], e))
        self.assertLess(length(lines), sum(alone))

    def test_nothing_of_nothing(self) -> None:
        self.assertEqual(len(visible_lines([], SEEN_FROM["front"]).pieces), 0)
        self.assertEqual(len(visible_lines([(Mesh.empty(), I4)], SEEN_FROM["front"]).pieces), 0)

    def test_the_same_wherever_it_stands(self) -> None:
        box = body({"operator": "box", "size": [2, 3, 4]})
        far = placement_matrix(np.array([1e6, -2e6, 5e5]), np.array([10.0, 20, 30]), np.ones(3))
        near = placement_matrix(np.zeros(3), np.array([10.0, 20, 30]), np.ones(3))
        e = eye((1, -2, 1))
        self.assertAlmostEqual(
            length(visible_lines([(box, far)], e)), length(visible_lines([(box, near)], e)), delta=1e-6
        )

    def test_caps_cover(self) -> None:
        box = body({"operator": "box", "size": [10, 10, 10]})
        hollow = body({"operator": "cylinder", "radius": 3, "height": 10, "sides": 36})
        p = Plane.through(np.zeros(3), np.array([0, -1.0, 0]))
        c = cut(box, p)
        caps = c.plane.raised(c.triangles.reshape(-1, 2)).reshape(-1, 3, 3)
        section = Eye(p.across, p.up, p.normal)
        lines = visible_lines([(clipped(box, p, I4), I4), (clipped(hollow, p, at(0, 0, 2)), I4)], section, caps)
        self.assertAlmostEqual(length(Lines(lines.pieces[lines.body == 0], lines.body, lines.outline)), 40, delta=1e-9)
        inner = lines.pieces[lines.body == 1]
        self.assertGreater(inner[..., 1].max(), 11.9)  # what stands out above is seen


class Rays(unittest.TestCase):
    """Samples of all edges held against every triangle (Möller and Trumbore 1997), no grid and no splitting."""

    def scene(self) -> list[tuple[Mesh, np.ndarray]]:
        return [
            (body({"operator": "box", "size": [20, 14, 6], "counts": [3, 2, 1]}), at(0, 0, 0)),
            (
                body({"operator": "torus", "major_radius": 9, "minor_radius": 2.5, "sides": 40, "minor_sides": 16}),
                at(2, 1, 6, turn=(20, 35, 0)),
            ),
            (body({"operator": "cylinder", "radius": 3, "height": 18, "sides": 20}), at(-6, -4, 3, turn=(10, 0, 0))),
            (body({"operator": "quad_sphere", "radius": 4, "counts": 6}), at(8, 6, 2)),
            (body({"operator": "washer", "inner": 8, "outer": 20, "thickness": 3}), at(4, -16, 4, turn=(70, 0, 15))),
        ]

    def test_two_thousand_places(self) -> None:
        bodies = self.scene()
        rng = np.random.default_rng(11)
        tri, edges = [], []
        for mesh, matrix in bodies:
            points = mesh.points @ matrix[:3, :3].T + matrix[:3, 3]
            tri.append(points[triangulate(mesh).points(mesh)])
            edges.append(points[mesh.connectivity.edges[sharp_edges(mesh)]])
        triangles, sharp = np.concatenate(tri), np.concatenate(edges)
        compared = 0
        for back in ((1, -2, 1.2), (-1.5, -1, 0.6), (0.2, -1, 2.5), (0.7, 1.9, -1)):
            e = eye(back)
            lines = visible_lines(bodies, e)
            which = rng.integers(0, len(sharp), 500)
            places = sharp[which, 0] + rng.uniform(0.02, 0.98, (500, 1)) * (sharp[which, 1] - sharp[which, 0])
            covered, near = self.cast(places, e.back, triangles)
            flat = places @ e.axes[:2].T
            drawn = self.distance(flat, lines.pieces) < 1e-6
            # where another line lies on the drawing, or a face begins within rounding, either answer is right
            clear = ~near
            compared += int(clear.sum())
            # what is seen is drawn
            self.assertEqual(int((~covered & clear & ~drawn).sum()), 0, back)
            # what is covered is not drawn, unless something seen lies over it on the drawing
            doubtful = covered & clear & drawn
            self.assertLess(int(doubtful.sum()), 3, back)
        self.assertGreater(compared, 1900)

    @staticmethod
    def cast(places: np.ndarray, direction: np.ndarray, triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Return whether a triangle lies before each place, and whether that depends on rounding."""
        covered, near = np.zeros(len(places), dtype=bool), np.zeros(len(places), dtype=bool)
        a, u, v = triangles[:, 0], triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
        h = np.cross(direction, v)
        det = np.einsum("ij,ij->i", u, h)
        ok = np.abs(det) > 1e-9
        for i, p in enumerate(places):
            s = p - a[ok]
            f = 1 / det[ok]
            beta = f * np.einsum("ij,ij->i", s, h[ok])
            q = np.cross(s, u[ok])
            gamma = f * (q @ direction)
            t = f * np.einsum("ij,ij->i", v[ok], q)
            least = np.minimum(np.minimum(beta, gamma), 1 - beta - gamma)
            covered[i] = bool(((least > 1e-9) & (t > 1e-5)).any())
            near[i] = bool(
                ((np.abs(least) <= 1e-7) & (t > 1e-5)).any()
                or ((least > -1e-9) & (np.abs(t) < 1e-4) & (np.abs(t) > 1e-9)).any()
            )
        return covered, near

    @staticmethod
    def distance(flat: np.ndarray, pieces: np.ndarray) -> np.ndarray:
        out = np.zeros(len(flat))
        a, d = pieces[:, 0], pieces[:, 1] - pieces[:, 0]
        l2 = np.maximum((d * d).sum(axis=1), 1e-30)
        for i, p in enumerate(flat):
            t = np.clip(((p - a) * d).sum(axis=1) / l2, 0, 1)
            out[i] = np.linalg.norm(a + t[:, None] * d - p, axis=1).min()
        return out
