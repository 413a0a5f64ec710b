"""Bend, stretch, undulate, twist and rows against Barr's maps (deform.json), their determinants, and each other."""

from __future__ import annotations

import math
import random
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry._deforming import _sines
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.deform import bending, integral_of, rings, stretching, tapering, turned, twisting, waves
from jukai.core.geometry.frames import Frame, frame_along
from jukai.core.geometry.graphs import Graph
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.measures import area, signed_volume
from tests.common import check_sound, reference
from tests.recipes import body, built

DEFORM = reference("deform.json")
BULGE = [{"at": 0, "value": 0, "smooth": True}, {"at": 0.5, "value": 1, "smooth": True}, {"at": 1, "value": 0}]


def box(size: list[float], counts: list[int] | None = None) -> dict[str, Any]:
    return {"operator": "box", "size": size, "counts": counts or [1, 1, 1]}


def maps(frame: Frame) -> dict[str, Any]:
    g = Graph.straight(np.array([0, 0.4, 1]), np.array([0.2, 1, 0.5]))
    return {
        "twist": twisting(frame, -8, 7, 200, 0.3),
        "twist, graph": twisting(frame, -8, 7, 200, 0.3, g),
        "taper": tapering(frame, -8, 7, (0.5, 0.2), g),
        "bend": bending(frame, -8, 7, 80, 1.0, -3),
        "stretch": stretching(frame, -8, 7, 25, keep_volume=True, still=0.2, along=g),
        "waves": waves(frame, -8, 7, 2, 3, 0.1),
        "rings": rings(frame, 2, 8, 2, 3, 0.1, g),
    }


