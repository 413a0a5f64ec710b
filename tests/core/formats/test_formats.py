"""Round trips, byte layouts, and what other libraries make of our files."""

from __future__ import annotations

import json
import shutil
import struct
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
import trimesh

from jukai.core.errors import FileProblem
from jukai.core.formats import WriteOptions, read_mesh
from jukai.core.formats._obj_fast import read_plain_obj
from jukai.core.formats.bench_file import bench_schema, read_bench, read_bench_zip, write_bench, write_bench_zip
from jukai.core.formats.glb import GlbMaterial
from jukai.core.formats.obj import _Reader
from jukai.core.formats.text import decimal_rows, index_rows
from jukai.core.formats.writing import ExportPart, write_parts
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.recipe.evaluate import evaluate
from tests.common import EXAMPLE, REFERENCE, ROOT, reference, reference_mesh
from tests.recipes import bench_of, body, turned

BRASS = GlbMaterial("Brass", "#c89a3f", 1.0, 0.3)
PROFILE = [[0, 0], {"at": [10, 0], "fillet": 2}, [8, 30], [0, 30]]


def column(sides: int = 24) -> Mesh:
    return body(turned(sides=sides), {"operator": "twist", "turn": 30}, profile=PROFILE)


def written(mesh: Mesh, kind: str, **options: object) -> bytes:
    return next(iter(write_parts([ExportPart("Column", mesh, BRASS)], kind, WriteOptions(**options)).values()))  # type: ignore[arg-type]


