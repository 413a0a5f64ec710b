"""OFF and 3MF: round trips, what another library makes of them, and broken files, each with its one clear error."""

from __future__ import annotations

import io
import struct
import unittest
import zipfile
from typing import Any
from xml.etree import ElementTree as ET

import lib3mf
import numpy as np
import trimesh

from jukai.core import xml
from jukai.core.errors import FileProblem
from jukai.core.formats import WriteOptions, read_mesh
from jukai.core.formats.glb import GlbMaterial
from jukai.core.formats.writing import ExportPart, write_parts
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from tests.common import reference_mesh
from tests.recipes import body

BRASS = GlbMaterial("Brass & <co>", "#c89a3f", 1.0, 0.3)
STEEL = GlbMaterial("Steel", "#9a9ea0", 1.0, 0.35)


def capsule(sides: int = 24) -> Mesh:
    mesh: Mesh = body({"operator": "capsule", "radius": 3, "length": 20, "sides": sides})
    return mesh


def written(mesh: Mesh, kind: str, **options: object) -> bytes:
    part = ExportPart("Capsule", mesh, BRASS, (BRASS, STEEL))
    return next(iter(write_parts([part], kind, WriteOptions(**options)).values()))  # type: ignore[arg-type]


def package(model: str, name: str = "3D/3dmodel.model") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as z:
        z.writestr(name, model)
    return out.getvalue()


def model(inside: str, *, head: str = "", attributes: str = "") -> str:
    return (
        f'{head}<model xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02" {attributes}>{inside}</model>'
    )


TETRA = (
    '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/><vertex x="0" y="0" z="1"/></vertices>'
    '<triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0" v3="3"/>'
    "</triangles></mesh>"
)
OBJECT = f'<resources><object id="1" name="T">{TETRA}</object></resources>'


class RoundTrips(unittest.TestCase):
    def test_off_keeps_polygons_and_digits(self) -> None:
        for mesh in (capsule(), capsule(300), reference_mesh("c_prism.obj"), reference_mesh("spiral_wall.obj")):
            back = read_mesh(written(mesh, "off"), "off").mesh
            np.testing.assert_array_equal(back.corners, mesh.corners)
            np.testing.assert_array_equal(back.offsets, mesh.offsets)
            np.testing.assert_allclose(back.points, mesh.points, rtol=0, atol=1e-14 * mesh.size)

    def test_3mf_keeps_triangles_digits_and_finishes(self) -> None:
        mesh = capsule()
        mesh = mesh.with_changes(finishes=("Steel",), face_finish=np.where(mesh.group_faces("s1", "walls"), 0, -1))
        read = read_mesh(written(mesh, "3mf"), "3mf")
        np.testing.assert_array_equal(read.mesh.points, mesh.points)
        self.assertEqual(read.mesh.n_faces, len(triangulate(mesh).faces))
        self.assertEqual((read.has_units, read.groups), (True, ("Capsule",)))
        assert read.mesh.face_finish is not None
        names = [read.mesh.finishes[i] for i in read.mesh.face_finish]
        walls = triangulate(mesh).faces
        steel = mesh.group_faces("s1", "walls")[walls]
        self.assertEqual(names, ["Steel" if w else "Brass & <co>" for w in steel])

    def test_units_and_up(self) -> None:
        mesh = capsule()
        for unit in ("mm", "cm", "m", "in"):
            back = read_mesh(written(mesh, "3mf", unit=unit), "3mf").mesh
            np.testing.assert_allclose(back.points, mesh.points, atol=1e-13)
        inches = read_mesh(written(mesh, "off", unit="in", up="y"), "off").mesh.points * 25.4
        np.testing.assert_allclose(inches[:, [0, 2]], mesh.points[:, [0, 1]] * [1, -1], atol=1e-13)

    def test_the_same_body_gives_the_same_bytes(self) -> None:
        for kind in ("off", "3mf"):
            self.assertEqual(written(capsule(), kind), written(capsule(), kind))

    def test_another_library_reads_off_and_we_read_its(self) -> None:
        for mesh in (capsule(), reference_mesh("hole_plate_12.obj")):
            theirs: Any = trimesh.load(
                io.BytesIO(written(mesh, "off", triangles=True)), file_type="off", force="mesh", process=False
            )
            self.assertTrue(theirs.is_watertight)
            self.assertAlmostEqual(theirs.volume, signed_volume(mesh), delta=1e-9 * abs(theirs.volume))
        ball = trimesh.creation.icosphere(subdivisions=3, radius=4)
        read = read_mesh(ball.export(file_type="off").encode(), "off")
        self.assertEqual(read.mesh.n_faces, len(ball.faces))
        self.assertAlmostEqual(signed_volume(read.mesh), ball.volume, delta=1e-6 * ball.volume)

    def test_the_consortium_s_own_library_reads_3mf_and_we_read_its(self) -> None:
        """lib3mf, of the 3MF Consortium, in its strict way of reading."""
        wrapper = lib3mf.get_wrapper()
        for mesh in (capsule(), reference_mesh("hole_plate_12.obj"), capsule(96)):
            given = wrapper.CreateModel()
            reader = given.QueryReader("3mf")
            reader.SetStrictModeActive(True)
            reader.ReadFromBuffer(written(mesh, "3mf", unit="cm"))
            self.assertEqual(reader.GetWarningCount(), 0)
            objects = given.GetMeshObjects()
            self.assertTrue(objects.MoveNext())
            theirs = objects.GetCurrentMeshObject()
            self.assertTrue(theirs.IsManifoldAndOriented())
            self.assertEqual((theirs.GetName(), theirs.GetVertexCount()), ("Capsule", mesh.n_points))
            self.assertEqual(theirs.GetTriangleCount(), len(triangulate(mesh).faces))
            back = read_mesh(bytes(given.QueryWriter("3mf").WriteToBuffer()), "3mf").mesh
            np.testing.assert_allclose(back.points, mesh.points, atol=1e-5)  # it keeps single precision
            self.assertEqual(back.n_faces, len(triangulate(mesh).faces))

    def test_texture_coordinates_can_be_left_out(self) -> None:
        for kind, mark in (("obj", b"\nvt "), ("glb", b"TEXCOORD_0")):
            self.assertIn(mark, written(capsule(), kind))
            self.assertNotIn(mark, written(capsule(), kind, texture=False))