class Published(unittest.TestCase):
    def test_barrs_bend(self) -> None:
        """deform.json: along y, towards +z; rate k, centre, from and to; the pieces beyond go straight on."""
        along_y = Frame(np.zeros(3), np.array([[0, 0, 1.0], [1, 0, 0], [0, 1, 0]]))
        for case in DEFORM["bend"]["cases"]:
            low, high = case["from"], case["to"]
            degrees = math.degrees(case["rate"] * (high - low))
            carried = bending(along_y, low, high, degrees, 0.0, case["centre"])
            points = np.array([row[0] for row in case["cases"]], dtype=float)
            np.testing.assert_allclose(carried(points), [row[1] for row in case["cases"]], atol=1e-12)

    def test_bars_bent_about_their_middle_or_a_face(self) -> None:
        """deform.json, boxes: of a bar of many rows, volume per width; error falls with the square of the rows."""
        for case in DEFORM["bend"]["boxes"]:
            length, thick = case["length"], case["thickness"]
            for neutral, expected in (("middle", "volume_per_width"), ("inside", "if_bent_about_the_lower_face")):
                errors = []
                for rows in (32, 64):
                    bar = box([thick, 1, length], [1, 1, rows])
                    made = body(bar, {"operator": "bend", "axis": "z", "angle": case["angle_deg"], "neutral": neutral})
                    errors.append(abs(float(signed_volume(made)) - case[expected]) / case[expected])
                self.assertLess(errors[1], 2e-3)
                self.assertAlmostEqual(errors[0] / errors[1], 4.0, delta=0.1)

    def test_a_bend_keeps_the_length_of_its_axis(self) -> None:
        """The chord of the middle line is that of an arc (deform.json); its length, of many rows, is the bar's."""
        for case in DEFORM["bend"]["boxes"]:
            n = 20_000
            line = np.column_stack([np.zeros(n + 1), np.zeros(n + 1), np.linspace(0, case["length"], n + 1)])
            bent = bending(frame_along("z"), 0, case["length"], case["angle_deg"], 0.0, 0.0)(line)
            self.assertAlmostEqual(float(np.linalg.norm(bent[-1] - bent[0])), case["chord_of_middle_line"], places=12)
            steps = np.linalg.norm(np.diff(bent, axis=0), axis=1).sum()
            self.assertAlmostEqual(float(steps) / case["length"], 1.0, places=8)

    def test_an_inside_radius_is_that_of_the_inside(self) -> None:
        for neutral in ("inside", "middle", "axis", "outside"):
            made = built(
                box([10, 4, 60], [1, 1, 60]), {"operator": "bend", "axis": "z", "inside_radius": 15, "neutral": neutral}
            )
            assert made.mesh is not None
            shift = {"inside": 5, "outside": -5}.get(neutral, 0)
            centre = np.array([shift + 15 + (5 - shift), 0])
            inner = made.mesh.points[np.isclose(body(box([10, 4, 60], [1, 1, 60])).points[:, 0], 5)][:, [0, 2]]
            np.testing.assert_allclose(np.linalg.norm(inner - centre, axis=1), 15, atol=1e-9)

    def test_volume_follows_the_determinant(self) -> None:
        """Barr 1984: of small boxes about points by chance, the volume changes by the Jacobian's determinant."""
        chance = np.random.default_rng(3)
        frame = frame_along(np.array([1.0, 2, 2]), np.array([0.5, -1, 2]))
        centres = chance.uniform(-6, 6, (200, 3))
        h = 1e-5
        steps = np.eye(3) * h
        for name, carried in maps(frame).items():
            jacobian = np.stack([(carried(centres + d) - carried(centres - d)) / (2 * h) for d in steps], axis=2)
            found = np.linalg.det(jacobian)
            t = (centres - frame.origin) @ frame.direction
            inside = (t > -8 + 1e-3) & (t < 7 - 1e-3)
            expected = np.ones(len(t))
            if name == "bend":
                k = math.radians(80) / 15
                expected = np.where(inside, 1 - k * ((centres - frame.origin) @ frame.axes[0] - 1.0), 1.0)
            if name == "taper":
                s = np.clip((t + 8) / 15, 0, 1)
                g = np.interp(s, [0, 0.4, 1], [0.2, 1, 0.5])
                expected = (1 - 0.5 * s) * g * (1 - 0.2 * s)
            if name == "stretch":
                knee = np.abs((t + 8) / 15 - 0.4) > 1e-3
                inside &= knee
            np.testing.assert_allclose(found[inside], expected[inside], rtol=2e-6, err_msg=name)

    def test_a_stretch_keeps_volume(self) -> None:
        """deform.json, stretch_volume_kept: axis s, sides 1/√s; with a graph, within 0.1 % of a finely divided cylinder."""
        for case in DEFORM["stretch_volume_kept"]["cases"]:
            made = body(box([1, 1, 1]), {"operator": "stretch", "axis": "z", "new_length": case["axis_factor"]})
            low, high = made.bounds
            np.testing.assert_allclose(high - low, [case["sides_factor"]] * 2 + [case["axis_factor"]], rtol=1e-12)
            self.assertAlmostEqual(float(area(made)), case["box_1_1_1_area"], places=9)
        fine = {"operator": "cylinder", "radius": 5, "height": 20, "sides": 48, "rows": 200}
        plain = float(signed_volume(body(fine)))
        for new in (12, 15, 30, 45):
            made = body(fine, {"operator": "stretch", "axis": "z", "new_length": new, "thickness": BULGE})
            self.assertAlmostEqual(float(signed_volume(made)) / plain, 1.0, delta=1e-3)
            low, high = made.bounds
            self.assertAlmostEqual(float(high[2] - low[2]), new, places=9)
            ends = made.points[np.isclose(made.points[:, 2], low[2])]
            self.assertAlmostEqual(float(np.hypot(ends[:, 0], ends[:, 1]).max()), 5.0, places=9)

    def test_waves_against_their_formulas(self) -> None:
        for phase, direction in ((0.0, 0), (0.25, 90), (-1.4, 37)):
            slab = box([4, 30, 60], [1, 4, 90])
            plain = body(slab).points
            values = {"depth": 3, "pitch": 17, "starts_at": phase, "direction": direction, "from": 10, "to": 50}
            made = body(slab, {"operator": "undulate", "axis": "z"} | values)
            z = np.clip(plain[:, 2], 10, 50)
            move = 1.5 * np.sin(2 * np.pi * ((z - 10) / 17 + phase))
            way = np.array([math.cos(math.radians(direction)), math.sin(math.radians(direction)), 0])
            np.testing.assert_allclose(made.points, plain + move[:, None] * way, atol=1e-9)
            check_sound(self, made)
        disc = box([60, 60, 2], [40, 40, 1])
        plain = body(disc).points
        made = body(
            disc, {"operator": "undulate", "axis": "z", "crests": "rings", "depth": 2, "count": 3, "from": 5, "to": 25}
        )
        r = np.hypot(plain[:, 0], plain[:, 1])
        rise = np.sin(2 * np.pi * (np.clip(r, 5, 25) - 5) * 3 / 20)
        np.testing.assert_allclose(made.points, plain + rise[:, None] * [0, 0, 1], atol=1e-9)
        self.assertAlmostEqual(float(signed_volume(made)), 7200.0, delta=1.0)

    def test_a_graph_holds_the_body_and_moves_the_tail(self) -> None:
        bar = box([4, 4, 60], [1, 1, 60])
        tail = [{"at": 0, "value": 0}, {"at": 0.5, "value": 0}, {"at": 1, "value": 1}]
        plain = body(bar).points
        for phase in (0.0, 0.3, 0.8):
            made = body(
                bar,
                {"operator": "undulate", "axis": "z", "depth": 6, "count": 2, "starts_at": phase, "depth_graph": tail},
            ).points
            still = plain[:, 2] <= 30
            np.testing.assert_array_equal(made[still], plain[still])
            self.assertGreater(float(np.abs(made - plain)[~still].max()), 1.0)

    def test_a_tapered_helix_meets_its_cone(self) -> None:
        """A wire on a cylinder of radius R, tapered 1 : n, lies on the cone of radius R - z / 2n."""
        coil = {"operator": "helix", "coil_diameter": 30, "wire_diameter": 2, "turns": 4, "pitch": 8, "sides": 8}
        made = built(coil, {"operator": "taper", "axis": {"point": [0, 0, 0], "direction": [0, 0, 1]}, "ratio": 4})
        plain, tapered = body(coil).points, made.mesh.points
        low, high = plain[:, 2].min(), plain[:, 2].max()
        reach = np.hypot(plain[:, 0], plain[:, 1])
        scale = 1 - (plain[:, 2] - low) / (high - low) * ((high - low) / (4 * 2 * reach.max()))
        np.testing.assert_allclose(np.hypot(tapered[:, 0], tapered[:, 1]), reach * scale, atol=1e-9)
        outer = np.isclose(reach, reach.max(), rtol=0, atol=1e-6)
        cone = reach.max() - (tapered[outer, 2] - low) / (2 * 4)
        np.testing.assert_allclose(np.hypot(*tapered[outer, :2].T), cone, atol=1e-6)


