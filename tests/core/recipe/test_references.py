"""What speaks of what: renaming, removing and *used in*, on benches made by chance and on names that look like words."""

from __future__ import annotations

import random
import unittest
from typing import Any

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.formats.bench_file import read_bench
from jukai.core.formulas import parse
from jukai.core.operators.registry import first_values, get_operator
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.references import uses, uses_of
from tests.kept import KEPT
from tests.recipes import bench_of


def done(bench: Bench, kind: str, **edit: Any) -> Bench:
    return apply_edit(bench, parse_edit({"kind": kind, **edit}))


def step_values(bench: Bench, at: int = 0) -> dict[str, Any]:
    return bench.parts[0].recipe[at].values


class Words(unittest.TestCase):
    """A name of a number may be a word that stands for something else: an axis, a choice, a group, a finish."""

    def bench(self) -> Bench:
        return bench_of(
            {"operator": "cylinder", "radius": "fan", "ends": "fan", "height": "z * 2"},
            {"operator": "twist", "axis": "z", "turn": "z", "from": "fan %", "still_at": "middle"},
            {"operator": "bevel", "width": "walls", "pick": {"rule": "group", "step": "s1", "name": "walls"}},
            dimensions={"z": 3, "fan": 4, "walls": "z / 10", "middle": 1, "s1": 2},
        )

    def test_renaming_leaves_words_alone(self) -> None:
        bench = self.bench()
        for name in ("z", "fan", "walls"):
            bench = done(bench, "rename_dimension", name=name, new_name=f"{name}_new")
        self.assertEqual(step_values(bench), {"radius": "fan_new", "ends": "fan", "height": "z_new * 2"})
        self.assertEqual(
            step_values(bench, 1), {"axis": "z", "turn": "z_new", "from": "fan_new %", "still_at": "middle"}
        )
        self.assertEqual(
            step_values(bench, 2), {"width": "walls_new", "pick": {"rule": "group", "step": "s1", "name": "walls"}}
        )
        self.assertEqual([d.value for d in bench.dimensions], [3, 4, "z_new / 10", 1, 2])
        self.assertIsNone(evaluate(bench, "p1").error)

    def test_a_word_that_looks_like_a_name_is_no_use_of_it(self) -> None:
        bench = self.bench()
        for name in ("middle", "s1"):
            bench = done(bench, "remove_dimension", name=name)
        for name, text in (("z", "z / 10"), ("fan", "fan"), ("walls", "walls")):
            with self.assertRaises(ValueProblem) as caught:
                done(bench, "remove_dimension", name=name)
            self.assertIn(f"used in '{text}'", caught.exception.message)

    def test_where_a_number_is_used(self) -> None:
        where = [u.where for u in uses_of(self.bench(), "number", "z")]
        self.assertEqual(where, ["dimensions/walls/value", "p1/s1/values/height", "p1/s2/values/turn"])


class Everywhere(unittest.TestCase):
    def test_all_places_of_a_bench_are_walked(self) -> None:
        """The bench with every operator speaks of numbers in curves, placements, extents, picks, further picks and named picks."""
        bench = read_bench((KEPT / "operators-1.jukai.json").read_bytes())
        places = {u.where for u in uses(bench) if u.to == "number"}
        for expected in ("dimensions/r/value", "curves/c1/p2/at/0", "curves/c1/p3/fillet", "curves/c2/sampling/count", "p11/placement/move/0",
                       "p11/placement/turn/2", "p11/placement/scale/2", "p11/placement/extents/bottom", "p2/s1/values/size/0",
                       "p7/s2/values/further_picks/0/pick/within", "p7/s2/values/further_picks/0/width", "p8/s2/values/pick/n",
                       "p16/s2/values/axis/direction/0", "p20/s2/values/pick/join/2/but_not/centre/2", "p20/picks/top/angle"):  # fmt: skip
            # points without an id are counted
            self.assertTrue(
                expected in places or expected.replace("/p2/", "/1/").replace("/p3/", "/2/") in places, expected
            )
        others = {(u.to, u.name) for u in uses(bench) if u.to != "number"}
        self.assertTrue(
            {
                ("curve", "c1"),
                ("part", "p1"),
                ("step", "s2"),
                ("file", "cube.obj"),
                ("finish", "Brass"),
                ("pick", "top"),
            }
            <= others
        )

    def test_renaming_keeps_every_body(self) -> None:
        bench = read_bench((KEPT / "operators-1.jukai.json").read_bytes())
        files = {"cube.obj": (KEPT.parent / "meshes" / "cube.obj").read_bytes()}
        other = done(
            done(bench, "rename_dimension", name="x", new_name="flutes"), "rename_dimension", name="r", new_name="y"
        )
        self.assertEqual(list(uses_of(other, "number", "x", "r")), [])
        for part in bench.parts:
            self.assertEqual(
                evaluate(bench, part.id, files=files).placed_key,
                evaluate(other, part.id, files=files).placed_key,
                part.id,
            )


