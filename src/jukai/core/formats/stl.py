"""STL: triangles; binary and text in, binary out."""

from __future__ import annotations

from array import array

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import LIMIT, NUMBER, RawMesh, ReadMesh, WriteOptions, finish_reading, plural
from jukai.core.formats.lines import Rows
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["read_stl", "write_stl"]

RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


_FEW = 4000


def read_stl(data: bytes) -> ReadMesh:
    """Read a binary or text STL file; the size decides which, not the first word."""
    if not data:
        raise FileProblem("The file is empty.")
    if len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little"):
        return _binary(data)
    head = data[:512].lstrip().lower()
    if head.startswith((b"<!doctype", b"<html", b"<?xml")):
        raise FileProblem("This is a web page, not an STL file.", hint="Perhaps the download failed.")
    if head.startswith(b"solid") and b"\x00" not in data[:512]:
        return _Text().read(data)
    if b"\x00" not in data[:84] and _looks_like_words(data[:84]):
        raise FileProblem("This is no STL file.")
    if data[:2] in (b"\xff\xfe", b"\xfe\xff") or data[1:40:2].count(0) > 12:
        raise FileProblem("This is no STL file: the text is UTF-16.", hint="Save it as UTF-8.")
    return _binary(data)


def _looks_like_words(head: bytes) -> bool:
    return all(b in (9, 10, 13) or 32 <= b < 127 for b in head)


def _binary(data: bytes) -> ReadMesh:
    if len(data) < 84:
        raise FileProblem(f"The file ends inside its header: {len(data)} bytes, 84 are needed.")
    count = int.from_bytes(data[80:84], "little")
    held, rest = divmod(len(data) - 84, 50)
    if count == 0 and held == 0:
        raise FileProblem("There is no triangle in the file.")
    if count > held:
        part = " and a part of one" if rest else ""
        raise FileProblem(f"The file says {count} triangles, but holds {held}{part}.")
    if count == 0:
        raise FileProblem("The file says 0 triangles.")
    notes = []
    if len(data) > 84 + 50 * count:
        notes.append(
            f"The file says {plural(count, 'triangle')}; the {len(data) - 84 - 50 * count} bytes after them are left out."
        )
    records = np.frombuffer(data, RECORD, count, 84)
    if count > _FEW:
        fast = _merged(records, notes)
        if fast is not None:
            return fast
    corners = records["corners"].astype(np.float64)
    bad = ~(np.abs(corners) <= LIMIT).all(axis=(1, 2))
    if bad.any():
        at = int(np.argmax(bad))
        _refuse(corners[at], f"Triangle {at + 1}")
    return _mesh(corners, notes)


def _merged(records: np.ndarray, notes: list[str]) -> ReadMesh | None:
    """Read many sound records at once; None leaves what is not sound to the careful way."""
    from jukai.core.geometry._weld import weld_single

    flat = np.ascontiguousarray(records["corners"]).reshape(-1, 3)
    points, where = weld_single(flat)
    if not (points.max() <= LIMIT and points.min() >= -LIMIT):  # NaN fails too
        return None
    raw = RawMesh(points, where, np.arange(0, len(where) + 1, 3, dtype=np.int32), notes=notes)
    out = finish_reading(raw, merge=False)
    tri = out.mesh.corners.reshape(-1, 3)[:1000]
    p = points[tri]
    return out if np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]).any() else None


def _refuse(numbers: Floats, where: str) -> None:
    if not np.isfinite(numbers).all():
        raise FileProblem(f"{where}: a coordinate is not a finite number.")
    raise FileProblem(f"{where}: a coordinate is too large; {LIMIT:g} mm is the limit.")


def _mesh(corners: Floats, notes: list[str]) -> ReadMesh:
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    cross = np.cross(u, v)
    if not cross.any():
        raise FileProblem("No triangle in the file has an area.")
    n = len(corners)
    raw = RawMesh(
        corners.reshape(-1, 3),
        np.arange(3 * n, dtype=np.int32),
        np.arange(0, 3 * n + 1, 3, dtype=np.int32),
        notes=notes,
    )
    out = finish_reading(raw, merge=True)
    twice = _repeated(out.mesh)
    if twice:
        return ReadMesh(
            out.mesh,
            out.groups,
            out.face_group,
            (*out.notes, f"{plural(twice, 'triangle is', 'triangles are')} there twice."),
        )
    return out


