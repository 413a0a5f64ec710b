"""Reading takes time and memory in proportion to the file, can be ended, and nothing small becomes large; shapes made to be hard."""

from __future__ import annotations

import io
import json
import struct
import tracemalloc
import unittest
import zipfile
from collections.abc import Callable
from time import thread_time
from typing import Any
from unittest import mock

import numpy as np

from jukai.core.errors import Cancelled, FileProblem
from jukai.core.formats import read_mesh

THREE = b"v 0 0 0\nv 1 0 0\nv 0 1 0\n"
CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
MESH = (
    '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/></vertices>'
    '<triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh>'
)


def ring(n: int) -> list[str]:
    turn = np.arange(n) * 2 * np.pi / n
    return [f"{x:.9g} {y:.9g} 0\n" for x, y in zip(np.cos(turn), np.sin(turn), strict=True)]


def obj_polygon(n: int) -> bytes:
    rows = "".join(f"v {row}" for row in ring(n)) + "f " + " ".join(str(i + 1) for i in range(n)) + "\n"
    return rows.encode()


def off_polygon(n: int) -> bytes:
    return f"OFF\n{n} 1 0\n{''.join(ring(n))}{n} {' '.join(map(str, range(n)))}\n".encode()


def ply(more: str, body: bytes, *, count: int = 1, how: str = "ascii") -> bytes:
    return (
        f"ply\nformat {how} 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n{more}"
        f"element face {count}\nproperty list uchar int vertex_indices\nend_header\n"
    ).encode() + body


def ply_properties(n: int) -> bytes:
    names = "".join(f"property float p{i}\n" for i in range(n))
    return ply(names, b"".join(p + b" 0" * n + b"\n" for p in (b"0 0 0", b"1 0 0", b"0 1 0")) + b"3 0 1 2\n")


def ply_elements(n: int) -> bytes:
    elements = "".join(f"element e{i} 1\nproperty int q\n" for i in range(n))
    return ply(elements, b"0 0 0\n1 0 0\n0 1 0\n" + b"7\n" * n + b"3 0 1 2\n")


def ply_mixed(n: int) -> bytes:
    points = struct.pack("<9f", 0, 0, 0, 1, 0, 0, 0, 1, 0)
    faces = b"\x03" + struct.pack("<3i", 0, 1, 2) + b"\x04" + struct.pack("<4i", 0, 1, 2, 0)
    return ply("", points + faces * n, count=2 * n, how="binary_little_endian")