class RoundTrips(unittest.TestCase):
    def test_polygons_and_digits_are_kept(self) -> None:
        for mesh in (column(), column(200), reference_mesh("c_prism.obj"), reference_mesh("spiral_wall.obj")):
            for kind in ("obj", "ply"):
                back = read_mesh(written(mesh, kind), kind).mesh
                np.testing.assert_array_equal(back.corners, mesh.corners)
                np.testing.assert_array_equal(back.offsets, mesh.offsets)
                np.testing.assert_allclose(back.points, mesh.points, rtol=0, atol=1e-14 * mesh.size)
                if mesh.uv is not None:
                    assert back.uv is not None  # PLY has them in single precision
                    np.testing.assert_allclose(back.uv, mesh.uv, atol=1e-14 if kind == "obj" else 1e-6)

    def test_rows_alike_are_read_at_once_and_a_row_that_is_not_is_still_found(self) -> None:
        mesh = column(400)  # enough for the compiled way
        for triangles in (False, True):
            data = written(mesh, "ply", triangles=triangles, texture=False)
            read = read_mesh(data, "ply").mesh
            k = 3 if triangles else 4
            row = 1 + 4 * k
            if triangles:
                self.assertEqual(read.n_faces, len(triangulate(mesh).faces))
                last = bytearray(data)
                last[-row] = 2
                notes = read_mesh(bytes(last[:-4]), "ply").notes  # the last face has two corners
                self.assertIn("1 face with fewer than 3 different points left out.", notes)
                wrong = bytearray(data)
                wrong[-4:] = struct.pack("<i", mesh.n_points)
                with self.assertRaises(FileProblem) as caught:
                    read_mesh(bytes(wrong), "ply")
                self.assertIn(f"Face {read.n_faces}: point {mesh.n_points}", caught.exception.message)

    def test_triangles_come_back_whole(self) -> None:
        for mesh in (column(), reference_mesh("hole_plate_12.obj")):
            for kind in ("stl", "glb"):
                read = read_mesh(written(mesh, kind), kind)
                self.assertEqual(read.mesh.n_faces, len(triangulate(mesh).faces))
                self.assertEqual(read.mesh.n_points, mesh.n_points)
                self.assertTrue((read.mesh.connectivity.edge_sides == 2).all())
                np.testing.assert_allclose(read.mesh.bounds, mesh.bounds, atol=1e-5)
                self.assertEqual(read.has_units, kind == "glb")

    def test_unit_and_up_axis(self) -> None:
        mesh = column()
        for kind in ("obj", "stl", "ply"):
            inch = read_mesh(written(mesh, kind, unit="in", up="y"), kind).mesh
            np.testing.assert_allclose(inch.bounds[1, 1] * 25.4, 30, rtol=1e-6)
            self.assertEqual(
                len(read_mesh(written(mesh, kind, triangles=True), kind).mesh.sides), len(triangulate(mesh).faces)
            )

    def test_groups_and_finishes_in_obj(self) -> None:
        files = write_parts(
            [ExportPart("Column one", body({"operator": "cylinder"}), BRASS)], "obj", WriteOptions(), "out"
        )
        self.assertEqual(list(files), ["out.obj", "out.mtl"])
        text = files["out.obj"].decode()
        for line in ("mtllib out.mtl", "usemtl Brass", "g Column_one_walls", "g Column_one_start_cap"):
            self.assertIn(line, text.splitlines())
        self.assertIn("newmtl Brass", files["out.mtl"].decode())

    def test_finishes_of_single_faces(self) -> None:
        cube_ = reference_mesh("cube.obj")
        two = cube_.with_changes(finishes=("Steel", "Chalk"), face_finish=np.array([0, 0, 1, -1, -1, -1], np.int32))
        part = ExportPart("Cube", two, BRASS, (GlbMaterial("Steel", "#888888", 1.0, 0.2),))
        for kind in ("glb", "obj"):
            files = write_parts([part], kind, WriteOptions(triangles=True))
            read = read_mesh(next(iter(files.values())), kind).mesh
            assert read.face_finish is not None
            counts = {name: int((read.face_finish == i).sum()) for i, name in enumerate(read.finishes)}
            self.assertEqual(counts, {"Steel": 4, "Chalk": 2, "Brass": 6}, kind)
        self.assertIn(b"newmtl Steel", files["parts.mtl"])
        self.assertIn(b"newmtl Chalk", files["parts.mtl"])

    def test_several_parts_in_one_file(self) -> None:
        parts = [ExportPart("a", column()), ExportPart("b", reference_mesh("cube.obj"), BRASS)]
        for kind in ("obj", "stl", "ply", "glb"):
            back = read_mesh(next(iter(write_parts(parts, kind, WriteOptions()).values())), kind).mesh
            self.assertAlmostEqual(signed_volume(Mesh.from_triangles(back.points, triangulate(back).points(back))),
                                   sum(signed_volume(Mesh.from_triangles(p.mesh.points, triangulate(p.mesh).points(p.mesh))) for p in parts), delta=0.05)  # fmt: skip

    def test_numbers_as_text(self) -> None:
        rng = np.random.default_rng(1)
        for scale in (1e-6, 1.0, 1e6, 123456789.0):
            rows = rng.normal(size=(30_000, 3)) * scale
            back = np.array([line.split()[1:] for line in bytes(decimal_rows(b"v", rows)).splitlines()], float)
            np.testing.assert_allclose(back, rows, rtol=0, atol=5e-15 * np.abs(rows).max())
        many = np.tile([0.1, -2.0, 1234.5], (20_001, 1))
        self.assertEqual(decimal_rows(b"v", many)[:18], b"v 0.1 -2 1234.5\nv ")
        self.assertEqual(decimal_rows(b"v", np.array([[0.1, -2.0, 1e22]])), b"v 0.1 -2 1e+22\n")
        corners, offsets = np.arange(1, 30_001, dtype=np.int32), np.arange(0, 30_001, 3, dtype=np.int32)
        for uv in (None, corners):
            self.assertEqual(index_rows(corners, uv, offsets), b"".join(index_rows(corners[i:i + 3], None if uv is None else uv[i:i + 3], np.array([0, 3])) for i in range(0, 30_000, 3)))  # fmt: skip


ODD = (b"v", b"vt 1", b"vn 0 0 1", b"f", b"1", b"-1", b"1/1", b"1//1", b"2/2/2", b"-2.5e-7", b"123456789012345678901", b".", b"1.23456789012345678901", b"#x",
       b"g a", b"o b c", b"usemtl m", b"s 1", b"mtllib z", b"\\", b"1e99", b"+4", b"e", b"0.000000000000000000000001", b"1e-30", b"\t", b"\r")  # fmt: skip


