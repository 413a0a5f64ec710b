"""The command line, as the architecture document says."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.common import EXAMPLE, REFERENCE, ROOT, command

DEMO = ROOT / "demo" / "armillary.jukai.json"
KEYS = ["part", "points", "edges", "faces", "sides", "bodies", "closed", "manifold", "oriented", "self_crossings", "volume", "area", "bounds",
        "groups", "notes", "milliseconds"]  # fmt: skip


class Build(unittest.TestCase):
    def test_json(self) -> None:
        status, out, err = command("build", str(EXAMPLE), "--json")
        self.assertEqual((status, err), (0, ""))
        report = json.loads(out)
        self.assertEqual(list(report), KEYS)
        self.assertEqual(
            (report["part"], report["closed"], report["self_crossings"], sorted(report["sides"])),
            ("Column", True, 0, ["3", "4", "more"]),
        )
        for note in report["notes"]:
            self.assertEqual(set(note), {"level", "step", "text"})

    def test_upto_and_part(self) -> None:
        _, whole, _ = command("build", str(EXAMPLE), "--json")
        _, first, _ = command("build", str(EXAMPLE), "--json", "--upto", "s1", "--part", "Column")
        self.assertNotEqual(json.loads(whole)["area"], json.loads(first)["area"])

    def test_every_part_of_the_demo_is_sound(self) -> None:
        parts = json.loads(DEMO.read_text())["parts"]
        self.assertGreater(len(parts), 3)
        for part in parts:
            _, out, err = command("build", str(DEMO), "--part", part["name"], "--json")
            self.assertEqual(err, "")
            flat = [s["operator"] for s in part["recipe"]] == ["sheet"]  # open, and nothing else
            told = [n["text"] for n in json.loads(out)["notes"] if n["level"] == "failure"]
            self.assertEqual(told, ["Open: 30 rim edges."] if flat else [], part["name"])

    def test_a_part_that_cannot_stand_so_is_an_error(self) -> None:
        document = json.loads(EXAMPLE.read_text())
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "t.jukai.json"
            for extents, words in (
                ({"bottom": 3, "top": 2}, "must be the greater"),
                ({"left": "nowhere"}, "no named number"),
            ):
                document["parts"][0]["placement"] = {"extents": extents}
                path.write_text(json.dumps(document))
                status, out, err = command("build", str(path), "--json")
                self.assertEqual((status, out), (2, ""))
                self.assertIn(words, err)
                self.assertEqual(len(err.splitlines()), 1)

    def test_every_operator_is_in_the_demo(self) -> None:
        used = {s["operator"] for p in json.loads(DEMO.read_text())["parts"] for s in p["recipe"]}
        _, out, _ = command("operators", "--json")
        # an import needs a file beside the bench, which the demo has none of
        self.assertEqual({o["id"] for o in json.loads(out)} - used, {"imported"})

    def test_a_file_beside_the_bench_is_read_and_none_from_elsewhere(self) -> None:
        part = {
            "id": "p1",
            "name": "Cube",
            "recipe": [{"id": "s1", "operator": "imported", "values": {"file": "cube.obj"}}],
        }
        bench = {"format": "jukai-bench", "version": 2, "name": "Beside", "unit": "mm", "parts": [part]}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "in" / "beside.jukai.json"
            path.parent.mkdir()
            path.write_text(json.dumps(bench))
            for place, found in ((path.parent.parent, False), (path.parent, True)):
                (place / "cube.obj").write_bytes((REFERENCE / "meshes" / "cube.obj").read_bytes())
                status, out, err = command("build", str(path), "--json")
                if found:
                    self.assertEqual((status, json.loads(out)["faces"]), (0, 6))
                else:
                    self.assertEqual((status, out), (2, ""))
                    self.assertIn("cube.obj", err)

    def test_writes_all_formats_and_nothing_on_failure(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for kind in ("obj", "stl", "ply", "glb"):
                target = Path(folder) / f"out.{kind}"
                status, _, err = command("build", str(EXAMPLE), "-o", str(target))
                self.assertEqual((status, err), (0, ""))
                status, out, _ = command("check", str(target), "--json")
                self.assertEqual((status, json.loads(out)["closed"]), (0, True))
            target.write_bytes(b"untouched")
            broken = json.loads(EXAMPLE.read_text())
            broken["parts"][0]["recipe"][1]["values"] = {"lead": 0}
            path = Path(folder) / "broken.jukai.json"
            path.write_text(json.dumps(broken))
            status, out, err = command("build", str(path), "-o", str(target))
            self.assertEqual((status, out, err.count("\n")), (2, "", 1))
            self.assertIn("Step s2 (twist)", err)
            self.assertEqual(target.read_bytes(), b"untouched")
            self.assertEqual(len(list(Path(folder).glob(".*"))), 0)

    def test_errors_are_one_line(self) -> None:
        for arguments, text in (
            (("build", "nowhere.json"), "There is no file"), (("build", str(ROOT)), "is a folder"), (("build", str(DEMO)), "Choose one with --part"),
            (("build", str(EXAMPLE), "--part", "Nobody"), "no part 'Nobody'"), (("build", str(EXAMPLE), "--upto", "s9"), "no step 's9'"),
            (("build", str(EXAMPLE), "-o", "x.doc"), "no mesh file"), (("build", str(EXAMPLE), "-o", "/nowhere/x.obj"), "can't be written"),
            (("check", str(EXAMPLE)), "does not end like"), (("dance",), "invalid choice"), ((), "required"), (("serve", "--port", "99999", "--data", "/tmp/j"), "no port"),
            (("serve", "--host", "0.0.0.0"), "token"),
        ):  # fmt: skip
            with self.subTest(text):
                status, out, err = command(*arguments)
                self.assertEqual((status, out, err.count("\n")), (2, "", 1), err)
                self.assertIn(text, err)


class Process(unittest.TestCase):
    def test_imports_stay_light(self) -> None:
        """The core loads NumPy and pydantic and no more; a small build neither compiler nor SciPy (``make timings`` has the times)."""
        code = (
            "import sys; {}\n"
            "known = sys.stdlib_module_names\n"
            "print(*sorted({{m.split('.')[0] for m in sys.modules if not m.startswith('_')}} - known))\n"
            "ours = [m for m in sys.modules if m.startswith('jukai')]\n"
            "print(sum(not m.startswith('jukai.core.operators.') for m in ours))"
        )
        floor = {"numpy", "pydantic", "pydantic_core", "annotated_types", "typing_extensions", "typing_inspection"}
        build = f"from jukai.cli import main; main(['build', {str(EXAMPLE)!r}, '--json', '-o', '/dev/null/x.obj'])"
        for what, allowed, modules in (
            ("import jukai.core", {"jukai"}, 5),  # all of it is loaded when it is first asked for
            ("from jukai.core import Bench, Mesh, evaluate", {"jukai", *floor}, 40),
            (build, {"jukai", *floor}, 90),
        ):
            with self.subTest(what):
                run = subprocess.run(
                    [sys.executable, "-c", code.format(what)], capture_output=True, text=True, check=True, cwd=ROOT
                )
                loaded, count = run.stdout.splitlines()[-2:]
                self.assertLessEqual(set(loaded.split()), allowed)
                self.assertLessEqual(int(count), modules)


if __name__ == "__main__":
    unittest.main()
