"""OBJ: text, polygons kept, groups, materials."""

from __future__ import annotations

from array import array
from collections.abc import Iterator, Sequence

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import (
    LIMIT,
    MOST_NAMES,
    NUMBER,
    RawMesh,
    ReadMesh,
    WriteOptions,
    check_text,
    finish_reading,
    offsets_of,
    plural,
)
from jukai.core.formats.lines import LONGEST, lines_of
from jukai.core.formats.text import decimal_rows, index_rows
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["ObjPart", "read_obj", "write_mtl", "write_obj"]

_FREE_FORM = {
    b"curv",
    b"curv2",
    b"surf",
    b"cstype",
    b"deg",
    b"bmat",
    b"step",
    b"parm",
    b"trim",
    b"hole",
    b"scrv",
    b"sp",
    b"end",
}
_BIG = 400_000


def read_obj(data: bytes) -> ReadMesh:
    """Read an OBJ file. Material files are never looked for; their names are kept."""
    data = data.removeprefix(b"\xef\xbb\xbf")
    check_text(data, "OBJ")
    raw = None
    if len(data) > _BIG:
        from jukai.core.formats._obj_fast import read_plain_obj

        raw = read_plain_obj(data)
    if raw is None:
        raw = _Reader().read(data)
    return finish_reading(raw, merge=False)


