"""Picks: every rule by counting, joins, what is kept by hand found again, offers, errors."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from jukai.core.errors import Cancelled, CoreError
from jukai.core.geometry.elements import loop_through, strip_across
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context
from jukai.core.operators.registry import get_operator
from jukai.core.picks.finding import element_of
from jukai.core.picks.offers import looks_like
from jukai.core.picks.picked import Picked
from jukai.core.picks.rules import resolve_pick
from jukai.core.recipe.bench import Bench, NamedNumber, Part, Step
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.evaluate import evaluate
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
            # a face has 4 edges and 4 points; the points of a cap its 12 edges and, all of them picked, itself
            ({"rule": "belonging_to", "pick": {"of": "faces", "rule": "facing", "direction": [0, 0, 1], "within": 10}}, 12),
            ({"rule": "belonging_to", "pick": {"of": "faces", "rule": "group", "step": "s1", "name": "walls"}, "of": "points"}, 48),
            ({"rule": "belonging_to", "pick": {"of": "points", "rule": "inside", "shape": "half_space", "point": [0, 0, 9], "direction": [0, 0, 1]}, "of": "faces"}, 1),
            ({"rule": "belonging_to", "pick": {"of": "edges", "rule": "sharper_than", "angle": 60}, "of": "faces"}, 2),
            ({"rule": "belonging_to", "pick": {"of": "edges", "rule": "sharper_than", "angle": 60}, "of": "points"}, 24),
            # one upright edge has the same length and turn as all 36; a wall is like the others of its row and of all rows
            ({"rule": "same_as", "start": {"at": [5, 0, 1.5]}}, 36),
            ({"rule": "same_as", "start": {"at": [4.83, 1.29, 1.5]}, "of": "faces"}, 36),
            ({"rule": "same_as", "start": {"at": [5, 0, 0]}, "of": "points"}, 24),
            # a cap grows by the row of 12 walls that touch it, then by another; 12 + 12 + 12 edges touch the rim of a cap
            ({"rule": "grown", "pick": {"rule": "facing", "direction": [0, 0, 1], "within": 10}, "of": "faces"}, 13),
            ({"rule": "grown", "by": 2, "pick": {"rule": "facing", "direction": [0, 0, 1], "within": 10}, "of": "faces"}, 25),
            ({"rule": "grown", "by": -1, "pick": {"rule": "group", "step": "s1", "name": "walls"}, "of": "faces"}, 12),
            ({"rule": "grown", "pick": {"rule": "inside", "shape": "half_space", "point": [0, 0, 9], "direction": [0, 0, 1]}, "of": "points"}, 24),
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
            ({"rule": "named", "name": "crown"}, "no pick 'crown'"), ({"rule": "grown", "pick": {"rule": "rim"}, "by": 5000}, "grown by 5000"),
            ({"rule": "belonging_to", "pick": {"of": "bodies", "rule": "rim"}}, "bodies"), ({"rule": "belonging_to"}, "no pick"),
        ]  # fmt: skip
        for raw, words in cases:
            with self.subTest(raw), self.assertRaises(CoreError) as caught:
                pick(raw)
            self.assertIn(words, caught.exception.message)


class Named(unittest.TestCase):
    def test_used_by_name_also_as_another_kind(self) -> None:
        named = {"top": {"of": "faces", "rule": "facing", "direction": [0, 0, 1], "within": 10}, "round": {"rule": "named", "name": "top"},
                 "a": {"rule": "named", "name": "b"}, "b": {"join": [{"rule": "rim"}, {"and_also": {"rule": "named", "name": "a"}}]}}  # fmt: skip
        for name in ("top", "round"):
            picked, _ = resolve_pick({"rule": "named", "name": name}, cube(), KINDS, number, "pick", named)
            self.assertEqual((picked.kind, picked.count), ("edges", 4))
        with self.assertRaises(CoreError) as caught:
            resolve_pick({"rule": "named", "name": "a"}, cube(), KINDS, number, "pick", named)
        self.assertIn("a → b → a", caught.exception.message)

    def test_kept_changed_and_taken_out_by_edits(self) -> None:
        box = Step(id="s1", operator="box")
        bevel = Step(id="s2", operator="bevel", values={"width": 1, "pick": {"rule": "named", "name": "crown"}})
        bench = Bench(
            name="B",
            dimensions=[NamedNumber(name="rim", value=40)],
            parts=[Part(id="p1", name="P", recipe=[box, bevel])],
        )
        top = {"rule": "facing", "direction": [0, 0, 1], "within": "rim + 10"}
        bench = apply_edit(bench, parse_edit({"kind": "set_pick", "part": "p1", "name": "crown", "pick": top}))
        self.assertEqual(evaluate(bench, "p1").steps[1].shown["pick"], 4)
        # the named number is renamed in it; the words of rules are left alone
        bench = apply_edit(
            bench, parse_edit({"kind": "set_pick", "part": "p1", "name": "open", "pick": {"rule": "rim"}})
        )
        bench = apply_edit(bench, parse_edit({"kind": "rename_dimension", "name": "rim", "new_name": "edge"}))
        self.assertEqual([p.pick for p in bench.parts[0].picks], [top | {"within": "edge + 10"}, {"rule": "rim"}])
        with self.assertRaises(CoreError) as caught:
            apply_edit(bench, parse_edit({"kind": "set_pick", "part": "p1", "name": "crown", "pick": None}))
        self.assertIn("used in step s2", caught.exception.message)
        bench = apply_edit(bench, parse_edit({"kind": "set_pick", "part": "p1", "name": "open", "pick": None}))
        self.assertEqual([p.name for p in bench.parts[0].picks], ["crown"])


class ByHand(unittest.TestCase):
    def test_many_are_found_as_one_by_one(self) -> None:
        """From some millions of pairs on a tree finds them; the same are found, those gone are told."""
        mesh = body({"operator": "box", "counts": [60, 60, 60], "size": [60, 60, 60]})
        faces = np.random.default_rng(1).permutation(mesh.n_faces)[:800]
        elements = [element_of(mesh, "faces", int(f)) for f in faces]
        elements.append({"at": [500, 0, 0]})
        self.assertGreater(len(elements) * mesh.n_faces, 2_000_000)
        picked, notes = pick({"rule": "by_hand", "elements": elements, "of": "faces"}, mesh)
        np.testing.assert_array_equal(np.flatnonzero(picked.mask), np.sort(faces))
        self.assertIn("1 picked face is not there", notes[0].text)

    def test_history_decides_between_two_that_are_as_near(self) -> None:
        """The walls of a tube stand back to back: of two faces at one place the one with the history is meant."""
        mesh = body({"operator": "cylinder", "sides": 12}, {"operator": "bevel", "width": 0.5, "segments": 1})
        strips = np.flatnonzero(mesh.group_faces("s2", "strips"))
        one = element_of(mesh, "faces", int(strips[3]))
        self.assertEqual(one["lineage"][-1], ["s2", "strips"])
        picked, _ = pick(
            {"rule": "by_hand", "elements": [one | {"at": [x * 1.01 for x in one["at"]]}], "of": "faces"}, mesh
        )
        self.assertEqual(np.flatnonzero(picked.mask).tolist(), [strips[3]])

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
        torus = reference_mesh("torus_8x6.obj")
        loop, _ = pick(
            {"rule": "loop_through", "start": {"at": torus.points[torus.connectivity.edges[9]].mean(axis=0).tolist()}},
            torus,
        )
        self.assertIn("the loop through one of them", [w for w, _ in looks_like(torus, loop)])
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
            ({"segments": 1}, "one segment is flat"), ({"roundness": 0}, "segments only divide"), ({"at_neighbours": "run_on"}, "would change nothing"),
            ({"corners": "mitre", "pick": {"rule": "facing", "direction": [0, 0, 1], "within": 50}}, "nothing to mitre"),
            ({"corners": "mitre", "pick": {"rule": "everything", "of": "points"}}, "no strips to mitre"),
            ({"further_picks": [{"pick": {"rule": "rim"}, "width": 2}]}, "Further pick 1 picks nothing"), ({"roundness": 1.5}, "odd number"), ({"pick": {"rule": "group", "step": "s7", "name": "x"}}, "no face of the group"),
        ]  # fmt: skip
        for values, words in cases:
            with self.subTest(values):
                e = built({"operator": "box", "size": [20, 20, 20]}, {"operator": "bevel", "width": 1} | values)
                self.assertTrue(any(words in n.text for n in e.steps[1].notes), [n.text for n in e.steps[1].notes])
        for first, values, words in (
            ({}, {"surface": "a_finish_of_its_own", "finish": "Gold"}, "no finish 'Gold'"),
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

    def test_further_picks_have_widths_of_their_own(self) -> None:
        """A 20 mm cube: all edges by 1 mm, those of the top by 3, one of them by none: 11 strips, and the volumes of chamfers."""
        up = {"rule": "facing", "direction": [0, 0, 1], "within": 50}
        one = {"rule": "by_hand", "elements": [{"at": [10, 0, 20]}]}
        bevel = {
            "operator": "bevel",
            "width": 1,
            "segments": 1,
            "further_picks": [{"pick": up, "width": "2 + 1"}, {"pick": one, "width": 0}],
        }
        e = built({"operator": "box", "size": [20, 20, 20]}, bevel)
        step = e.steps[1]
        self.assertEqual(
            (
                step.shown["further_picks/0/width"],
                step.shown["further_picks/0/pick"],
                step.shown["further_picks/1/pick"],
            ),
            (3, 4, 1),
        )
        assert step.result is not None
        self.assertEqual(int(step.result.mesh.group_faces("s2", "strips").sum()), 11)
        targets = [c.target for c in step.result.callouts]
        self.assertEqual(targets, ["values/width", "values/segments", "values/further_picks/0/width"])
        self.assertEqual([round(c.slope, 9) for c in step.result.callouts if c.slope], [45, 45])
        check_sound(self, step.result.mesh)
        # too wide: the largest first width that does not stop leaves the others as they are
        e = built({"operator": "box", "size": [20, 20, 20]}, bevel | {"width": 30})
        assert e.steps[1].result is not None
        solve = next(n.solve for n in e.steps[1].notes if n.solve)
        self.assertAlmostEqual(solve[1], 10, places=3)
        stopped = [c.stopped for c in e.steps[1].result.callouts if c.target == "values/width"]
        self.assertAlmostEqual(stopped[0] or 0, 10, places=3)
        for further, words in (
            ([{"pick": up}], "each with a pick and a width"), ([{"pick": up, "width": -1}], "width of further pick 1"),
            ([{"pick": up | {"of": "points"}, "width": 1}], "a pick of points"), ("wide", "a list of up to"),
        ):  # fmt: skip
            with self.subTest(further), self.assertRaises(CoreError) as caught:
                built({"operator": "box"}, {"operator": "bevel", "further_picks": further})
            self.assertIn(words, caught.exception.message)

    def test_a_bevel_tells_how_far_it_is_and_can_be_stopped(self) -> None:
        told: list[float] = []
        context = Context("s2", on_progress=lambda _, f: told.append(f))
        mesh = body({"operator": "box"})
        op = get_operator("bevel")
        values = op.values.model_validate({"pick": Picked("edges", np.ones(12, bool)), "width": 1})
        op.apply(mesh, values, context)
        self.assertGreater(len(told), 4)
        self.assertEqual(told, sorted(told))
        for many in range(1, len(told)):
            context = Context("s2", on_progress=lambda _, f: None, stop=iter([False] * many + [True]).__next__)
            with self.assertRaises(Cancelled):
                op.apply(mesh, values, context)

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
