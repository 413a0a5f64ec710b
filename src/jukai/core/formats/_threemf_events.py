"""Reading 3MF by events: nothing of its XML is held but the numbers of the meshes."""

from __future__ import annotations

import re
from array import array
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any
from xml.parsers import expat

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import MOST_NAMES, NUMBER, checkpoint
from jukai.core.formats.threemf import CORE
from jukai.core.geometry.arrays import Floats, Ints

__all__ = ["Object", "ThreemfModel", "parse"]

_WORD = NUMBER.pattern.decode()
_LONGEST = 8 << 20
"""Bytes without the end of a tag: the parser holds these."""
_DEEPEST = 64
_LOOKS = 100_000
Attributes = dict[str, str]


@dataclass(slots=True)
class Object:
    """An object of the model: a mesh of its own, or other objects placed.

    Attributes
    ----------
    points : (n, 3) float64 in the model's unit, or None.
    triangles : (m, 3) int32.
    looks : (m,) int32 into the model's ``looks``.
    """

    name: str
    number: str
    own_look: tuple[str | None, str | None]
    points: Any = None
    triangles: Any = None
    looks: Any = None
    components: list[tuple[str, Floats]] = field(default_factory=list)

    @property
    def where(self) -> str:
        """Return how an error names it."""
        return f"Object {self.number[:20]}"


@dataclass(slots=True)
class ThreemfModel:
    """What a model holds.

    Attributes
    ----------
    head : the attributes of the model.
    materials : the names of each list of base materials.
    looks : pairs of a list's id and a place in it, as objects and triangles name them.
    items : what is built, and the (4, 4) matrix it is placed with.
    """

    head: Attributes = field(default_factory=dict)
    materials: dict[str, list[str]] = field(default_factory=dict)
    objects: dict[str, Object] = field(default_factory=dict)
    looks: list[tuple[str | None, str | None]] = field(default_factory=list)
    items: list[tuple[str, Floats]] = field(default_factory=list)


def parse(blocks: Iterable[bytes], size: int, most: int) -> ThreemfModel:
    """Read a model.

    Parameters
    ----------
    blocks : its XML, a piece at a time.
    size : its bytes, for the fraction done.
    most : points that all its meshes may have, and as many triangles twice.

    Raises
    ------
    FileProblem
        When it is no XML or no 3MF model, or a number of it can't be read.
    """
    events = _Events(most)
    parser = expat.ParserCreate(namespace_separator=" ")
    parser.StartDoctypeDeclHandler = _no_doctype
    parser.StartElementHandler = events.start
    parser.EndElementHandler = events.end
    fed = 0
    try:
        for block in blocks:
            checkpoint(fed / max(size, 1))
            parser.Parse(block, False)
            fed += len(block)
            if fed - parser.CurrentByteIndex > _LONGEST:
                raise FileProblem(f"The model has a tag of more than {_LONGEST >> 20} MB.")
        parser.Parse(b"", True)
    except expat.ExpatError as e:
        raise FileProblem(f"The model is no XML: line {e.lineno}, column {e.offset + 1}.") from None
    return events.model


def _no_doctype(*_: object) -> None:
    raise FileProblem("The model declares a document type; 3MF allows none.")


