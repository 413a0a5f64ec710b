"""The API on a real database: benches, edits, undo, previews, picks; who may ask."""

from __future__ import annotations

import base64
import json
from typing import Any

import numpy as np

from jukai.web import models, models_looking, models_operators
from jukai.web.security import Access
from tests.common import EXAMPLE
from tests.drawn import read_view
from tests.web.common import ApiTest


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
        # of a body whose form is held where its points are alone
        drawn = read_view(bodies[0])
        self.assertEqual(packet(forms=[drawn.form.hex()])[1], [bodies[0][drawn.form_length :]])
        self.assertEqual(packet(forms=["00" * 16])[1], bodies)

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
        models_operators.OperatorList.model_validate(self.get("/operators"))

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

    def test_a_preview_tells_of_the_parts_asked_for_alone(self) -> None:
        """A bench of fifty hidden parts is dragged like one of one."""
        bench = self.post("/benches", {"demo": True, "name": "D"}, 201)["id"]
        state = self.get(f"/benches/{bench}")
        self.assertTrue(any(p["hidden"] for p in state["parts"]))
        edit = {"kind": "set_value", "part": "p1", "step": "s1", "key": "sides", "value": 12}
        seen = self.post(f"/benches/{bench}/preview", {"base": state["revision"], "edit": edit, "parts": ["p1"]})
        self.assertEqual([p["part"] for p in seen["parts"]], ["p1"])

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

    def test_a_value_that_can_not_be_used_is_refused_and_nothing_is_kept(self) -> None:
        bench = self.opened()
        said = self.edit(bench, 1, 422, kind="set_value", part="p1", step="s1", key="sides", value="flutes +")
        self.assertEqual((said["code"], said["position"]), ("formula", 8))
        state = self.get(f"/benches/{bench}")
        self.assertEqual((state["revision"], state["parts"][0]["steps"][0]["state"]), (1, "done"))

    def test_an_edit_whose_answer_was_lost_is_not_done_twice(self) -> None:
        """Sent again upon a newer revision it says since when it has been on its way; another window's like it is another one."""
        bench = self.opened()
        part = {"kind": "add_part", "part": "p2", "name": "Can", "step": "s1", "operator": "cylinder", "values": {}}
        turn = {"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 45}

        def sent(edit: object, base: int, status: int = 200, **more: object) -> Any:
            return self.post(f"/benches/{bench}/edits", {"base": base, "edit": edit, "author": "t", **more}, status)

        for number, edit in enumerate((part, turn), 1):
            self.assertEqual(sent(edit, number)["revision"], number + 1)
            sent(edit, number, 409)  # nothing says that it is the same one
            for base in (number, number + 1):
                again = sent(edit, base, since=number)
                self.assertEqual((again["revision"], len(again["parts"])), (number + 1, 2))
        self.assertEqual(sent(turn, 3, since=3)["revision"], 4)  # the same words once more are a new edit
        self.assertEqual(sent(turn, 4, author="u", since=1)["revision"], 5)
        self.post(f"/benches/{bench}/undo", {"base": 5, "author": "t"})
        self.post(f"/benches/{bench}/undo", {"base": 4, "author": "t"})
        self.post(f"/benches/{bench}/undo", {"base": 3, "author": "t"})
        self.assertEqual(sent(turn, 2, since=2)["revision"], 6)  # what was undone is not there

    def test_what_came_in_with_a_file_is_told_at_its_step(self) -> None:
        file = json.loads(EXAMPLE.read_text())
        file["parts"][0]["recipe"][0]["values"]["sides"] = "flutes +"
        state = self.get(f"/benches/{self.opened(file)}")
        step = state["parts"][0]["steps"][0]
        self.assertEqual((step["state"], step["error"]["code"], step["error"]["position"]), ("failed", "formula", 8))

    def test_what_no_bench_can_hold_is_refused_before_it_is_looked_at(self) -> None:
        bench = self.opened()
        edit = json.dumps(
            {
                "base": 1,
                "author": "t",
                "edit": {"kind": "set_value", "part": "p1", "step": "s2", "key": "turn", "value": 1},
            }
        )
        name = '{"base": 1, "author": "t", "edit": {"kind": "set_part", "part": "p1", "name": "%s"}}'
        whole, value = '"base": 1', '"value": 1'
        for path, body, words in (
            ("edits", edit.replace(value, '"value": 1e999'), "1e999 is too large"),
            ("edits", edit.replace(value, '"value": NaN'), "NaN is no number"),
            ("edits", edit.replace(value, '"value": ' + "9" * 400), "is too large"),
            ("edits", edit.replace(value, '"value": ' + "9" * 9000), "thousands of figures"),
            ("edits", edit.replace(whole, f'"base": {2**63}'), "is too large"),
            ("edits", edit.replace(whole, f'"base": 1, "since": {-(2**70)}'), "is too large"),
            ("go-to", json.dumps({"base": 1, "author": "t", "revision": 2**70}), "is too large"),
            ("edits", edit.replace(value, '"value": ' + "[" * 80 + "]" * 80), "over 64 deep"),
            ("edits", edit.replace(value, '"value": ' + "[" * 99_999 + "]" * 99_999), "over 64 deep"),
            ("edits", name % "a\\ud800", "U+D800"),
            ("edits", name % "a\\u0000", "U+0000"),
            ("edits", name % "a\\u001b", "U+001B"),
            ("edits", edit.replace('"part": "p1"', '"part": "\\ufffe"'), "U+FFFE"),
            ("edits", edit[:-1], "no JSON"),
        ):  # fmt: skip
            with self.subTest(words, body=body[:120]):
                answer = self.client.post(f"/api/benches/{bench}/{path}", data=body, content_type="application/json")
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.get_json()["title"])
        answer = self.client.post(f"/api/benches/{bench}/edits", data=b'"\xff"', content_type="application/json")
        self.assertIn("not in UTF-8, at byte 2", answer.get_json()["title"])
        self.assertEqual(self.get(f"/benches/{bench}")["revision"], 1)
        self.assertEqual(self.edit(bench, 1, kind="set_part", part="p1", name="Säule 🌲\twith a tab")["revision"], 2)

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
        models_looking.SoundnessView.model_validate(report)
        self.assertTrue(report["sound"])
        self.get("/meshes/ffff/soundness", 404)

    def test_holes_and_what_goes_through_them(self) -> None:
        document = {"format": "jukai-bench", "version": 1, "name": "P", "unit": "mm", "parts": [
            {"id": "p1", "name": "P", "recipe": [{"id": "s1", "operator": "washer", "values": {"inner": 9, "outer": 40, "thickness": 5, "sides": 48}}]}]}  # fmt: skip
        bench = self.post("/benches/open", data=json.dumps(document).encode(), status=201)["id"]
        digest = self.get(f"/benches/{bench}")["parts"][0]["mesh"]
        view = self.get(f"/meshes/{digest}/holes?operator=screw")
        models_operators.HolesView.model_validate(view)
        self.assertEqual([h["values"] for h in view["holes"]], [{"size": "M8"}] * 2)
        self.assertIn("medium", view["holes"][0]["words"])
        # of a body that stands twice as large
        self.assertEqual(
            self.get(f"/meshes/{digest}/holes?operator=nut&scale=2")["holes"][0]["values"], {"size": "M16"}
        )
        self.assertEqual(
            self.get(f"/meshes/{digest}/holes?operator=screw&scale=50")["holes"][0]["words"], "nothing fits"
        )
        self.assertEqual(self.get(f"/meshes/{digest}/holes?operator=box")["holes"], [])
        self.get("/meshes/ffff/holes?operator=screw", 404)
        for wrong in ("operator=spoon", "operator=screw&scale=0", "operator=screw&scale=nan", ""):
            self.get(f"/meshes/{digest}/holes?{wrong}", 422)

    def test_drawing_data_is_immutable_and_by_hash(self) -> None:
        bench = self.opened()
        digest = self.get(f"/benches/{bench}")["parts"][0]["mesh"]
        response = self.client.get(f"/api/meshes/{digest}")
        self.assertIn("immutable", response.headers["Cache-Control"])
        self.assertEqual(response.get_data()[:4], b"JKV2")


