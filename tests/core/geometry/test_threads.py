"""The grid of a thread, its section and endings; outlines of drives; rings with corners and slots."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np

from jukai.core.geometry._threads import end_at
from jukai.core.geometry.building import MeshBuilder
from jukai.core.geometry.heads import (
    Layout,
    Row,
    TooFew,
    corners_of,
    cross_recess,
    hexagon_socket,
    hexalobular_socket,
    reach_between,
)
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.stacks import Ring, at_corners, corner_numbers
from jukai.core.geometry.threads import Ending, Form, basic_form, count_thread, rounded_form, threaded
from tests.common import reference

PROFILE = reference("fasteners.json")["profile"]


def grid(form: Form, **values: object) -> tuple[Mesh, Ring, Ring]:
    build = MeshBuilder()
    low, high = threaded(build, form, **values)  # type: ignore[arg-type]
    return build.build("s1"), low, high


class Forms(unittest.TestCase):
    def test_the_basic_profile(self) -> None:
        # ISO 68-1 for a pitch of 1 (formulas)
        form = basic_form(1, 8)
        z, r = form.z, form.r
        self.assertAlmostEqual(z[2] - z[0], PROFILE["crest_flat"], 12)
        self.assertAlmostEqual(z[5] - z[3], PROFILE["root_flat"], 12)
        self.assertAlmostEqual(r[0] - r[3], PROFILE["five_eighths_H"], 12)
        self.assertAlmostEqual(2 * math.degrees(math.atan2(z[3] - z[2], r[2] - r[3])), PROFILE["flank_angle_deg"], 9)
        closed = np.column_stack([np.append(z, [1 - 1 / 16, z[0]]), np.append(r, [4, 4])])[2:-1]
        area = 0.5 * abs(
            np.dot(closed[:, 0], np.roll(closed[:, 1], -1)) - np.dot(closed[:, 1], np.roll(closed[:, 0], -1))
        )
        self.assertAlmostEqual(area, PROFILE["cut_area_basic"]["value"], 9)

    def test_the_rounded_one_goes_deeper_by_what_the_standard_says(self) -> None:
        form = rounded_form(1, 8)
        self.assertAlmostEqual(8 - 2 * form.r.min(), PROFILE["external_minor_rounded"]["d3_drop"], 12)
        self.assertAlmostEqual(form.r.max() - form.r.min(), PROFILE["external_minor_rounded"]["h3"], 12)


class Grid(unittest.TestCase):
    def test_it_has_no_seam_and_one_triangle_for_each_row_that_runs_out(self) -> None:
        for form, starts, sides in (
            (basic_form(1.5, 10), 1, 24),
            (basic_form(1.5, 10), 3, 36),
            (rounded_form(2, 16), 2, 31),
        ):
            mesh, low, high = grid(form, low=-20.0, high=-3.0, starts=starts, sides=sides, phase=0.4)
            con = mesh.connectivity
            self.assertEqual(int((con.edge_sides == 1).sum()), 2 * sides)
            self.assertTrue((con.edge_sides <= 2).all())
            self.assertFalse(con.same_direction(mesh.corners).any())
            self.assertEqual(int((mesh.sides == 3).sum()), 2 * starts * len(form.z))
            self.assertLessEqual(mesh.n_faces, count_thread(form, -20, -3, starts, sides))
            np.testing.assert_array_equal(mesh.points[low.ids], low.points)
            np.testing.assert_array_equal(low.points[:, 2], -20)
            np.testing.assert_array_equal(high.points[:, 2], -3)
            # each point lies on the section, as far along as it is around
            turn = np.arctan2(mesh.points[:, 1], mesh.points[:, 0]) / (2 * math.pi)
            along = (mesh.points[:, 2] - 0.4 - form.pitch * starts * turn - form.z[0]) % form.pitch + form.z[0]
            wanted = np.interp(along, [*form.z, form.z[0] + form.pitch], [*form.r, form.r[0]])
            np.testing.assert_allclose(np.hypot(mesh.points[:, 0], mesh.points[:, 1]), wanted, atol=1e-9)

    def test_endings_are_met_exactly_and_their_faces_have_their_group(self) -> None:
        form = basic_form(1.5, 10)
        cone = Ending(((-20.0, 3.8), (-15.0, 8.8)), "inside", "point")
        mouth = Ending(((-10.0, 0.0), (-3.0, 7.0)), "outside", "shank")
        mesh, _, _ = grid(form, low=-20.0, high=-5.0, sides=40, endings=[cone, mouth])
        r, z = np.hypot(mesh.points[:, 0], mesh.points[:, 1]), mesh.points[:, 2]
        self.assertLess((r - (3.8 + z + 20)).max(), 1e-9)
        self.assertGreater((r - (z + 10)).min(), -1e-9)
        for name, surface in (("point", 3.8 + z + 20), ("shank", z + 10)):
            ids = np.unique(mesh.corners[mesh.group_faces("s1", name)[mesh.corner_faces]])
            self.assertGreater(len(ids), 40)
            np.testing.assert_allclose(r[ids], surface[ids], atol=1e-9)

    def test_compiled_and_plain_ending_agree(self) -> None:
        rng = random.Random(3)
        for form in (basic_form(1, 8), rounded_form(1, 8)):
            z = (np.arange(9)[:, None] + form.z).ravel() + np.linspace(0, 1, 12)[:, None]
            r = np.tile(form.r, (12, 9))
            for sign in (1.0, -1.0):
                at, radius = (
                    np.array([2.0, 4.5, 7.0]),
                    np.array([rng.uniform(3, 4), rng.uniform(3, 4.2), rng.uniform(3, 5)]),
                )
                out = []
                for run in (end_at, end_at.plain):
                    own = z.copy(), r.copy(), np.zeros(z.shape, np.int8)
                    run(own[0], own[1], np.tile(form.middle, 9), at, radius, sign, 1e-4, 1, own[2])
                    out.append(own)
                for a, b in zip(*out, strict=True):
                    np.testing.assert_allclose(a, b, atol=1e-12)
                # chains still rise, and nothing is left beyond
                self.assertGreaterEqual(np.diff(out[0][0], axis=1).min(), 0)
                slope = np.interp(out[0][0], at, radius)
                within = (out[0][0] > 2) & (out[0][0] < 7)
                self.assertLess((sign * (out[0][1] - slope))[within].max(), 1e-9)


class Outlines(unittest.TestCase):
    def test_a_hexalobular_outline_is_of_arcs_that_touch(self) -> None:
        for across, waist in ((1.75, 1.27), (5.6, 4.05), (22.4, 16.0)):  # ISO 10664, nominal
            line = hexalobular_socket(across, 1, waist).mouth
            p = line(np.linspace(0, 12, 2401)[:-1])
            r = np.hypot(*p.T)
            self.assertAlmostEqual(2 * r.max(), across, 9)
            self.assertAlmostEqual(2 * r.min(), waist, 9)
            # six times the same, each its own mirror image; no corner anywhere
            np.testing.assert_allclose(r, np.roll(r, 400), atol=1e-9)
            np.testing.assert_allclose(r[1:], r[:0:-1], atol=1e-9)
            step = np.diff(np.vstack([p, p[:1]]), axis=0)
            bend = np.abs(np.angle(np.exp(1j * np.diff(np.arctan2(step[:, 1], step[:, 0])))))
            self.assertLess(np.degrees(bend.max()), 6)

    def test_hexagons_and_crosses(self) -> None:
        p = hexagon_socket(8, 1).mouth(np.linspace(0, 6, 601)[:-1])
        for k in range(6):
            way = np.array([math.cos(math.pi * k / 3), math.sin(math.pi * k / 3)])
            self.assertAlmostEqual((p @ way).max(), 4, 9)
        recess = cross_recess(10, 5, 3, 2.5)
        mouth, floor = recess.mouth(np.arange(12.0)), recess.floor(np.arange(12.0))
        self.assertAlmostEqual(np.abs(mouth).max(), 5, 12)
        self.assertTrue((np.hypot(*floor.T) < np.hypot(*mouth.T)).all())
        self.assertEqual(list(recess.degrees), sorted(recess.degrees))


class Rings(unittest.TestCase):
    def test_corners_stand_at_points(self) -> None:
        for n in range(24, 80, 2):
            for turned in (0.0, 12.3, 29.99, 59.7):
                corners = corners_of(6, turned)
                numbers = corner_numbers(n, corners)
                assert numbers is not None
                places = at_corners(n, numbers)
                self.assertTrue((np.diff(places) > 0).all())
                ring = Layout(n, corners).ring(Row("prism", 4.0, 1.0, "head"))
                # all lie on the hexagon, its corners among them
                angle = np.radians((np.degrees(np.arctan2(ring[:, 1], ring[:, 0])) - turned + 30) % 60 - 30)
                np.testing.assert_allclose(np.hypot(ring[:, 0], ring[:, 1]) * np.cos(angle), 4.0, atol=1e-9)
                self.assertAlmostEqual(np.hypot(ring[:, 0], ring[:, 1]).max(), 4 / math.cos(math.pi / 6), 9)
        self.assertIsNone(corner_numbers(5, corners_of(6)))
        self.assertRaises(TooFew, Layout, 5, corners_of(6))

    def test_walls_of_a_slot_stand_at_points_of_every_ring(self) -> None:
        for corners in ((), corners_of(6)):
            layout = Layout(48, corners, 0.8, 5.0)
            h = layout.half
            for reach in (3.0, 5.0, 8.0):
                ring = layout.circle(reach, 0.0)
                np.testing.assert_allclose(np.abs(ring[[h, 24 - h, 24 + h, 48 - h], 1]), 0.8, atol=1e-9)
            if corners:
                ring = layout.ring(Row("prism", 6.0, 0.0, "head"))
                np.testing.assert_allclose(np.abs(ring[[h, 24 - h, 24 + h, 48 - h], 1]), 0.8, atol=1e-9)
            self.assertEqual(len(layout.beside()), 2 * (24 - 2 * h + 1))

    def test_the_least_radius_between_two_levels(self) -> None:
        profile = [(3.0, -10.0), (3.0, 0.0), (8.0, 0.0), (8.0, 4.0), (6.0, 6.0)]
        for low, high, least in ((-5, 6, 3), (0.1, 6, 6), (0.1, 3, 8), (4, 5, 7)):
            self.assertAlmostEqual(reach_between(profile, low, high), least, 9)


if __name__ == "__main__":
    unittest.main()
