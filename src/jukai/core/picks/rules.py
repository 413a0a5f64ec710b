"""The rules of picks, and what works them out on a body."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.elements import (
    alike,
    belonging,
    centres,
    element_normals,
    grown,
    loop_through,
    rows_of,
    strip_across,
)
from jukai.core.geometry.measures import edge_turns
from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.kinds.angle import AngleKind
from jukai.core.operators.kinds.count import CountKind
from jukai.core.operators.kinds.length import LengthKind
from jukai.core.operators.kinds.vector import VectorKind
from jukai.core.picks.finding import Sought, find_elements
from jukai.core.picks.form import ELEMENT, ELEMENTS, GROUP, KINDS, PICK, SHAPE, TAKES, Form, Named
from jukai.core.picks.picked import Picked

__all__ = ["SHARP", "Picker", "resolve_pick"]

SHARP = 30.0
"""Degrees, wherever an angle is not given."""
_MOST_ROWS = 1000
_THREE, _ANGLE, _COUNT, _LENGTH = VectorKind(), AngleKind(), CountKind(), LengthKind()

Number = Callable[..., float]


@dataclass(slots=True)
class Picker:
    """Works out one pick on one body."""

    mesh: Mesh
    kind: str
    number: Number
    where: str
    named: Mapping[str, object] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)
    within: tuple[str, ...] = ()

    def rule(self, raw: object) -> Bools:
        """Return what a written pick picks."""
        if not isinstance(raw, dict):
            raise ValueProblem(
                f"{self.where.capitalize()} is no pick.", field=self.where, hint='For example {"rule": "sharper_than"}.'
            )
        if "join" in raw:
            self.only(raw, {"join", "of"})
            return self.joined(raw["join"])
        name = raw.get("rule")
        known = _RULES.get(name) if isinstance(name, str) else None
        if known is None:
            raise ValueProblem(
                f"There is no rule '{str(name)[:40]}'.", field=self.where, hint=f"There is: {', '.join(_RULES)}."
            )
        self.only(raw, {"rule", "of", *TAKES[str(name)]})
        return known(self, raw)

    def only(self, raw: dict[str, object], keys: set[str]) -> None:
        """Refuse a pick that has other keys than these."""
        strange = set(raw) - keys
        if strange:
            rest = sorted(keys - {"rule", "of"})
            raise ValueProblem(
                f"This pick has no '{min(strange)[:40]}'.",
                field=self.where,
                hint=f"It has: {', '.join(rest) or 'nothing else'}.",
            )

    def joined(self, rows: object) -> Bools:
        """Return several picks joined."""
        if not isinstance(rows, list) or not rows or len(rows) > 100:
            raise ValueProblem("'join' is a list of picks.", field=self.where)
        out = self.rule(rows[0])
        for row in rows[1:]:
            if not isinstance(row, dict) or len(row) != 1 or next(iter(row)) not in ("and_also", "but_not"):
                raise ValueProblem("Further picks are joined by 'and_also' or 'but_not'.", field=self.where)
            ((how, pick),) = row.items()
            other = self.rule(pick)
            out = out | other if how == "and_also" else out & ~other
        return out

    def other(self, raw: object, otherwise: str) -> Bools:
        """Return the elements of this kind that belong to a pick which may be of another kind."""
        of = raw.get("of", otherwise) if isinstance(raw, dict) else otherwise
        if of not in KINDS:
            raise ValueProblem(f"A pick is of points, edges or faces, not of '{str(of)[:20]}'.", field=self.where)
        inner = replace(self, kind=of)
        mask = inner.rule(raw)
        return belonging(self.mesh, mask, of, self.kind)

    # -- numbers ----------------------------------------------------------------------------------
    def value(self, raw: dict[str, object], key: str, measures: str, default: float | None = None) -> float:
        """Return a number of the pick, or its default."""
        if raw.get(key) is None:
            if default is None:
                raise ValueProblem(f"This pick needs '{key}'.", field=self.where)
            return default
        return self.number(raw[key], measures=measures, where=self.where)

    def three(self, raw: dict[str, object], key: str) -> Floats:
        """Return three lengths of the pick."""
        row = raw.get(key)
        if not isinstance(row, list) or len(row) != 3:
            raise ValueProblem(f"'{key}' of a pick is a list of three numbers.", field=self.where)
        return np.array([self.number(x, measures="length", where=self.where) for x in row])

    def direction(self, raw: dict[str, object]) -> Floats:
        """Return the pick's direction, of length 1."""
        d = self.three(raw, "direction")
        length = float(np.linalg.norm(d))
        if not length > 0:
            raise ValueProblem(
                "The direction of a pick is 0 in all three numbers.", field=self.where, hint="For example [0, 0, 1]."
            )
        return np.asarray(d / length)

    def of_faces(self, faces: Bools) -> Bools:
        """Return the elements that have such a face."""
        if self.kind == "faces":
            return faces
        con = self.mesh.connectivity
        corners = faces[self.mesh.corner_faces]
        out = np.zeros(con.n_edges if self.kind == "edges" else self.mesh.n_points, dtype=bool)
        out[con.corner_edge[corners] if self.kind == "edges" else self.mesh.corners[corners]] = True
        return out

    def of_edges(self, edges: Bools) -> Bools:
        """Return the elements that have such an edge."""
        if self.kind == "edges":
            return edges
        con = self.mesh.connectivity
        if self.kind == "points":
            out = np.zeros(self.mesh.n_points, dtype=bool)
            out[con.edges[edges].ravel()] = True
        else:
            out = np.zeros(self.mesh.n_faces, dtype=bool)
            out[self.mesh.corner_faces[edges[con.corner_edge]]] = True
        return out

    def found(self, rows: Sequence[object], kind: str) -> NDArray[np.int64]:
        """Return the elements that were picked by hand, found again; those that are lost are told."""
        elements, lost = find_elements(self.mesh, kind, [self.sought(row) for row in rows])
        if lost:
            what = {"points": "point", "edges": "edge", "faces": "face"}[kind]
            text = f"{len(lost)} picked {what}{'s are' if len(lost) > 1 else ' is'} not there any more."
            self.notes.append(Note("warning", text, tuple(lost), field=self.where))
        return elements

    def sought(self, row: object) -> Sought:
        """Return an element as it was written down."""
        if not isinstance(row, dict) or not isinstance(row.get("at"), list) or len(row["at"]) != 3:
            raise ValueProblem("An element picked by hand has its place: 'at', three numbers.", field=self.where)
        normal = self.three(row, "normal") if isinstance(row.get("normal"), list) else np.zeros(3)
        trail = tuple(tuple(t) for t in row.get("lineage") or [] if isinstance(t, list))
        return Sought(self.three(row, "at"), normal, trail)