class Picks(ApiTest):
    def test_what_a_step_picks(self) -> None:
        document = {"format": "jukai-bench", "version": 1, "name": "P", "unit": "mm", "parts": [{"id": "p1", "name": "P", "recipe": [
            {"id": "s1", "operator": "box"}, {"id": "s2", "operator": "bevel", "values": {"pick": {"rule": "by_hand", "elements": []}}}]}]}  # fmt: skip
        bench = self.post("/benches/open", data=json.dumps(document).encode(), status=201)["id"]
        path = f"/benches/{bench}/parts/p1/picks/s2/pick"
        view = self.get(path)
        models_operators.PickView.model_validate(view)
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

    def test_what_a_mask_weighs(self) -> None:
        document = {"format": "jukai-bench", "version": 2, "name": "P", "unit": "mm", "parts": [{"id": "p1", "name": "P", "recipe": [
            {"id": "s1", "operator": "box"}, {"id": "s2", "operator": "twist"}, {"id": "s3", "operator": "bevel"}]}]}  # fmt: skip
        bench = self.post("/benches/open", data=json.dumps(document).encode(), status=201)["id"]
        path = f"/benches/{bench}/parts/p1/masks"

        def weights() -> list[int]:
            view = self.get(f"{path}/s2/weights")
            models_operators.MaskView.model_validate(view)
            self.assertEqual(view["points"], 8)
            self.get(f"/meshes/{view['mesh']}/elements")
            return sorted(base64.b64decode(view["weights"]))

        self.assertEqual(weights(), [255] * 8)
        top = {"pick": {"rule": "facing", "direction": [0, 0, 1], "within": 60}, "to": 0.4}
        self.edit(bench, 1, kind="set_value", part="p1", step="s2", key="weights", value=top)
        self.assertEqual(weights(), [0] * 4 + [102] * 4)
        for wrong in ("s1/weights", "s9/weights", "s2/turn", "s2/nope", "s3/pick"):
            self.get(f"{path}/{wrong}", 422)
        self.edit(bench, 2, kind="set_value", part="p1", step="s2", key="weights", value={"strokes": [{"places": 3}]})
        self.assertIn("Stroke 1", self.get(f"{path}/s2/weights", 422)["title"])

    def test_a_stopped_width_offers_the_one_that_fits(self) -> None:
        document = {"format": "jukai-bench", "version": 1, "name": "P", "unit": "mm", "parts": [{"id": "p1", "name": "P", "recipe": [
            {"id": "s1", "operator": "box", "values": {"size": [40, 30, 20]}}, {"id": "s2", "operator": "bevel", "values": {"width": 12}}]}]}  # fmt: skip
        bench = self.post("/benches/open", data=json.dumps(document).encode(), status=201)["id"]
        note = self.get(f"/benches/{bench}")["parts"][0]["steps"][1]["notes"][0]
        self.assertEqual(
            note["solve"], {"key": "width", "value": 10.0, "words": "the largest width that does not stop"}
        )


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
