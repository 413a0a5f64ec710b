"""Picks: every rule by counting, joins, what is kept by hand found again, offers, errors."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.elements import loop_through, strip_across
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Note, Picked
from jukai.core.recipe.picks import looks_like, resolve_pick
from tests.common import check_sound, cube, reference_mesh
from tests.recipes import body, built

KINDS = ("edges", "points", "faces")


def number(raw: Any, **_: Any) -> float:
    return float(raw)


def pick(raw: Any, mesh: Mesh | None = None) -> tuple[Picked, list[Note]]:
    return resolve_pick(raw, mesh if mesh is not None else cube(), KINDS, number, "pick")


class Rules(unittest.TestCase):
    def test_counts_on_a_cylinder(self) -> None:
        """12 sides, 3 rows, capped: 48 points, 36 upright and 48 round edges, 38 faces, by counting."""
        mesh = body({"operator": "cylinder", "sides": 12, "rows": 3, "radius": 5, "height": 9})
        hand = {"rule": "by_hand", "elements": [{"at": [5, 0, 0]}]}
        cases: list[tuple[dict[str, Any], int]] = [
            ({"rule": "everything"}, 84), ({"rule": "everything", "of": "points"}, 48), ({"rule": "everything", "of": "faces"}, 38),
            ({"rule": "sharper_than", "angle": 60}, 24), ({"rule": "sharper_than"}, 24), ({"rule": "sharper_than", "angle": 29}, 60),
            ({"rule": "sharper_than", "angle": 60, "of": "points"}, 24), ({"rule": "rim"}, 0),
            ({"rule": "group", "step": "s1", "name": "start_cap"}, 12), ({"rule": "group", "step": "s1", "name": "walls", "of": "faces"}, 36),
            ({"rule": "facing", "direction": [0, 0, 1], "within": 10, "of": "faces"}, 1),
            ({"rule": "facing", "direction": [0, 0, 2], "within": 50}, 12),
            ({"rule": "inside", "shape": "box", "centre": [0, 0, 9], "size": [20, 20, 1]}, 12),
            ({"rule": "inside", "shape": "ball", "centre": [0, 0, 0], "radius": 5, "of": "points"}, 12),
            ({"rule": "inside", "shape": "half_space", "point": [0, 0, 4], "direction": [0, 0, 1], "of": "points"}, 24),
            ({"rule": "every_nth", "among": {"rule": "sharper_than", "angle": 60}, "n": 2}, 12),
            ({"rule": "every_nth", "n": 3, "first": 1, "of": "points"}, 16),
            ({"join": [{"rule": "sharper_than", "angle": 60}, {"but_not": {"rule": "facing", "direction": [0, 0, 1], "within": 50}}]}, 12),
            ({"join": [{"rule": "rim"}, {"and_also": {"rule": "group", "step": "s1", "name": "end_cap"}}]}, 12),
            ({"rule": "finish", "name": "Brass"}, 0), ({**hand, "of": "points"}, 1),
        ]  # fmt: skip
        for raw, count in cases:
            with self.subTest(raw):
                picked, _ = pick(raw, mesh)
                self.assertEqual(picked.count, count)

    def test_loops_and_strips(self) -> None:
        torus = reference_mesh("torus_8x6.obj")
        con = torus.connectivity
        seen = {len(loop_through(torus, e)) for e in range(con.n_edges)}
        self.assertEqual(seen, {6, 8})
        for e in range(0, con.n_edges, 7):
            edges, faces = strip_across(torus, e)
            self.assertEqual(len(edges), len(faces))
            self.assertEqual({len(edges), len(loop_through(torus, e))}, {6, 8})
        rim = reference_mesh("open_box.obj")
        edge = int(np.flatnonzero(rim.connectivity.edge_sides == 1)[0])
        np.testing.assert_array_equal(loop_through(rim, edge), np.flatnonzero(rim.connectivity.edge_sides == 1))
        moebius = reference_mesh("moebius_strip.obj")
        for e in range(moebius.connectivity.n_edges):
            self.assertGreater(len(loop_through(moebius, e)), 0)
            strip_across(moebius, e)

    def test_errors_say_what_would_work(self) -> None:
        cases: list[tuple[Any, str]] = [
            ({"rule": "softer_than"}, "no rule 'softer_than'"), ("all", "no pick"), ({"rule": "rim", "angle": 3}, "has no 'angle'"),
            ({"join": []}, "list of picks"), ({"join": [{"rule": "rim"}, {"or": {}}]}, "'and_also' or 'but_not'"),
            ({"rule": "facing", "direction": [0, 0, 0]}, "0 in all three"), ({"rule": "inside", "shape": "egg"}, "'egg'"),
            ({"rule": "every_nth", "n": 0}, "picks nothing"), ({"rule": "by_hand", "elements": [3]}, "'at'"),
            ({"rule": "group", "step": "s1"}, "names its step"), ({"rule": "everything", "of": "bodies"}, "bodies"),
        ]  # fmt: skip
        for raw, words in cases:
            with self.subTest(raw), self.assertRaises(CoreError) as caught:
                pick(raw)
            self.assertIn(words, caught.exception.message)


class ByHand(unittest.TestCase):
    def test_found_again_after_the_body_changed(self) -> None:
        """An edge of the top is found after the count of sides changed a little; one that is gone is told with its place."""
        before = body({"operator": "cylinder", "sides": 12, "radius": 5, "height": 9})
        at = before.points[before.connectivity.edges].mean(axis=1)
        top = np.flatnonzero(at[:, 2] == 9)[:3]
        elements = [{"at": at[e].tolist(), "normal": [0, 0, 1]} for e in top]
        after = body({"operator": "cylinder", "sides": 12, "radius": 5.2, "height": 9.1})
        picked, notes = pick({"rule": "by_hand", "elements": elements}, after)
        self.assertEqual((picked.count, notes), (3, []))
        np.testing.assert_array_equal(np.flatnonzero(picked.mask), top)
        far = body({"operator": "cylinder", "sides": 12, "radius": 5, "height": 20})
        picked, notes = pick({"rule": "by_hand", "elements": elements}, far)
        self.assertEqual(picked.count, 0)
        self.assertIn("3 picked edges are not there any more", notes[0].text)
        self.assertEqual(len(notes[0].places), 3)

    def test_an_edge_is_told_from_another_near_by_its_side(self) -> None:
        slab = cube().with_points(cube().points * [10, 10, 0.01])
        up = {"at": [5, 0, 0.01], "normal": [0, -0.7, 0.7]}
        picked, _ = pick({"rule": "by_hand", "elements": [up]}, slab)
        edge = slab.points[slab.connectivity.edges[picked.mask]]
        self.assertTrue((edge[:, :, 2] == 0.01).all())

    def test_what_it_looks_like(self) -> None:
        mesh = cube()
        everything, _ = pick({"rule": "everything"})
        self.assertIn("sharper than 30°", [w for w, _ in looks_like(mesh, everything)])
        cylinder = body({"operator": "cylinder", "sides": 24})
        rims, _ = pick({"rule": "sharper_than", "angle": 60}, cylinder)
        for _words, rule in looks_like(cylinder, rims):
            again, _ = pick(rule, cylinder)
            np.testing.assert_array_equal(again.mask, rims.mask)
        self.assertTrue(looks_like(cylinder, rims))
        odd, _ = pick({"rule": "every_nth", "n": 5}, cylinder)
        self.assertEqual(looks_like(cylinder, odd), [])


class Steps(unittest.TestCase):
    def test_a_rule_still_holds_when_earlier_numbers_change(self) -> None:
        for sides in (12, 30):
            e = built(
                {"operator": "cylinder", "sides": sides},
                {"operator": "bevel", "width": 1, "segments": 2, "pick": {"rule": "sharper_than", "angle": 60}},
            )
            self.assertEqual(e.steps[1].shown["pick"], 2 * sides)
            self.assertEqual(e.steps[1].faces_added, 4 * sides)

    def test_what_a_bevel_says(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            ({"pick": {"rule": "rim"}}, "nothing is bevelled"), ({"width": 0}, "leaves the edges"), ({"width": 90}, "stopped"),
            ({"segments": 1}, "one segment is flat"), ({"roundness": 1.5}, "odd number"), ({"pick": {"rule": "group", "step": "s7", "name": "x"}}, "no face of the group"),
        ]  # fmt: skip
        for values, words in cases:
            with self.subTest(values):
                e = built({"operator": "box", "size": [20, 20, 20]}, {"operator": "bevel", "width": 1} | values)
                self.assertTrue(any(words in n.text for n in e.steps[1].notes), [n.text for n in e.steps[1].notes])
        for first, values, words in (
            ({}, {"finish": "Gold"}, "no finish 'Gold'"),
            ({"counts": [40, 40, 40]}, {"segments": 64, "pick": {"rule": "everything"}}, "the most a part may have"),
        ):
            with self.assertRaises(CoreError) as caught:
                built({"operator": "box"} | first, {"operator": "bevel"} | values, face_limit=100_000)
            self.assertIn(words, caught.exception.message)

    def test_the_callout_follows_what_the_width_measures(self) -> None:
        """On a hexagonal prism the walls turn by 60°: a radius r has legs r tan 30°, so a drag of 1 mm is 1 / tan 30°."""
        prism = {"operator": "cylinder", "sides": 6, "radius": 10, "height": 30}
        upright = {"rule": "facing", "direction": [1, 0, 0], "within": 20}
        for measured, gain in (("leg", 1.0), ("radius", 3**0.5), ("face", 3**0.5)):
            e = built(prism, {"operator": "bevel", "width": 1, "measured_as": measured, "pick": upright})
            assert e.steps[1].result is not None
            self.assertAlmostEqual(e.steps[1].result.callouts[0].gain, gain, places=9)

    def test_points_offer_the_width_that_fits(self) -> None:
        e = built(
            {"operator": "box", "size": [20, 20, 20]},
            {"operator": "bevel", "width": 15, "pick": {"rule": "everything", "of": "points"}},
        )
        self.assertEqual(e.steps[1].notes[0].solve, ("width", 10.0, "the largest width that does not stop"))

    def test_order_of_twist_and_bevel(self) -> None:
        box, bevel, twist = (
            {"operator": "box", "counts": [1, 1, 12]},
            {"operator": "bevel", "width": 1},
            {"operator": "twist", "turn": 20},
        )
        one, two = body(box, bevel, twist), body(box, twist, bevel)
        self.assertNotEqual(one.digest(), two.digest())
        check_sound(self, one)
        check_sound(self, two)


if __name__ == "__main__":
    unittest.main()
