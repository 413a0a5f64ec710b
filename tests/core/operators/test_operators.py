"""The operators against closed forms (solids.json, deform.json name the sources), Euler and Poincaré, and themselves."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.deform import twisting
from jukai.core.geometry.frames import frame_along
from jukai.core.geometry.measures import area, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import corner_normals, sharp_edges
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import Context
from jukai.core.operators.deform.twist import Values as TwistValues
from jukai.core.operators.deform.twist import twist
from tests.common import check_sound, reference
from tests.recipes import body, built, turned

SOLIDS = reference("solids.json")
SQUARE = ([1, 0], [2, 0], [2, 1], [1, 1])


class Box(unittest.TestCase):
    def test_exact_counts_and_sizes(self) -> None:
        for size, counts in (
            ((3, 4, 5), (1, 1, 1)),
            ((0.1, 7, 2), (3, 1, 2)),
            ((1e-6, 1e6, 1), (2, 5, 4)),
            ((30, 20, 10), (4, 3, 1)),
        ):
            mesh = body({"operator": "box", "size": list(size), "counts": list(counts)})
            x, y, z = counts
            check_sound(self, mesh)
            self.assertEqual(mesh.n_faces, 2 * (x * y + y * z + z * x))
            self.assertEqual(mesh.n_points, 2 + 2 * (x * y + y * z + z * x))  # Euler: V = 2 + F for quads
            np.testing.assert_array_equal(
                mesh.bounds, [[-size[0] / 2, -size[1] / 2, 0], [size[0] / 2, size[1] / 2, size[2]]]
            )
            self.assertAlmostEqual(signed_volume(mesh), math.prod(size), delta=1e-12 * math.prod(size))
            self.assertEqual(sorted(mesh.groups()), ["back", "bottom", "front", "left", "right", "top"])

    def test_groups_face_their_way(self) -> None:
        mesh = body({"operator": "box", "counts": [2, 3, 4]})
        from jukai.core.geometry.measures import face_normals

        directions = {
            "left": (-1, 0, 0),
            "right": (1, 0, 0),
            "front": (0, -1, 0),
            "back": (0, 1, 0),
            "bottom": (0, 0, -1),
            "top": (0, 0, 1),
        }
        for group, direction in directions.items():
            np.testing.assert_allclose(face_normals(mesh)[mesh.group_faces("s1", group)] @ direction, 1)

    def test_default_is_a_fifth_of_the_floor(self) -> None:
        self.assertEqual(body({"operator": "box"}).size, 20)
        self.assertEqual(body({"operator": "box"}, floor=500).size, 100)


class Cylinder(unittest.TestCase):
    def test_prisms_of_the_table(self) -> None:
        for case in SOLIDS["faceted"]["cases"]:
            if case["shape"] != "prism, corners on the circle":
                continue
            mesh = body(
                {"operator": "cylinder", "radius": case["radius"], "height": case["height"], "sides": case["n"]}
            )
            self.assertAlmostEqual(signed_volume(mesh), case["volume"], places=12)
            self.assertAlmostEqual(area(mesh), case["area"], places=12)

    def test_all_ends(self) -> None:
        for ends, faces in (("flat_face", 2), ("fan", 24), ("rings", 72), ("open", 0)):
            for rows in (1, 5):
                mesh = body(
                    {
                        "operator": "cylinder",
                        "radius": 3,
                        "height": 7,
                        "sides": 12,
                        "rows": rows,
                        "ends": ends,
                        "end_rings": 3,
                    }
                )
                self.assertEqual(mesh.n_faces, 12 * rows + faces)
                if ends == "open":
                    self.assertEqual(int((mesh.connectivity.edge_sides == 1).sum()), 24)
                else:
                    check_sound(self, mesh)
                    self.assertEqual(mesh.groups()["start_cap"], faces // 2)
                np.testing.assert_array_equal(mesh.bounds, [[-3, -3, 0], [3, 3, 7]])

    def test_round_cylinders_are_reached_with_the_published_order(self) -> None:
        """The error falls by four when the sides double (solids.json, faceted, order)."""
        for case in (c for c in SOLIDS["round"]["cases"] if c["shape"] == "cylinder"):
            off = [
                case["volume"]
                - signed_volume(
                    body({"operator": "cylinder", "radius": case["radius"], "height": case["height"], "sides": n})
                )
                for n in (64, 128)
            ]
            self.assertAlmostEqual(off[0] / off[1], 4, delta=0.01)


class Revolve(unittest.TestCase):
    def test_spins_of_the_table(self) -> None:
        """Pappus and Guldinus, and exactly for n steps."""
        for case in SOLIDS["spin"]["cases"]:
            step = turned(angle=case["angle_deg"], sides=case["steps"])
            mesh = body(step, profile=case["profile"], closed=True)
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), case["faceted"], delta=1e-12 * case["faceted"])
            exact = signed_volume(body(step | {"measured_across": "round"}, profile=case["profile"], closed=True))
            self.assertAlmostEqual(exact, case["pappus"], delta=1e-12 * case["pappus"])

    def test_across_flats(self) -> None:
        for case in SOLIDS["faceted"]["cases"]:
            if not case["shape"].startswith("prism by across flats"):
                continue
            half = case["across_flats"] / 2
            profile = [[0, 0], [half, 0], [half, case["height"]], [0, case["height"]]]
            mesh = body(turned(sides=case["n"], measured_across="flats"), profile=profile)
            self.assertAlmostEqual(signed_volume(mesh), case["volume"], places=12)
            self.assertAlmostEqual(float(np.hypot(*mesh.points[:, :2].T).max()), case["circumradius"], places=12)

    def test_bodies_of_the_table(self) -> None:
        for case in SOLIDS["faceted"]["cases"]:
            n = case["n"]
            if case["shape"] == "cone frustum":
                a, b, h = case["radius_bottom"], case["radius_top"], case["height"]
                mesh = body(turned(sides=n), profile=[[0, 0], [a, 0], [b, h], *([[0, h]] if b else [])])
            elif case["shape"].startswith("sphere"):
                t = np.linspace(-math.pi / 2, math.pi / 2, case["rows"] + 1)
                pts = [[round(math.cos(x), 16), math.sin(x)] for x in t]
                pts[0][0] = pts[-1][0] = 0
                mesh = body(turned(sides=n, rows=case["rows"]), profile=pts)
                self.assertEqual((mesh.n_points, mesh.n_faces), (case["V"], case["F"]))
            elif case["shape"] == "torus":
                t = np.arange(case["m"]) * 2 * math.pi / case["m"]
                pts = (
                    np.column_stack(
                        [case["ring_radius"] + case["tube_radius"] * np.cos(t), case["tube_radius"] * np.sin(t)]
                    )
                ).tolist()
                mesh = body(turned(sides=n, rows=case["m"]), profile=pts, closed=True)
                self.assertEqual(
                    [mesh.n_points, mesh.connectivity.n_edges, mesh.n_faces], [case["V"], case["E"], case["F"]]
                )
                self.assertEqual(soundness(mesh).genus, 1)
            else:
                continue
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), case["volume"], delta=1e-9 * case["volume"])

    def test_either_way_of_drawing_either_side_of_the_axis(self) -> None:
        profile = [[0, 0], [4, 0], [2, 3], [0, 5]]
        expected = signed_volume(body(turned(sides=16), profile=profile))
        for other in (profile[::-1], [[-x, y] for x, y in profile]):
            mesh = body(turned(sides=16), profile=other)
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), expected)

    def test_partial_turns(self) -> None:
        for angle in (30, 180, 270, -90):
            for profile, closed in (
                ([[0, 0], [4, 0], [4, 3], [0, 3]], False),
                ([[2, 0], [4, 0], [4, 3]], False),
                (SQUARE, True),
            ):
                mesh = body(turned(angle=angle, sides=8), profile=profile, closed=closed)
                check_sound(self, mesh)
                self.assertEqual(mesh.groups()["start_cap"], 1)
                self.assertEqual(mesh.groups()["end_cap"], 1)
                if not closed and len(profile) == 4:
                    self.assertAlmostEqual(
                        signed_volume(mesh), 16 * 8 * math.sin(math.radians(abs(angle)) / 8) / 2 * 3, places=9
                    )
        start = body(turned(angle=90, sides=4), profile=SQUARE, closed=True)
        self.assertEqual(float(start.points[:, 0].min()), 0)
        self.assertEqual(float(start.points[:, 1].min()), 0)

    def test_rise(self) -> None:
        """A section that rises while it turns encloses what it would without (Pappus); it is one tube with two caps."""
        flat = body(turned(angle=300, sides=200), profile=SQUARE, closed=True)
        for rise in (5, -5):
            mesh = body(turned(angle=300, sides=200, rise=rise), profile=SQUARE, closed=True)
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), signed_volume(flat), delta=4e-3 * signed_volume(flat))
        coil = body(turned(angle=1080, sides=72, rise=6), profile=SQUARE, closed=True)
        check_sound(self, coil)
        self.assertAlmostEqual(float(coil.bounds[1, 2]), 7)

    def test_points_on_the_axis_become_one(self) -> None:
        mesh = body(turned(sides=12), profile=[[0, 0], [3, 1], [0, 2]])
        self.assertEqual((mesh.n_points, mesh.n_faces, set(mesh.sides.tolist())), (14, 24, {3}))

    def test_touching_the_axis_between_the_ends_makes_two_bodies(self) -> None:
        evaluation = built(turned(sides=12), profile=[[0, 0], [3, 1], [0, 2], [3, 3], [0, 4]])
        assert evaluation.mesh is not None
        self.assertEqual(soundness(evaluation.mesh).bodies, 2)
        self.assertTrue(any("two bodies" in n.text or "2 bodies" in n.text for n in evaluation.steps[0].notes))

    def test_any_axis(self) -> None:
        profile = [[0, 0], [4, 0], [2, 3], [0, 5]]
        expected = signed_volume(body(turned(sides=16), profile=profile))
        for axis in (
            "x",
            "y",
            {"point": [1, 2, 3], "direction": [1, -2, 0.5]},
            {"point": [0, 0, 0], "direction": [0, 0, -1]},
        ):
            mesh = body(turned(sides=16, axis=axis), profile=profile)
            check_sound(self, mesh)
            self.assertAlmostEqual(signed_volume(mesh), expected, places=9)
        np.testing.assert_allclose(body(turned(sides=16, axis="x"), profile=profile).bounds[:, 0], [0, 5], atol=1e-12)

    def test_rows(self) -> None:
        profile = [[0, 0], [5, 0], [5, 40], [0, 40]]
        square = body(turned(sides=12), profile=profile)
        edges = square.points[square.connectivity.edges]
        wall = square.sides == 4
        self.assertEqual(int(wall.sum()), 12 * round(40 / (10 * math.pi / 12)))
        self.assertGreater(np.linalg.norm(edges[:, 1] - edges[:, 0], axis=1).min(), 1)
        for rows in (3, 20, 57):
            mesh = body(turned(sides=12, rows=rows), profile=profile)
            self.assertEqual(mesh.n_faces, 12 * rows)
        few = built(turned(sides=12, rows=1), profile=profile)
        self.assertIn("fewer", few.steps[0].notes[0].text)

    def test_open_ends_off_the_axis(self) -> None:
        for ends in ("flat_face", "fan", "rings"):
            check_sound(self, body(turned(sides=12, ends=ends), profile=[[3, 0], [5, 4], [2, 9]]))
        self.assertFalse(soundness(body(turned(sides=12, ends="open"), profile=[[3, 0], [5, 4], [2, 9]])).closed)

    def test_notes(self) -> None:
        over = built(turned(angle=500, sides=12), profile=[[0, 0], [3, 0], [0, 4]])
        self.assertIn("360°", over.steps[0].notes[0].text)
        check_sound(self, over.mesh)
        tight = built(turned(angle=720, rise=1, sides=24), profile=SQUARE, closed=True)
        self.assertTrue(any(n.field == "rise" and n.level == "warning" for n in tight.steps[0].notes))
        fillet = built(turned(sides=12), profile=[[0, 0], {"at": [3, 0], "fillet": 9}, [3, 4], [0, 4]])
        self.assertTrue(any("room for a radius of 3 mm, not 9 mm" in n.text for n in fillet.steps[0].notes))

    def test_several_bodies_look_outward_each(self) -> None:
        """Two cones on one axis, drawn one down and one up; and a shell round a hollow, π(4²·4 − 3²·2) when round."""
        two = body(turned(sides=24, measured_across="round"), profile=[[4, 2], [0, 0], [0, 2], [2, 7]])
        check_sound(self, two)
        self.assertAlmostEqual(signed_volume(two), np.pi * (16 * 2 + 4 * 5) / 3, places=9)
        shell = [[0, 0], [4, 0], [4, 4], [0, 4], [0, 3], [3, 3], [3, 1], [0, 1]]
        for profile in (shell, shell[::-1]):
            hollow = body(turned(sides=24, measured_across="round"), profile=profile)
            self.assertAlmostEqual(signed_volume(hollow), np.pi * (16 * 4 - 9 * 2), places=9)

    def test_errors_name_the_place(self) -> None:
        cases: list[tuple[dict[str, Any], list[Any], str, str]] = [
            ({}, [[-1, 0], [3, 0], [0, 4]], "crosses the axis at (-1, 0)", "profile"),
            ({}, [[1, 0], [4, 4], [4, 0], [1, 4]], "crosses itself at (2.5, 2)", "profile"),
            ({}, [[0, 0], [0, 4]], "lies on the axis", "profile"),
            ({}, [[2, 1], [5, 1]], "no area", "profile"),
            ({}, [[1, 1], [0, 0], [1, 2]], "disc that closes the profile runs through it at (0.5, 1)", "profile"),
            ({"angle": 0}, [[0, 0], [3, 0], [0, 4]], "0°", "angle"),
            ({"sides": 2}, [[0, 0], [3, 0], [0, 4]], "no inside", "sides"),
            ({"rise": 3}, [[0, 0], [3, 0], [0, 4]], "keep off the axis", "rise"),
            ({"sides": 900_000}, [[0, 0], [3, 0], [3, 9], [0, 9]], "the most a part may have", "sides"),
            ({"angle": 350, "sides": 1}, [[0, 0], [3, 0], [0, 4]], "would turn by 350°", "sides"),
        ]
        for values, profile, text, field in cases:
            with self.subTest(text), self.assertRaises(CoreError) as caught:
                body(turned(**({"sides": 12} | values)), profile=profile)
            self.assertIn(text, caught.exception.message)
            self.assertEqual(caught.exception.field, field)


class Twist(unittest.TestCase):
    def apply(self, mesh: Mesh, **values: Any) -> Mesh:
        return twist(mesh, TwistValues.model_validate(values), Context("s9")).mesh

    def test_points_of_the_paper(self) -> None:
        """Barr 1984, deform.json: (x cos a - y sin a, x sin a + y cos a, z) with a = rate z."""
        for case in reference("deform.json")["twist"]["cases"]:
            rate = {"pi/4": math.pi / 4}.get(case["rate_rad_per_length"], case["rate_rad_per_length"])
            points = np.array([row[0] for row in case["cases"]])
            expected = np.array([row[1] for row in case["cases"]])
            degrees = math.degrees(rate * 20)
            carried = twisting(frame_along("z"), -10, 10, degrees, 0.5)
            np.testing.assert_allclose(carried(points), expected, atol=1e-12)

    def test_volume_is_kept_in_the_limit_and_as_published_for_rows(self) -> None:
        """deform.json, twist_rows: (2 + cos d) / 3 for ruled sides, plus or minus the diagonals' share."""
        for case in reference("deform.json")["twist_rows"]["cases"]:
            n, rows = case["n"], case["rows"]
            prism = {"operator": "cylinder", "radius": 1, "height": 1, "sides": n, "rows": rows}
            plain = signed_volume(body(prism))
            for turn in (case["angle_deg"], -case["angle_deg"]):
                got = signed_volume(body(prism, {"operator": "twist", "axis": "z", "turn": turn})) / plain
                near = min(abs(got - case["factor_diagonals_one_way"]), abs(got - case["factor_other_way"]))
                self.assertLess(near, 1e-9)
        fine = {"operator": "cylinder", "radius": 5, "height": 20, "sides": 48, "rows": 200}
        self.assertAlmostEqual(
            signed_volume(body(fine, {"operator": "twist", "turn": 90})) / signed_volume(body(fine)), 1, places=3
        )

    def test_from_to_still_and_strength(self) -> None:
        column = {"operator": "box", "size": [2, 2, 10], "counts": [1, 1, 10]}
        plain = body(column)

        def turn_at(mesh: Mesh, z: float) -> float:
            rows = np.flatnonzero(plain.points[:, 2] == z)
            p, q = plain.points[rows[0]], mesh.points[rows[0]]
            return math.degrees(math.atan2(p[0] * q[1] - p[1] * q[0], p[0] * q[0] + p[1] * q[1]))

        cases: list[tuple[dict[str, Any], dict[float, float]]] = [
            ({"turn": 90}, {0: 0, 5: 45, 10: 90}),
            ({"turn": 90, "still_at": "to"}, {0: -90, 5: -45, 10: 0}),
            ({"turn": 90, "still_at": "middle"}, {0: -45, 5: 0, 10: 45}),
            ({"turn": 90, "strength": 0.5}, {0: 0, 10: 45}),
            ({"turn": 60, "from": 2, "to": "60 %"}, {0: 0, 2: 0, 4: 30, 6: 60, 10: 60}),
            ({"lead": 40}, {0: 0, 10: 90}),
            ({"lead": -40, "from": 5}, {0: 0, 5: 0, 10: -45}),
            ({}, {0: 0, 10: 45}),
        ]
        for values, turns in cases:
            mesh = body(column, {"operator": "twist", "axis": "z"} | values)
            for z, expected in turns.items():
                self.assertAlmostEqual(turn_at(mesh, z), expected, places=9, msg=str(values))
            check_sound(self, mesh)

    def test_longest_axis(self) -> None:
        for size, axis in (([9, 2, 3], "x"), ([2, 9, 3], "y"), ([2, 3, 9], "z"), ([5, 5, 5], "z")):
            evaluation = built(
                {"operator": "box", "size": size, "counts": [4, 4, 4]}, {"operator": "twist", "turn": 30}
            )
            self.assertEqual(evaluation.steps[1].result.facts["axis"], axis)

    def test_the_turn_is_held_where_the_body_has_an_arm(self) -> None:
        """The arc runs from where the slice stood to a place on the body, also on a ring twisted about its diameter."""
        ring = {"operator": "torus", "major_radius": 12, "minor_radius": 3}
        for shape, share in ((ring, 0.95), ({"operator": "box", "size": [30, 4, 4], "counts": [9, 1, 1]}, 1.0)):
            for turn in (20, -130):
                done = built(shape, {"operator": "twist", "turn": turn, "axis": "x"}).steps[1].result
                held = next(c for c in done.callouts if c.target == "values/turn")
                start, arm = (np.array(p) - held.at for p in (held.to, held.held_at))
                self.assertGreater(float(np.linalg.norm(arm)), 2.5)
                self.assertAlmostEqual(float(np.linalg.norm(start)), float(np.linalg.norm(arm)))
                got = math.degrees(math.atan2(float(np.cross(start, arm) @ held.along), float(start @ arm)))
                self.assertAlmostEqual(got, turn)
                self.assertAlmostEqual(held.gain, 1 / share)

    def test_attributes_stay(self) -> None:
        column = {"operator": "box", "size": [2, 2, 10], "counts": [1, 1, 10]}
        before = body(column)
        for turn in (90, -90):
            after = body(column, {"operator": "twist", "turn": turn})
            # the cut may begin at another corner of a face; every corner keeps its texture coordinate
            np.testing.assert_array_equal(before.corner_faces, after.corner_faces)
            for mesh in (before, after):
                self.assertEqual(mesh.uv.shape, (len(mesh.corners), 2))
            key = lambda m: sorted(zip(m.corner_faces.tolist(), m.corners.tolist(), m.uv.tolist(), strict=True))  # noqa: E731
            self.assertEqual(key(before), key(after))
            tri = Mesh.from_triangles(after.points, triangulate(after).points(after))
            self.assertAlmostEqual(signed_volume(tri), signed_volume(after), places=9)
        self.assertEqual(before.groups(), after.groups())
        np.testing.assert_array_equal(after.connectivity.edges, before.connectivity.edges)

    def test_says_when_nothing_can_be_seen(self) -> None:
        low = built({"operator": "box", "size": [2, 2, 10]}, {"operator": "twist", "turn": 90})
        self.assertIn("1 row to twist through 90°", low.steps[1].notes[0].text)
        none = built({"operator": "box", "size": [2, 2, 10]}, {"operator": "twist", "turn": 0})
        self.assertIn("changes nothing", none.steps[1].notes[0].text)

    def test_errors(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            ({"turn": 5, "lead": 5}, "turn and lead"),
            ({"lead": 0}, "endless"),
            ({"from": 5, "to": 5}, "not after"),
            ({"axis": {"point": [0, 0, 0], "direction": [0, 0, 0]}}, "no direction"),
        ]
        for values, text in cases:
            with self.subTest(text), self.assertRaises(CoreError) as caught:
                body({"operator": "box", "size": [2, 2, 10]}, {"operator": "twist"} | values)
            self.assertIn(text, caught.exception.message.lower())


