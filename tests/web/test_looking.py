"""Sections, measures, outlines, limit surfaces, kept views and sheets over the API."""

from __future__ import annotations

import base64
import math
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np

from tests.web.common import ApiTest


class Looking(ApiTest):
    def setUp(self) -> None:
        super().setUp()
        bench = {
            "format": "jukai-bench", "version": 1, "name": "Fitting", "unit": "mm",
            "dimensions": [{"name": "wide", "value": 20}],
            "parts": [
                {"id": "p1", "name": "Block", "recipe": [{"id": "s1", "operator": "box", "values": {"size": ["wide", 20, 10]}}]},
                {"id": "p2", "name": "Pin", "placement": {"move": [30, 0, 0]},
                 "recipe": [{"id": "s1", "operator": "cylinder", "values": {"radius": 5, "height": 10, "sides": 96}}]},
                {"id": "p3", "name": "Tube", "placement": {"move": [0, 30, 0]},
                 "recipe": [{"id": "s1", "operator": "cylinder", "values": {"radius": 5, "height": 10, "ends": "open"}}]},
            ],
        }  # fmt: skip
        self.bench = str(self.post("/benches/open", bench, 201)["id"])

    def bodies(self) -> list[dict[str, Any]]:
        return [
            {"part": p["part"], "mesh": p["mesh"], "matrix": p["matrix"]}
            for p in self.get(f"/benches/{self.bench}")["parts"]
        ]

    def test_a_section(self) -> None:
        planes = [{"point": [0, 0, 5], "normal": [0, 0, 1]}]
        found = self.post("/section", {"planes": planes, "bodies": self.bodies(), "chosen": "p1"})
        rows = {r["part"]: r for r in found["rows"]}
        self.assertAlmostEqual(rows["p1"]["area"], 400, places=9)
        self.assertAlmostEqual(rows["p2"]["area"], 48 * 25 * math.sin(2 * math.pi / 96), places=9)
        upright = self.post(
            "/section", {"planes": [{"point": [0, 30, 0], "normal": [1, 0, 0]}], "bodies": self.bodies()[2:]}
        )
        self.assertEqual([(r["area"], r["cap"]) for r in upright["rows"]], [(None, "")])  # open there: lines only
        cap = np.frombuffer(base64.b64decode(rows["p1"]["cap"]), "<f4").reshape(-1, 3) + np.array(found["origin"])
        np.testing.assert_allclose(cap[:, 2], 5, atol=1e-6)
        np.testing.assert_allclose(np.abs(cap[:, :2]).max(axis=0), 10, atol=1e-5)
        self.assertEqual([(g["other"], g["crossing"]) for g in found["gaps"]], [("p2", False), ("p3", False)])
        self.assertAlmostEqual(found["gaps"][0]["distance"], 15, places=6)

    def test_two_planes_take_a_corner_away(self) -> None:
        planes = [{"point": [0, 0, 0], "normal": [0, -1, 0]}, {"point": [0, 0, 0], "normal": [1, 0, 0]}]
        found = self.post("/section", {"planes": planes, "bodies": self.bodies()[:1], "chosen": None})
        self.assertEqual([(r["plane"], round(r["area"], 9)) for r in found["rows"]], [(0, 100), (1, 100)])
        same = self.post("/section", {"planes": [planes[0], planes[0]], "bodies": self.bodies()[:1]})
        self.assertEqual([round(r["area"], 9) for r in same["rows"]], [200])

    def test_sections_out_of_shape(self) -> None:
        body = self.bodies()[0]
        for planes, bodies, status in (
            ([], [body], 422),
            ([{"point": [0, 0, 0], "normal": [0, 0, 0]}], [body], 422),
            ([{"point": [0, 0], "normal": [0, 0, 1]}], [body], 422),
            ([{"point": [0, 0, 0], "normal": [0, 0, 1]}] * 3, [body], 422),
            ([{"point": [0, 0, 0], "normal": [0, 0, 1]}], [body | {"mesh": "nowhere"}], 404),
            ([{"point": [0, 0, 0], "normal": [0, 0, 1]}], [body | {"matrix": [1, 2]}], 422),
        ):
            self.assertTrue(self.post("/section", {"planes": planes, "bodies": bodies}, status)["title"])

    def test_a_measure_is_read_kept_and_refreshed(self) -> None:
        body = self.bodies()[0]
        ends = [body | {"of": "faces", "element": {"at": at}} for at in ([10, 0, 5], [-10, 0, 5])]
        for e in ends:
            e.pop("part")
        found = self.post("/measure", {"of": ends})
        self.assertEqual({r["what"]: r["value"] for r in found["rows"]}["between"], 20)
        measure = {
            "name": "over_all",
            "what": "between",
            "of": [{"part": "p1", "of": "faces", "element": e} for e in found["ends"]],
        }
        state = self.edit(self.bench, 1, kind="add_measure", measure=measure)
        self.assertEqual([(m["name"], m["value"], m["unit"]) for m in state["measures"]], [("over_all", 20, "mm")])
        state = self.edit(self.bench, 2, kind="set_dimension", name="wide", value=33.5)
        self.assertEqual(state["measures"][0]["value"], 33.5)
        preview = {
            "base": 3,
            "edit": {"kind": "set_dimension", "name": "wide", "value": 7},
            "author": "t",
            "parts": ["p1"],
        }
        self.assertEqual(self.post(f"/benches/{self.bench}/preview", preview)["measures"][0]["value"], 7)
        # its name is taken, and formulas say that they can't use it
        self.assertIn("taken", self.edit(self.bench, 3, 422, kind="add_measure", measure=measure)["title"])
        self.edit(self.bench, 3, 422, kind="set_dimension", name="over_all", value=3)
        undone = self.post(f"/benches/{self.bench}/undo", {"base": 3, "author": "t"})
        self.assertEqual(undone["measures"][0]["value"], 20)

    def test_measures_out_of_shape(self) -> None:
        body = {k: v for k, v in self.bodies()[0].items() if k != "part"}
        for of, status in (
            ([], 422),
            ([body | {"of": "faces", "element": {}}], 422),
            ([body | {"of": "corners", "element": {"at": [0, 0, 0]}}], 422),
            ([body | {"of": "faces", "element": {"at": ["x", 0, 0]}}], 422),
            ([body | {"of": "faces", "element": {"at": [0, 0, 900]}}], 422),
            ([body | {"mesh": "nowhere", "of": "faces", "element": {"at": [0, 0, 0]}}], 404),
        ):
            self.assertTrue(self.post("/measure", {"of": of}, status)["title"])

    def test_outlines_limits_and_marks(self) -> None:
        bodies = self.bodies()
        found = self.post("/outlines", {"bodies": bodies[:1], "views": ["front", "top"]})
        for row, size in zip(found["views"], ((20, 10), (20, 20)), strict=True):
            lines = np.frombuffer(base64.b64decode(row["outline"]), "<f4").reshape(-1, 2)
            np.testing.assert_allclose(np.ptp(lines, axis=0), size)
        self.post("/outlines", {"bodies": bodies, "views": ["inside"]}, 422)
        mesh = bodies[0]["mesh"]
        sharp, rounded = (self.get(f"/meshes/{mesh}/subdivided?rounded={r}") for r in ("false", "true"))
        self.assertEqual(sharp[:4], b"JKV2")
        self.assertNotEqual(sharp, rounded)
        marks = self.get(f"/meshes/{bodies[1]['mesh']}/marks")
        self.assertEqual((marks["n_poles"], marks["n_many"], len(marks["lines"])), (0, 2, 192))
        strips = self.get(f"/meshes/{bodies[1]['mesh']}/strips")
        self.assertEqual(strips[:4], b"JKS1")
        for path in ("subdivided", "marks", "strips"):
            self.get(f"/meshes/nowhere/{path}", 404)

    def test_matrices_that_place_nothing(self) -> None:
        body = self.bodies()[0]
        for matrix in ([0] * 16, [1] * 16, [1, 2, 3]):
            wrong = body | {"matrix": matrix}
            plane = {"point": [0, 0, 5], "normal": [0, 0, 1]}
            self.post("/section", {"planes": [plane], "bodies": [wrong]}, 422)
            self.post("/outlines", {"bodies": [wrong], "views": ["front"]}, 422)
            end = {k: v for k, v in wrong.items() if k != "part"} | {"of": "faces", "element": {"at": [10, 0, 5]}}
            self.post("/measure", {"of": [end]}, 422)

    def test_views_are_kept(self) -> None:
        view = {
            "name": "Foot",
            "target": [0, 0, 1],
            "around": 10,
            "above": -20,
            "distance": 90,
            "section": [{"normal": [0, 1, 0], "offset": 2}],
            "hidden": ["p3"],
        }
        state = self.edit(self.bench, 1, kind="keep_view", view=view)
        self.assertEqual(state["undo"]["label"], "view Foot")
        state = self.edit(self.bench, 2, kind="keep_view", view=view | {"distance": 40})
        self.assertEqual([(v["name"], v["distance"]) for v in state["document"]["views"]], [("Foot", 40)])
        state = self.edit(self.bench, 3, kind="rename_view", name="Foot", new_name="Sole")
        self.edit(self.bench, 4, 422, kind="rename_view", name="Foot", new_name="Sole")
        state = self.edit(self.bench, 4, kind="remove_view", name="Sole")
        self.assertEqual(state["document"].get("views", []), [])
        self.edit(self.bench, 5, 422, kind="keep_view", view=view | {"distance": -1})

    def test_before_the_last_edit(self) -> None:
        self.assertEqual(self.get(f"/benches/{self.bench}/before"), {"label": None, "parts": []})
        old = self.bodies()[0]["mesh"]
        self.edit(self.bench, 1, kind="set_dimension", name="wide", value=5)
        before = self.get(f"/benches/{self.bench}/before")
        self.assertEqual((before["label"], before["parts"][0]["mesh"]), ("wide", old))
        self.assertNotEqual(self.bodies()[0]["mesh"], old)

    def test_sheets(self) -> None:
        svg = self.get(f"/benches/{self.bench}/sheet?paper=A4&section=0,-1,0,0&parts=p1")
        root = ET.fromstring(svg)
        found = {g.get("data-name"): g.get("data-value") for g in root.iter() if g.get("class") == "dimension"}
        self.assertEqual(found, {"width": "20", "depth": "20", "height": "10"})
        self.assertTrue(self.get(f"/benches/{self.bench}/sheet?format=pdf").startswith(b"%PDF"))
        for query, status in (
            ("parts=p9", 422), ("paper=A9", 422), ("scale=0", 422), ("scale=100", 422), ("section=1,2", 422), ("section=0,0,0,0", 422),
            ("lettering=4", 422), ("angle=second", 422), ("colour=red", 422),
        ):  # fmt: skip
            self.assertTrue(self.get(f"/benches/{self.bench}/sheet?{query}", status)["title"], query)
