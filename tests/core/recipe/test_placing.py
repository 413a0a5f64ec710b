"""Where parts stand: placements, zero points, extents, lining up, spreading, bringing together."""

from __future__ import annotations

import random
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.placing import placed_bounds
from jukai.core.recipe.arranging import ARRANGING, arranged
from jukai.core.recipe.bench import SIDES, Bench
from jukai.core.recipe.edits import apply_edit, edit_label, parse_edit
from jukai.core.recipe.evaluate import Evaluation, evaluate
from tests.common import check_sound

BOX = {"operator": "box", "values": {"size": [4, 6, 10]}}
TURNED = {"turn": [20, -35, 70]}


def bench(*parts: dict[str, Any], **dimensions: Any) -> Bench:
    """Return a bench of boxes of 4 × 6 × 10 mm unless a part says otherwise."""
    rows = [
        {"id": f"p{i}", "name": f"Part {i}", "recipe": [{"id": "s1"} | BOX]} | part for i, part in enumerate(parts, 1)
    ]
    named = [{"name": k, "value": v} for k, v in dimensions.items()]
    return Bench.model_validate({"name": "T", "dimensions": named, "parts": rows})


def done(b: Bench, **edit: Any) -> Bench:
    """Return the bench after an edit, worked out on the bodies where it needs them."""
    parsed = parse_edit(edit)
    if isinstance(parsed, ARRANGING):
        parsed = arranged(b, parsed, lambda part: evaluate(b, part))
    return apply_edit(b, parsed)


def bounds(b: Bench, part: str = "p1") -> np.ndarray:
    return evaluate(b, part).placed_mesh().bounds


def stands(b: Bench, part: str = "p1") -> Evaluation:
    return evaluate(b, part)


class Extents(unittest.TestCase):
    def test_moved_keeps_the_size_and_stretched_keeps_the_other_side(self) -> None:
        for placement in ({}, {"move": [1.1, 2.2, 3.3]}, TURNED, {"scale": [1, -2, 0.5], "turn": [0, 90, 0]}):
            start = bench({"placement": placement})
            was = bounds(start)
            for k, side in enumerate(SIDES):
                axis, upper = divmod(k, 2)
                at = 0.1 if not upper else 40.7
                moved = bounds(done(start, kind="set_extent", part="p1", side=side, at=at, how="moved"))
                self.assertEqual(moved[upper, axis], at)
                np.testing.assert_allclose(moved[1] - moved[0], was[1] - was[0], rtol=1e-12)
                at = -90.3 if not upper else 90.3
                stretched = bounds(done(start, kind="set_extent", part="p1", side=side, at=at, how="stretched"))
                self.assertEqual(stretched[upper, axis], at)
                self.assertAlmostEqual(stretched[1 - upper, axis], was[1 - upper, axis], delta=1e-12)
                others = [i for i in range(3) if i != axis]
                np.testing.assert_allclose(stretched[:, others], was[:, others], atol=1e-12)

    def test_both_sides_are_exact_and_the_body_is_whole(self) -> None:
        chance = random.Random(7)
        for _ in range(40):
            ends = sorted(round(chance.uniform(-50, 50), 3) for _ in range(2))
            turn = [round(chance.uniform(-180, 180), 2) for _ in range(3)]
            b = bench({"recipe": [{"id": "s1", "operator": "capsule", "values": {"sides": 12}}],
                       "placement": {"turn": turn, "extents": {"left": ends[0], "right": ends[1], "top": 7.7}}})  # fmt: skip
            low, high = bounds(b)
            self.assertEqual((low[0], high[0], high[2]), (ends[0], ends[1], 7.7))
            check_sound(self, stands(b).placed_mesh())

    def test_extents_hold_when_the_numbers_change(self) -> None:
        b = bench({"placement": {"extents": {"bottom": "floor_level", "right": 5}}}, floor_level="2 mm")
        for size in ([4, 6, 10], [40, 6, 1]):
            b = done(b, kind="set_value", part="p1", step="s1", key="size", value=size)
            self.assertEqual((bounds(b)[0, 2], bounds(b)[1, 0]), (2, 5))
        b = done(b, kind="set_dimension", name="floor_level", value=3)
        self.assertEqual(bounds(b)[0, 2], 3)

    def test_letting_go_leaves_the_body_where_it_is(self) -> None:
        b = bench({"placement": TURNED})
        b = done(b, kind="set_extent", part="p1", side="bottom", at=12)
        was = bounds(b)
        b = done(b, kind="set_extent", part="p1", side="bottom", at=None)
        self.assertEqual(b.parts[0].placement.extents, {})
        np.testing.assert_allclose(bounds(b), was, atol=1e-12)

    def test_what_cannot_be(self) -> None:
        for part, edit, words in (
            ({}, {"side": "top", "at": -5, "how": "stretched"}, "must be the greater"),
            (
                {"recipe": [{"id": "s1", "operator": "sheet"}]},
                {"side": "top", "at": 5, "how": "stretched"},
                "no size along Z",
            ),
            ({"recipe": []}, {"side": "top", "at": 5}, "has no body"),
        ):
            with self.assertRaises(CoreError) as caught:
                b = done(bench(part), kind="set_extent", part="p1", **edit)
                e = evaluate(b, "p1")
                assert e.mesh is not None
                self.assertGreater(e.mesh.n_faces, 0)  # the body stays, and stands as if it had not been told
                assert e.error is not None
                raise e.error
            self.assertIn(words, caught.exception.sentence())