def obj_by_chance(chance: np.random.Generator) -> bytes:
    """Return the text of a small OBJ file, most of it plain, some of it odd."""
    lines: list[bytes] = []
    for _ in range(int(chance.integers(4, 16))):
        kind = chance.random()
        points = max(sum(line.startswith(b"v ") for line in lines), 1)
        if kind < 0.5:
            numbers = chance.normal(0, 10 ** chance.uniform(-9, 9), 3)
            lines.append(b"v " + b" ".join(b"%g" % x if chance.random() < 0.97 else ODD[int(chance.integers(len(ODD)))] for x in numbers))  # fmt: skip
        elif kind < 0.9:
            sign = 1 if chance.random() < 0.7 else -1
            at = (chance.permutation(points)[: int(chance.integers(3, 6))] + 1) * sign
            lines.append(b"f " + b" ".join(b"%d" % i for i in at))
        elif kind < 0.97:
            lines.append(
                [b"g left", b"usemtl Brass # dull", b"vt 0.5 0.25", b"vn 0 0 1", b"# words", b""][
                    int(chance.integers(6))
                ]
            )
        else:
            lines.append(b" ".join(ODD[int(i)] for i in chance.integers(0, len(ODD), int(chance.integers(1, 5)))))
    return b"\n".join(lines)


class Obj(unittest.TestCase):
    def test_the_fast_reader_reads_what_the_careful_one_reads(self) -> None:
        texts = [p.read_bytes() for p in sorted((REFERENCE / "meshes").glob("*.obj"))]
        texts += [
            written(column(48), "obj"),
            b"v 1e-3 2.5E+2 -.5\nv 1 0 0 1\nv 0 1 0\nvt 0 1\ng a b # c\nf 1/1 2/1 -1/-1\n",
        ]
        read = 0
        for text in texts:
            fast = read_plain_obj(text)
            if fast is None:
                continue
            read += 1
            careful = _Reader().read(text)
            for name in ("corners", "offsets", "face_group", "face_finish"):
                np.testing.assert_array_equal(getattr(fast, name), getattr(careful, name))
            # up to 15 digits exactly; of 16 and more one unit in the last place may differ
            np.testing.assert_allclose(fast.points, careful.points, rtol=2.3e-16, atol=0)
            self.assertEqual((fast.groups, fast.finishes), (careful.groups, careful.finishes))
        self.assertGreater(read, 40)

    def test_on_files_by_chance_both_readers_agree(self) -> None:
        """2 000 short files of plain lines, odd numbers and rubbish: what the fast one takes, the careful one reads as the same mesh."""
        chance = np.random.default_rng(12)
        taken = 0
        for i in range(2000):
            text = obj_by_chance(chance)
            fast = read_plain_obj(text)
            if fast is None:
                continue
            taken += 1
            with self.subTest(i, text=text):
                careful = _Reader().read(text)
                for name in ("corners", "offsets", "face_group", "face_finish"):
                    np.testing.assert_array_equal(getattr(fast, name), getattr(careful, name))
                np.testing.assert_allclose(fast.points, careful.points, rtol=2.3e-16, atol=0)
                self.assertEqual((fast.groups, fast.finishes), (careful.groups, careful.finishes))
        self.assertGreater(taken, 100)

    def test_the_fast_reader_leaves_every_fault_to_the_careful_one(self) -> None:
        for row in reference("meshes_bad/table.json")["rows"]:
            if row["format"] == "obj" and row["wanted"] == "reject":
                self.assertIsNone(read_plain_obj((REFERENCE / "meshes_bad" / row["file"]).read_bytes()), row["file"])


class Stl(unittest.TestCase):
    def test_byte_layout(self) -> None:
        """80 bytes of header, a count, then 12 floats and 2 bytes a triangle, little endian (common practice, no source)."""
        for mesh in (reference_mesh("cube.obj"), column(200)):
            data = written(mesh, "stl")
            n = struct.unpack_from("<I", data, 80)[0]
            self.assertEqual((n, len(data)), (len(triangulate(mesh).faces), 84 + 50 * n))
            self.assertFalse(data.startswith(b"solid"))
            for i in (0, n - 1):
                row = struct.unpack_from("<12fH", data, 84 + 50 * i)
                a, b, c = (np.array(row[3 + 3 * k : 6 + 3 * k]) for k in range(3))
                cross = np.cross(b - a, c - a)
                np.testing.assert_allclose(row[:3], cross / np.linalg.norm(cross), atol=1e-4)
                self.assertEqual(row[12], 0)

    def test_many_triangles_are_merged_as_few_are(self) -> None:
        mesh = body({"operator": "box", "counts": [60, 60, 40]})
        back = read_mesh(written(mesh, "stl"), "stl").mesh
        self.assertEqual(back.n_points, mesh.n_points)