class _Reader:
    """Reads line by line; every refusal names its line."""

    def __init__(self) -> None:
        self.points = array("d")
        self.uv = array("d")
        self.corners = array("i")
        self.corner_uv = array("i")
        self.sizes = array("i")
        self.groups: dict[str, int] = {}
        self.finishes: dict[str, int] = {}
        self.face_group = array("i")
        self.face_finish = array("i")
        self.group = self.finish = -1
        self.free_form = False
        self.n_normals = 0
        self.cut_off = 0

    def read(self, data: bytes) -> RawMesh:
        ended = data[-1:] in (b"\n", b"\r")
        lines = _whole_lines(data)
        waiting = next(lines, None)
        while waiting is not None:
            number, line, goes_on = waiting
            waiting = next(lines, None)
            if goes_on:  # the last one, and nothing follows
                self.cut_off += line.split()[:1] == [b"f"]
                break
            self.line(line.split(b"#", 1)[0].split(), number, cut=waiting is None and not ended)
        return self.result()

    def line(self, words: list[bytes], number: int, *, cut: bool) -> None:
        if not words:
            return
        key = words[0]
        if key == b"v":
            self.point(words, number)
        elif key == b"vt":
            u = [_number(w, number) for w in words[1:4]]
            self.uv.extend((u[0] if u else 0.0, u[1] if len(u) > 1 else 0.0))
        elif key == b"vn":
            self.n_normals += 1
        elif key == b"f":
            self.face(words[1:], number, cut=cut)
        elif key in (b"g", b"o"):
            self.group = self.named(self.groups, words)
        elif key == b"usemtl":
            self.finish = self.named(self.finishes, words)
        elif key in _FREE_FORM:
            self.free_form = True

    @staticmethod
    def named(table: dict[str, int], words: list[bytes]) -> int:
        name = b" ".join(words[1:]).decode("utf-8", "replace")[:200] or "default"
        found = table.setdefault(name, len(table))
        if found >= MOST_NAMES:
            raise FileProblem(f"The file names more than {MOST_NAMES} groups or materials.")
        return found

    def point(self, words: list[bytes], number: int) -> None:
        if len(words) < 4:
            raise FileProblem(f"Line {number}: a point needs 3 numbers, found {len(words) - 1}.")
        x, y, z = (_number(w, number) for w in words[1:4])
        self.points.extend((x, y, z))

    def face(self, words: list[bytes], number: int, *, cut: bool) -> None:
        if cut and len(words) < 3:
            self.cut_off += 1
            return
        first = len(self.corners)
        for word in words:
            point, uv = self.corner(word, number)
            self.corners.append(point)
            self.corner_uv.append(uv)
        ring = self.corners[first:]
        different = len(set(ring))
        if len(ring) > 2 * different > 4:
            raise FileProblem(
                f"Line {number}: the face names a point more than once: {len(ring)} corners over {plural(different, 'point')}."
            )
        self.sizes.append(len(words))
        self.face_group.append(self.group)
        self.face_finish.append(self.finish)

    def corner(self, word: bytes, number: int) -> tuple[int, int]:
        parts = word.split(b"/")
        if len(parts) > 3:
            raise FileProblem(
                f"Line {number}: '{_shown(word)}' is no corner.", hint="A corner is written 1, 1/1, 1//1 or 1/1/1."
            )
        point = self.index(parts[0], len(self.points) // 3, number, "point", word)
        uv = -1
        if len(parts) > 1 and parts[1]:
            uv = self.index(parts[1], len(self.uv) // 2, number, "texture point", word)
        if len(parts) > 2 and parts[2]:
            self.index(parts[2], self.n_normals, number, "normal", word)
        elif len(parts) > 2 and not parts[2] and not parts[1]:
            raise FileProblem(
                f"Line {number}: '{_shown(word)}' is no corner.", hint="A corner is written 1, 1/1, 1//1 or 1/1/1."
            )
        return point, uv

    @staticmethod
    def index(text: bytes, count: int, number: int, what: str, word: bytes) -> int:
        digits = text[1:] if text[:1] in (b"-", b"+") else text
        if not digits.isdigit():
            raise FileProblem(f"Line {number}: '{_shown(word)}' is no {what} number.")
        if len(digits) > 18:
            raise FileProblem(f"Line {number}: the {what} number is too large.")
        i = int(text)
        if i == 0:
            raise FileProblem(f"Line {number}: {what} number 0; numbers start at 1.")
        at = i - 1 if i > 0 else count + i
        if not 0 <= at < count:
            raise FileProblem(
                f"Line {number}: the face names {what} {i}, but there {'is' if count == 1 else 'are'} {count} before it."
            )
        return at

    def result(self) -> RawMesh:
        if not self.sizes:
            if self.cut_off:
                raise FileProblem("The last line is cut off, and there is no other face.")
            if self.free_form:
                raise FileProblem("There is no face; free-form curves and surfaces are not supported.")
            if self.points:
                raise FileProblem(f"{plural(len(self.points) // 3, 'point')} but no face.")
            raise FileProblem("There are no points and no faces.")
        notes = [f"The last line is cut off; {plural(self.cut_off, 'face')} left out."] if self.cut_off else []
        uv = None
        if self.uv and min(self.corner_uv) >= 0:
            uv = np.frombuffer(self.uv).reshape(-1, 2)[np.frombuffer(self.corner_uv, np.int32)]
        corners, sizes, groups, finishes = (
            np.frombuffer(row, np.int32) for row in (self.corners, self.sizes, self.face_group, self.face_finish)
        )
        points = np.frombuffer(self.points).reshape(-1, 3)
        return RawMesh(
            points, corners, offsets_of(sizes), uv, tuple(self.groups), groups, tuple(self.finishes), finishes, notes
        )


def _whole_lines(data: bytes) -> Iterator[tuple[int, bytes, bool]]:
    """Yield lines put together where one ends with a backslash: the number of the first, and whether another should follow."""
    parts: list[bytes] = []
    begun = size = 0
    for number, line in lines_of(data):
        if line.endswith(b"\\"):
            begun = begun or number
            parts.append(line[:-1])
            size += len(line)
            if size > LONGEST:
                raise FileProblem(f"Line {begun} is longer than {LONGEST >> 20} MB.")
        elif parts:
            yield begun, b" ".join([*parts, line]), False
            parts, begun, size = [], 0, 0
        else:
            yield number, line, False
    if parts:
        yield begun, b" ".join(parts), True


def _shown(word: bytes) -> str:
    return word[:40].decode("utf-8", "replace")


def _number(word: bytes, number: int) -> float:
    low = word.lower().lstrip(b"+-")
    if low.startswith((b"nan", b"inf")):
        raise FileProblem(f"Line {number}: a coordinate is not a finite number.")
    if not NUMBER.fullmatch(word):
        hint = "Decimals are written with a point." if b"," in word else None
        raise FileProblem(f"Line {number}: '{_shown(word)}' is no number.", hint=hint)
    value = float(word) if len(word) < 400 else float("inf")
    if not abs(value) <= LIMIT:
        raise FileProblem(f"Line {number}: a coordinate is too large; {LIMIT:g} mm is the limit.")
    return value


class ObjPart:
    """A named mesh to be written, with its finish and the groups of its faces."""

    def __init__(self, name: str, mesh: Mesh, finish: str | None) -> None:
        self.name = one_word(name)
        self.mesh = mesh
        self.finish = one_word(finish) if finish else None


def one_word(name: str) -> str:
    """Return a name as OBJ can hold it: no spaces, no line ends, no comment sign."""
    return "_".join(name.replace("#", "_").split()) or "unnamed"


def write_obj(parts: Sequence[ObjPart], options: WriteOptions, mtl_name: str | None = None) -> bytes:
    """Write parts as OBJ. Points, texture points and faces of each part follow its ``o`` line."""
    out: list[bytes | memoryview] = [
        b"# mm, written by Jukai\n" if options.unit == "mm" else f"# {options.unit}, written by Jukai\n".encode()
    ]
    if mtl_name and any(p.finish for p in parts):
        out.append(f"mtllib {one_word(mtl_name)}\n".encode())
    point_base = uv_base = 1
    for part in parts:
        mesh = part.mesh
        out.append(f"o {part.name}\n".encode())
        out.append(decimal_rows(b"v", options.transform(mesh.points)))
        corner_uv = None
        if mesh.uv is not None:
            unique, corner_uv = _unique_uv(mesh.uv)
            out.append(decimal_rows(b"vt", unique))
            corner_uv = corner_uv + uv_base
            uv_base += len(unique)
        out += _faces(part, corner_uv, point_base, options)
        point_base += mesh.n_points
    return b"".join(out)


def _faces(part: ObjPart, corner_uv: np.ndarray | None, base: int, options: WriteOptions) -> list[bytes | memoryview]:
    mesh = part.mesh
    corners = mesh.corners + base
    if options.triangles:
        tri = triangulate(mesh)
        ids = tri.corners.ravel()
        offsets = np.arange(0, len(ids) + 1, 3, dtype=np.int64)
        faces = tri.faces
        corners, corner_uv = corners[ids], None if corner_uv is None else corner_uv[ids]
    else:
        offsets, faces = mesh.offsets.astype(np.int64), np.arange(mesh.n_faces, dtype=np.int32)
    label, names = _labels(part)
    label = label[faces]
    cuts = np.flatnonzero(np.diff(label)) + 1
    out: list[bytes | memoryview] = []
    last: tuple[str, str | None] = ("", None)
    for a, b in zip([0, *cuts.tolist()], [*cuts.tolist(), len(label)], strict=True):
        if a == b:
            continue
        group, finish = names[int(label[a])]
        if group != last[0]:
            out.append(f"g {group}\n".encode())
        if finish and finish != last[1]:
            out.append(f"usemtl {finish}\n".encode())
        last = (group, finish)
        lo, hi = int(offsets[a]), int(offsets[b])
        out.append(index_rows(corners[lo:hi], None if corner_uv is None else corner_uv[lo:hi], offsets[a : b + 1] - lo))
    return out


def _labels(part: ObjPart) -> tuple[np.ndarray, list[tuple[str, str | None]]]:
    """Return for each face a number, and the group and finish each number stands for."""
    mesh = part.mesh
    rows = mesh.face_lineage if mesh.face_lineage is not None else np.full(mesh.n_faces, -1, np.int32)
    finish = mesh.face_finish if mesh.face_finish is not None else np.full(mesh.n_faces, -1, np.int32)
    many = len(mesh.finishes) + 1
    key = (rows.astype(np.int64) + 1) * many + finish + 1
    counts = np.bincount(key, minlength=1)
    there = np.flatnonzero(counts)
    label = (np.cumsum(counts > 0) - 1)[key]
    pairs = np.stack([there // many - 1, there % many - 1], axis=1)
    names = []
    for row, f in pairs.tolist():
        group = one_word(f"{part.name}_{mesh.lineage.rows[row][1]}") if row >= 0 else part.name
        names.append((group, one_word(mesh.finishes[f]) if f >= 0 else part.finish))
    return label, names


def _unique_uv(uv: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    from jukai.core.formats.common import merge_same_points

    flat = np.column_stack([uv, np.zeros(len(uv))])
    unique, where = merge_same_points(flat, np.arange(len(uv), dtype=np.int32))
    return unique[:, :2], where


def write_mtl(finishes: Sequence[tuple[str, str, float, float]]) -> bytes:
    """Write an MTL file of (name, colour #rrggbb, metal, roughness), with the physically based keys too."""
    out = ["# written by Jukai\n"]
    for name, colour, metal, roughness in finishes:
        rgb = [(int(colour[i : i + 2], 16) / 255) ** 2.2 for i in (1, 3, 5)]
        shine = 2 / max(roughness, 0.05) ** 4 - 2
        out.append(
            f"\nnewmtl {one_word(name)}\nKd {rgb[0]:.4f} {rgb[1]:.4f} {rgb[2]:.4f}\n"
            f"Ks {metal:.4f} {metal:.4f} {metal:.4f}\nNs {min(shine, 1000):.1f}\nPm {metal:.4f}\nPr {roughness:.4f}\nillum 2\n"
        )
    return "".join(out).encode()