Rule = Callable[[Picker, dict[str, object]], Bools]
"""Works a rule out: a mask of the picker's kind of elements."""
_RULES: dict[str, Rule] = {}


def rule(name: str, /, **takes: Form) -> Callable[[Rule], Rule]:
    """Register a function as the rule of that name, which takes what is said by key."""

    def register(function: Rule) -> Rule:
        TAKES[name], _RULES[name] = takes, function
        return function

    return register


@rule("everything")
def _everything(picker: Picker, _: dict[str, object]) -> Bools:
    """All there are."""
    return (
        picker.mesh.used_points.copy()
        if picker.kind == "points"
        else np.ones(rows_of(picker.mesh, picker.kind), dtype=bool)
    )


@rule("group", step=Named("step"), name=GROUP)
def _group(picker: Picker, raw: dict[str, object]) -> Bools:
    """What an earlier step left under a name."""
    step, name = raw.get("step"), raw.get("name")
    if not isinstance(step, str) or not isinstance(name, str):
        raise ValueProblem("A pick of a group names its step and the group.", field=picker.where)
    faces = picker.mesh.group_faces(step, name)
    if not faces.any():
        known = sorted({f"{g} of {s}" for s, g, _ in picker.mesh.lineage.rows})
        picker.notes.append(
            Note(
                "warning",
                f"There is no face of the group '{name}' of step {step} here. There is: {', '.join(known[:12]) or 'none'}.",
                field=picker.where,
            )
        )
    return picker.of_faces(faces)