class Glb(unittest.TestCase):
    def test_validator_finds_no_error(self) -> None:
        """The validator of the standard's own group, from the package gltf-validator."""
        if shutil.which("node") is None:
            self.fail("node is missing")
        script = (
            "const v=require('gltf-validator');const fs=require('fs');"
            "Promise.all(process.argv.slice(1).map(f=>v.validateBytes(new Uint8Array(fs.readFileSync(f)))))"
            ".then(r=>console.log(JSON.stringify(r.map(x=>x.issues))))"
        )
        with tempfile.TemporaryDirectory() as folder:
            paths = []
            for i, parts in enumerate(
                (
                    [ExportPart("Column", column(), BRASS)],
                    [ExportPart("a", column(200), BRASS), ExportPart("b ö", reference_mesh("c_prism.obj"))],
                )
            ):
                path = Path(folder) / f"{i}.glb"
                path.write_bytes(next(iter(write_parts(parts, "glb", WriteOptions()).values())))
                paths.append(str(path))
            out = subprocess.run(
                ["node", "-e", script, *paths], capture_output=True, text=True, cwd=ROOT / "frontend", check=True
            )
        for issues in json.loads(out.stdout):
            self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"][:3])

    def test_metres_y_up_normals_and_material(self) -> None:
        mesh = column()
        scene: Any = trimesh.load(
            file_obj=trimesh.util.wrap_as_stream(written(mesh, "glb")), file_type="glb", process=False
        )
        geometry = next(iter(scene.geometry.values()))
        np.testing.assert_allclose(geometry.bounds[:, 1], [0, 0.03], atol=1e-9)
        self.assertEqual(geometry.visual.material.name, "Brass")
        self.assertEqual(geometry.visual.material.metallicFactor, 1)
        lengths = np.linalg.norm(geometry.vertex_normals, axis=1)
        np.testing.assert_allclose(lengths, 1, atol=1e-5)
        self.assertEqual(geometry.visual.uv.shape, (len(geometry.vertices), 2))

    def test_vertices_are_shared_where_normals_agree(self) -> None:
        mesh = body({"operator": "cylinder", "sides": 48})
        ours: Any = trimesh.load(
            file_obj=trimesh.util.wrap_as_stream(written(mesh, "glb")), file_type="glb", process=False
        )
        # walls: both rings with the seam of the texture twice; ends: each ring once more
        self.assertEqual(len(next(iter(ours.geometry.values())).vertices), 2 * 49 + 2 * 48)


class OtherLibraries(unittest.TestCase):
    def test_volume_and_watertightness(self) -> None:
        """trimesh and manifold3d find the same volume and no hole in what we build and write."""
        bodies = [column(), column(60), body(turned(angle=200, sides=20), profile=PROFILE), body({"operator": "cylinder", "ends": "rings"}),
                  body(turned(angle=300, rise=9, sides=30), profile=[[4, 0], [8, 0], [6, 3]], closed=True), reference_mesh("genus_2_plate.obj")]  # fmt: skip
        for mesh in bodies:
            tri = triangulate(mesh).points(mesh)
            expected = signed_volume(Mesh.from_triangles(mesh.points, tri))
            theirs = trimesh.Trimesh(mesh.points, tri, process=False)
            self.assertTrue(theirs.is_watertight and theirs.is_winding_consistent)
            self.assertAlmostEqual(float(theirs.volume), expected, delta=1e-9 * expected)
            solid = manifold3d.Manifold(manifold3d.Mesh64(mesh.points.copy(), tri.astype(np.uint64)))
            self.assertEqual(solid.status(), manifold3d.Error.NoError)
            self.assertAlmostEqual(solid.volume(), expected, delta=1e-6 * expected)
            for kind in ("obj", "stl", "ply", "glb"):
                again: Any = trimesh.load(
                    file_obj=trimesh.util.wrap_as_stream(
                        written(mesh, kind, triangles=True) if kind != "glb" else written(mesh, kind)
                    ),
                    file_type=kind,
                    force="mesh",
                )
                again.merge_vertices(merge_tex=True, merge_norm=True)
                self.assertTrue(again.is_watertight, kind)
                self.assertAlmostEqual(
                    float(again.volume) * (1e9 if kind == "glb" else 1), expected, delta=1e-4 * expected
                )


