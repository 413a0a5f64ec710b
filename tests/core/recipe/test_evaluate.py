"""Evaluation: caching, errors that stop a part, limits, stop, the same bytes; and random recipes."""

from __future__ import annotations

import resource
import subprocess
import sys
import unittest
from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jukai.app.caches import StepCache
from jukai.core.errors import Cancelled, CoreError, FormulaError, TooLarge, ValueProblem
from jukai.core.recipe.edits import apply_edit, edit_label, parse_edit, with_point_ids
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.report import part_report
from tests.common import EXAMPLE, ROOT, check_sound
from tests.recipes import bench_of, body, turned


def tracked() -> int:
    """Return the most memory of the process so far, bytes."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


PROFILE = [[0, 0], {"at": [10, 0], "fillet": 2}, [8, 30], [0, 30]]
COLUMN = (turned(sides=24), {"operator": "twist", "turn": 30})


class Evaluate(unittest.TestCase):
    def test_only_what_changed_runs(self) -> None:
        cache = StepCache()
        bench = bench_of(*COLUMN, profile=PROFILE)
        first = evaluate(bench, "p1", cache=cache)
        again = evaluate(bench, "p1", cache=cache)
        self.assertIs(first.mesh, again.mesh)
        edited = apply_edit(
            bench, parse_edit({"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 31})
        )
        last = evaluate(edited, "p1", cache=cache)
        self.assertIs(last.steps[0].mesh, first.steps[0].mesh)
        self.assertIsNot(last.mesh, first.mesh)
        self.assertNotEqual(last.key, first.key)

    def test_a_failing_step_stops_its_part_and_keeps_the_body(self) -> None:
        bench = bench_of(
            turned(sides=24), {"operator": "twist", "lead": 0}, {"operator": "twist", "turn": 5}, profile=PROFILE
        )
        evaluation = evaluate(bench, "p1")
        self.assertEqual([s.state for s in evaluation.steps], ["done", "failed", "waiting"])
        self.assertIs(evaluation.mesh, evaluation.steps[0].mesh)
        assert evaluation.error is not None
        self.assertEqual(evaluation.error.field, "lead")

    def test_off_and_upto(self) -> None:
        plain = body(turned(sides=24), profile=PROFILE)
        bench = bench_of(turned(sides=24), {"operator": "twist", "turn": 30, "on": False}, profile=PROFILE)
        self.assertEqual(evaluate(bench, "p1").mesh.digest(), plain.digest())
        upto = evaluate(bench_of(*COLUMN, profile=PROFILE), "Part", upto="s1")
        self.assertEqual(([s.state for s in upto.steps], upto.mesh.digest()), (["done", "waiting"], plain.digest()))

    def test_order_and_kind(self) -> None:
        for steps, text in (
            (({"operator": "twist"},), "works on a body"),
            (({"operator": "box"}, {"operator": "box"}), "begins a body"),
            (({"operator": "spin_dry"},), "no operator"),
            (({"operator": "box", "width": 3},), "no value 'width'"),
            (({"operator": "cylinder", "radius": -1},), "Radius is -1"),
            (({"operator": "cylinder", "sides": 2},), "Sides is 2"),
            (({"operator": "cylinder", "ends": "round"},), "no choice"),
            (({"operator": "box", "size": [1, 2]},), "three numbers"),
            (({"operator": "box", "size": [1, 2, "3 deg"]},), "angle"),
            (({"operator": "revolve"},), "Profile is not given"),
            (({"operator": "revolve", "profile": "c9"},), "no curve 'c9'"),
            (({"operator": "imported", "file": "../x.obj"},), "without a folder"),
            (({"operator": "imported", "file": "x.obj"},), "not there"),
        ):
            with self.subTest(text), self.assertRaises(CoreError) as caught:
                body(*steps)
            self.assertIn(text, caught.exception.message)

    def test_formulas_and_rounded_counts(self) -> None:
        bench = bench_of(
            {"operator": "cylinder", "radius": "foot / 2", "sides": "n / 2 + 0.4"},
            dimensions={"foot": "4 cm", "n": "foot / (2 mm)"},
        )
        outcome = evaluate(bench, "p1").steps[0]
        self.assertEqual((outcome.shown["radius"], outcome.shown["sides"]), (20, 10))
        self.assertIn("rounded to 10", outcome.notes[0].text)
        broken = evaluate(
            bench_of({"operator": "cylinder", "radius": "foot / 2"}, dimensions={"foot": "foot2", "foot2": "foot"}),
            "p1",
        )
        self.assertIsInstance(broken.error, FormulaError)
        self.assertIn("foot → foot2", str(broken.error.sentence()) if broken.error else "")

    def test_the_budget_is_checked_before_the_work(self) -> None:
        for step, profile in (
            ({"operator": "box", "counts": [1000, 1000, 1]}, ()),
            (turned(sides=1000, rows=2000), PROFILE),
        ):
            evaluation = evaluate(bench_of(step, profile=profile, face_limit=100_000), "p1")
            self.assertIsInstance(evaluation.error, TooLarge)

    def test_memory_has_a_budget_for_each_step(self) -> None:
        """However many faces a part may have: what would take over 4 GB is refused before any of it is made."""
        many: list[dict[str, Any]] = [{"operator": "torus", "sides": 4000, "minor_sides": 4000}, {"operator": "sheet", "counts": [4000, 4000]},
                {"operator": "cylinder", "sides": 1_000_000, "rows": 16}, {"operator": "box", "counts": [1600, 1600, 1600]},
                turned(sides=1_000_000, rows=15)]  # fmt: skip
        everything = {"of": "points", "rule": "everything"}
        points = {"operator": "bevel", "pick": everything, "width": 0.01, "segments": 16}
        rows: list[tuple[tuple[dict[str, Any], ...], str]] = [((step,), step["operator"]) for step in many]
        rows.append((({"operator": "box", "counts": [60, 60, 60]}, points), "bevel"))
        for steps, name in rows:
            with self.subTest(name):
                start = tracked()
                evaluation = evaluate(bench_of(*steps, profile=PROFILE, face_limit=20_000_000), "p1")
                assert isinstance(evaluation.error, TooLarge)
                self.assertRegex(
                    evaluation.error.message, r"and take some \d.* GB of memory; 4 GB are the most that a step may take"
                )
                self.assertRegex(evaluation.error.hint or "", r"\d faces would do")
                self.assertLess(tracked() - start, 400_000_000)  # a tenth of what is refused at least

    def test_stop_and_progress(self) -> None:
        told: list[str] = []
        evaluate(bench_of(*COLUMN, profile=PROFILE), "p1", on_progress=lambda step, _: told.append(step))
        self.assertIn("s2", told)
        with self.assertRaises(Cancelled):
            evaluate(bench_of(*COLUMN, profile=PROFILE), "p1", stop=lambda: len(told) > 0)

    def test_no_such_part_or_step(self) -> None:
        bench = bench_of(*COLUMN, profile=PROFILE)
        for part, upto, text in (("p9", None, "no part 'p9'"), ("p1", "s9", "no step 's9'")):
            with self.assertRaises(ValueProblem) as caught:
                evaluate(bench, part, upto=upto)
            self.assertIn(text, caught.exception.message)

    def test_the_same_bench_gives_the_same_bytes_in_every_process(self) -> None:
        code = (
            "import sys; from pathlib import Path; from jukai.core.formats.bench_file import read_bench; from jukai.core.recipe.evaluate import evaluate;"
            f"b = read_bench(Path({str(EXAMPLE)!r}).read_bytes()); print(evaluate(b, 'p1').mesh.digest())"
        )
        runs = [
            subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=ROOT).stdout
            for _ in range(2)
        ]
        self.assertEqual(runs[0], runs[1])

    def test_placement_counts_in_the_report(self) -> None:
        bench = bench_of({"operator": "box", "size": [2, 2, 2]})
        document = bench.to_json()
        document["parts"][0]["placement"] = {"move": [10, 0, 0], "turn": [0, 0, 45], "scale": [1, 1, "3"]}
        moved = type(bench).model_validate(document)
        report = part_report(evaluate(moved, "p1"))
        self.assertAlmostEqual(report["volume"], 24)
        np.testing.assert_allclose(
            report["bounds"], [[10 - 2**0.5, -(2**0.5), 0], [10 + 2**0.5, 2**0.5, 6]], atol=1e-12
        )


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        self.bench = with_point_ids(bench_of(*COLUMN, profile=PROFILE, dimensions={"n": "12"}))

    def do(self, **edit: Any) -> Any:
        parsed = parse_edit(edit)
        self.assertTrue(edit_label(self.bench, parsed))
        self.bench = apply_edit(self.bench, parsed)
        return self.bench

    def recipe(self) -> list[str]:
        return [s.id for s in self.bench.parts[0].recipe]

    def test_steps(self) -> None:
        self.do(kind="add_step", part="p1", step="s3", operator="twist", values={"turn": 5}, after="s1")
        self.assertEqual(self.recipe(), ["s1", "s3", "s2"])
        self.do(kind="move_step", part="p1", step="s2", after="s1")
        self.do(kind="copy_step", part="p1", step="s2", copy_id="s4")
        self.assertEqual(self.recipe(), ["s1", "s2", "s4", "s3"])
        self.do(kind="remove_step", part="p1", step="s3")
        self.do(kind="set_step", part="p1", step="s2", on=False)
        self.do(kind="set_step", part="p1", step="s2", name="wrung")
        self.assertEqual((self.bench.parts[0].recipe[1].on, self.bench.parts[0].recipe[1].name), (False, "wrung"))

    def test_values_and_their_pairs(self) -> None:
        self.do(kind="set_value", part="p1", step="s2", key="lead", value="40 mm")
        self.assertEqual(self.bench.parts[0].recipe[1].values, {"lead": "40 mm"})
        self.do(kind="set_value", part="p1", step="s2", key="lead", value=None)
        self.assertEqual(self.bench.parts[0].recipe[1].values, {})

    def test_points(self) -> None:
        self.do(kind="add_point", curve="c1", point="p9", after="p2", at=[9, 10])
        self.do(kind="set_point", curve="c1", point="p9", fillet=1, join="bezier")
        point = self.bench.curves[0].points[2]
        self.assertEqual((point.id, point.fillet, point.join, point.out is not None), ("p9", 1, "bezier", True))
        self.do(kind="set_point", curve="c1", point="p9", chamfer=2)
        self.assertEqual((self.bench.curves[0].points[2].chamfer, self.bench.curves[0].points[2].fillet), (2, 0))
        self.do(kind="set_point", curve="c1", point="p9", fillet=1)
        self.assertEqual((self.bench.curves[0].points[2].chamfer, self.bench.curves[0].points[2].fillet), (0, 1))
        with self.assertRaisesRegex(CoreError, "has a radius and a chamfer"):
            self.do(kind="set_point", curve="c1", point="p9", fillet=1, chamfer=1)
        self.do(kind="remove_point", curve="c1", point="p9")
        self.assertEqual([p.id for p in self.bench.curves[0].points], ["p1", "p2", "p3", "p4"])

    def test_a_new_curve_is_drawn_and_taken_in_one_edit(self) -> None:
        square = {
            "id": "c9",
            "name": "Profile",
            "closed": True,
            "points": [{"at": [0, 0]}, {"at": [2, 0]}, {"at": [2, 2]}],
        }
        names = {c.name for c in self.bench.curves}
        self.do(kind="add_curve", curve=square, taken_by={"part": "p1", "step": "s1", "key": "profile"})
        made = self.bench.curves[-1]
        self.assertEqual(self.bench.parts[0].recipe[0].values["profile"], "c9")
        self.assertNotIn(made.name, names)
        self.assertEqual([p.id for p in made.points], ["p1", "p2", "p3"])
        for more, words in (
            ({}, "is there already"),
            ({"curve": square | {"id": "c10"}, "taken_by": {"part": "p1", "step": "s1", "key": "sides"}}, "takes no curve"),
            ({"curve": square | {"id": "c10"}, "taken_by": {"part": "p1", "step": "s1", "key": "profile", "besides": {"size": 1}}}, "has no value 'size'"),
            ({"curve": square | {"id": "c10"}, "taken_by": {"part": "p1", "step": "s8", "key": "profile"}}, "not there any more"),
        ):  # fmt: skip
            with self.assertRaisesRegex(CoreError, words):
                self.do(**{"kind": "add_curve", "curve": square, **more})

    def test_a_curve_gets_other_points_and_goes_when_nothing_uses_it(self) -> None:
        used = self.bench.curves[0].id
        with self.assertRaisesRegex(CoreError, "is used in 'Part'"):
            self.do(kind="remove_curve", curve=used)
        self.do(
            kind="add_curve",
            curve={"id": "c9", "name": "Way", "kind": "path", "points": [{"at": [0, 0, 0]}, {"at": [1, 2, 3]}]},
        )
        self.do(
            kind="set_curve", curve="c9", points=[{"at": [0, 0, 0]}, {"at": [1, 2, 3]}, {"at": [4, 4, 4]}], closed=True
        )
        self.assertEqual((self.bench.curves[-1].closed, len(self.bench.curves[-1].points)), (True, 3))
        with self.assertRaisesRegex(CoreError, "has 2 numbers instead of 3"):
            self.do(kind="set_point", curve="c9", point="p1", at=[1, 2])
        self.do(kind="remove_curve", curve="c9")
        self.assertEqual([c.id for c in self.bench.curves], [used])

    def test_named_numbers(self) -> None:
        self.do(kind="set_value", part="p1", step="s1", key="sides", value="n * 2")
        self.do(kind="rename_dimension", name="n", new_name="flutes")
        self.assertEqual(self.bench.parts[0].recipe[0].values["sides"], "flutes * 2")
        for edit in (
            {"kind": "remove_dimension", "name": "flutes"},
            {"kind": "set_dimension", "name": "mm", "value": 1},
        ):
            with self.assertRaises(CoreError):
                self.do(**edit)
        self.do(kind="set_dimension", name="gap", value="0.4 mm")
        self.do(kind="remove_dimension", name="gap")

    def test_parts(self) -> None:
        self.do(kind="copy_part", part="p1", copy_id="p2", curve_ids={"c1": "c2"})
        self.assertEqual(self.bench.parts[1].recipe[0].values["profile"], "c2")
        self.do(kind="set_part", part="p2", name="Twin", hidden=True)
        self.do(kind="move_part", part="p2", after=None)
        self.do(kind="remove_part", part="p2")
        self.assertEqual([c.id for c in self.bench.curves], ["c1"])
        self.do(kind="add_part", part="p3", name="Part", step="s1", operator="box")
        self.assertEqual(self.bench.parts[1].name, "Part 2")

    def test_what_is_not_there_and_what_is_no_edit(self) -> None:
        for edit in (
            {"kind": "set_value", "part": "p9", "step": "s1", "key": "sides", "value": 1},
            {"kind": "set_value", "part": "p1", "step": "s9", "key": "sides", "value": 1},
            {"kind": "set_value", "part": "p1", "step": "s1", "key": "sides2", "value": 1},
            {"kind": "add_step", "part": "p1", "step": "s1", "operator": "twist"},
            {"kind": "set_point", "curve": "c1", "point": "p77", "fillet": 1},
            {"kind": "set_part", "part": "p1", "finish": "Gold"},
            {"kind": "set_point", "curve": "c1", "point": "p1", "at": [1, True]},
            {"kind": "dance"},
            {"kind": "set_bench", "name": ""},
            {"kind": "set_value", "part": "../p1", "step": "s1", "key": "sides"},
        ):
            with self.subTest(edit), self.assertRaises(ValueProblem):
                self.do(**edit)


coordinate = st.one_of(st.floats(-1, 12), st.integers(0, 10), st.just(0))
point = st.fixed_dictionaries(
    {"at": st.tuples(coordinate, coordinate).map(list)},
    optional={"fillet": st.floats(0, 5), "join": st.sampled_from(["straight", "smooth", "bezier"])},
)
axis = st.sampled_from(["x", "y", "z", "longest", {"point": [1, 2, 0], "direction": [1, 1, 3]}])
ends = st.sampled_from(["flat_face", "fan", "rings", "open"])
blank = st.one_of(
    st.fixed_dictionaries({"operator": st.just("box")}, optional={
        "size": st.lists(st.floats(0.01, 50), min_size=3, max_size=3), "counts": st.lists(st.integers(0, 6), min_size=3, max_size=3)}),
    st.fixed_dictionaries({"operator": st.just("cylinder"), "ends": ends}, optional={
        "radius": st.floats(0.01, 40), "height": st.floats(0.01, 40), "sides": st.integers(1, 24), "rows": st.integers(1, 6)}),
    st.fixed_dictionaries({"operator": st.just("revolve"), "profile": st.just("c1"), "ends": ends}, optional={
        "angle": st.one_of(st.floats(-800, 800), st.sampled_from([360, 90, -360])), "sides": st.integers(1, 24), "axis": axis,
        "rise": st.sampled_from([0, 0, 0, 3, -20]), "rows": st.integers(1, 40), "measured_across": st.sampled_from(["corners", "flats", "round"])}),
)  # fmt: skip
change = st.fixed_dictionaries({"operator": st.just("twist")}, optional={
    "turn": st.floats(-400, 400), "axis": axis, "from": st.one_of(st.floats(-5, 20), st.just("25 %")), "to": st.one_of(st.floats(0, 40), st.just("80 %")),
    "still_at": st.sampled_from(["from", "middle", "to"]), "strength": st.floats(0, 1)})  # fmt: skip


class Fuzz(unittest.TestCase):
    @settings(max_examples=300, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
    @given(blank, st.lists(change, max_size=2), st.lists(point, min_size=1, max_size=6), st.booleans())
    def test_random_recipes_end_in_a_sound_mesh_or_a_named_error(
        self, first: dict[str, Any], then: list[dict[str, Any]], profile: list[Any], closed: bool
    ) -> None:
        evaluation = evaluate(bench_of(first, *then, profile=profile, closed=closed, face_limit=4_000), "p1")
        if evaluation.steps[0].state == "failed":
            assert evaluation.error is not None
            self.assertTrue(evaluation.error.message.endswith("."), evaluation.error.message)
            return
        made = evaluation.steps[0].mesh
        assert made is not None
        warned = any(n.level == "warning" for n in evaluation.steps[0].notes)
        if first.get("ends") != "open" and not warned and abs(first.get("angle", 360)) <= 360:
            check_sound(self, made)
        self.assertTrue(np.isfinite(evaluation.mesh.points).all() if evaluation.mesh is not None else True)


if __name__ == "__main__":
    unittest.main()
