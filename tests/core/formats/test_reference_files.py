"""Every hostile file ends as its table wants, every small mesh is described as its table says."""

from __future__ import annotations

import json
import unittest

import numpy as np

from tests.common import REFERENCE, command, reference, reference_mesh, written_volume


class HostileFiles(unittest.TestCase):
    def test_command_line(self) -> None:
        for row in reference("meshes_bad/table.json")["rows"]:
            with self.subTest(row["file"], what=row["what"], say=row["say"]):
                status, out, err = command("check", str(REFERENCE / "meshes_bad" / row["file"]), "--json")
                if row["wanted"] == "reject":
                    self.assertEqual((status, out), (2, ""))
                    self.assertEqual(err.count("\n"), 1, err)
                    self.assertNotIn("inside Jukai", err)
                    continue
                self.assertEqual((status, err), (0, ""))
                notes = [n for n in json.loads(out)["notes"] if n["level"] == "warning"]
                if row["wanted"] == "warn":
                    self.assertTrue(notes)

    def test_places_are_named(self) -> None:
        """Where the table's sentence names a line, triangle, point or face by number, ours does."""
        for row in reference("meshes_bad/table.json")["rows"]:
            words = row["say"].split(":")[0].split()
            if (
                row["wanted"] != "reject"
                or len(words) != 2
                or words[0] not in ("line", "triangle", "node", "accessor", "buffer")
            ):
                continue
            with self.subTest(row["file"], say=row["say"]):
                _, _, err = command("check", str(REFERENCE / "meshes_bad" / row["file"]))
                self.assertIn(f"{words[0]} {words[1]}", err.lower())


class SmallMeshes(unittest.TestCase):
    def test_described_as_the_table_says(self) -> None:
        for row in reference("meshes/table.json")["rows"]:
            with self.subTest(row["file"]):
                status, out, err = command("check", str(REFERENCE / "meshes" / row["file"]), "--json")
                self.assertEqual((status, err), (0, ""))
                got = json.loads(out)
                self.assertEqual([got["points"], got["edges"], got["faces"]], [row["V"], row["E"], row["F"]])
                for key in ("bodies", "closed", "manifold", "oriented"):
                    self.assertEqual(got[key], row[key], key)
                sides = set(row["sides_of_faces"])
                self.assertEqual(
                    {int(k) if k != "more" else 5 for k, n in got["sides"].items() if n}, {min(s, 5) for s in sides}
                )
                if row.get("volume") is None:
                    self.assertIsNone(got["volume"])
                else:
                    size = np.ptp(got["bounds"], axis=0).max()
                    # of bent faces the table cuts each from its first corner; ours is that of the triangles written
                    bent = "choice of diagonal" in row["bevel"]
                    volume = written_volume(reference_mesh(row["file"])) if bent else row["volume"]
                    self.assertAlmostEqual(got["volume"], volume, delta=1e-5 * abs(volume) + 1e-12 * size**3)

    def test_crossings(self) -> None:
        """The meshes said to pass through themselves do, the sound ones do not."""
        crossed = {"klein_bottle.obj", "spindle_torus.obj"}
        for row in reference("meshes/table.json")["rows"]:
            if not (row["closed"] and row["manifold"]) or row["file"] == "pentagram_prism.obj":
                continue
            with self.subTest(row["file"]):
                _, out, _ = command("check", str(REFERENCE / "meshes" / row["file"]), "--json")
                self.assertEqual(json.loads(out)["self_crossings"] > 0, row["file"] in crossed)


if __name__ == "__main__":
    unittest.main()