class Imports(unittest.TestCase):
    def build(self, name: str, data: bytes, **values: str) -> object:
        return evaluate(bench_of({"operator": "imported", "file": name} | values), "p1", files={name: data})

    def test_unit_and_axis(self) -> None:
        data = written(column(), "stl")
        for values, height, axis in (({}, 30, 2), ({"unit": "cm"}, 300, 2), ({"up": "y"}, 20, 2)):
            evaluation = self.build("a.stl", data, **values)
            self.assertAlmostEqual(float(np.ptp(evaluation.mesh.points, axis=0)[axis]), height, delta=height * 0.02)  # type: ignore[attr-defined]
            self.assertIn("faces", evaluation.steps[0].notes[-1].text)  # type: ignore[attr-defined]

    def test_groups_of_the_file_can_be_named_later(self) -> None:
        evaluation = self.build("a.obj", written(body({"operator": "cylinder"}), "obj"))
        self.assertIn("Column_walls", evaluation.mesh.groups())  # type: ignore[attr-defined]

    def test_a_bad_file_is_an_error_of_the_step(self) -> None:
        evaluation = self.build("a.obj", b"v 1 2\n")
        self.assertIn("a.obj: Line 1", evaluation.error.message)  # type: ignore[attr-defined]
        unit = self.build("b.obj", b"v 0 0 0\nv 9e8 0 0\nv 0 9e8 0\nf 1 2 3\n", unit="m")
        self.assertIn("over 1e+09", unit.error.message)  # type: ignore[attr-defined]


class BenchFiles(unittest.TestCase):
    def test_round_trip(self) -> None:
        bench = read_bench(EXAMPLE.read_bytes())
        self.assertEqual(read_bench(write_bench(bench)), bench)
        self.assertEqual(write_bench(bench), write_bench(read_bench(write_bench(bench))))
        again, files = read_bench_zip(write_bench_zip(bench, {"a.obj": b"v"}))
        self.assertEqual((again, files), (bench, {"a.obj": b"v"}))

    def test_the_published_schema_takes_the_demo_and_refuses_what_we_refuse(self) -> None:
        import jsonschema

        schema = bench_schema()
        self.assertEqual(json.loads((ROOT / "docs" / "bench.schema.json").read_text()), schema)
        for path in sorted((ROOT / "demo").glob("*.json")):
            jsonschema.validate(json.loads(path.read_text()), schema)
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(
                {"format": "jukai-bench", "version": 1, "name": "x", "unit": "mm", "parts": [{"id": "p1"}]}, schema
            )

    def test_hostile_files(self) -> None:
        good = json.loads(EXAMPLE.read_text())
        cases: list[tuple[object, str]] = [
            (b"", "empty"), (b"\xff\xfe", "UTF-8"), (b"{", "line 1"), (b"[]", "no bench file"), (b"[" * 100_000, "nested too deep"),
            (good | {"version": 3}, "version 3"), (good | {"unit": "in"}, "unit"), (good | {"extra": 1}, "extra"),
            (good | {"parts": [{"id": "p1", "name": "x", "recipe": []}] * 2}, "two parts are called 'p1'"),
            (good | {"dimensions": [{"name": "a", "value": True}]}, "dimensions[0].value"), (good | {"parts": [{"id": "../x", "name": "x", "recipe": []}]}, "parts[0].id"),
            (json.dumps(good).replace("360", "NaN").encode(), "NaN"), (json.dumps(good).replace("360", "1e999").encode(), ""),
            (good | {"curves": [{"id": "c1", "name": "x", "points": [{"at": [0]}]}]}, "curves[0].points[0].at"),
        ]  # fmt: skip
        for case, text in cases:
            with self.subTest(text):
                data = case if isinstance(case, bytes) else json.dumps(case).encode()
                if text:
                    with self.assertRaises(FileProblem) as caught:
                        read_bench(data)
                    self.assertIn(text, caught.exception.message)
                else:
                    self.assertTrue(read_bench(data))

    def test_hostile_zips(self) -> None:
        import io
        import zipfile

        def zipped(*names: str, body: bytes = b"{}") -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
                for name in names:
                    z.writestr(name, body)
            return out.getvalue()

        for data, text in (
            (b"PK nonsense", "can't be read"), (zipped("../a.jukai.json"), "without folders"), (zipped("a.obj"), "0 bench files"),
            (zipped("a.jukai.json", "b.jukai.json"), "2 bench files"), (zipped(*(f"{i}.obj" for i in range(1200))), "1200 files"),
            (zipped("a.jukai.json", body=b"0" * 600_000_000), "too large when unpacked"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(FileProblem) as caught:
                read_bench_zip(data)
            self.assertIn(text, caught.exception.message)


if __name__ == "__main__":
    unittest.main()
