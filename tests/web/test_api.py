"""The API on a real database: edits, undo, previews, files, hand-over; who may ask; and kill -9 on the whole server."""

from __future__ import annotations

import http.client
import io
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from jukai.core.formats import read_mesh
from jukai.main import make
from jukai.web import models
from jukai.web.security import Access
from tests.common import EXAMPLE, REFERENCE, ROOT, reference


class ApiTest(unittest.TestCase):
    access: Access | None = None

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.app = make(Path(folder.name), access=self.access, checked=True)
        self.addCleanup(self.app.extensions["jukai"].store.close)
        self.client = self.app.test_client()

    def get(self, path: str, status: int = 200, **kwargs: Any) -> Any:
        response = self.client.get(f"/api{path}", **kwargs)
        self.assertEqual(response.status_code, status, response.get_data()[:400])
        return response.get_json() if response.is_json or "json" in (response.mimetype or "") else response.get_data()

    def post(self, path: str, body: Any = None, status: int = 200, **kwargs: Any) -> Any:
        response = self.client.post(f"/api{path}", **({"json": body} if body is not None else {}), **kwargs)
        self.assertEqual(response.status_code, status, response.get_data(as_text=True)[:400])
        return json.loads(response.get_data())

    def opened(self) -> str:
        return str(self.post("/benches/open", data=EXAMPLE.read_bytes(), status=201)["id"])

    def edit(self, bench: str, base: int, status: int = 200, **edit: Any) -> Any:
        return self.post(f"/benches/{bench}/edits", {"base": base, "edit": edit, "author": "t"}, status)