class Names(unittest.TestCase):
    def test_names_hold_what_xml_can(self) -> None:
        """Control characters, lone surrogates and U+FFFE can't stand in XML 1.0, as references neither: they are left out."""
        name = 'A\x00\x08<b> & "c"\ud800\ufffe\u00e9\U0001f332'
        look = GlbMaterial(name, "#c89a3f", 1.0, 0.3)
        data = next(iter(write_parts([ExportPart(name, capsule(8), look, (look,))], "3mf", WriteOptions()).values()))
        read = read_mesh(data, "3mf").mesh
        clean = 'A<b> & "c"\u00e9\U0001f332'
        self.assertEqual(read.finishes, (clean,))
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            names = [
                o.get("name") for o in ET.fromstring(z.read("3D/3dmodel.model")).iter() if o.tag.endswith("object")
            ]
        self.assertEqual(names, [clean])
        self.assertEqual(xml.content("a\x0b<\ud83d"), "a&lt;")
        self.assertEqual(xml.attribute('"\x1f"'), "'\"\"'")


class Variants(unittest.TestCase):
    def test_off_of_many_kinds(self) -> None:
        faces = "3 0 2 1\n3 0 1 3\n3 1 2 3\n3 2 0 3\n"
        points = "0 0 0\n1 0 0\n0 1 0\n0 0 1\n"
        coloured = "".join(f"{line} 255 0 0\n" for line in points.splitlines())
        for text in (
            f"OFF\n4 4 6\n{points}{faces}",
            f"OFF 4 4 6\n{points}{faces}",
            f"# by hand\nOFF # kind\n\n4 4\n{points}{faces}",
            f"4 4 6\n{points}{faces}",
            f"COFF\n4 4 6\n{coloured}{faces}",
            f"OFF\r\n4 4 6\r\n{points}{faces}".replace("\n", "\r\n"),
            f"OFF\n4 4 6\n{points}" + "".join(f"{line} 0.5 0.5 0.5\n" for line in faces.splitlines()),
        ):
            with self.subTest(text=text):
                self.assertAlmostEqual(signed_volume(read_mesh(text.encode(), "off").mesh), 1 / 6, places=15)

    def test_3mf_places_objects_in_objects(self) -> None:
        inside = (
            f'<resources><object id="1">{TETRA}</object><object id="2"><components>'
            '<component objectid="1"/><component objectid="1" transform="-1 0 0 0 1 0 0 0 1 5 0 0"/></components></object></resources>'
            '<build><item objectid="2" transform="2 0 0 0 2 0 0 0 2 0 0 10"/></build>'
        )
        mesh = read_mesh(package(model(inside, attributes='unit="centimeter"')), "3mf").mesh
        self.assertAlmostEqual(signed_volume(mesh), 2 * 8 * 1000 / 6, places=6)  # a mirrored piece is turned outward
        np.testing.assert_allclose(mesh.bounds, [[0, 0, 100], [100, 20, 120]])