def _repeated(mesh: Mesh) -> int:
    if mesh.n_faces > 50_000:
        return 0  # the soundness report finds them
    ring = np.sort(mesh.corners.reshape(-1, 3), axis=1)
    return mesh.n_faces - len(np.unique(ring, axis=0))


class _Text:
    """Reads text STL word by word; every refusal names its line."""

    def __init__(self) -> None:
        self.corners = array("d")
        self.facet: list[tuple[float, float, float]] = []
        self.state = "solid"
        self.solids = 0

    def read(self, data: bytes) -> ReadMesh:
        rows = Rows(data)
        while block := rows.take(20_000):
            for number, words in block:
                self.line([words[0].lower(), *words[1:]], number)
        notes = []
        if self.state in ("facet", "loop", "endloop"):
            notes.append("The file ends early; 1 triangle left out.")
        elif self.state != "solid":
            notes.append(f"The file ends early, without endsolid; all {len(self.corners) // 9} triangles read.")
        if not self.corners:
            raise FileProblem("There is no triangle in the file.")
        if self.solids > 1:
            notes.append(f"The file holds {self.solids} solids.")
        return _mesh(np.frombuffer(self.corners).reshape(-1, 3, 3), notes)

    def line(self, words: list[bytes], number: int) -> None:
        key = words[0]
        if self.state == "solid":
            self.expect(key == b"solid", "solid", words, number)
            self.solids += 1
            self.state = "facets"
        elif self.state == "facets":
            if key == b"endsolid":
                self.state = "solid"
            elif key == b"solid":
                raise FileProblem(f"Line {number}: 'solid' inside a solid.")
            else:
                self.expect(key == b"facet", "facet normal' or 'endsolid", words, number)
                self.state, self.facet = "facet", []
        elif self.state == "facet":
            self.expect([w.lower() for w in words] == [b"outer", b"loop"], "outer loop", words, number)
            self.state = "loop"
        elif self.state == "loop":
            if key == b"vertex":
                self.vertex(words, number)
            else:
                self.expect(key == b"endloop", "vertex' or 'endloop", words, number)
                if len(self.facet) < 3:
                    raise FileProblem(f"Line {number}: a facet needs 3 vertices, found {len(self.facet)}.")
                self.state = "endloop"
        else:
            self.expect(key == b"endfacet", "endfacet", words, number)
            for vertex in self.facet:
                self.corners.extend(vertex)
            self.state = "facets"

    def vertex(self, words: list[bytes], number: int) -> None:
        if len(self.facet) == 3:
            raise FileProblem(f"Line {number}: a facet needs 3 vertices, found more.")
        if len(words) != 4:
            raise FileProblem(f"Line {number}: a vertex needs 3 numbers, found {len(words) - 1}.")
        numbers = []
        for word in words[1:]:
            if word.lower().lstrip(b"+-").startswith((b"nan", b"inf")):
                raise FileProblem(f"Line {number}: a coordinate is not a finite number.")
            if not NUMBER.fullmatch(word):
                raise FileProblem(f"Line {number}: '{word[:40].decode('utf-8', 'replace')}' is no number.")
            numbers.append(float(word))
        if not max(abs(x) for x in numbers) <= LIMIT:
            raise FileProblem(f"Line {number}: a coordinate is too large; {LIMIT:g} mm is the limit.")
        self.facet.append((numbers[0], numbers[1], numbers[2]))

    @staticmethod
    def expect(good: bool, what: str, words: list[bytes], number: int) -> None:  # noqa: FBT001
        if not good:
            shown = b" ".join(words)[:40].decode("utf-8", "replace")
            raise FileProblem(f"Line {number}: expected '{what}', found '{shown}'.")


def write_stl(mesh: Mesh, options: WriteOptions) -> bytes:
    """Write a binary STL file: an 80-byte header, a count, 50 bytes a triangle, little endian."""
    tri = triangulate(mesh)
    points = options.transform(mesh.points)
    if len(tri.faces) > 4000:
        from jukai.core.formats._stl_fast import records

        body = records(points, np.ascontiguousarray(tri.points(mesh)))
    else:
        corners = points[tri.points(mesh)]
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        length = np.sqrt(np.einsum("ij,ij->i", cross, cross))
        rows = np.zeros(len(tri.faces), RECORD)
        rows["normal"] = cross / np.where(length > 0, length, 1)[:, None]
        rows["corners"] = corners
        body = rows.tobytes()
    head = f"{options.unit}, {options.up.upper()} up, written by Jukai".encode().ljust(80, b" ")
    return head + len(tri.faces).to_bytes(4, "little") + body