def glb(document: dict[str, Any], points: int = 3) -> bytes:
    blob = np.tile(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32), (points // 3, 1)).tobytes()
    blob += np.array([0, 1, 2, 0], np.uint16).tobytes()
    views = [
        {"buffer": 0, "byteLength": 12 * points},
        {"buffer": 0, "byteOffset": 12 * points, "byteLength": 6},
    ]
    accessors = [
        {"bufferView": 0, "componentType": 5126, "count": points, "type": "VEC3"},
        {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
    ]
    whole = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": views,
        "accessors": accessors,
    }
    text = json.dumps(whole | document).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<III", 0x46546C67, 2, 28 + len(text) + len(blob)) + struct.pack("<II", len(text), 0x4E4F534A)
    return head + text + struct.pack("<II", len(blob), 0x004E4942) + blob


def primitive(**more: int) -> dict[str, Any]:
    return {"attributes": {"POSITION": 0}, "indices": 1, **more}


def scene(n: int) -> dict[str, Any]:
    return {"scene": 0, "scenes": [{"nodes": list(range(n))}]}


def glb_primitives(n: int, points: int = 3) -> bytes:
    return glb({"meshes": [{"primitives": [primitive()] * n}], "nodes": [{"mesh": 0}], **scene(1)}, points)


def glb_nodes(n: int, points: int = 3) -> bytes:
    return glb({"meshes": [{"primitives": [primitive()]}], "nodes": [{"mesh": 0}] * n, **scene(n)}, points)


def glb_named(n: int) -> bytes:
    meshes = [{"name": f"m{i}", "primitives": [primitive(material=i)]} for i in range(n)]
    nodes = [{"mesh": i, "name": f"n{i}"} for i in range(n)]
    return glb({"meshes": meshes, "nodes": nodes, "materials": [{"name": f"x{i}"} for i in range(n)], **scene(n)})


def package(resources: str, build: str = '<item objectid="1"/>') -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as z:
        z.writestr(
            "3D/3dmodel.model",
            f'<model xmlns="{CORE}"><resources>{resources}</resources><build>{build}</build></model>',
        )
    return out.getvalue()


def threemf_objects(n: int) -> bytes:
    objects = "".join(f'<object id="{i}" name="o{i}">{MESH}</object>' for i in range(n))
    return package(objects, "".join(f'<item objectid="{i}"/>' for i in range(n)))


def threemf_materials(n: int) -> bytes:
    bases = "".join(f'<base name="b{i}" displaycolor="#000000"/>' for i in range(n))
    return package(f'<basematerials id="9">{bases}</basematerials><object id="1">{MESH}</object>')


def threemf_points(n: int) -> bytes:
    points = '<vertex x="0.5" y="0.25" z="1"/>' * n
    triangles = '<triangle v1="0" v2="1" v3="2"/>' * n
    mesh = f"<mesh><vertices>{points}</vertices><triangles>{triangles}</triangles></mesh>"
    return package(f'<object id="1">{mesh}</object>')


SHAPES: dict[str, tuple[str, Callable[[int], bytes], int]] = {
    "a face over lines that go on": ("obj", lambda n: THREE + b"f 1 2 \\\n" + b"\\\n" * n + b"3\n", 4000),
    "many such faces": ("obj", lambda n: THREE + b"f 1 2 \\\n3\n" * n, 2000),
    "a group for each face": ("obj", lambda n: THREE + b"".join(b"g a%d\nf 1 2 3\n" % i for i in range(n)), 2000),
    "a group with many names": ("obj", lambda n: THREE + b"g" + b" a" * n + b"\nf 1 2 3\n", 20_000),
    "no line ends but returns": ("obj", lambda n: THREE.replace(b"\n", b"\r") + b"f 1 2 3\r" * n, 2000),
    "one polygon in OBJ": ("obj", obj_polygon, 2000),
    "one polygon in OFF": ("off", off_polygon, 2000),
    "many triangles in OFF": ("off", lambda n: b"OFF\n3 %d 0\n0 0 0\n1 0 0\n0 1 0\n" % n + b"3 0 1 2\n" * n, 3000),
    "many properties": ("ply", ply_properties, 400),
    "many elements": ("ply", ply_elements, 400),
    "faces that are not alike": ("ply", ply_mixed, 4000),
    "primitives that share their numbers": ("glb", glb_primitives, 100),
    "a mesh placed often": ("glb", glb_nodes, 100),
    "names of their own": ("glb", glb_named, 100),
    "solids": ("stl", lambda n: b"".join(b"solid\nfacet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid\n" for _ in range(n)), 500),
    "objects": ("3mf", threemf_objects, 100),
    "materials": ("3mf", threemf_materials, 1000),
    "points": ("3mf", threemf_points, 1000),
}  # fmt: skip


def seconds(kind: str, data: bytes) -> float:
    """Return what reading takes of this thread: others may still be ending work of tests before."""
    best = float("inf")
    for _ in range(3):
        start = thread_time()
        read_mesh(data, kind)
        best = min(best, thread_time() - start)
    return best


class Proportions(unittest.TestCase):
    def test_time_grows_as_the_file_does(self) -> None:
        """Ten times the file in less than thirty times the time; what looks through all for each would take a hundred."""
        for name, (kind, make, n) in SHAPES.items():
            with self.subTest(name):
                read_mesh(make(n), kind)
                small, large = make(n), make(10 * n)
                growth = len(large) / len(small)
                self.assertGreater(growth, 5)
                self.assertLess(seconds(kind, large), 3 * growth * max(seconds(kind, small), 1e-3))

    def test_memory_is_at_most_eight_times_the_file_and_a_little(self) -> None:
        for name, (kind, make, n) in SHAPES.items():
            with self.subTest(name):
                data = make(3 * n)
                read_mesh(data, kind)
                tracemalloc.start()
                try:
                    read_mesh(data, kind)
                    peak = tracemalloc.get_traced_memory()[1]
                finally:
                    tracemalloc.stop()
                self.assertLess(peak, 8 * len(data) + 20_000_000)

    def test_reading_can_be_ended(self) -> None:
        def end(fraction: float) -> None:
            self.assertTrue(0 <= fraction <= 1)
            told.append(fraction)
            if len(told) > 1:
                raise Cancelled("Stopped.")

        for name in (
            "many such faces",
            "many triangles in OFF",
            "many elements",
            "a mesh placed often",
            "solids",
            "points",
        ):
            kind, make, n = SHAPES[name]
            data = make(n * 200 if kind not in ("glb", "ply") else n * 10)
            told: list[float] = []
            with self.subTest(name):
                if kind == "ply":  # of whose text there is less
                    data = ply("", b"0 0 0\n1 0 0\n0 1 0\n" + b"3 0 1 2\n" * 300_000, count=300_000)
                with self.assertRaises(Cancelled):
                    read_mesh(data, kind, end)
                self.assertEqual(len(told), 2)
        read_mesh(THREE + b"f 1 2 3\n", "obj")  # nobody waits for the next one


class Bombs(unittest.TestCase):
    def refused(self, data: bytes, kind: str, *words: str) -> None:
        tracemalloc.start()
        try:
            with self.assertRaises(FileProblem) as caught:
                read_mesh(data, kind)
            peak = tracemalloc.get_traced_memory()[1]
        finally:
            tracemalloc.stop()
        for word in words:
            self.assertIn(word, caught.exception.message)
        self.assertLess(peak, 4 * len(data) + 80_000_000)

    def test_what_is_placed_often_is_counted_before_it_is_made(self) -> None:
        for make in (glb_primitives, glb_nodes):
            self.refused(make(5000, 3000), "glb", "builds 15000000 points and 5000 triangles", "too many")
        self.refused(glb_primitives(100_001), "glb", "100001 pieces; 100000 are the most")
        nothing = [{"type": "VEC3", "componentType": 5126, "count": 40_000_000}]
        bomb = {
            "accessors": nothing,
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "nodes": [{"mesh": 0}],
        }
        self.refused(glb(bomb), "glb", "builds 40000000 points")

    def test_lists_and_lines_have_their_limits(self) -> None:
        """With lower limits than there are, so that the files stay small."""
        with mock.patch("jukai.core.formats._threemf_events.MOST_NAMES", 2000):
            self.refused(package("<object id='1'/>" * 2001), "3mf", "more than 2000 objects")
            whole = f"<object id='1'>{MESH}</object>"
            self.refused(package(whole, "<item objectid='1'/>" * 2001), "3mf", "2000 items")
        self.refused(package("<a>" * 70), "3mf", "64 deep")
        self.refused(package(f"<a b='{' ' * (10 << 20)}'/>"), "3mf", "a tag of more than 8 MB")
        with mock.patch("jukai.core.formats.obj.MOST_NAMES", 2000):
            self.refused(THREE + b"".join(b"g %x\nf 1 2 3\n" % i for i in range(2001)), "obj", "2000 groups")
        with (
            mock.patch("jukai.core.formats.lines.LONGEST", 1 << 20),
            mock.patch("jukai.core.formats.obj.LONGEST", 1 << 20),
        ):
            self.refused(THREE + b"f\\\n1" + b" 2 3 1" * 400_000 + b"\n", "obj", "Line 5 is longer than")
            self.refused(THREE + b"f 1\\\n" * 300_000 + b"2 3\n", "obj", "Line 4 is longer than")

    def test_a_zip_that_unpacks_to_very_much(self) -> None:
        out = io.BytesIO()
        points = b"<vertex x='0' y='0' z='0'/>" * 40_000
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z, z.open("3D/3dmodel.model", "w") as f:
            f.write(f'<model xmlns="{CORE}"><resources><object id="1"><mesh><vertices>'.encode())
            for _ in range(9):
                f.write(points)
        data = out.getvalue()
        self.assertLess(len(data), 1_000_000)
        with (
            mock.patch("jukai.core.formats.common._BYTES_MORE", 50_000_000),
            self.assertRaises(FileProblem) as caught,
        ):
            read_mesh(data, "3mf")
        self.assertRegex(caught.exception.message, r"more than 29\d{4} points")


class PlyTexture(unittest.TestCase):
    """A list ``texcoord`` of each face, as several programs write it (common practice, no source)."""

    FACES = b"4 0 1 2 3 8 0 0 1 0 1 1 0 0.5\n3 0 2 3 6 0.25 0 1 1 0 1\n"
    POINTS = b"0 0 0\n1 0 0\n1 1 0\n0 1 1\n"

    def text(self, point: str, points: bytes, face: str, faces: bytes) -> bytes:
        head = f"element vertex 4\nproperty float x\nproperty float y\nproperty float z\n{point}"
        head += f"element face 2\nproperty list uchar int vertex_indices\n{face}end_header\n"
        return f"ply\nformat ascii 1.0\n{head}".encode() + points + faces

    def test_text(self) -> None:
        listed = "property list uchar float texcoord\n"
        read = read_mesh(self.text("", self.POINTS, listed, self.FACES), "ply")
        wanted = [[0, 0], [1, 0], [1, 1], [0, 0.5], [0.25, 0], [1, 1], [0, 1]]
        np.testing.assert_array_equal(read.mesh.uv, wanted)
        # of points
        points = b"".join(p + b" %d 0.5\n" % i for i, p in enumerate(self.POINTS.splitlines()))
        faces = b"4 0 1 2 3\n3 0 2 3\n"
        read = read_mesh(self.text("property float s\nproperty float t\n", points, "", faces), "ply")
        np.testing.assert_array_equal(read.mesh.uv, [[i, 0.5] for i in (0, 1, 2, 3, 0, 2, 3)])
        # of some corners only
        short = self.FACES.replace(b"6 0.25 0 1 1 0 1", b"0")
        read = read_mesh(self.text("", self.POINTS, listed, short), "ply")
        self.assertIsNone(read.mesh.uv)
        self.assertIn("Not every corner has texture coordinates: they are left out.", read.notes)


if __name__ == "__main__":
    unittest.main()
