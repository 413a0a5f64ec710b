"""Bench files as earlier versions wrote them: read, brought up to date, and the same bodies as then."""

from __future__ import annotations

import json
import unittest
from typing import Any

from jukai.core.errors import FileProblem
from jukai.core.formats.bench_file import bench_from, read_bench, write_bench
from jukai.core.recipe.versions import brought_up_to_date
from tests.kept import KEPT, bodies_of


def bevel(**values: Any) -> dict[str, Any]:
    step = {"id": "s1", "operator": "bevel", "values": values}
    return {
        "format": "jukai-bench",
        "version": 1,
        "name": "T",
        "unit": "mm",
        "parts": [{"id": "p1", "name": "P", "recipe": [step]}],
    }


class Kept(unittest.TestCase):
    def test_files_of_version_1_give_the_bodies_they_gave(self) -> None:
        files = {"cube.obj": (KEPT.parent / "meshes" / "cube.obj").read_bytes()}
        for name, bodies in json.loads((KEPT / "bodies.json").read_text()).items():
            with self.subTest(name):
                bench = read_bench((KEPT / f"{name}.jukai.json").read_bytes())
                self.assertEqual(bodies_of(bench, files), bodies)
                again = read_bench(write_bench(bench))
                self.assertEqual(again, bench)

    def test_four_values_of_a_bevel_are_two_choices(self) -> None:
        rows: list[tuple[dict[str, Any], dict[str, Any]]] = [
            ({}, {}), ({"width": 2}, {"width": 2}), ({"sharp_edges": True}, {"shading": "strips_stand_apart"}),
            ({"sharp_edges": False, "flats_flat": True, "cut_texture": False}, {}), ({"flats_flat": False}, {"shading": "runs_over_the_flats"}),
            ({"flats_flat": False, "sharp_edges": True}, {"shading": "strips_stand_apart"}),
            ({"finish": "Brass"}, {"finish": "Brass", "surface": "a_finish_of_its_own"}), ({"cut_texture": True}, {"surface": "a_texture_of_its_own"}),
            ({"finish": "Brass", "cut_texture": True}, {"finish": "Brass", "surface": "both_of_its_own"}),
        ]  # fmt: skip
        for old, new in rows:
            document = bevel(**old)
            before = json.dumps(document)
            self.assertEqual(bench_from(document).parts[0].recipe[0].values, new, old)
            self.assertEqual(json.dumps(document), before)  # what is given stays as it is

    def test_strange_versions_are_refused_and_strange_documents_pass_through(self) -> None:
        for version in (0, 3, "1", None, True, 1.5):
            self.assertRaises(FileProblem, brought_up_to_date, {"version": version})
        for strange in (
            {"version": 1, "parts": 3},
            {"version": 1, "parts": [1, {"recipe": [4, {"operator": "bevel", "values": 3}]}]},
        ):
            self.assertEqual(brought_up_to_date(strange)["version"], 2)

    def test_see_through_is_transparent(self) -> None:
        document = bevel()
        document["parts"][0]["see_through"] = True
        self.assertTrue(bench_from(document).parts[0].transparent)


if __name__ == "__main__":
    unittest.main()
