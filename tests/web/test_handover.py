"""Files that are sent and parts that are handed over, by the API on a real database."""

from __future__ import annotations

import io
import zipfile

import numpy as np

from jukai.core.formats import read_mesh
from tests.common import REFERENCE, reference
from tests.web.common import ApiTest


class Files(ApiTest):
    def test_every_hostile_file_by_upload(self) -> None:
        bench = self.opened()
        for row in reference("meshes_bad/table.json")["rows"]:
            data = (REFERENCE / "meshes_bad" / row["file"]).read_bytes()
            with self.subTest(row["file"]):
                expected = 422 if row["wanted"] == "reject" else 201
                body = self.post(f"/benches/{bench}/uploads?name={row['file']}", data=data, status=expected)
                if expected == 422:
                    self.assertEqual(body["code"], "file")
                elif row["wanted"] == "warn":
                    self.assertTrue(body["notes"])
        self.assertEqual(self.get(f"/benches/{bench}")["revision"], 1)

    def test_names_of_files(self) -> None:
        bench = self.opened()
        cube = (REFERENCE / "meshes" / "cube.obj").read_bytes()
        for bad in ("", "../x.obj", "a/b.obj", ".x.obj", "x.doc", "x" * 200 + ".obj"):
            self.post(f"/benches/{bench}/uploads?name={bad}", data=cube, status=422)
        self.assertEqual(self.post(f"/benches/{bench}/uploads?name=a.obj", data=cube, status=201)["file"], "a.obj")
        other = (REFERENCE / "meshes" / "l_block.obj").read_bytes()
        self.assertEqual(self.post(f"/benches/{bench}/uploads?name=a.obj", data=other, status=201)["file"], "a 2.obj")

    def test_an_import_travels_with_its_bench(self) -> None:
        bench = self.opened()
        held = self.post(
            f"/benches/{bench}/uploads?name=block.obj",
            data=(REFERENCE / "meshes" / "l_block.obj").read_bytes(),
            status=201,
        )
        self.assertEqual((held["size"], held["has_units"], held["faces"]), ([2, 2, 1], False, 8))
        state = self.edit(
            bench,
            1,
            kind="add_part",
            part="p2",
            name="Block",
            step="s1",
            operator="imported",
            values={"file": "block.obj", "unit": "cm"},
        )
        np.testing.assert_allclose(np.ptp(state["parts"][1]["bounds"], axis=0), [20, 20, 10])
        twisted = self.edit(bench, 2, kind="add_step", part="p2", step="s2", operator="twist", after="s1")
        self.assertEqual(twisted["document"]["parts"][1]["recipe"][1]["values"], {"turn": 45.0})
        state = self.post(f"/benches/{bench}/undo", {"base": 3})
        response = self.client.get(f"/api/benches/{bench}/file")
        self.assertIn(".jukai.zip", response.headers["Content-Disposition"])
        again = self.post("/benches/open", data=response.get_data(), status=201)["id"]
        self.assertEqual(self.get(f"/benches/{again}")["parts"][1]["mesh"], state["parts"][1]["mesh"])