class Common(unittest.TestCase):
    def test_sines_of_our_own(self) -> None:
        """Beside those of the C library: by no more than the last digit, exact at 0, right round many turns."""
        chance = np.random.default_rng(11)
        angles = np.concatenate(
            [chance.uniform(-10, 10, 20_000), chance.uniform(-1e5, 1e5, 20_000), np.arange(-40, 41) * np.pi / 4]
        )
        sine, cosine = _sines.plain(angles)
        self.assertLessEqual(float(np.abs(sine - np.sin(angles)).max()), 2.3e-16)
        self.assertLessEqual(float(np.abs(cosine - np.cos(angles)).max()), 2.3e-16)
        self.assertEqual(tuple(float(v) for v in _sines.plain(np.array(0.0))), (0.0, 1.0))

    def test_arrays_and_loops_agree_and_no_strength_is_the_identity(self) -> None:
        chance = np.random.default_rng(7)
        points = chance.uniform(-10, 10, (FEW + 500, 3))
        for frame in (frame_along("z"), frame_along(np.array([1.0, 2, 3]), np.array([1.0, 1, 1]))):
            for name, carried in maps(frame).items():
                weights = chance.uniform(0, 1, len(points))
                weights[::3] = 0
                for amount in (1.0, 0.3, weights):
                    many = carried(points, amount)
                    few = carried(points[:400], amount if isinstance(amount, float) else amount[:400])
                    np.testing.assert_allclose(many[:400], few, atol=1e-12, err_msg=name)
                np.testing.assert_array_equal(many[::3], points[::3], err_msg=name)
                np.testing.assert_array_equal(carried(points, 0.0), points)

    def test_strength_and_mask_are_linear(self) -> None:
        """Half of it is half the turn, the angle, the depth, the growth: the same as half the number."""
        halves = [
            ("twist", {"turn": 80}, {"turn": 40}),
            ("bend", {"angle": 80}, {"angle": 40}),
            ("stretch", {"new_length": 60}, {"new_length": 50}),
            ("undulate", {"depth": 6, "pitch": 9}, {"depth": 3, "pitch": 9}),
            ("relief", {"depth": 6, "size": 9}, {"depth": 3, "size": 9}),
            ("taper", {"ratio": 5}, {"ratio": 10}),
        ]
        bar = box([8, 6, 40], [3, 3, 12])
        everywhere = {"graph": [{"at": 0, "value": 0.5}], "along": "z"}
        for name, whole, half in halves:
            expected = body(bar, {"operator": name, "axis": "z"} | half).points
            for more in ({"strength": 0.5}, {"weights": everywhere}):
                got = body(bar, {"operator": name, "axis": "z"} | whole | more).points
                np.testing.assert_allclose(got, expected, atol=1e-12, err_msg=name)
            none = body(bar, {"operator": name, "axis": "z", "strength": 0} | whole).points
            np.testing.assert_array_equal(none, body(bar).points, err_msg=name)

    def test_the_order_counts_and_each_is_the_formulas_by_hand(self) -> None:
        bar = box([8, 6, 40], [2, 2, 20])
        plain = body(bar).points
        axis = {"point": [0, 0, 0], "direction": [0, 0, 1]}

        def twisted(p: Floats, low: float, high: float) -> Floats:
            a = np.radians(90) * np.clip((p[:, 2] - low) / (high - low), 0, 1)
            x, y = p[:, 0], p[:, 1]
            return np.column_stack([x * np.cos(a) - y * np.sin(a), x * np.sin(a) + y * np.cos(a), p[:, 2]])

        def bent(p: Floats, low: float, high: float) -> Floats:
            k = np.radians(60) / (high - low)
            inside = np.clip(p[:, 2], low, high)
            a = k * (inside - low)
            over = p[:, 2] - inside
            x = 1 / k + (p[:, 0] - 1 / k) * np.cos(a) + over * np.sin(a)
            return np.column_stack([x, p[:, 1], low - (p[:, 0] - 1 / k) * np.sin(a) + over * np.cos(a)])

        bend = {"operator": "bend", "angle": 60, "axis": axis}
        twist = {"operator": "twist", "turn": 90, "axis": axis}
        first = body(bar, bend, twist).points
        second = body(bar, twist, bend).points
        self.assertGreater(float(np.abs(first - second).max()), 1.0)
        np.testing.assert_allclose(second, bent(twisted(plain, 0, 40), 0, 40), atol=1e-9)
        by_hand = bent(plain, 0, 40)
        np.testing.assert_allclose(first, twisted(by_hand, by_hand[:, 2].min(), by_hand[:, 2].max()), atol=1e-9)

    def test_beyond_the_stretch_the_body_goes_on(self) -> None:
        """Edges beyond it keep their lengths and directions among themselves, for maps that turn or move."""
        bar = box([6, 6, 60], [1, 1, 30])
        plain = body(bar).points
        for name, values in (
            ("bend", {"angle": 70}),
            ("twist", {"turn": 70}),
            ("undulate", {"pitch": 7}),
            ("stretch", {"keep_volume": False}),
        ):
            made = body(bar, {"operator": name, "axis": "z", "from": 20, "to": 40} | values).points
            for side in (plain[:, 2] <= 20, plain[:, 2] >= 40):
                a, b = plain[side], made[side]
                np.testing.assert_allclose(
                    np.linalg.norm(b[:, None] - b, axis=2),
                    np.linalg.norm(a[:, None] - a, axis=2),
                    atol=1e-9,
                    err_msg=name,
                )

    def test_grips_lie_on_the_body(self) -> None:
        bar = box([8, 6, 40], [3, 3, 16])
        for name, values in (
            ("bend", {}), ("bend", {"inside_radius": 30}), ("bend", {"angle": 150}), ("twist", {}), ("taper", {}), ("stretch", {}), ("undulate", {}),
            ("undulate", {"crests": "rings", "count": 2, "depth": 1}), ("relief", {}),
        ):  # fmt: skip
            made = built(bar, {"operator": name, "axis": "z"} | values)
            result = made.steps[1].result
            assert result is not None
            ends = result.mesh.points[result.mesh.connectivity.edges]
            for c in result.callouts:
                grip = np.array(c.held_at)
                if c.target.endswith("size"):
                    continue  # it is as long as the pattern
                a, d = ends[:, 0], ends[:, 1] - ends[:, 0]
                t = np.clip(np.einsum("ij,ij->i", grip - a, d) / np.einsum("ij,ij->i", d, d), 0, 1)
                away = np.linalg.norm(a + t[:, None] * d - grip, axis=1).min()
                self.assertLess(float(away), 0.9 if c.target.endswith("inside_radius") else 1e-6, f"{name} {c.target}")

    def test_a_drag_of_a_callout_follows_the_grip(self) -> None:
        """Where the number is changed by what a small pull says, the grip has come to where it was pulled."""
        bar = box([8, 6, 40], [3, 3, 40])
        for name, key, value in (
            ("stretch", "new_length", 50.0),
            ("undulate", "depth", 4.0),
            ("relief", "depth", 3.0),
            ("bend", "inside_radius", 30.0),
        ):
            pull = 1e-4
            first = next(
                c
                for c in built(bar, {"operator": name, "axis": "z", key: value}).steps[1].result.callouts
                if c.target.endswith(key)
            )
            then = built(bar, {"operator": name, "axis": "z", key: value + pull * first.gain}).steps[1].result
            assert then is not None
            second = next(c for c in then.callouts if c.target.endswith(key))
            moved = (np.array(second.held_at) - first.held_at) @ np.array(first.along)
            if name == "bend":  # the centre stands still for the hand, the rim is what is pulled
                moved = np.linalg.norm(np.array(second.held_at) - second.at) - np.linalg.norm(
                    np.array(first.held_at) - first.at
                )
            # the crest of a wave lies between rows: they lower it a little
            self.assertAlmostEqual(float(moved) / pull, 1.0, delta=0.05 if name == "undulate" else 1e-3, msg=name)