class Described(ApiTest):
    def test_an_answer_that_is_not_as_described_is_found(self) -> None:
        """Every test here holds each answer against its model; that this finds what is wrong is shown once."""
        from unittest.mock import patch

        from jukai.web import routes

        bench = self.opened()
        whole = routes._state
        for spoil in (
            lambda d: d | {"strange": 1},
            lambda d: {k: v for k, v in d.items() if k != "waiting"},
            lambda d: d | {"revision": "one"},
        ):
            with (
                patch.object(routes, "_state", lambda *a, s=spoil: s(whole(*a))),
                self.assertLogs("jukai.web", "ERROR"),
            ):
                self.get(f"/benches/{bench}", 500)

    def test_a_change_is_told_alone_where_that_is_asked_for(self) -> None:
        bench = self.opened()
        self.get(f"/benches/{bench}")
        edit = {"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 31}
        little = {"Prefer": "return=minimal, wait=5"}
        found = self.post(f"/benches/{bench}/edits", {"base": 1, "edit": edit}, headers=little)
        self.assertEqual((found["base"], found["revision"], [p["part"] for p in found["parts"]]), (1, 2, ["p1"]))
        self.assertEqual(found["document"]["parts"]["rows"][0]["recipe"][1]["values"], {"turn": 31})
        back = self.post(f"/benches/{bench}/undo", {"base": 2}, headers=little)
        self.assertEqual((back["base"], back["redo"]["number"]), (2, 2))
        # a window that shows an older revision is told all
        whole = self.post(f"/benches/{bench}/go-to", {"base": 1, "revision": 2}, headers=little)
        self.assertIn("document", whole)
        ready = self.get(f"/benches/{bench}/parts?ids=p1,nothing")
        self.assertEqual(([p["part"] for p in ready["parts"]], ready["waiting"], ready["stopped"]), (["p1"], [], []))

    def test_a_preview_brings_the_buffers_that_are_not_held(self) -> None:
        bench = self.opened()
        edit = {"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 31}
        asked = {"base": 1, "edit": edit, "parts": ["p1"], "told": False}

        def packet(**more: Any) -> tuple[dict[str, Any], list[bytes]]:
            response = self.client.post(
                f"/api/benches/{bench}/preview", json=asked | more, headers={"Accept": "application/octet-stream"}
            )
            data = response.get_data()
            length = int.from_bytes(data[:8], "little")
            head, at, bodies = json.loads(data[8 : 8 + length]), 8 + -(-length // 8) * 8, []
            for _, size in head["meshes"]:
                bodies.append(data[at : at + size])
                at += -(-size // 8) * 8
            self.assertEqual(at, len(data))
            return head, bodies

        head, bodies = packet()
        models.BenchChanges.model_validate(head)
        self.assertEqual(bodies[0], self.client.get(f"/api/meshes/{head['parts'][0]['mesh']}").get_data())
        self.assertEqual(packet(held=[head["parts"][0]["mesh"]])[1], [])

    def test_drawings_of_operators(self) -> None:
        for operator in ("box", "bevel", "imported"):
            drawing = self.get(f"/operators/{operator}/drawing.svg?look=dusk")
            self.assertTrue(drawing.startswith(b"<svg"))
        self.get("/operators/nothing/drawing.svg", 404)
        self.get("/operators/box/drawing.svg?look=neon", 422)


class Benches(ApiTest):
    def test_list_new_open_duplicate_rename_remove_and_back(self) -> None:
        self.assertEqual(self.get("/benches")["benches"], [])
        new = self.post("/benches", {"name": "Dome"}, 201)["id"]
        demo = self.post("/benches", {"demo": True}, 201)["id"]
        copy = self.post(f"/benches/{demo}/duplicate", status=201)["id"]
        self.edit(new, 1, kind="set_bench", name="Pierced dome")
        names = {b["id"]: b["name"] for b in self.get("/benches")["benches"]}
        self.assertEqual(names, {new: "Pierced dome", demo: "Tern Point armillary", copy: "Tern Point armillary, copy"})
        self.assertEqual(self.client.delete(f"/api/benches/{new}").status_code, 200)
        self.assertIsNotNone(next(b for b in self.get("/benches")["benches"] if b["id"] == new)["removed"])
        self.post(f"/benches/{new}/restore")
        self.assertTrue(all(b["removed"] is None for b in self.get("/benches")["benches"]))

    def test_a_file_comes_back_as_it_went_in(self) -> None:
        bench = self.opened()
        response = self.client.get(f"/api/benches/{bench}/file")
        self.assertIn("Example.jukai.json", response.headers["Content-Disposition"])
        again = self.post("/benches/open", data=response.get_data(), status=201)["id"]
        self.assertEqual(self.get(f"/benches/{again}")["document"], self.get(f"/benches/{bench}")["document"])

    def test_a_bad_file_changes_nothing(self) -> None:
        for data in (b"", b"{", b"PK\x03\x04xx", b'{"format": "jukai-bench", "version": 9}'):
            body = self.post("/benches/open", data=data, status=422)
            self.assertEqual(body["status"], 422)
            self.assertTrue(body["title"].endswith("."))
        self.assertEqual(self.get("/benches")["benches"], [])


class Edits(ApiTest):
    def test_state_fits_its_model(self) -> None:
        bench = self.opened()
        models.BenchView.model_validate(self.get(f"/benches/{bench}"))
        models.OperatorList.model_validate(self.get("/operators"))

    def test_edit_undo_redo_branch(self) -> None:
        bench = self.opened()
        first = self.edit(bench, 1, kind="set_value", part="p1", step="s2", key="turn", value=60)
        self.assertEqual((first["revision"], first["undo"]["label"], first["redo"]), (2, "twist turn", None))
        undone = self.post(f"/benches/{bench}/undo", {"base": 2})
        self.assertEqual((undone["revision"], undone["redo"]["label"]), (1, "twist turn"))
        self.assertEqual(
            self.post(f"/benches/{bench}/redo", {"base": 1})["parts"][0]["mesh"], first["parts"][0]["mesh"]
        )
        self.post(f"/benches/{bench}/go-to", {"base": 2, "revision": 1})
        self.edit(bench, 1, kind="set_step", part="p1", step="s2", on=False)
        history = self.get(f"/benches/{bench}/history")
        self.assertEqual(
            [(r["number"], r["on_branch"]) for r in history["revisions"]], [(3, True), (2, False), (1, True)]
        )
        self.post(f"/benches/{bench}/revision-name", {"revision": 2, "name": "wrung"})
        self.assertEqual(self.get(f"/benches/{bench}/history")["revisions"][1]["name"], "wrung")

    def test_a_stale_edit_gets_the_newer_head(self) -> None:
        bench = self.opened()
        self.edit(bench, 1, kind="set_bench", name="A")
        problem = self.edit(bench, 1, 409, kind="set_bench", name="B")
        self.assertEqual((problem["code"], problem["head"]), ("stale", 2))
        for how in ("undo", "redo"):
            self.assertEqual(self.post(f"/benches/{bench}/{how}", {"base": 1}, 409)["head"], 2)

    def test_a_preview_is_not_kept(self) -> None:
        bench = self.opened()
        before = self.get(f"/benches/{bench}")
        edit = {"kind": "set_value", "part": "p1", "step": "s1", "key": "sides", "value": 12}
        seen = self.post(f"/benches/{bench}/preview", {"base": 1, "edit": edit, "parts": ["p1"]})
        self.assertNotEqual(seen["parts"][0]["faces"], before["parts"][0]["faces"])
        self.assertEqual(self.get(f"/benches/{bench}")["parts"], before["parts"])

    def test_problems_say_what_is_wrong_and_where(self) -> None:
        bench = self.opened()
        cases: list[tuple[Any, str, str]] = [
            ({"kind": "set_value", "part": "p1", "step": "s9", "key": "turn", "value": 1}, "value", "Step 's9'"),
            ({"kind": "dance"}, "request", "edit"),
            ({"kind": "set_dimension", "name": "sin", "value": 1}, "formula", "function"),
            ({"kind": "set_point", "curve": "c1", "point": "p1", "at": [1]}, "request", "at"),
        ]
        for edit, code, text in cases:
            problem = self.edit(bench, 1, 422, **edit)
            self.assertEqual(problem["code"], code)
            self.assertIn(text, problem["title"])
        self.assertEqual(self.get("/benches/none", 404)["code"], "not_there")
        self.assertEqual(self.get("/nowhere", 404)["status"], 404)
        self.assertEqual(self.get(f"/benches/{bench}")["revision"], 1)

    def test_a_value_that_fails_is_kept_and_told_at_its_step(self) -> None:
        bench = self.opened()
        state = self.edit(bench, 1, kind="set_value", part="p1", step="s1", key="sides", value="flutes +")
        step = state["parts"][0]["steps"][0]
        self.assertEqual((step["state"], step["error"]["code"], step["error"]["position"]), ("failed", "formula", 8))

    def test_new_steps_are_written_with_their_numbers(self) -> None:
        bench = self.opened()
        state = self.edit(bench, 1, kind="add_part", part="p2", name="Can", step="s1", operator="cylinder")
        values = state["document"]["parts"][1]["recipe"][0]["values"]
        self.assertEqual(values, {"radius": 10.0, "height": 20.0, "sides": 36})
        state = self.edit(bench, 2, kind="add_step", part="p2", step="s2", operator="twist", after="s1")
        self.assertEqual(state["document"]["parts"][1]["recipe"][1]["values"], {"turn": 45.0})

    def test_bodies_and_requests_out_of_shape(self) -> None:
        bench = self.opened()
        path = f"/api/benches/{bench}/edits"
        for data, kind, status in (
            (b"{", "application/json", 422),
            (b"{}", "application/json", 422),
            (b"a=1", "application/x-www-form-urlencoded", 422),
            (b"[1]", "application/json", 422),
        ):
            response = self.client.post(path, data=data, content_type=kind)
            self.assertEqual(response.status_code, status, data)
            self.assertEqual(response.mimetype, "application/problem+json")
        response = self.client.post(path, data=b"x" * 9_000_000, content_type="application/json")
        self.assertEqual(response.status_code, 413)

    def test_look_here_and_soundness(self) -> None:
        bench = self.opened()
        part = self.get(f"/benches/{bench}/parts/p1/after/s1")
        models.PartView.model_validate(part)
        report = self.get(f"/meshes/{part['mesh']}/soundness")
        models.SoundnessView.model_validate(report)
        self.assertTrue(report["sound"])
        self.get("/meshes/ffff/soundness", 404)

    def test_drawing_data_is_immutable_and_by_hash(self) -> None:
        bench = self.opened()
        digest = self.get(f"/benches/{bench}")["parts"][0]["mesh"]
        response = self.client.get(f"/api/meshes/{digest}")
        self.assertIn("immutable", response.headers["Cache-Control"])
        self.assertEqual(response.get_data()[:4], b"JKV1")


class Picks(ApiTest):
    def test_what_a_step_picks(self) -> None:
        document = {"format": "jukai-bench", "version": 1, "name": "P", "unit": "mm", "parts": [{"id": "p1", "name": "P", "recipe": [
            {"id": "s1", "operator": "box"}, {"id": "s2", "operator": "bevel", "values": {"pick": {"rule": "by_hand", "elements": []}}}]}]}  # fmt: skip
        bench = self.post("/benches/open", data=json.dumps(document).encode(), status=201)["id"]
        path = f"/benches/{bench}/parts/p1/picks/s2/pick"
        view = self.get(path)
        models.PickView.model_validate(view)
        self.assertEqual((view["of"], view["picked"], view["kinds"], view["offers"]), (12, [], ["edges", "points"], []))
        data = self.get(f"/meshes/{view['mesh']}/elements")
        points, edges, faces, corners = np.frombuffer(data, "<u4", 4).tolist()
        self.assertEqual((points, edges, faces, corners), (8, 12, 6, 24))
        self.assertEqual(
            len(data), 40 + 12 * points + 8 * edges + 4 * (faces + 1) + 8 * corners + 12 * edges + 4 * faces
        )
        at = np.frombuffer(data, "<f4", 3 * points, 40).reshape(-1, 3) + np.frombuffer(data, "<f8", 3, 16)
        pairs = np.frombuffer(data, "<u4", 2 * edges, 40 + 12 * points).reshape(-1, 2)
        elements = [{"at": at[p].mean(axis=0).tolist()} for p in pairs]
        state = self.edit(
            bench,
            1,
            kind="set_value",
            part="p1",
            step="s2",
            key="pick",
            value={"rule": "by_hand", "elements": elements},
        )
        self.assertEqual(state["parts"][0]["steps"][1]["shown"]["pick"], 12)
        self.assertIn("sharper than 30°", [o["words"] for o in self.get(path)["offers"]])
        self.get(f"/benches/{bench}/parts/p1/picks/s1/pick", 422)
        self.get(f"/benches/{bench}/parts/p1/picks/s9/pick", 422)
        self.get("/meshes/ffff/elements", 404)

    def test_a_stopped_width_offers_the_one_that_fits(self) -> None:
        document = {"format": "jukai-bench", "version": 1, "name": "P", "unit": "mm", "parts": [{"id": "p1", "name": "P", "recipe": [
            {"id": "s1", "operator": "box", "values": {"size": [40, 30, 20]}}, {"id": "s2", "operator": "bevel", "values": {"width": 12}}]}]}  # fmt: skip
        bench = self.post("/benches/open", data=json.dumps(document).encode(), status=201)["id"]
        note = self.get(f"/benches/{bench}")["parts"][0]["steps"][1]["notes"][0]
        self.assertEqual(
            note["solve"], {"key": "width", "value": 10.0, "words": "the largest width that does not stop"}
        )


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


class WhoMayAsk(ApiTest):
    def test_other_sites_may_not(self) -> None:
        for headers in (
            {"Host": "evil.example"}, {"Origin": "http://evil.example"}, {"Origin": "null"}, {"Origin": "http://127.0.0.1:9999"},
            {"Sec-Fetch-Site": "cross-site"}, {"Sec-Fetch-Site": "same-site"},
        ):  # fmt: skip
            with self.subTest(headers):
                self.assertEqual(self.client.get("/api/benches", headers=headers).status_code, 403)
                self.assertEqual(self.client.post("/api/benches", json={"name": "x"}, headers=headers).status_code, 403)
        for headers in (
            {"Host": "localhost:8137"},
            {"Host": "[::1]:8137"},
            {"Origin": "http://127.0.0.1:8137", "Host": "127.0.0.1:8137"},
        ):
            self.assertEqual(self.client.get("/api/benches", headers=headers).status_code, 200)
        self.assertEqual(self.get("/benches")["benches"], [])

    def test_headers(self) -> None:
        response = self.client.get("/api/health")
        self.assertIn("default-src 'self'", response.headers["Content-Security-Policy"])
        self.assertNotIn("unsafe-inline", response.headers["Content-Security-Policy"])
        self.assertEqual(response.headers["X-Content-Type-Options"], "nosniff")

    def test_paths_can_not_leave_the_folder(self) -> None:
        for path in ("/../main.py", "/..%2fmain.py", "/assets/../../app.py", "/%2e%2e/app.py"):
            self.assertIn(self.client.get(path).status_code, (400, 404))


class Token(ApiTest):
    access = Access("0.0.0.0", "secret")

    def test_a_token_is_needed(self) -> None:
        self.assertEqual(self.get("/benches", 401)["code"], "token")
        self.get("/benches", headers={"Authorization": "Bearer secret", "Host": "bench.local:80"})
        self.get("/benches", 401, headers={"Authorization": "Bearer secreT"})
        self.assertIn("jukai_token", self.client.get("/api/benches?token=secret").headers["Set-Cookie"])
        self.get("/benches")  # by the cookie


class Server(unittest.TestCase):
    """The whole server as a process."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = folder.name
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        self.start()
        self.addCleanup(self.stop)

    def start(self) -> None:
        command = [
            sys.executable,
            "-c",
            "from jukai.cli import run; run()",
            "serve",
            "--port",
            str(self.port),
            "--data",
            self.folder,
        ]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, cwd=ROOT, text=True)
        assert self.process.stdout is not None
        self.assertIn(f"http://127.0.0.1:{self.port}/", self.process.stdout.readline())

    def stop(self, how: int = signal.SIGTERM) -> None:
        if self.process.poll() is None:
            os.kill(self.process.pid, how)
        self.process.wait(20)
        if self.process.stdout:
            self.process.stdout.close()

    def ask(self, path: str, body: Any = None) -> Any:
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}/api{path}", method="POST" if body is not None else "GET",
                                         data=None if body is None else json.dumps(body).encode(), headers={"Content-Type": "application/json"})  # fmt: skip
        with urllib.request.urlopen(request, timeout=30) as response:
            return json.loads(response.read())

    def test_kill_nine_in_a_stream_of_edits(self) -> None:
        bench = self.ask("/benches", {"name": "Dome"})["id"]
        self.ask(f"/benches/{bench}/edits", {"base": 1, "edit": {"kind": "set_dimension", "name": "n", "value": 0}})
        acknowledged = [2]

        def stream() -> None:
            try:
                while True:
                    edit = {"kind": "set_dimension", "name": "n", "value": acknowledged[-1]}
                    acknowledged.append(
                        self.ask(f"/benches/{bench}/edits", {"base": acknowledged[-1], "edit": edit})["revision"]
                    )
            except (OSError, urllib.error.URLError, http.client.HTTPException, ValueError):
                return

        thread = threading.Thread(target=stream)
        thread.start()
        time.sleep(0.8)
        self.stop(signal.SIGKILL)
        thread.join()
        self.assertGreater(acknowledged[-1], 5)
        self.start()
        state = self.ask(f"/benches/{bench}")
        self.assertGreaterEqual(state["revision"], acknowledged[-1])
        self.assertEqual(state["document"]["dimensions"][0]["value"], state["revision"] - 1)

    def test_a_second_window_is_told(self) -> None:
        bench = self.ask("/benches", {"name": "Dome"})["id"]
        stream = urllib.request.urlopen(f"http://127.0.0.1:{self.port}/api/events?bench={bench}", timeout=10)
        self.addCleanup(stream.close)
        while b"hello" not in stream.readline():
            pass
        self.ask(f"/benches/{bench}/edits", {"base": 1, "edit": {"kind": "set_bench", "name": "D"}, "author": "a"})
        line = b""
        while not line.startswith(b'data: {"kind": "head"'):
            line = stream.readline()
        self.assertEqual(json.loads(line[6:]), {"kind": "head", "revision": 2, "author": "a"})

    def test_a_taken_port_is_one_line(self) -> None:
        command = [
            sys.executable,
            "-c",
            "from jukai.cli import run; run()",
            "serve",
            "--port",
            str(self.port),
            "--data",
            self.folder,
        ]
        out = subprocess.run(command, capture_output=True, text=True, cwd=ROOT, timeout=30)
        self.assertEqual(
            (out.returncode, out.stdout, out.stderr),
            (2, "", f"Port {self.port} is taken. Choose another one with --port.\n"),
        )


if __name__ == "__main__":
    unittest.main()