class Shading(unittest.TestCase):
    def test_normals(self) -> None:
        """A crease angle decides which edges are sharp; by area the large faces pull; no point moves."""
        cylinder = {"operator": "cylinder", "sides": 24, "rows": 2}
        plain = body(cylinder)
        for degrees, sharp in ((0, 24 * 2 + 24 * 2), (10, 96), (16, 48), (100, 0)):
            made = body(cylinder, {"operator": "normals", "crease_angle": degrees})
            np.testing.assert_array_equal(made.points, plain.points)
            self.assertEqual(int(sharp_edges(made).sum()), sharp, degrees)
        box = {"operator": "box", "size": [40, 40, 2]}
        by_angle = corner_normals(body(box, {"operator": "normals", "crease_angle": 180}))
        by_area = corner_normals(body(box, {"operator": "normals", "crease_angle": 180, "weigh_by": "area"}))
        self.assertAlmostEqual(float(np.abs(by_angle[:, 2]).max()), 1 / np.sqrt(3))
        self.assertGreater(float(np.abs(by_area[:, 2]).max()), 0.99)
        marked = body(box, {"operator": "bevel", "width": 0.5, "shading": "strips_stand_apart"})
        bare = body(
            box,
            {"operator": "bevel", "width": 0.5, "shading": "strips_stand_apart"},
            {"operator": "normals", "marked_edges": False},
        )
        self.assertGreater(int(sharp_edges(marked).sum()), int(sharp_edges(bare).sum()))


if __name__ == "__main__":
    unittest.main()