class Said(unittest.TestCase):
    def test_what_cannot_be(self) -> None:
        refused: list[tuple[dict[str, Any], str, str]] = [
            ({"operator": "bend", "inside_radius": 0, "neutral": "inside"}, "keeps its length none", "inside_radius"),
            ({"operator": "bend", "angle": 10, "inside_radius": 5}, "say the same thing", ""),
            ({"operator": "stretch", "new_length": 2, "thickness": BULGE}, "pressed to nothing", "new_length"),
            ({"operator": "stretch", "thickness": [{"at": 0, "value": -1}]}, "shares from 0", "thickness"),
            ({"operator": "undulate", "pitch": 1e-6}, "over a million waves", "pitch"),
            ({"operator": "taper", "by": "angle", "angle": 100}, "runs to a point", "angle"),
            (
                {"operator": "taper", "by": "graphs", "width_graph": [{"at": 0, "value": 0}]},
                "falls to 0",
                "width_graph",
            ),
            ({"operator": "relief", "pattern": "image"}, "Picture is not given", "picture"),
            ({"operator": "rows", "from": 5, "to": 4}, "not after they begin", "to"),
        ]
        for values, words, field in refused:
            with self.subTest(words), self.assertRaises(CoreError) as caught:
                built(box([10, 10, 10]), {"axis": "z"} | values)
            self.assertIn(words, caught.exception.message)
            if field:
                self.assertEqual(caught.exception.field, field)

    def test_too_few_rows_are_told_and_what_is_offered_mends_it(self) -> None:
        bar = box([8, 6, 40])
        for name, values in (
            ("bend", {"angle": 90}), ("twist", {"turn": 90}), ("stretch", {"thickness": BULGE}), ("undulate", {"depth": 5}),
            ("taper", {"by": "graphs", "width_graph": [{"at": 0, "value": 1}, {"at": 0.5, "value": 2, "smooth": True}, {"at": 1, "value": 1}]}),
        ):  # fmt: skip
            step = {"operator": name, "axis": "z"} | values
            notes = built(bar, step).steps[1].notes
            warned = [n for n in notes if n.level == "warning"]
            self.assertTrue(warned, name)
            for operator, offered, words in warned[0].before:
                self.assertIn("before", words)
                mended = built(bar, {"operator": operator} | dict(offered), step)
                self.assertEqual(
                    [n.text for n in mended.steps[2].notes if n.level == "warning"], [], f"{name} {operator}"
                )

    def test_a_bend_that_folds_says_how_far_it_can_go(self) -> None:
        bar = box([20, 6, 40], [1, 1, 60])
        note = built(bar, {"operator": "bend", "axis": "z", "angle": 300}).steps[1].notes[0]
        assert note.solve is not None
        self.assertAlmostEqual(note.solve[1], math.degrees(40 / 10), delta=1e-2)
        again = built(bar, {"operator": "bend", "axis": "z", "angle": note.solve[1]})
        self.assertFalse([n for n in again.steps[1].notes if n.level == "warning"])
        self.assertIn("runs through itself", note.text)


