"""Every operator's example: it works, is drawn, and its callouts are taken hold of on the body."""

from __future__ import annotations

import random
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from typing import Any

import numpy as np

from jukai.core.drawing.examples import INKS, example_bench, example_drawing
from jukai.core.errors import ValueProblem
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import CHAPTERS, Kind
from jukai.core.operators.registry import operators
from jukai.core.recipe.evaluate import evaluate
from tests.recipes import built


def away(mesh: Mesh, points: np.ndarray) -> np.ndarray:
    """Return how far points lie from a body's surface, by trimesh's closest points of single triangles."""
    from trimesh.triangles import closest_point

    corners = triangulate(mesh).points(mesh)
    triangles = mesh.points[corners]
    out = []
    for p in points:
        near = closest_point(triangles, np.tile(p, (len(triangles), 1)))
        out.append(np.sqrt(((near - p) ** 2).sum(axis=1)).min())
    return np.array(out)


def profiled(**values: Any) -> tuple[Any, ...]:
    profile = [[0, 0], {"at": [9, 0], "fillet": 1}, [7, 12], {"at": [3, 20], "join": "smooth"}, [5, 28], [0, 28]]
    return ({"operator": "revolve", "profile": "c1"} | values,), {"profile": profile}


class Examples(unittest.TestCase):
    def check(self, evaluation: Any) -> None:
        result = evaluation.steps[-1].result
        grips = np.array([c.held_at for c in result.callouts]).reshape(-1, 3)
        gaps = away(result.mesh, grips)
        for c, gap in zip(result.callouts, gaps, strict=True):
            with self.subTest(
                evaluation.steps[-1].step.operator, target=c.target, values=evaluation.steps[-1].step.values
            ):
                self.assertLess(gap, 1e-6 * float(result.mesh.size))

    def test_every_operator_has_one_that_works(self) -> None:
        for op in operators().values():
            with self.subTest(op.id):
                assert op.example is not None
                self.assertIn(op.chapter, CHAPTERS.values())
                self.assertEqual(op.example.steps[-1][0], op.id)
                e = evaluate(example_bench(op.example), "p1", files=op.example.files)
                self.assertIsNone(e.error)
                self.check(e)

    def test_one_that_works_on_a_body_says_so_where_there_is_none(self) -> None:
        mask = {"pick": {"of": "points", "rule": "everything"}}
        written: dict[str, dict[str, Any]] = {
            "bevel": {"pick": {"of": "edges", "rule": "everything"}, "further_picks": [{"pick": {"of": "edges", "rule": "rim"}, "width": 1}]},
            "twist": {"weights": mask}, "taper": {"weights": mask},
        }  # fmt: skip
        seen = 0
        for op in operators().values():
            assert op.example is not None
            if op.kind is not Kind.CHANGE:
                continue
            values = dict(op.example.steps[-1][1]) | written.get(op.id, {})
            e = evaluate(example_bench(replace(op.example, steps=((op.id, values),))), "p1", files=op.example.files)
            with self.subTest(op.id):
                self.assertEqual(str(e.steps[0].error), f"'{op.name}' works on a body, and there is none yet.")
            seen += 1
        self.assertGreaterEqual(seen, len(written))

    def test_drawings_are_small_pictures_of_lines(self) -> None:
        for op in operators().values():
            for look, (ink, _) in INKS.items():
                root = ET.fromstring(example_drawing(op, look))
                paths = root.findall("{http://www.w3.org/2000/svg}path")
                _, _, wide, high = map(float, root.attrib["viewBox"].split())
                self.assertTrue(any(p.attrib["stroke"] == ink for p in paths), op.id)
                numbers = [
                    float(x)
                    for p in paths
                    if "h" not in p.attrib["d"].lower()
                    for x in p.attrib["d"].replace("M", " ").replace("L", " ").split()
                ]
                self.assertTrue(all(-0.1 <= x <= max(wide, high) + 0.1 for x in numbers), op.id)
                self.assertLess(wide, 140)
        self.assertRaises(ValueProblem, example_drawing, operators()["box"], "neon")

    def test_grips_stay_on_bodies_of_other_numbers(self) -> None:
        chance = random.Random(9)
        for _ in range(6):
            n = chance.randint(3, 17)
            r = chance.uniform(1, 9)
            for steps in (
                [{"operator": "cylinder", "radius": r, "height": 7, "sides": n}], [{"operator": "sphere", "radius": r, "sides": n, "rows": n}],
                [{"operator": "capsule", "radius": r, "length": 3 * r, "sides": n, "cap_rows": 3}], [{"operator": "quad_sphere", "radius": r, "counts": n}],
                [{"operator": "cone", "bottom_radius": chance.choice([0, r]), "top_radius": 2, "height": 7, "sides": n}],
                [{"operator": "torus", "major_radius": 2 * r, "minor_radius": r, "sides": n, "minor_sides": n}],
                [{"operator": "superellipsoid", "half_sizes": [r, 2, 3], "sides": n, "rows": n}], [{"operator": "washer", "sides": n}],
                [{"operator": "box", "size": [r, 3, 9], "counts": [2, 2, n]}, {"operator": "twist", "turn": 17 * r, "from": "20 %", "to": f"{90 - n} %"}],
                [{"operator": "box", "size": [r, 3, 9], "counts": [2, 2, n]}, {"operator": "twist", "lead": 30 * r, "axis": "x"}],
                [{"operator": "cylinder", "radius": r, "height": 9, "sides": n}, {"operator": "taper", "ratio": -4 * r, "to": "60 %"}],
                [{"operator": "box", "size": [20, 30, 25]}, {"operator": "bevel", "width": 1 + r / 4, "segments": 3}],
                [{"operator": "box", "size": [20, 30, 25]}, {"operator": "bevel", "width": 1 + r / 4, "pick": {"rule": "everything", "of": "points"}}],
            ):  # fmt: skip
                self.check(built(*steps))
            for values in (
                {},
                {"angle": 200, "sides": n},
                {"sides": n + 3, "measured_across": "flats"},
                {"axis": "x", "angle": 90},
            ):
                steps, more = profiled(**values)
                self.check(built(*steps, **more))


if __name__ == "__main__":
    unittest.main()