@rule("facing", direction=_THREE, within=_ANGLE)
def _facing(picker: Picker, raw: dict[str, object]) -> Bools:
    """What faces a direction, within an angle."""
    direction, within = picker.direction(raw), picker.value(raw, "within", "angle", SHARP)
    return np.asarray(
        element_normals(picker.mesh, picker.kind) @ direction
        >= math.cos(math.radians(min(max(within, 0.0), 180.0))) - 1e-12
    )


@rule("sharper_than", angle=_ANGLE)
def _sharper_than(picker: Picker, raw: dict[str, object]) -> Bools:
    """Edges whose faces turn by more than an angle."""
    angle = picker.value(raw, "angle", "angle", SHARP)
    two = np.zeros(picker.mesh.connectivity.n_edges, dtype=bool)
    con = picker.mesh.connectivity
    two[con.corner_edge[(con.twins >= 0) & ~picker.mesh.same_direction]] = True
    return picker.of_edges(two & (edge_turns(picker.mesh) > math.radians(angle) + 1e-9))


@rule("rim")
def _rim(picker: Picker, _: dict[str, object]) -> Bools:
    """The open border."""
    return picker.of_edges(picker.mesh.connectivity.edge_sides == 1)


@rule("inside", shape=SHAPE, centre=_THREE, size=_THREE, radius=_LENGTH, point=_THREE, direction=_THREE)
def _inside(picker: Picker, raw: dict[str, object]) -> Bools:
    """What lies in a box, a ball or a half space."""
    at = centres(picker.mesh, picker.kind)
    shape = raw.get("shape")
    eps = 1e-9 * picker.mesh.size
    if shape == "box":
        return np.asarray(
            (np.abs(at - picker.three(raw, "centre")) <= np.abs(picker.three(raw, "size")) / 2 + eps).all(axis=1)
        )
    if shape == "ball":
        rel = at - picker.three(raw, "centre")
        return np.asarray(np.sqrt(np.einsum("ij,ij->i", rel, rel)) <= picker.value(raw, "radius", "length") + eps)
    if shape == "half_space":
        return np.asarray((at - picker.three(raw, "point")) @ picker.direction(raw) >= -eps)
    raise ValueProblem(
        f"'{str(shape)[:40]}' is no shape to pick in.", field=picker.where, hint="There is: box, ball, half_space."
    )


@rule("finish", name=Named("finish"))
def _finish(picker: Picker, raw: dict[str, object]) -> Bools:
    """Faces of a finish."""
    name = raw.get("name")
    mesh = picker.mesh
    if not isinstance(name, str) or mesh.face_finish is None or name not in mesh.finishes:
        return picker.of_faces(np.zeros(mesh.n_faces, dtype=bool))
    return picker.of_faces(mesh.face_finish == mesh.finishes.index(name))


@rule("every_nth", among=PICK, n=_COUNT, first=_COUNT)
def _every_nth(picker: Picker, raw: dict[str, object]) -> Bools:
    """Every so many of a pick, in order of number."""
    among = np.flatnonzero(picker.rule(raw.get("among", {"rule": "everything"})))
    n, first = round(picker.value(raw, "n", "", 2.0)), round(picker.value(raw, "first", "", 0.0))
    if n < 1 or first < 0:
        raise ValueProblem(
            f"Every {n}th from {first} picks nothing.", field=picker.where, hint="1 is the least n, 0 the first."
        )
    out = np.zeros(rows_of(picker.mesh, picker.kind), dtype=bool)
    out[among[first::n]] = True
    return out


@rule("loop_through", start=ELEMENT)
def _loop_through(picker: Picker, raw: dict[str, object]) -> Bools:
    """Edges end to end."""
    start = picker.found([raw.get("start")], "edges")
    edges = np.zeros(picker.mesh.connectivity.n_edges, dtype=bool)
    for e in start.tolist():
        edges[loop_through(picker.mesh, e)] = True
    return picker.of_edges(edges)