class Rows(unittest.TestCase):
    def test_cutting_keeps_the_surface(self) -> None:
        chance = random.Random(4)
        blanks = [box([9, 7, 30]), {"operator": "sphere", "radius": 9}, {"operator": "cylinder", "radius": 6, "height": 22, "sides": 13},
                  {"operator": "helix", "coil_diameter": 20, "wire_diameter": 3, "turns": 2, "pitch": 7}]  # fmt: skip
        for blank in blanks:
            plain = body(blank)
            for _ in range(4):
                axis = {
                    "point": [0.3, 0, 0],
                    "direction": [chance.uniform(-1, 1), chance.uniform(-1, 1), chance.uniform(-1, 1)],
                }
                cut = body(
                    blank,
                    {
                        "operator": "rows",
                        "axis": axis,
                        "count": chance.randint(2, 40),
                        "from": f"{chance.randint(0, 40)} %",
                    },
                )
                check_sound(self, cut)
                flat = blank["operator"] in ("box", "cylinder")  # bent faces are other triangles once they are cut
                for measure in (signed_volume, area):
                    self.assertAlmostEqual(
                        float(measure(cut)) / float(measure(plain)), 1.0, delta=1e-12 if flat else 1e-3
                    )
                self.assertGreater(cut.n_faces, plain.n_faces)

    def test_a_box_in_rows_is_the_box_with_rows(self) -> None:
        cut = body(box([10, 8, 30]), {"operator": "rows", "axis": "z", "count": 6})
        made = body(box([10, 8, 30], [1, 1, 6]))
        self.assertEqual((cut.n_faces, cut.n_points), (made.n_faces, made.n_points))
        key = lambda p: p[np.lexsort(np.round(p, 9).T)]  # noqa: E731
        np.testing.assert_allclose(key(cut.points), key(made.points), atol=1e-12)
        self.assertTrue((cut.sides == 4).all())