class Handover(ApiTest):
    def test_bake_report_and_download(self) -> None:
        bench = self.opened()
        baked = self.post(f"/benches/{bench}/parts/p1/bake", status=201)
        self.assertEqual((baked["sound"], baked["revision"], baked["older"]), (True, 1, False))
        for kind in ("obj", "stl", "ply", "glb", "off", "3mf"):
            response = self.client.get(f"/api/benches/{bench}/handover/file?ids={baked['id']}&format={kind}&unit=cm")
            self.assertEqual(response.status_code, 200)
            data = response.get_data()
            if kind == "obj" and data[:2] == b"PK":
                with zipfile.ZipFile(io.BytesIO(data)) as z:
                    data = z.read(z.namelist()[0])
            bounds = read_mesh(data, kind).mesh.bounds
            self.assertAlmostEqual(float(bounds[1, 2]), 30 if kind in ("glb", "3mf") else 3, places=3)
        plain = self.get(f"/benches/{bench}/handover/file?ids={baked['id']}&format=glb&texture=false")
        self.assertNotIn(b"TEXCOORD_0", plain)
        self.edit(bench, 1, kind="set_value", part="p1", step="s2", key="turn", value=60)
        self.assertTrue(self.get(f"/benches/{bench}/handover")["baked"][0]["older"])
        again = self.post(f"/benches/{bench}/parts/p1/bake", status=201)
        self.assertEqual([b["id"] for b in self.get(f"/benches/{bench}/handover")["baked"]], [again["id"]])
        self.client.delete(f"/api/benches/{bench}/handover/{again['id']}")
        self.assertEqual(self.get(f"/benches/{bench}/handover")["baked"], [])

    def test_several_parts_together_or_apart(self) -> None:
        bench = self.post("/benches", {"demo": True}, 201)["id"]
        for part in ("p1", "p2"):
            self.post(f"/benches/{bench}/parts/{part}/bake", status=201)
        together = self.get(f"/benches/{bench}/handover/file?format=stl&together=true")
        self.assertEqual(read_mesh(together, "stl").mesh.n_faces > 100, True)
        with zipfile.ZipFile(io.BytesIO(self.get(f"/benches/{bench}/handover/file?format=obj&together=false"))) as z:
            self.assertEqual(sorted(z.namelist()), ["Pedestal.mtl", "Pedestal.obj", "Plinth.mtl", "Plinth.obj"])

    def test_a_placement_that_changes_makes_a_baked_part_older(self) -> None:
        bench = self.opened()
        self.post(f"/benches/{bench}/parts/p1/bake", status=201)
        self.edit(bench, 1, kind="set_extent", part="p1", side="bottom", at=5)
        self.assertTrue(self.get(f"/benches/{bench}/handover")["baked"][0]["older"])
        again = self.post(f"/benches/{bench}/parts/p1/bake", status=201)
        self.assertFalse(self.get(f"/benches/{bench}/handover")["baked"][0]["older"])
        self.assertEqual(again["size"][2], 30)

    def test_arranging_is_kept_as_plain_placements(self) -> None:
        bench = self.post("/benches", {"demo": True}, 201)["id"]
        state = self.edit(bench, 1, kind="line_up", parts=["p5", "p2"], to="p2", by="top")
        self.assertEqual(state["undo"]["label"], "line up 2 parts")
        stands = {p["part"]: p["stands"] for p in state["parts"] if p["stands"]}
        self.assertAlmostEqual(stands["p5"][1][2], stands["p2"][1][2], places=9)
        # a live copy follows the first part's numbers, not where it stands
        self.assertEqual(stands["p7"][0][2], 5)
        seen = self.post(f"/benches/{bench}/preview", {"base": 2, "parts": ["p5"], "edit": {
            "kind": "set_extent", "part": "p5", "side": "bottom", "at": 50, "how": "moved"}})  # fmt: skip
        self.assertEqual(seen["parts"][0]["stands"][0][2], 50)
        refused = self.post(f"/benches/{bench}/edits", {"base": 2, "edit": {
            "kind": "spread_parts", "parts": ["p1", "p2", "p99"], "along": "x"}}, 422)  # fmt: skip
        self.assertIn("not there any more", refused["title"])

    def test_a_reference_is_not_baked(self) -> None:
        bench = self.opened()
        self.edit(bench, 1, kind="set_part", part="p1", reference=True)
        self.assertIn("is a reference", self.post(f"/benches/{bench}/parts/p1/bake", status=422)["title"])

    def test_what_can_not_be_baked_or_downloaded(self) -> None:
        bench = self.opened()
        self.edit(bench, 1, kind="set_value", part="p1", step="s2", key="lead", value=0)
        self.assertIn("can't be baked", self.post(f"/benches/{bench}/parts/p1/bake", status=422)["title"])
        self.assertIn("no part", self.post(f"/benches/{bench}/parts/p9/bake", status=422)["title"])
        for query in ("", "?ids=7", "?ids=x", "?format=doc"):
            self.get(f"/benches/{bench}/handover/file{query}", 422)
