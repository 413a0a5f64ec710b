"""Kinds of values: each described, read, walked through, edited; those that no operator uses yet by one made here."""

from __future__ import annotations

import itertools
import random
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, ClassVar

import numpy as np
from jsonschema import Draft202012Validator

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.geometry.building import box_mesh
from jukai.core.geometry.mesh import Mesh, join_meshes
from jukai.core.geometry.placing import placed
from jukai.core.operators import base, registry
from jukai.core.operators.base import Context, Kind, OperatorValues, Result, operator
from jukai.core.operators.fields import describe_values, fields_of, written_schema
from jukai.core.operators.kinds.all import kinds
from jukai.core.operators.kinds.angle import AngleKind
from jukai.core.operators.kinds.axis import AxisKind
from jukai.core.operators.kinds.base import AnyKind
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count as count_
from jukai.core.operators.kinds.curve import CurveKind
from jukai.core.operators.kinds.curves import CurvesKind, curves
from jukai.core.operators.kinds.factors import FactorsKind
from jukai.core.operators.kinds.fitted import FittedKind, FittedLength, fitted
from jukai.core.operators.kinds.further import FurtherKind
from jukai.core.operators.kinds.graph import GraphKind, graph
from jukai.core.operators.kinds.length import LengthKind, length
from jukai.core.operators.kinds.move import MoveKind
from jukai.core.operators.kinds.part import PartKind
from jukai.core.operators.kinds.parts import PartsKind, parts
from jukai.core.operators.kinds.per_copy import PerCopyKind, per_copy
from jukai.core.operators.kinds.pick import PickKind
from jukai.core.operators.kinds.relevance import conditions, holds
from jukai.core.operators.kinds.seed import seed
from jukai.core.operators.kinds.share import ShareKind
from jukai.core.operators.kinds.step import StepKind
from jukai.core.operators.kinds.turns import TurnsKind
from jukai.core.operators.kinds.vector import VectorKind
from jukai.core.operators.kinds.weights import WeightsKind, weights
from jukai.core.operators.registry import operators
from jukai.core.picks.form import TAKES
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import evaluate
from tests.recipes import bench_of, built

PICK = {"join": [{"rule": "facing", "direction": [0, "w", 1], "within": "x * 2"}, {"and_also": {"rule": "every_nth", "n": "n", "among": {"rule": "named", "name": "top"}}},
                 {"but_not": {"rule": "group", "step": "s1", "name": "walls"}}]}  # fmt: skip
GRAPH = [
    {"id": "a", "at": 0, "value": "w"},
    {"id": "b", "at": "n / 9", "value": 2, "smooth": True},
    {"at": 1, "value": 0, "in": [-0.1, "x"]},
]
WRITTEN: list[tuple[AnyKind, Any, set[tuple[str, str]]]] = [
    (LengthKind(), "w * 2 mm", {("number", "w")}), (AngleKind(), 30, set()), (ShareKind(), "n %", {("number", "n")}),
    (VectorKind(), [1, "w", "x + n"], {("number", "w"), ("number", "x"), ("number", "n")}),
    (MoveKind(), ["-w", 0, 1], {("number", "w")}), (TurnsKind(), [0, "x", 90], {("number", "x")}), (FactorsKind(), [1, 1, "n / 2"], {("number", "n")}),
    (PerCopyKind(), "copy * w / copies", {("number", "w"), ("number", "copy"), ("number", "copies")}), (FittedKind(), "fit + w", {("number", "w"), ("number", "fit")}),
    (AxisKind(), "x", set()), (AxisKind(), {"point": [0, 0, "x"], "direction": [0, 0, 1]}, {("number", "x")}),
    (CurveKind(), "c1", {("curve", "c1")}), (CurvesKind(), ["c1", "c2"], {("curve", "c1"), ("curve", "c2")}),
    (PartKind(), "p1", {("part", "p1")}), (PartsKind(), ["p1", "p2"], {("part", "p1"), ("part", "p2")}), (StepKind(), "s1", {("step", "s1")}),
    (PickKind(), PICK, {("number", "w"), ("number", "x"), ("number", "n"), ("pick", "top"), ("step", "s1")}),
    (FurtherKind(), [{"pick": PICK["join"][0], "width": "n"}], {("number", "w"), ("number", "x"), ("number", "n")}),
    (GraphKind(), GRAPH, {("number", "w"), ("number", "n"), ("number", "x")}),
    (WeightsKind(), {"graph": GRAPH, "along": "x"}, {("number", "w"), ("number", "n"), ("number", "x")}),
    (WeightsKind(), {"strokes": [{"places": [[0, 0, 1]], "radius": "w", "amount": 0.5}]}, {("number", "w")}),
    (WeightsKind(), {"base": "v", "strokes": [{"pick": {"rule": "everything"}, "to": "mask * w"}]}, {("number", "v"), ("number", "w")}),
]  # fmt: skip