class _Events:
    """Hears the beginnings and ends of tags, in order."""

    def __init__(self, most: int) -> None:
        self.most = most
        self.points_before = self.triangles_before = 0
        self.model = ThreemfModel()
        self.deep = 0
        self.counts: dict[str, int] = {}
        self.object: Object | None = None
        self.bases: list[str] | None = None
        self.points, self.triangles, self.looks = array("d"), array("q"), array("i")
        self.in_mesh = False
        self.seen: dict[tuple[str | None, str | None], int] = {}
        begins: dict[str, Callable[[Attributes], None]] = {
            "vertex": self.vertex, "triangle": self.triangle, "object": self.begin_object, "mesh": self.begin_mesh,
            "component": self.component, "item": self.item, "basematerials": self.begin_bases, "base": self.base,
        }  # fmt: skip
        self.begins = {f"{CORE} {name}": act for name, act in begins.items()}
        self.ends = {
            f"{CORE} object": self.end_object,
            f"{CORE} mesh": self.end_mesh,
            f"{CORE} basematerials": self.end_bases,
        }

    def start(self, tag: str, attributes: Attributes) -> None:
        self.deep += 1
        if self.deep == 1:
            if tag != f"{CORE} model":
                raise FileProblem("The model of the file is no 3MF model.")
            self.model.head = attributes
        elif self.deep > _DEEPEST:
            raise FileProblem(f"The tags of the model stand more than {_DEEPEST} deep in each other.")
        act = self.begins.get(tag)
        if act is not None:
            act(attributes)

    def end(self, tag: str) -> None:
        self.deep -= 1
        act = self.ends.get(tag)
        if act is not None:
            act()

    def begin_bases(self, a: Attributes) -> None:
        self.bases = self.model.materials.setdefault(a.get("id", "None"), [])

    def base(self, a: Attributes) -> None:
        if self.bases is not None:
            self.bases.append(_name(a.get("name"), "default"))
            self.count("base materials")

    def count(self, what: str) -> None:
        """Refuse more of what is named than any file needs."""
        self.counts[what] = self.counts.get(what, 0) + 1
        if self.counts[what] > MOST_NAMES:
            raise FileProblem(f"The model has more than {MOST_NAMES} {what}.")

    def end_bases(self) -> None:
        self.bases = None

    def begin_object(self, a: Attributes) -> None:
        self.count("objects")
        number = a.get("id", "None")
        self.object = Object(_name(a.get("name"), f"object {number}"), number, (a.get("pid"), a.get("pindex")))
        self.model.objects[number] = self.object

    def end_object(self) -> None:
        self.object = None

    def component(self, a: Attributes) -> None:
        if self.object is not None:
            self.count("components")
            self.object.components.append((a.get("objectid", "None"), matrix_of(a.get("transform"))))

    def item(self, a: Attributes) -> None:
        self.count("items to build")
        self.model.items.append((a.get("objectid", "None"), matrix_of(a.get("transform"))))

    def begin_mesh(self, _: Attributes) -> None:
        self.in_mesh = self.object is not None and self.object.points is None
        self.points, self.triangles, self.looks = array("d"), array("q"), array("i")

    def vertex(self, a: Attributes) -> None:
        if not self.in_mesh:
            return
        try:
            self.points.extend((float(a["x"]), float(a["y"]), float(a["z"])))
        except (KeyError, ValueError):
            raise self.wrong(a, ("x", "y", "z"), len(self.points) // 3 + 1, "point", _WORD) from None
        if len(self.points) > 3 * (self.most - self.points_before):
            raise FileProblem(f"The model has more than {self.most} points.")

    def triangle(self, a: Attributes) -> None:
        if not self.in_mesh:
            return
        try:
            self.triangles.extend((int(a["v1"]), int(a["v2"]), int(a["v3"])))
        except (KeyError, ValueError, OverflowError):
            raise self.wrong(a, ("v1", "v2", "v3"), len(self.looks) + 1, "triangle", r"-?\d{1,12}") from None
        self.looks.append(self.look(a) if "p1" in a else -1)
        if len(self.looks) > 2 * self.most - self.triangles_before:
            raise FileProblem(f"The model has more than {2 * self.most} triangles.")

    def look(self, a: Attributes) -> int:
        own = self.object.own_look[0] if self.object is not None else None
        key = (a.get("pid") or own, a["p1"])
        found = self.seen.get(key)
        if found is None:
            if len(self.seen) >= _LOOKS:
                raise FileProblem(f"The triangles of the file have more than {_LOOKS} looks.")
            found = self.seen[key] = len(self.seen)
            self.model.looks.append(key)
        return found

    @property
    def where(self) -> str:
        return self.object.where if self.object is not None else "The model"

    def wrong(self, a: Attributes, keys: tuple[str, str, str], number: int, what: str, pattern: str) -> FileProblem:
        for k in keys:
            if k not in a:
                return FileProblem(f"{self.where}, {what} {number}: '{k}' is missing.")
            if not re.fullmatch(pattern, a[k]):
                return FileProblem(f"{self.where}, {what} {number}: '{a[k][:40]}' is no number.")
        return FileProblem(f"{self.where}, {what} {number}: a number can't be read.")

    def end_mesh(self) -> None:
        o = self.object
        if o is None or not self.in_mesh:
            return
        self.in_mesh = False
        if not self.looks or not self.points:
            raise FileProblem(f"{o.where} has no triangles.")
        self.points_before += len(self.points) // 3
        self.triangles_before += len(self.looks)
        o.points = np.frombuffer(self.points).reshape(-1, 3)
        o.triangles = _checked(np.frombuffer(self.triangles, np.int64).reshape(-1, 3), len(o.points), o.where)
        o.looks = np.frombuffer(self.looks, np.int32)
        self.points, self.triangles, self.looks = array("d"), array("q"), array("i")


def _checked(triangles: np.ndarray, n_points: int, where: str) -> Ints:
    bad = (triangles < 0) | (triangles >= n_points)
    if bad.any():
        row, k = np.argwhere(bad)[0]
        raise FileProblem(f"{where}, triangle {row + 1}: point {triangles[row, k]}, there are 0 to {n_points - 1}.")
    return triangles.astype(np.int32)


def _name(text: str | None, otherwise: str) -> str:
    return (text or otherwise).strip()[:200] or otherwise


def matrix_of(text: str | None) -> Floats:
    """Return the (4, 4) matrix of a transform, which is written by columns of a matrix for column vectors."""
    if text is None:
        return np.eye(4)
    words = text.split()
    if len(words) != 12 or not all(re.fullmatch(_WORD, w) for w in words):
        raise FileProblem(f"The transform '{text[:60]}' is no list of 12 numbers.")
    out = np.eye(4)
    out[:3, :] = np.array([float(w) for w in words]).reshape(4, 3).T
    if not np.isfinite(out).all():
        raise FileProblem(f"The transform '{text[:60]}' is not finite.")
    return out