class ByChance(unittest.TestCase):
    def test_closed_in_closed_out_at_odd_sizes(self) -> None:
        chance = random.Random(9)
        for size, far in ((1.0, 0.0), (1e-3, 0.0), (1e6, 0.0), (1.0, 1e5)):
            for name, values in (
                ("bend", {"angle": 15}), ("twist", {"turn": 70}), ("stretch", {}), ("undulate", {}), ("relief", {}), ("taper", {}), ("rows", {"count": 9}),
                ("undulate", {"crests": "rings"}), ("relief", {"pattern": "cells"}),
            ):  # fmt: skip
                lies = {"point": [far, 0, 0], "direction": [chance.uniform(-1, 1), 0.3, 1]}
                axis = chance.choice(["x", "y", "z", "longest", lies])
                made = built(
                    box([6 * size, 5 * size, 20 * size], [3, 3, 12]), {"operator": name, "axis": axis} | values
                )
                with self.subTest(operator=name, size=size, far=far, axis=axis):
                    check_sound(self, made.mesh)

    def test_a_graphs_integral(self) -> None:
        summed, whole, most = integral_of(Graph.straight(np.array([0, 0.5, 1]), np.array([0.0, 1, 0])))
        self.assertAlmostEqual(whole, 0.5, places=12)
        self.assertEqual(most, 1.0)
        np.testing.assert_allclose(summed(np.array([0, 0.25, 0.5, 0.8, 1])), [0, 1 / 16, 0.25, 0.46, 0.5], atol=1e-12)

    def test_a_turned_frame_is_right_handed(self) -> None:
        f = turned(frame_along("x"), 30)
        self.assertAlmostEqual(float(np.linalg.det(f.axes)), 1.0)


if __name__ == "__main__":
    unittest.main()