class Written(unittest.TestCase):
    def test_what_a_value_speaks_of(self) -> None:
        for kind, raw, named in WRITTEN:
            with self.subTest(kind.name, raw=raw):
                self.assertEqual({(r.to, r.name) for r in kind.references(raw)}, named)
                self.assertEqual(kind.mapped(raw, lambda leaf: leaf.raw), raw)
                Draft202012Validator(kind.schema()).validate(raw)

    def test_each_leaf_can_be_read_and_edited_at_its_address(self) -> None:
        """An edit of one number changes that number and nothing else; ids go before places in a list."""
        for kind, raw, _ in WRITTEN:
            for leaf in kind.leaves(raw):
                path = [w for w in leaf.where.split("/") if w]
                with self.subTest(kind.name, where=leaf.where):
                    self.assertEqual(kind.read(raw, path, "v"), leaf.raw)
                    changed = kind.edited(raw, path, "q + 1", "v")
                    self.assertEqual(kind.read(changed, path, "v"), "q + 1")
                    others = [(x.where, x.raw) for x in kind.leaves(raw) if x.where != leaf.where]
                    self.assertEqual([(x.where, x.raw) for x in kind.leaves(changed) if x.where != leaf.where], others)

    def test_an_address_that_leads_nowhere_is_said(self) -> None:
        for kind, raw, path in (
            (VectorKind(), [1, 2, 3], ["3"]),
            (VectorKind(), [1, 2, 3], ["x"]),
            (GraphKind(), GRAPH, ["zz", "at"]),
            (LengthKind(), 3, ["0"]),
        ):
            with self.assertRaises(ValueProblem) as caught:
                kind.edited(raw, path, 1, "size")
            self.assertEqual(caught.exception.field, "size")

    def test_wild_values_pass_through(self) -> None:
        """What a file may hold by mistake is told when it is worked out; walking through it breaks nothing."""
        wild: list[Any] = [
            None,
            True,
            0,
            -1.5,
            "",
            "x",
            [],
            {},
            [[]],
            [{}],
            {"rule": 3},
            {"join": [1, {"and_also": 2}]},
            {"pick": None},
            {"point": 3},
            [None],
        ]
        for kind, raw in itertools.product([k for k, _, _ in WRITTEN], wild):
            with self.subTest(kind.name, raw=raw):
                kind.leaves(raw)
                list(kind.references(raw))

    def test_every_rule_of_a_pick_is_in_the_schema(self) -> None:
        forms = PickKind().schema()["oneOf"]
        self.assertEqual([f["properties"]["rule"]["const"] for f in forms if "rule" in f["properties"]], list(TAKES))
        for form, takes in zip(forms, TAKES.values(), strict=False):
            self.assertEqual(set(form["properties"]) - {"of", "rule"}, set(takes))


class Described(unittest.TestCase):
    def test_every_kind_there_is_has_a_file_and_a_name(self) -> None:
        expected = {"length", "angle", "angles", "count", "factor", "share", "choice", "switch", "vector", "counts", "axis", "along", "curve", "curves", "graph",
                  "weights", "part", "parts", "step", "file", "pick", "further", "finish", "seed", "move", "turns", "factors", "per_copy", "fitted"}  # fmt: skip
        self.assertEqual(set(kinds()), expected)

    def test_defaults_are_written_as_their_schema_asks(self) -> None:
        for op in operators().values():
            schema = written_schema(op.values)
            for row in describe_values(op.values):
                if row["default"] is not None:
                    with self.subTest(op.id, key=row["key"]):
                        Draft202012Validator(schema["properties"][row["key"]]).validate(row["default"])

    def test_relevance(self) -> None:
        rows = conditions('head == "hexagon" and drive not in ("none", "slot")')
        for head, drive, expected in (
            ("hexagon", "hexalobular", True),
            ("pan", "hexalobular", False),
            ("hexagon", "slot", False),
        ):
            self.assertEqual(holds(rows, {"head": head, "drive": drive}), expected)
        self.assertRaises(TypeError, conditions, "head > 3")
        pairs = conditions('drive != "none" and (head, drive) not in (("hexagon", "usual"), ("knurled", "usual"))')
        for head, drive, expected in (
            ("hexagon", "usual", False),
            ("pan", "usual", True),
            ("hexagon", "slot", True),
            ("pan", "none", False),
        ):
            self.assertEqual(holds(pairs, {"head": head, "drive": drive}), expected)
        alone = conditions("screw == None")
        self.assertEqual([holds(alone, {"screw": s}) for s in (None, "p1")], [True, False])
        rings = fields_of(operators()["cylinder"].values)["end_rings"]
        self.assertFalse(holds(rings.kind.relevant, {"ends": "fan"}))
        # what does not count is neither read nor refused
        built({"operator": "cylinder", "ends": "fan", "end_rings": "nonsense ("})
        self.assertRaises(CoreError, built, {"operator": "cylinder", "ends": "rings", "end_rings": "nonsense ("})


