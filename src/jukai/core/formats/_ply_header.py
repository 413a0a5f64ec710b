"""The header of a PLY file (Turk 1994): which rows come, and what stands in them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from jukai.core.errors import FileProblem
from jukai.core.formats.common import MOST_POINTS

__all__ = ["Element", "Property", "check_elements", "read_header"]

_TYPES = {
    "char": "i1", "uchar": "u1", "short": "i2", "ushort": "u2", "int": "i4", "uint": "u4", "float": "f4", "double": "f8",
    "int8": "i1", "uint8": "u1", "int16": "i2", "uint16": "u2", "int32": "i4", "uint32": "u4", "float32": "f4", "float64": "f8",
}  # fmt: skip
_FORMATS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}
_HEADER_LIMIT = 4 * 1024 * 1024


@dataclass(slots=True)
class Property:
    """A property of an element: one number, or a list where it has the type of a count."""

    name: str
    type: str
    count_type: str | None = None


@dataclass(slots=True)
class Element:
    """What a header says of one kind of rows, and on which line."""

    name: str
    count: int
    line: int
    properties: list[Property] = field(default_factory=list)
    names: set[str] = field(default_factory=set)


def read_header(data: bytes) -> tuple[str, list[Element], int]:
    """Return the order of bytes (empty for text), the elements, and where the rows begin.

    Raises
    ------
    FileProblem
        With the line that can't be read.
    """
    at = 0
    number = 0
    order: str | None = None
    elements: list[Element] = []
    while True:
        words, at = _line(data, at)
        number += 1
        key = words[0] if words else ""
        if key == "end_header":
            break
        if key == "format":
            order = _format_line(words, number)
        elif key == "element":
            elements.append(_element(words, number))
        elif key == "property":
            if not elements:
                raise FileProblem(f"Line {number}: a property before any element.")
            _property(elements[-1], words, number)
        elif key not in ("ply", "comment", "obj_info", ""):
            if number == 2:
                raise FileProblem("Line 2: this is no PLY header.")
            raise FileProblem(f"Line {number}: unknown header word '{key[:40]}'; end_header is missing.")
    if order is None:
        raise FileProblem("The header has no format line.")
    return order, elements, at


def _line(data: bytes, at: int) -> tuple[list[str], int]:
    """Return the words of a header's line, and where the next begins."""
    stop = data.find(b"\n", at, at + _HEADER_LIMIT)
    if stop < 0:
        stop = data.find(b"\r", at, at + _HEADER_LIMIT)
    if stop < 0:
        raise FileProblem(
            "The file ends inside its header." if len(data) - at < _HEADER_LIMIT else "This is no PLY file."
        )
    if stop + 1 > _HEADER_LIMIT:
        raise FileProblem("The header is longer than 4 MB.")
    return data[at:stop].rstrip(b"\r").decode("latin-1").split(), stop + 1


def _format_line(words: list[str], number: int) -> str:
    if len(words) < 3 or words[1] not in _FORMATS:
        raise FileProblem(
            f"Line {number}: unknown format '{' '.join(words[1:2])[:40]}'.", hint=f"Known: {', '.join(_FORMATS)}."
        )
    if words[2] != "1.0":
        raise FileProblem(f"Line {number}: format version {words[2][:20]} is not supported; 1.0 is.")
    return _FORMATS[words[1]]


def _element(words: list[str], number: int) -> Element:
    if len(words) != 3:
        raise FileProblem(f"Line {number}: an element needs a name and a count.")
    if not re.fullmatch(r"[+-]?\d{1,18}", words[2]):
        raise FileProblem(f"Line {number}: '{words[2][:40]}' is no count.")
    count = int(words[2])
    if count < 0:
        raise FileProblem(f"Line {number}: count {count}.")
    return Element(words[1], count, number)


def _property(element: Element, words: list[str], number: int) -> None:
    if len(words) == 5 and words[1] == "list":
        for t in words[2:4]:
            if t not in _TYPES:
                raise FileProblem(f"Line {number}: unknown type '{t[:40]}'.")
        if _TYPES[words[2]][0] == "f":
            raise FileProblem(f"Line {number}: the length of a list must be of a whole-number type.")
        element.properties.append(Property(words[4], _TYPES[words[3]], _TYPES[words[2]]))
        if element.name == "vertex" and words[4] in ("x", "y", "z"):
            raise FileProblem(f"Line {number}: {words[4]} must be one number, not a list.")
    elif len(words) == 3:
        if words[1] not in _TYPES:
            raise FileProblem(f"Line {number}: unknown type '{words[1][:40]}'.")
        if words[2] in element.names:
            raise FileProblem(f"Line {number}: property '{words[2][:40]}' is there twice.")
        element.names.add(words[2])
        element.properties.append(Property(words[2], _TYPES[words[1]]))
    else:
        raise FileProblem(f"Line {number}: a property needs a type and a name.")


def check_elements(elements: list[Element]) -> None:
    """Refuse elements without properties, and files without points in space."""
    for e in elements:
        if not e.properties and e.count:
            raise FileProblem(f"Line {e.line}: the element '{e.name[:40]}' has no properties.")
    vertex = next((e for e in elements if e.name == "vertex"), None)
    if vertex is None:
        raise FileProblem("The file has no points (no element 'vertex').")
    names = [p.name for p in vertex.properties]
    if any(axis not in names for axis in "xyz"):
        raise FileProblem("Points need x, y and z.")
    if vertex.count > MOST_POINTS * 100:
        raise FileProblem(f"The file says {vertex.count} points; the file is too short for that.")