class Broken(unittest.TestCase):
    def refused(self, data: bytes, kind: str, words: str) -> None:
        with self.subTest(data=data[:60], words=words), self.assertRaises(FileProblem) as caught:
            read_mesh(data, kind)
        self.assertIn(words, caught.exception.message)

    def test_off(self) -> None:
        good = b"OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
        self.assertEqual(read_mesh(good, "off").mesh.n_faces, 1)
        for data, words in (
            (b"", "empty"),
            (b"# nothing\n", "empty"),
            (b"PLY\n", "first word is not OFF"),
            (b"OFF BINARY\n", "binary OFF"),
            (b"4OFF\n3 1 0\n", "three dimensions"),
            (b"OFF\n", "before its counts"),
            (b"OFF\nmany few\n", "Line 2: the numbers of points"),
            (b"OFF\n-3 1 0\n", "Line 2"),
            (b"OFF\n9999999999 1 0\n", "are the most"),
            (b"OFF\n3 0 0\n0 0 0\n1 0 0\n0 1 0\n", "no face"),
            (b"OFF\n9 1 0\n0 0 0\n", "says 9 points, but holds 1"),
            (b"OFF\n3 2 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n", "says 2 faces, but holds 1"),
            (good.replace(b"1 0 0\n0", b"1 0\n0"), "Line 4: a point needs 3 numbers, found 2"),
            (good.replace(b"1 0 0\n0", b"1 x 0\n0"), "Line 4: 'x' is no number"),
            (good.replace(b"1 0 0\n0", b"nan 0 0\n0"), "Point 1: a coordinate is not a finite"),
            (good.replace(b"1 0 0\n0", b"1e300 0 0\n0"), "too large"),
            (good.replace(b"3 0 1 2", b"3 0 1 3"), "Line 6: point 3, there are 0 to 2"),
            (good.replace(b"3 0 1 2", b"3 0 1 -1"), "Line 6: point -1"),
            (good.replace(b"3 0 1 2", b"3 0 1"), "Line 6: the face says 3 corners, and holds 2"),
            (good.replace(b"3 0 1 2", b"3 0 1 0.5"), "'0.5' is no point number"),
            (good.replace(b"3 0 1 2", b"3 0 0 0"), "No usable face"),
            (good.replace(b"3 0 1 2", b"99999999999999999999 1"), "is no number of corners"),
            ("OFF\n".encode("utf-16"), "UTF-16"),
            (b"OFF\x00\n", "not a text OFF file"),
        ):
            self.refused(data, "off", words)
        self.assertIn("1 line after the end left out.", read_mesh(good + b"7 7 7\n", "off").notes)

    def test_3mf(self) -> None:
        whole = package(model(OBJECT + '<build><item objectid="1"/></build>'))
        self.assertEqual(read_mesh(whole, "3mf").mesh.n_faces, 4)
        self.assertIn("all of its objects are taken", read_mesh(package(model(OBJECT)), "3mf").notes[0])
        deep = "".join(
            f'<object id="{i}"><components><component objectid="{i + 1}"/><component objectid="{i + 1}"/></components></object>'
            for i in range(1, 31)
        )
        for data, words in (
            (b"", "empty"),
            (b"PK\x03\x04 no zip at all", "no zip"),
            (whole[: len(whole) // 2], "no zip"),
            (package("<a/>", "readme.txt"), "no 3MF model in it"),
            (package("<model"), "no XML: line 1"),
            (package("<model/>"), "no 3MF model"),
            (package(model(OBJECT, head='<!DOCTYPE a [<!ENTITY b "c">]>')), "document type"),
            (package(model(OBJECT, attributes='requiredextensions="p"')), "extension 'p'"),
            (package(model(OBJECT, attributes='unit="parsec"')), "Unknown unit 'parsec'"),
            (package(model("<resources/>")), "no object"),
            (package(model('<resources><object id="1"><mesh><vertices/><triangles/></mesh></object></resources>')), "has no triangles"),
            (package(model(OBJECT.replace('v3="3"', 'v3="4"', 1))), "triangle 2: point 4, there are 0 to 3"),
            (package(model(OBJECT.replace('x="1"', 'x="one"'))), "point 2: 'one' is no number"),
            (package(model(OBJECT.replace(' y="1"', ""))), "point 3: 'y' is missing"),
            (package(model(OBJECT.replace('x="1"', 'x="1e300"'))), "too large"),
            (package(model(OBJECT.replace('x="1"', 'x="nan"'))), "not a finite number"),
            (package(model(OBJECT + '<build><item objectid="7"/></build>')), "'7' is built, but is not there"),
            (package(model(OBJECT + '<build><item objectid="1" transform="1 2 3"/></build>')), "no list of 12 numbers"),
            (package(model('<resources><object id="1"><components><component objectid="1"/></components></object></resources>'
                           '<build><item objectid="1"/></build>')), "in a circle"),
            (package(model(f'<resources>{deep}<object id="31">{TETRA}</object></resources><build><item objectid="1"/></build>')), "more than"),
        ):  # fmt: skip
            self.refused(data, "3mf", words)

    def test_no_file_cut_or_changed_by_chance_does_more_than_fail(self) -> None:
        chance = np.random.default_rng(5)
        for kind in ("off", "3mf"):
            good = written(capsule(8), kind)
            for _ in range(150):
                data = bytearray(good)
                for at in chance.integers(0, len(data), 3):
                    data[at] = int(chance.integers(0, 256))
                cut = bytes(data[: int(chance.integers(1, len(data)))]) if chance.random() < 0.3 else bytes(data)
                try:
                    self.assertTrue(np.isfinite(read_mesh(cut, kind).mesh.points).all())
                except FileProblem as e:
                    self.assertTrue(e.message)

    def test_objects_that_hold_each_other_many_times_are_counted_before_they_are_made(self) -> None:
        """Each of 15 objects places the next one 9 times: 2 kB that would come to 2e14 pieces, or to 2e14 nothings."""

        def nested(inside: str, deep: int, times: int) -> str:
            held = "".join(
                f'<object id="{i}"><components>{f"""<component objectid="{i + 1}"/>""" * times}</components></object>'
                for i in range(1, deep)
            )
            return (
                f'<resources>{held}<object id="{deep}">{inside}</object></resources><build><item objectid="1"/></build>'
            )

        # built from the innermost on, each is counted before what holds it
        chain = nested(TETRA, 2000, 1).replace(
            "<build>", "<build>" + "".join(f'<item objectid="{i}"/>' for i in range(2000, 1, -1))
        )
        self.refused(package(model(chain)), "3mf", "more than 16 deep")
        empty = "<components></components>"
        for inside, deep, times, words in (
            (TETRA, 16, 9, "pieces; 10000 are the most"), (TETRA, 5, 11, "14641 pieces; 10000 are the most"), (empty, 16, 9, "builds nothing that has triangles"),
            (TETRA, 60, 1, "more than 16 deep"), (TETRA, 6, 3, None),
        ):  # fmt: skip
            with self.subTest(words, deep=deep):
                data = package(model(nested(inside, deep, times)))
                if words is None:
                    self.assertEqual(read_mesh(data, "3mf").mesh.n_faces, 4 * 3**5)
                    continue
                with self.assertRaises(FileProblem) as caught:
                    read_mesh(data, "3mf")
                self.assertIn(words, caught.exception.message)

    def test_a_lying_zip_is_read_within_its_limit(self) -> None:
        data = bytearray(package(model(OBJECT)))
        at = data.rindex(b"PK\x01\x02")
        data[at + 24 : at + 28] = struct.pack("<I", 4_000_000_000)  # the size it says it has unpacked
        try:
            read_mesh(bytes(data), "3mf")
        except FileProblem as e:
            self.assertTrue(e.message)


if __name__ == "__main__":
    unittest.main()