@contextmanager
def operator_of(values: type[OperatorValues], apply: Any, kind: Kind = Kind.BLANK) -> Iterator[str]:
    """Have one operator more, as a stranger's file would make it."""
    name = "tried"
    operator(id=name, kind=kind, values=values, sentence="Try")(apply)
    registry.operators.cache_clear()
    try:
        yield name
    finally:
        base._FOUND.pop(name)
        registry.operators.cache_clear()


def bench_with(steps: list[dict[str, Any]], **more: Any) -> Bench:
    return bench_of(*steps, **more)


class Unused(unittest.TestCase):
    """Kinds that no operator uses yet, each by an operator made for the test."""

    seen: ClassVar[dict[str, Any]] = {}

    def test_curves_in_order(self) -> None:
        class Values(OperatorValues):
            sections: Any = curves("Sections in order.")

        def apply(values: Values, context: Context) -> Result:
            Unused.seen["names"] = [c.id for c in values.sections]
            sizes = [float(np.ptp(c.sampled.points, axis=0).max()) for c in values.sections]
            return Result(join_meshes([box_mesh(np.full(3, s), (1, 1, 1), context.step) for s in sizes]))

        two = [
            {"id": i, "name": i, "points": [{"at": [0, 0]}, {"at": ["w" if i == "b" else 3, 0]}]} for i in ("a", "b")
        ]
        with operator_of(Values, apply) as name:
            bench = bench_with([{"operator": name, "sections": ["b", "a"]}], curves=two, dimensions={"w": 7})
            e = evaluate(bench, "p1")
            self.assertEqual((Unused.seen["names"], e.mesh.n_faces), (["b", "a"], 12))
            other = evaluate(
                bench.model_copy(update={"dimensions": [bench.dimensions[0].model_copy(update={"value": 8})]}), "p1"
            )
            self.assertNotEqual(e.key, other.key)
            for wrong in (["a"], "a", ["a", "zz"]):
                failed = evaluate(bench_with([{"operator": name, "sections": wrong}], curves=two), "p1").failed
                self.assertEqual(failed.error.field, "sections")

    def test_a_graph_along(self) -> None:
        class Values(OperatorValues):
            radius_graph: Any = graph("The radius along.", measured="length", otherwise="level")

        def apply(values: Values, context: Context) -> Result:
            g = values.radius_graph
            high = 1.0 if g is None else float(g(np.array([0.5]))[0])
            return Result(box_mesh(np.array([1.0, 1.0, high]), (1, 1, 1), context.step))

        with operator_of(Values, apply) as name:
            points = [{"id": "p1", "at": 0, "value": 1}, {"id": "p3", "at": 1, "value": "w"}]
            e = evaluate(bench_with([{"operator": name, "radius_graph": points}], dimensions={"w": "9 mm"}), "p1")
            self.assertEqual(float(e.mesh.size), 5.0)
            self.assertEqual(e.steps[0].shown["radius_graph/p3/value"], 9.0)
            for wrong in (
                [],
                [{"at": 0}],
                [{"at": 0.5, "value": 1}, {"at": 0.2, "value": 1}],
                [{"at": 2, "value": 1}],
                4,
            ):
                failed = evaluate(bench_with([{"operator": name, "radius_graph": wrong}]), "p1").failed
                self.assertEqual(failed.error.field, "radius_graph")

    def test_weights(self) -> None:
        class Values(OperatorValues):
            mask: Any = weights("Where it lifts.")

        def apply(mesh: Mesh, values: Values, context: Context) -> Result:
            Unused.seen["mask"] = values.mask
            lift = np.ones(mesh.n_points) if values.mask is None else values.mask
            return Result(mesh.with_points(mesh.points + lift[:, None] * [0, 0, 10]))

        box = {"operator": "box", "size": [4, 4, 4], "counts": [2, 2, 2]}
        with operator_of(Values, apply, Kind.CHANGE) as name:

            def masked(raw: Any) -> np.ndarray:
                built(box, {"operator": name, "mask": raw})
                return np.asarray(Unused.seen["mask"])

            built(box, {"operator": name})
            self.assertIsNone(Unused.seen["mask"])
            top = masked({"pick": {"rule": "facing", "direction": [0, 0, 1], "within": 60}})
            self.assertEqual(sorted(set(top.tolist())), [0.0, 1.0])
            ramp = masked({"graph": [{"at": 0, "value": 0}, {"at": 1, "value": 1}], "along": "z"})
            self.assertEqual(sorted(set(ramp.tolist())), [0.0, 0.5, 1.0])
            spot = masked(
                {
                    "strokes": [
                        {"places": [[2, 2, 4]], "radius": 3},
                        {"places": [[2, 2, 4]], "radius": 1, "amount": -0.25},
                    ]
                }
            )
            # the corner itself 1 − 1/4; 2 mm away (1 − (2/3)²)²
            self.assertAlmostEqual(float(spot.max()), 0.75)
            self.assertTrue(np.isclose(spot, (1 - 4 / 9) ** 2).any())
            none = {"rule": "by_hand", "elements": []}
            self.assertEqual(set(masked({"pick": none}).tolist()), {0.0})
            kept = masked({"base": 0.5, "strokes": [{"pick": none, "to": "mask * 2"}, {"pick": none, "by": 1}]})
            self.assertEqual(set(kept.tolist()), {0.5})
            lifted = masked({"pick": {"rule": "everything"}, "to": "0.25 + 0.5"})
            self.assertEqual(set(lifted.tolist()), {0.75})
            halved = masked({"base": 1, "strokes": [{"pick": {"rule": "everything"}, "to": "mask * 0.5"}]})
            self.assertEqual(set(halved.tolist()), {0.5})
            less = masked({"base": 0.8, "strokes": [{"pick": {"rule": "everything"}, "by": "-mask / 4"}, {"even": 3}]})
            np.testing.assert_allclose(less, 0.6)
            wrongs: tuple[Any, ...] = (
                3,
                {"pick": 2},
                {"base": 2, "strokes": []},
                {"strokes": [{"even": 0}]},
                {"strokes": [{"even": 500}]},
                {"strokes": [{"pick": {"rule": "everything"}, "to": "maks * 0.5"}]},
                {"strokes": [{"places": [[0, 0, 0]], "radius": 1, "to": 2}]},
                {"strokes": [{"places": [[0, 0, 0]], "radius": 1, "to": 1, "by": 1}]},
                {"strokes": [{"places": [[0, 0, 0]], "radius": 1, "soft": 2}]},
                {"strokes": [{"places": [[0, 0, 0]] * 2001, "radius": 1}]},
                {"strokes": [{"even": 1}] * 501},
                {"strokes": [{"radius": 1}]},
                {"strokes": [{"places": [[0, 0, 0]], "radius": 0}]},
                {"strokes": [{"places": [[0, 0], [0, 0, 0]], "radius": 1}]},
                {"strokes": [{"places": [0, 0, 0], "radius": 1}]},
                {"graph": []},
            )
            for wrong in wrongs:
                self.assertRaises(CoreError, masked, wrong)

    def test_parts_where_they_stand(self) -> None:
        class Values(OperatorValues):
            others: Any = parts("What it is made of.")
            gap: float = length("Between.", default=0.0)

        def apply(values: Values, context: Context) -> Result:
            bodies = [placed(b.mesh, b.matrix) for b in values.others if b.mesh is not None]
            return Result(join_meshes(bodies))

        def part(i: str, x: float) -> dict[str, Any]:
            return {
                "id": i,
                "name": i,
                "placement": {"move": [x, 0, 0]},
                "recipe": [{"id": "s1", "operator": "box", "values": {"size": [2, 2, 2]}}],
            }

        with operator_of(Values, apply) as name:

            def bench(x: float, others: Any = ("a", "b")) -> Bench:
                whole = {
                    "id": "w",
                    "name": "Whole",
                    "recipe": [{"id": "s1", "operator": name, "values": {"others": list(others)}}],
                }
                return Bench.model_validate({"name": "T", "parts": [part("a", 0), part("b", x), whole]})

            near, far = evaluate(bench(5), "w"), evaluate(bench(9), "w")
            self.assertEqual((float(near.mesh.size), float(far.mesh.size)), (7.0, 11.0))
            self.assertNotEqual(near.key, far.key)
            for wrong, words in ((["a", "a"], "named once"), (["zz"], "no part"), (["w"], "circle")):
                error = evaluate(bench(5, wrong), "w").failed.error
                self.assertIn(words, error.sentence())
                self.assertEqual(error.field, "others")

    def test_a_seed_gives_the_same_again(self) -> None:
        class Values(OperatorValues):
            seed: int = seed()
            way: str = choice("Of what.", (("even", "even"), ("odd", "odd")))

        def apply(values: Values, context: Context) -> Result:
            high = float(np.random.default_rng(values.seed).uniform(1, 2))
            return Result(box_mesh(np.array([1, 1, high]), (1, 1, 1), context.step))

        with operator_of(Values, apply) as name:
            sizes = [float(built({"operator": name, "seed": s}).mesh.size) for s in (1, 1, 2)]
            self.assertEqual(sizes[0], sizes[1])
            self.assertNotEqual(sizes[0], sizes[2])
            self.assertRaises(CoreError, built, {"operator": name, "seed": -1})

    def test_a_number_for_each_copy_and_one_that_follows_what_is_found(self) -> None:
        """``copy`` counts from 0 up to the count beside it; ``fit`` is what the operator finds, and the body follows both."""
        seen: list[Any] = []

        class Values(OperatorValues):
            count: int = count_("How many.", default=3)
            high: Any = per_copy("How high.", of="length", otherwise="1 mm")
            wide: FittedLength | None = fitted("How wide.", otherwise="as it fits")

        def apply(values: Values, context: Context) -> Result:
            seen.append((values.high, None if values.wide is None else values.wide.at(4.0)))
            return Result(box_mesh(np.ones(3), (1, 1, 1), context.step))

        with operator_of(Values, apply) as name:
            for written, found in (
                ({}, (None, None)), ({"high": 2}, ((2.0, 2.0, 2.0), None)), ({"high": "copy * 2 mm + copies * 1 mm"}, ((3.0, 5.0, 7.0), None)),
                ({"high": "w * copy", "count": 2}, ((0.0, 6.0), None)), ({"wide": "fit / 2 + w"}, (None, 8.0)), ({"wide": 5}, (None, 5.0)),
            ):  # fmt: skip
                built({"operator": name} | written, dimensions={"w": 6})
                self.assertEqual(seen[-1], found)
            for written, words in (({"high": "copy * 1 deg"}, "length is wanted"), ({"wide": "fits"}, "no named number"), ({"high": "1 / copy"}, "0")):  # fmt: skip
                with self.assertRaises(CoreError) as caught:
                    built({"operator": name} | written)
                self.assertIn(words, caught.exception.sentence())
            keys = [evaluate(bench_of({"operator": name, "wide": w}), "p1").key for w in ("fit", "fit + 1", "fit * 1")]
            self.assertEqual((keys[0] == keys[1], keys[0] == keys[2]), (False, True))

    def test_relevant_values_are_required_only_then(self) -> None:
        class Values(OperatorValues):
            way: str = choice("How.", (("plain", "plain"), ("by", "by a curve")))
            guide: Any = curves("What it follows.", least=1, relevant='way == "by"')

        with operator_of(Values, lambda values, context: Result(box_mesh(np.ones(3), (1, 1, 1), context.step))) as name:
            built({"operator": name})
            with self.assertRaises(CoreError) as caught:
                built({"operator": name, "way": "by"})
            self.assertEqual(caught.exception.field, "guide")
            self.assertNotIn("guide", written_schema(operators()[name].values)["required"])


class ByChance(unittest.TestCase):
    def test_renaming_there_and_back_changes_nothing(self) -> None:
        chance = random.Random(7)
        for kind, raw, named in WRITTEN:
            numbers = sorted(n for to, n in named if to == "number")
            if not numbers:
                continue
            name = chance.choice(numbers)
            from jukai.core.formulas import rename_in_formula

            def renamed(value: Any, old: str, new: str, kind: AnyKind = kind) -> Any:
                return kind.mapped(
                    value,
                    lambda f: (
                        rename_in_formula(f.raw, old, new) if f.to == "number" and isinstance(f.raw, str) else f.raw
                    ),
                )

            there = renamed(raw, name, "other_name")
            self.assertNotIn(("number", name), {(r.to, r.name) for r in kind.references(there)})
            self.assertEqual(renamed(there, "other_name", name), raw)


if __name__ == "__main__":
    unittest.main()