@rule("strip_across", start=ELEMENT)
def _strip_across(picker: Picker, raw: dict[str, object]) -> Bools:
    """Faces side by side."""
    start = picker.found([raw.get("start")], "edges")
    faces = np.zeros(picker.mesh.n_faces, dtype=bool)
    edges = np.zeros(picker.mesh.connectivity.n_edges, dtype=bool)
    for e in start.tolist():
        crossed, through = strip_across(picker.mesh, e)
        edges[crossed] = True
        faces[through] = True
    return edges if picker.kind == "edges" else picker.of_faces(faces)


@rule("by_hand", elements=ELEMENTS)
def _by_hand(picker: Picker, raw: dict[str, object]) -> Bools:
    """Elements that were clicked."""
    rows = raw.get("elements")
    if not isinstance(rows, list):
        raise ValueProblem("A pick by hand has a list of elements.", field=picker.where)
    out = np.zeros(rows_of(picker.mesh, picker.kind), dtype=bool)
    out[picker.found(rows, picker.kind)] = True
    return out


@rule("same_as", start=ELEMENT)
def _same_as(picker: Picker, raw: dict[str, object]) -> Bools:
    """What has the same size and turn as one."""
    out = np.zeros(rows_of(picker.mesh, picker.kind), dtype=bool)
    for which in picker.found([raw.get("start")], picker.kind).tolist():
        out |= alike(picker.mesh, picker.kind, which)
    return out


@rule("grown", pick=PICK, by=_COUNT)
def _grown(picker: Picker, raw: dict[str, object]) -> Bools:
    """A pick grown by rows, or shrunk."""
    by = round(picker.value(raw, "by", "", 1.0))
    if not -_MOST_ROWS <= by <= _MOST_ROWS:
        raise ValueProblem(f"A pick grown by {by}.", field=picker.where, hint=f"{_MOST_ROWS} rows are the most.")
    return grown(picker.mesh, picker.rule(raw.get("pick")), picker.kind, by)


@rule("belonging_to", pick=PICK)
def _belonging_to(picker: Picker, raw: dict[str, object]) -> Bools:
    """What belongs to a pick of another kind."""
    return picker.other(raw.get("pick"), "faces")


@rule("named", name=Named("pick"))
def _named_pick(picker: Picker, raw: dict[str, object]) -> Bools:
    """A pick of the part, by its name."""
    name = raw.get("name")
    if not isinstance(name, str) or name not in picker.named:
        known = ", ".join(picker.named) or "none"
        raise ValueProblem(f"There is no pick '{str(name)[:60]}'.", field=picker.where, hint=f"There is: {known}.")
    if name in picker.within:
        raise ValueProblem(
            f"The pick '{name}' is made of itpicker: {' → '.join((*picker.within, name))}.", field=picker.where
        )
    return replace(picker, within=(*picker.within, name)).other(picker.named[name], picker.kind)


def resolve_pick(
    raw: object, mesh: Mesh, kinds: Sequence[str], number: Number, where: str, named: Mapping[str, object] | None = None
) -> tuple[Picked, list[Note]]:
    """Work out a pick on a body.

    Parameters
    ----------
    raw : the rule as it stands in the bench.
    kinds : what the operator takes: of ``points``, ``edges``, ``faces``; the first if the pick does not say.
    number : works out a number or a formula: ``number(raw, measures=..., where=...)``.
    named : picks of the part by their names.

    Raises
    ------
    ValueProblem
        For an unknown rule or key, or a kind that the operator does not take.
    """
    kind = raw.get("of", kinds[0]) if isinstance(raw, dict) else kinds[0]
    if kind not in kinds:
        raise ValueProblem(
            f"{where.capitalize()}: a pick of {str(kind)[:20]} can't be used here.",
            field=where,
            hint=f"It takes {' or '.join(kinds)}.",
        )
    picker = Picker(mesh, kind, number, where, named or {})
    mask = picker.rule(raw)
    return Picked(kind, mask), picker.notes