class ZeroPoints(unittest.TestCase):
    def test_setting_it_leaves_the_body_where_it_is(self) -> None:
        b = bench({"placement": {"move": [3, -2, 8], "scale": [2, 1, 1], **TURNED}})
        was = evaluate(b, "p1").placed_mesh().points
        for at, zero in (("base", [0, 0, 0]), ("middle", [0, 0, 5]), ([1, 2, 3], [1, 2, 3]), ("own", [0, 0, 0])):
            b = done(b, kind="set_zero", part="p1", at=at)
            self.assertEqual(b.parts[0].placement.zero, zero)
            np.testing.assert_allclose(evaluate(b, "p1").placed_mesh().points, was, atol=1e-12)

    def test_the_body_turns_about_it(self) -> None:
        b = done(bench({}), kind="set_zero", part="p1", at=[2, 3, 10])
        corner = np.array(b.parts[0].placement.move, dtype=float)
        placement = b.parts[0].placement.model_copy(update={"turn": [10, 20, 30]})
        b = done(b, kind="place_parts", placements={"p1": placement.model_dump()})
        points = evaluate(b, "p1").placed_mesh().points
        self.assertAlmostEqual(np.abs(points - corner).sum(axis=1).min(), 0, places=12)


class Arranging(unittest.TestCase):
    def three(self) -> Bench:
        rows = ([0, 0, 0], [31, 7, 2], [50, -9, 11])
        turns = ([0, 0, 0], [0, 90, 0], [30, 20, 10])
        return bench(*({"placement": {"move": m, "turn": t}} for m, t in zip(rows, turns, strict=True)))

    def test_lined_up_by_a_side_or_the_middle(self) -> None:
        for by in (*SIDES, "middle_x", "middle_y", "middle_z"):
            b = self.three()
            before = {p: bounds(b, p) for p in ("p1", "p2", "p3")}
            b = done(b, kind="line_up", parts=["p1", "p2", "p3"], to="p2", by=by)
            after = {p: bounds(b, p) for p in ("p1", "p2", "p3")}
            np.testing.assert_array_equal(after["p2"], before["p2"])
            axis = "xyz".index(by[-1]) if by.startswith("middle") else SIDES.index(by) // 2
            where = {p: q.mean(axis=0) if by.startswith("middle") else q[SIDES.index(by) % 2] for p, q in after.items()}
            for p in ("p1", "p3"):
                self.assertAlmostEqual(where[p][axis], where["p2"][axis], delta=1e-12)
                others = [i for i in range(3) if i != axis]
                np.testing.assert_array_equal(after[p][:, others], before[p][:, others])

    def test_spread_leaves_equal_gaps(self) -> None:
        b = done(self.three(), kind="spread_parts", parts=["p3", "p1", "p2"], along="x")
        rows = [bounds(b, p)[:, 0] for p in ("p1", "p2", "p3")]
        self.assertAlmostEqual(rows[1][0] - rows[0][1], rows[2][0] - rows[1][1], places=12)
        self.assertEqual(b.parts[0].placement.move, [0, 0, 0])

    def test_brought_together_either_way(self) -> None:
        for part, to in (("p1", "p3"), ("p3", "p1")):
            b = done(self.three(), kind="bring_part", part=part, to=to, by="zero")
            self.assertEqual(b.part(part).placement.move, b.part(to).placement.move)
            b = done(self.three(), kind="bring_part", part=part, to=to, by="middle")
            np.testing.assert_allclose(bounds(b, part).mean(axis=0), bounds(b, to).mean(axis=0), atol=1e-12)

    def test_formulas_stay_and_extents_move_along(self) -> None:
        b = bench(
            {"placement": {"move": ["gap * 2", 0, 0], "extents": {"bottom": 4}}},
            {"placement": {"move": [30, 0, 9]}},
            gap=3,
        )
        b = done(b, kind="line_up", parts=["p1", "p2"], to="p2", by="bottom")
        self.assertEqual(b.parts[0].placement.extents, {"bottom": 9.0})
        b = done(b, kind="line_up", parts=["p1", "p2"], to="p2", by="left")
        self.assertEqual(b.parts[0].placement.move[0], "gap * 2 + 24")
        self.assertEqual(bounds(b)[0, 0], 28)

    def test_a_number_never_moves_a_part_and_a_move_never_changes_a_number(self) -> None:
        b = self.three()
        matrix, volume = evaluate(b, "p3").matrix, signed_volume(evaluate(b, "p3").placed_mesh())
        b = done(b, kind="set_value", part="p3", step="s1", key="size", value=[1, 2, 3])
        np.testing.assert_array_equal(evaluate(b, "p3").matrix, matrix)
        b = done(self.three(), kind="bring_part", part="p3", to="p1")
        self.assertEqual(b.parts[2].recipe, self.three().parts[2].recipe)
        self.assertAlmostEqual(signed_volume(evaluate(b, "p3").placed_mesh()), volume, places=9)

    def test_refused(self) -> None:
        locked = bench({"locked": True}, {})
        for b, edit, words in (
            (locked, {"kind": "place_parts", "placements": {"p1": {}}}, "is locked"),
            (locked, {"kind": "line_up", "parts": ["p2", "p2"], "to": "p2", "by": "top"}, "nothing to move"),
            (locked, {"kind": "bring_part", "part": "p9", "to": "p1"}, "not there any more"),
            (
                bench({"reference": True}),
                {"kind": "add_step", "part": "p1", "step": "s9", "operator": "twist"},
                "never changed",
            ),
            (
                bench({"reference": True}),
                {"kind": "set_step", "part": "p1", "step": "s1", "on": False},
                "never changed",
            ),
            (
                bench({"reference": True}),
                {"kind": "set_value", "part": "p1", "step": "s1", "key": "size", "value": [1, 1, 1]},
                "never changed",
            ),
        ):
            with self.assertRaises(CoreError) as caught:
                done(b, **edit)
            self.assertIn(words, caught.exception.sentence())