class ByChance(unittest.TestCase):
    """Edits by chance on small benches: what holds before holds after, and there and back is where it was."""

    def bench(self, chance: random.Random) -> Bench:
        names = ["a", "b", "x", "fan", "size"]

        def number() -> Any:
            return chance.choice(
                [
                    chance.randint(1, 9),
                    chance.choice(names),
                    f"{chance.choice(names)} * {chance.randint(1, 4)} + {chance.choice(names)}",
                ]
            )

        steps: list[dict[str, Any]] = [
            {"operator": "box", "size": [number(), number(), number()], "counts": [2, 2, number()]}
        ]
        steps += [
            chance.choice([
                {"operator": "twist", "turn": number(), "axis": chance.choice(["x", "y", "longest"])},
                {"operator": "taper", "ratio": number(), "strength": 0.5, "axis": {"point": [0, 0, 0], "direction": [number(), 0, 1]}},
                {"operator": "bevel", "width": number(), "pick": {"rule": "facing", "direction": [0, 0, number()], "within": number()}},
                {"operator": "normals", "crease_angle": number()},
            ])
            for _ in range(chance.randint(0, 3))
        ]  # fmt: skip
        return bench_of(*steps, dimensions={n: i + 1 for i, n in enumerate(names)})

    def test_rename_remove_reorder(self) -> None:
        chance = random.Random(11)
        for _ in range(60):
            bench = self.bench(chance)
            name = chance.choice([d.name for d in bench.dimensions])
            renamed = done(bench, "rename_dimension", name=name, new_name="other_name")
            self.assertEqual(list(uses_of(renamed, "number", name)), [])
            self.assertEqual(done(renamed, "rename_dimension", name="other_name", new_name=name), bench)
            self.assertEqual(
                [(u.where, parse(u.text).names == {name}) for u in uses_of(bench, "number", name)],
                [(u.where, parse(u.text).names == {"other_name"}) for u in uses_of(renamed, "number", "other_name")],
            )
            free = not any(uses_of(bench, "number", name))
            try:
                rest = done(bench, "remove_dimension", name=name)
                self.assertTrue(free)
                self.assertEqual(len(rest.dimensions), len(bench.dimensions) - 1)
            except CoreError:
                self.assertFalse(free)
            ids = [s.id for s in bench.parts[0].recipe]
            moved = done(bench, "move_step", part="p1", step=ids[-1], after=None)
            self.assertEqual(
                done(moved, "move_step", part="p1", step=ids[-1], after=ids[-2] if len(ids) > 1 else None), bench
            )

    def test_what_is_written_is_what_the_model_writes(self) -> None:
        """Rows are kept as they were written: edited, put back and read anew they are what pydantic itself writes."""
        chance = random.Random(5)
        for _ in range(40):
            bench = self.bench(chance)
            for other in (
                bench,
                done(bench, "set_dimension", name="a", value=chance.randint(2, 9)),
                done(bench, "set_part", part="p1", name="Other"),
                done(bench, "set_value", part="p1", step="s1", key="size/1", value=6),
                Bench.model_validate(bench.to_json()),
            ):
                head = {"format": "jukai-bench", "version": 2, "name": other.name, "unit": "mm"}
                self.assertEqual(
                    other.to_json(), head | other.model_dump(mode="json", by_alias=True, exclude_defaults=True)
                )
                self.assertEqual(Bench.model_validate(other.to_json()), other)

    def test_what_follows_a_choice_is_taken_back_to_it(self) -> None:
        """A washer set down by hand keeps its diameters until it is given a size; setting down freezes nothing that was left out."""
        step = {"id": "s1", "operator": "washer", "values": {"size": "M8", "outer": 30, "sides": 12}}
        bench = Bench.model_validate(
            {
                "format": "jukai-bench",
                "version": 2,
                "name": "B",
                "unit": "mm",
                "parts": [{"id": "p1", "name": "W", "recipe": [step]}],
            }
        )

        def values(b: Bench) -> dict[str, object]:
            return dict(b.parts[0].recipe[0].values)

        thick = done(bench, "set_value", part="p1", step="s1", key="thickness", value=3)
        self.assertEqual(values(thick), {"size": "M8", "outer": 30, "sides": 12, "thickness": 3})
        self.assertEqual(
            values(done(thick, "set_value", part="p1", step="s1", key="size", value="M10")),
            {"size": "M10", "sides": 12},
        )
        self.assertEqual(first_values(get_operator("washer")), [])
        self.assertEqual(first_values(get_operator("cylinder")), ["radius", "height", "sides"])

    def test_one_number_of_a_value(self) -> None:
        """An edit of ``size/1`` changes the depth alone, also of a box whose size is not written yet."""
        bench = bench_of({"operator": "box", "size": ["w", 2, 3]}, dimensions={"w": 5})
        one = done(bench, "set_value", part="p1", step="s1", key="size/1", value="w / 2")
        two = done(one, "set_value", part="p1", step="s1", key="size/2", value=9)
        self.assertEqual(step_values(two)["size"], ["w", "w / 2", 9])
        unwritten = bench_of({"operator": "box"})
        with self.assertRaises(ValueProblem) as caught:
            done(unwritten, "set_value", part="p1", step="s1", key="size/1", value=3)
        self.assertEqual(caught.exception.field, "size")
        started = done(unwritten, "set_value", part="p1", step="s1", key="size/1", value=3, start=[20, 20, 20])
        self.assertEqual(step_values(started)["size"], [20, 3, 20])
        counted = done(unwritten, "set_value", part="p1", step="s1", key="counts/0", value=4)
        self.assertEqual(step_values(counted)["counts"], [4, 1, 1])
        for key in ("size/7", "size/x", "nothing/1"):
            self.assertRaises(ValueProblem, done, bench, "set_value", part="p1", step="s1", key=key, value=1)

    def test_a_copied_part_has_curves_of_its_own(self) -> None:
        bench = bench_of({"operator": "revolve", "profile": "c1"}, profile=[[0, 0], [5, 0], [0, 9]])
        copied = done(bench, "copy_part", part="p1", copy_id="p2", curve_ids={"c1": "c7"})
        self.assertEqual([s.values["profile"] for p in copied.parts for s in p.recipe], ["c1", "c7"])
        rest = done(copied, "remove_part", part="p1")
        self.assertEqual([c.id for c in rest.curves], ["c7"])


if __name__ == "__main__":
    unittest.main()
