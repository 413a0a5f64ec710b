"""Rings within each other: armillaries, gimbals, twisted bangles."""

from __future__ import annotations

import math

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.frames import sincos
from jukai.core.geometry.mesh import join_meshes
from jukai.core.geometry.triangulation import with_short_diagonals
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Placing,
    Result,
    chord_sides,
    operator,
    three,
)
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count as number_of
from jukai.core.operators.kinds.length import length
from jukai.core.operators.sections import square_section

__all__ = ["Values", "rings"]

_SEAMLESS = 1e-6


class Values(OperatorValues):
    """Rings about one middle, each within the next, each tilted about X against the one before."""

    count: int = number_of("How many rings there are.", default=3, ge=1, le=1000)
    diameter: float | None = length(
        "The mean diameter of the innermost.", otherwise="a fifth of the bench's floor", gt=0, le=1e6
    )
    gap: float | None = length(
        "Between neighbouring rings, wire to wire.", otherwise="half as much as the wire is thick", ge=-1e6, le=1e6
    )
    wire_diameter: float | None = length(
        "How thick each ring is; of a square one its side.", otherwise="a tenth of the innermost", gt=0, le=1e6
    )
    tilt: float | None = angle(
        "How far each ring is tilted about X against the one before.", instead_of="over", ge=-36_000, le=36_000
    )
    over: float | None = angle(
        "Over which angle they are tilted, evenly.", otherwise="half a turn", instead_of="tilt", ge=-36_000, le=36_000
    )
    section: str = choice("Of the wire.", (("round", "round"), ("square", "square")))
    twist: float = angle(
        "How far the section is turned on its way round a ring.",
        default=0.0,
        ge=-360_000,
        le=360_000,
        relevant='section == "square"',
    )
    sides: int | None = number_of(
        "Faces round the wire.", otherwise="as many as the chord tolerance asks for", ge=3, le=100_000
    )
    rows: int | None = number_of(
        "Rows of faces round a ring.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        if self.tilt is not None and self.over is not None:
            raise ValueError("tilt and over say the same thing: give one of them")
        return self


@operator(
    id="rings",
    kind=Kind.BLANK,
    values=Values,
    sentence="Set {count} rings within each other, the innermost {diameter}, {gap} apart, tilted {over|tilt}",
    quiet="Their wire is {wire_diameter} thick and {section}[, twisted by {twist}]; {sides} sides, {rows} rows.",
    groups=("walls",),
    synonyms=("ring", "gimbal", "armillary", "hoops", "bangle", "nested rings", "torus"),
    placing=Placing(radius=("diameter", 2)),
    example=Example((("rings", {"count": 3, "diameter": 18, "wire_diameter": 2, "gap": 1.5, "sides": 8, "rows": 36}),)),
)
def rings(values: Values, context: Context) -> Result:
    """Rings about one middle. Each keeps within a shell of its own, so they never meet, however they are tilted.

    Notes
    -----
    The volume of a ring is its section's area times the way of the section's middle (Pappus and Guldinus).
    """
    from jukai.core.geometry.tubes import Run, tube

    size, wire, gap, tilt = _sizes(values, context)
    half = wire / 2
    section = _section(values, half, size)
    largest = size + 2 * (values.count - 1) * (wire + gap)
    if values.count > 1 and gap <= -wire:
        raise ValueProblem(
            f"A gap of {gap:.4g} mm puts each ring inside the one before.",
            field="gap",
            hint=f"More than {-wire:.4g} mm; from 0 on they keep apart.",
        )
    if min(size, largest) <= wire:
        raise ValueProblem(
            f"A wire of {wire:.4g} mm fills a ring of {min(size, largest):.4g} mm.",
            field="wire_diameter",
            hint=f"Less than {min(size, largest):.4g} mm.",
        )
    rows = values.rows or chord_sides(largest / 2 + half, largest + wire)
    if values.section == "square" and values.twist and values.rows is None:
        rows = max(rows, 12 * math.ceil(abs(values.twist) / 7.5 / 12))
    context.afford(values.count * rows * len(section), field="count")
    bodies = []
    around = 360.0 * np.arange(rows) / rows
    sine, cosine = sincos(around)
    z = np.array([0.0, 0.0, 1.0])
    for i in range(values.count):
        context.checkpoint(0.1 + 0.8 * i / values.count)
        radius = size / 2 + i * (wire + gap)
        out = np.column_stack([cosine, sine, np.zeros(rows)])
        turn = (
            np.radians(values.twist * np.arange(rows) / rows)[:, None]
            if values.section == "square"
            else np.zeros((rows, 1))
        )
        # up times out points along the ring
        a, u = z * np.cos(turn) + out * np.sin(turn), out * np.cos(turn) - z * np.sin(turn)
        run = Run(out * radius, a, u, np.ones(rows), np.arange(rows + 1) / rows)
        ring = tube(run, section, context.step, closed=True)
        c, s = (float(v[0]) for v in sincos(np.array([tilt * i]))[::-1])
        bodies.append(ring.with_points(ring.points @ np.array([[1, 0, 0], [0, c, -s], [0, s, c]]).T))
    mesh = join_meshes(bodies)
    if values.section == "square" and values.twist:
        mesh = with_short_diagonals(mesh)
    mesh = mesh.with_points(mesh.points - [0.0, 0.0, float(mesh.points[:, 2].min())])
    used: dict[str, object] = {"diameter": size, "wire_diameter": wire, "gap": gap, "rows": rows, "sides": len(section)}
    if values.tilt is None and values.over is None:
        used["over"] = 180.0
    facts = {"tilt": tilt, "over": tilt * values.count, "largest": largest}
    return Result(mesh, tuple(_notes(values, gap, wire)), _callouts(size, wire, largest, mesh.points), used, facts)


def _sizes(values: Values, context: Context) -> tuple[float, float, float, float]:
    size = context.blank_size if values.diameter is None else values.diameter
    wire = size / 10 if values.wire_diameter is None else values.wire_diameter
    gap = wire / 2 if values.gap is None else values.gap
    tilt = (180.0 if values.over is None else values.over) / values.count if values.tilt is None else values.tilt
    return size, wire, gap, tilt


def _section(values: Values, half: float, size: float) -> Floats:
    if values.section == "square":
        return square_section(values.sides or 4) * half
    sides = values.sides or chord_sides(half, size)
    sine, cosine = sincos(360.0 * np.arange(sides) / sides)
    return np.column_stack([cosine, sine]) * half


def _notes(values: Values, gap: float, wire: float) -> list[Note]:
    out = []
    turned = values.twist / 90
    if values.section == "square" and abs(turned - round(turned)) > _SEAMLESS:
        near = 90 * round(turned)
        text = f"A square wire twisted by {values.twist:g}° does not meet itself where the ring closes."
        out.append(Note("warning", text, field="twist", solve=("twist", float(near), "the nearest twist that meets")))
    if values.count > 1 and gap < 0 and abs(gap) < 2 * wire:
        out.append(
            Note(
                "warning",
                f"Neighbouring rings reach {-gap:.4g} mm into each other.",
                field="gap",
                solve=("gap", 0.0, "no gap"),
            )
        )
    return out


def _callouts(size: float, wire: float, largest: float, points: Floats) -> tuple[Callout, ...]:
    middle = np.array([0.0, 0.0, float(points[:, 2].max()) / 2])
    x = np.array([1.0, 0.0, 0.0])
    inner, outer = middle + x * (size / 2), middle + x * (largest / 2 + wire / 2)
    return (
        Callout(
            "values/diameter",
            CalloutForm.DIAMETER,
            three(middle - x * (size / 2)),
            three(inner),
            (1, 0, 0),
            2.0,
            grip=three(inner + x * (wire / 2)),
        ),
        Callout(
            "values/wire_diameter",
            CalloutForm.DIAMETER,
            three(inner - x * (wire / 2)),
            three(inner + x * (wire / 2)),
            (1, 0, 0),
            2.0,
        ),
        Callout("values/count", CalloutForm.COUNT, three(outer), three(outer), (1, 0, 0), 4 / max(size, 1e-300)),
    )