class Parts(unittest.TestCase):
    def test_labels_name_what_was_done(self) -> None:
        b = bench({}, {}, {})
        for edit, words in (
            ({"kind": "set_extent", "part": "p1", "side": "top", "at": 3}, "top of Part 1"),
            ({"kind": "line_up", "parts": ["p1", "p2"], "to": "p2", "by": "top"}, "line up 2 parts"),
            ({"kind": "remove_part", "part": "p1", "others": ["p2"]}, "remove 2 parts"),
            ({"kind": "place_parts", "placements": {"p1": {}}, "what": "turn"}, "turn of Part 1"),
            ({"kind": "set_part", "part": "p2", "transparent": True}, "transparent of Part 2"),
            ({"kind": "bring_part", "part": "p1", "to": "p3"}, "bring Part 1 to Part 3"),
        ):
            self.assertEqual(edit_label(b, parse_edit(edit)), words)

    def test_several_are_removed_at_once_with_their_curves(self) -> None:
        doc = bench({}, {}, {}).to_json()
        doc["curves"] = [{"id": "c1", "name": "C", "points": [{"at": [0, 0]}, {"at": [5, 0]}, {"at": [0, 5]}]}]
        doc["parts"][1]["recipe"] = [{"id": "s1", "operator": "revolve", "values": {"profile": "c1"}}]
        b = done(Bench.model_validate(doc), kind="remove_part", part="p1", others=["p2"])
        self.assertEqual(([p.id for p in b.parts], b.curves), (["p3"], []))

    def test_headings_come_and_go(self) -> None:
        b = done(bench({}), kind="set_part", part="p1", heading=" Stand ")
        self.assertEqual(b.parts[0].heading, "Stand")
        self.assertIsNone(done(b, kind="set_part", part="p1", heading="").parts[0].heading)

    def test_bounds_on_the_bench_without_placing_all_points(self) -> None:
        for placement in (TURNED, {"turn": [0, 90, 0], "scale": [1, 2, -3]}, {"move": [1, 2, 3]}):
            e = evaluate(bench({"placement": placement}), "p1")
            assert e.mesh is not None
            np.testing.assert_allclose(placed_bounds(e.mesh, e.matrix), e.placed_mesh().bounds, atol=1e-12)


if __name__ == "__main__":
    unittest.main()
