"""Curves that go through deforming steps: arcs of bent lines, what is made from them, names, and what can't be."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np

from jukai.core.errors import CoreError
from jukai.core.geometry.measures import signed_volume
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.evaluate import evaluate
from jukai.core.recipe.resolve import Resolver
from tests.common import check_sound

LINE = [{"at": [0, 0, 0]}, {"at": [0, 0, 60]}]
SQUARE = [{"at": [-3, -3]}, {"at": [3, -3]}, {"at": [3, 3]}, {"at": [-3, 3]}]


def bench(
    path: list[dict[str, Any]],
    *steps: tuple[str, dict[str, Any]],
    closed: bool = False,
    kind: str = "path",
    **more: Any,
) -> Bench:
    rows = [{"id": f"s{i}", "operator": o, "values": v} for i, (o, v) in enumerate(steps, 1)]
    curves = [
        {"id": "c1", "name": "Rail", "kind": kind, "closed": closed, "points": path, "steps": rows},
        {"id": "c2", "name": "Ring", "closed": True, "points": SQUARE},
    ]
    recipe = [{"id": "s1", "operator": "sweep", "values": {"profile": "c2", "path": "c1", "rows": 400}}]
    return Bench.model_validate(
        {"name": "T", "curves": curves, "parts": [{"id": "p1", "name": "P", "recipe": recipe}], **more}
    )


class Curves(unittest.TestCase):
    def test_a_bent_line_is_an_arc_of_its_length(self) -> None:
        for degrees in (30, 90, 200):
            used = Resolver(bench(LINE, ("bend", {"angle": degrees, "axis": "z"}))).curve("c1")
            # cubics through 17 places and slopes: what they miss falls with the fourth power of their length
            self.assertAlmostEqual(used.path.long / 60.0, 1.0, delta=1e-8 * (degrees / 30) ** 4)
            radius = 60 / math.radians(degrees)
            away = np.hypot(used.sampled.points[:, 0] - radius, used.sampled.points[:, 2])
            np.testing.assert_allclose(away, radius, atol=1e-5 * radius)
            end = [radius * (1 - math.cos(math.radians(degrees))), 0, radius * math.sin(math.radians(degrees))]
            np.testing.assert_allclose(used.shape.at[-1], end, atol=1e-9)

    def test_what_is_swept_along_it_has_its_volume(self) -> None:
        """Pappus: the square's area times the length of the path of its centre, which a bend keeps."""
        made = evaluate(bench(LINE, ("bend", {"angle": 120, "axis": "z"})), "p1")
        check_sound(self, made.mesh)
        self.assertAlmostEqual(float(signed_volume(made.mesh)) / (36 * 60), 1.0, delta=2e-4)  # type: ignore[arg-type]

    def test_corners_and_radii_stay_what_they_are(self) -> None:
        path: list[dict[str, Any]] = [
            {"at": [0, 0, 0]},
            {"at": [30, 0, 0], "fillet": 8},
            {"at": [30, 0, 30]},
            {"at": [0, 0, 40]},
        ]
        plain = Resolver(bench(path)).curve("c1")
        same = Resolver(bench(path, ("twist", {"turn": 0.0, "axis": "z"}))).curve("c1")
        self.assertAlmostEqual(same.path.long, plain.path.long, places=5)
        corners = lambda c: c.sampled.points[c.sampled.corner]  # noqa: E731
        for corner in corners(plain):
            self.assertLess(float(np.linalg.norm(same.sampled.points - corner, axis=1).min()), 1e-6)
        # a step that is off leaves the curve as it is drawn
        off = bench(path, ("twist", {"turn": 90}))
        off = apply_edit(off, parse_edit({"kind": "set_step", "part": "c1", "step": "s1", "on": False}))
        self.assertEqual(Resolver(off).curve("c1").key, plain.key)

    def test_a_closed_profile_stays_closed_and_in_its_plane(self) -> None:
        wall: list[dict[str, Any]] = [{"at": [10, 0]}, {"at": [12, 0]}, {"at": [12, 40]}, {"at": [10, 40]}]
        made = bench(
            wall, ("undulate", {"depth": 4, "count": 2, "axis": "z", "direction": 90}), closed=True, kind="profile"
        )
        used = Resolver(made).curve("c1")
        self.assertEqual(used.shape.at.shape[1], 2)
        recipe = [{"id": "s1", "operator": "revolve", "values": {"profile": "c1", "sides": 48}}]
        turned = made.model_validate(
            made.model_dump(by_alias=True) | {"parts": [{"id": "p1", "name": "P", "recipe": recipe}]}
        )
        mesh = evaluate(turned, "p1").mesh
        check_sound(self, mesh)
        # walls move aside by as much everywhere: Pappus with the mean radius
        assert mesh is not None
        self.assertAlmostEqual(float(signed_volume(mesh)), 2 * math.pi * 11 * 80, delta=150)

    def test_an_edit_is_looked_at_with_the_curve_as_it_is_used(self) -> None:
        """A wall bent once stays beside the axis; bent twice it would go over it, which is no reason to refuse."""
        wall: list[dict[str, Any]] = [{"at": [10, 0]}, {"at": [12, 0]}, {"at": [12, 40]}, {"at": [10, 40]}]
        rows = [{"id": "s1", "operator": "bend", "values": {"angle": 25, "axis": "z", "direction": 180}}]
        curve = {"id": "c1", "name": "Wall", "closed": True, "points": wall, "steps": rows}
        recipe = [{"id": "s1", "operator": "revolve", "values": {"profile": "c1", "sides": 12}}]
        made = Bench.model_validate(
            {"name": "T", "curves": [curve], "parts": [{"id": "p1", "name": "P", "recipe": recipe}]}
        )
        check_sound(self, evaluate(made, "p1").mesh)
        edits = (
            {"kind": "set_value", "part": "p1", "step": "s1", "key": "sides", "value": 24},
            {"kind": "set_value", "part": "c1", "step": "s1", "key": "angle", "value": 28},
        )
        for edit in edits:
            made = apply_edit(made, parse_edit(edit))
            check_sound(self, evaluate(made, "p1").mesh)

    def test_names_are_followed_and_what_cannot_be_is_told(self) -> None:
        made = bench(LINE, ("bend", {"angle": "lean", "axis": "z"}), dimensions=[{"name": "lean", "value": 90}])
        before = evaluate(made, "p1").mesh
        changed = apply_edit(made, parse_edit({"kind": "set_dimension", "name": "lean", "value": 20}))
        after = evaluate(changed, "p1").mesh
        assert before is not None
        assert after is not None
        self.assertGreater(float(np.abs(before.points - after.points).max()), 10)
        renamed = apply_edit(made, parse_edit({"kind": "rename_dimension", "name": "lean", "new_name": "slope"}))
        self.assertEqual(renamed.curves[0].steps[0].values["angle"], "slope")
        refused = [
            ({"kind": "remove_dimension", "name": "lean"}, "is used in"),
            (
                {"kind": "add_step", "part": "c1", "step": "s2", "operator": "bevel", "values": {}, "after": "s1"},
                "can't go through 'bevel'",
            ),
            ({"kind": "add_step", "part": "c1", "step": "s1", "operator": "bend", "values": {}}, "is there already"),
            ({"kind": "remove_step", "part": "c1", "step": "s9"}, "not there any more"),
        ]
        for edit, words in refused:
            with self.subTest(words), self.assertRaises(CoreError) as caught:
                apply_edit(made, parse_edit(edit))
            self.assertIn(words, caught.exception.message)
        wrong = evaluate(bench(LINE, ("bend", {"angle": 30, "from": 9, "to": 3})), "p1").steps[0].error
        assert wrong is not None
        self.assertIn("Curve 'Rail', step 1", wrong.message)
        self.assertEqual(wrong.field, "path")


if __name__ == "__main__":
    unittest.main()
