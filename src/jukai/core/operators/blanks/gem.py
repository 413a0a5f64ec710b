"""Cut stones."""

from __future__ import annotations

import math

import numpy as np
from pydantic import model_validator

from jukai.core.errors import ValueProblem
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Placing,
    Point,
    Result,
    chord_sides,
    operator,
)
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.share import share
from jukai.core.operators.kinds.switch import switch
from jukai.core.operators.shapes import Z_AXIS, arc
from jukai.core.operators.tables import table

__all__ = ["SETS", "Values", "gem"]

SETS = table("brilliants")
"""Table, crown height, crown angle, pavilion depth, pavilion angle: per cent of the diameter and degrees."""
_OWN = (60.0, 15.0, 0.0, 45.0, 0.0)
"""Of a step cut, whose angles follow from its heights: per cent of the width. Common practice, no source."""
_ROUND = 'cut == "brilliant"'
_FACETED = 'cut in ("brilliant", "step")'
_TURNED = 'cut in ("brilliant", "rose")'
_STEP = 'cut == "step"'
_LEAST = 1e-9


class Values(OperatorValues):
    """A cut stone, its table up, standing on Z = 0; shares are of the diameter, of a step cut of the width."""

    cut: str = choice(
        "How it is cut.",
        (
            ("brilliant", "a round brilliant"),
            ("step", "a step cut"),
            ("rose", "a rose cut"),
            ("cabochon", "a cabochon"),
        ),
    )
    diameter: float | None = length(
        "Its diameter at the girdle; of a step cut its width.", otherwise="a fifth of the bench's floor", gt=0, le=1e6
    )
    proportions: str = choice(
        "The published proportions that what is left out is taken from.", [(s, s) for s in SETS], relevant=_ROUND
    )
    symmetry: int = count("Mains around.", default=8, ge=3, le=24, relevant=_TURNED)
    length_share: float = share("How long it is, of its width.", default=1.4, ge=1, le=20, relevant=_STEP)
    clipped: float = share("What its corners lose, of half its width.", default=0.35, ge=0.02, le=0.95, relevant=_STEP)
    steps: int = count("Steps of the crown, and of the pavilion.", default=3, ge=1, le=50, relevant=_STEP)
    table: float | None = share(
        "How wide the table is, from corner to corner.", otherwise="that of the proportions", follows="proportions",
        ge=0.01, le=0.99, relevant=_FACETED,
    )  # fmt: skip
    crown_height: float | None = share(
        "From the girdle up to the table.", otherwise="that of the proportions", instead_of="crown_angle",
        follows="proportions", le=20, relevant='cut != "cabochon"',
    )  # fmt: skip
    crown_angle: float | None = angle(
        "Of the kites against the girdle's plane; of a step cut the mean.", instead_of="crown_height", follows="proportions",
        gt=0, lt=90, relevant=_FACETED,
    )  # fmt: skip
    girdle: float = share("How high the girdle is; 0 % makes it an edge.", default=0.02, le=5, relevant='cut != "rose"')
    pavilion_depth: float | None = share(
        "From the girdle down to the culet.", otherwise="that of the proportions", instead_of="pavilion_angle",
        follows="proportions", le=20, relevant=_FACETED,
    )  # fmt: skip
    pavilion_angle: float | None = angle(
        "Of the mains against the girdle's plane; of a step cut the mean.", instead_of="pavilion_depth", follows="proportions",
        gt=0, lt=90, relevant=_FACETED,
    )  # fmt: skip
    star_length: float = share(
        "How far the stars reach from the table's edge to the girdle, seen from above.", default=0.5, relevant=_TURNED
    )
    lower_half_length: float = share(
        "How far the lower halves reach from the girdle to the culet.", default=0.77, relevant=_ROUND
    )
    culet: float = share(
        "How wide the culet is; 0 % makes it a point, or a keel.", default=0.0, le=0.99, relevant=_FACETED
    )
    dome_height: float = share(
        "From the girdle to the top.", default=0.4, ge=0.001, le=20, relevant='cut == "cabochon"'
    )
    sides: int | None = count(
        "Faces around.", otherwise="as many as the chord tolerance asks for", ge=3, le=1_000_000,
        relevant='cut == "cabochon"',
    )  # fmt: skip
    inner_skin: bool = switch(
        "Whether the same faces are there once more, looking inward: some renderers need both.",
        default=False,
        on="With an inner skin.",
        off="Without an inner skin.",
    )

    @model_validator(mode="after")
    def _one(self) -> Values:
        for height, degrees in (("crown_height", "crown_angle"), ("pavilion_depth", "pavilion_angle")):
            if getattr(self, height) is not None and getattr(self, degrees) is not None:
                raise ValueError(
                    f"{height.replace('_', ' ')} and {degrees.replace('_', ' ')} say the same thing: give one of them"
                )
        return self


@operator(
    id="gem",
    kind=Kind.BLANK,
    values=Values,
    sentence="Cut {cut} of diameter {diameter}[ after {proportions}][, {length_share} as long as wide, corners clipped by {clipped}][, table {table}]"
    "[, crown {crown_height|crown_angle}][, pavilion {pavilion_depth|pavilion_angle}][, dome {dome_height} high]",
    quiet="[Symmetry {symmetry}; ][{steps} steps; ][girdle {girdle}; ][stars {star_length}; ][lower halves {lower_half_length}; ][culet {culet}; ][in {sides} sides; ]{inner_skin}",
    groups=(
        "table",
        "stars",
        "kites",
        "upper_halves",
        "girdle",
        "lower_halves",
        "mains",
        "culet",
        "crown",
        "pavilion",
        "dome",
        "base",
        "inner_skin",
    ),
    synonyms=("stone", "jewel", "diamond", "brilliant", "emerald cut", "facets", "crystal"),
    placing=Placing(radius=("diameter", 2)),
    example=Example((("gem", {"diameter": 30}),), seen_from=(-30, 28)),
)
def gem(values: Values, context: Context) -> Result:
    """A cut stone, every facet flat: a round brilliant, a step cut, a rose cut; or a cabochon.

    Notes
    -----
    Crown height % = (100 - table %) / 2 · tan(crown angle), pavilion depth % = (100 - culet %) / 2 · tan(pavilion angle):
    the trade's own relations.
    """
    from jukai.core.geometry.gems import with_inner_skin

    wide = context.blank_size if values.diameter is None else values.diameter
    radius = wide / 2
    made = {"brilliant": _brilliant, "step": _step, "rose": _rose, "cabochon": _cabochon}[values.cut]
    out = made(values, radius, context)
    mesh, notes = out.mesh, out.notes
    if values.inner_skin:
        mesh = with_inner_skin(mesh, context.step)
        notes = (*notes, Note("info", "The inner skin lies on the facets: the soundness says so.", field="inner_skin"))
    level = float(mesh.points[np.argmax(np.abs(mesh.points[:, 0])), 2])
    first = Callout("values/diameter", CalloutForm.DIAMETER, (0, -radius, level), (0, radius, level), (0, 1, 0), 2.0)
    used = {**out.used, "diameter": wide}
    return Result(mesh, notes, (first, *out.callouts), used, out.facts, Z_AXIS)


def _brilliant(values: Values, radius: float, context: Context) -> Result:
    from jukai.core.geometry.gems import Brilliant, brilliant, least_star, widest_table

    n, own = values.symmetry, SETS[values.proportions]
    wide = own[0] / 100 if values.table is None else values.table
    culet = values.culet
    most = math.cos(math.pi / n)
    if not _LEAST < values.star_length < 1 - _LEAST:
        _refuse("star_length", values.star_length, "leaves a facet without area", above=0, below=1)
    least, room = least_star(n, wide), widest_table(n, values.star_length)
    if not wide < room - _LEAST:
        other = f", or a star length over {_percent(math.ceil(1000 * least) / 1000)}," if least < 0.999 else ""
        raise ValueProblem(
            f"A table of {_percent(wide)} leaves no room for stars of {_percent(values.star_length)} at a symmetry of {n}.",
            field="table" if values.table is not None or not other else "star_length",
            hint=f"A table under {_percent(math.floor(1000 * room) / 1000)}{other} would work.",
        )
    if not culet < most - _LEAST:
        _refuse("culet", culet, f"reaches the girdle at a symmetry of {n}", below=most)
    if not _LEAST < values.lower_half_length < 1 - _LEAST:
        _refuse("lower_half_length", values.lower_half_length, "leaves a facet without area", above=0, below=1)
    crown = _angle(values.crown_angle, values.crown_height, own[2], (1 - wide) / 2, "crown_height")
    pavilion = _angle(values.pavilion_angle, values.pavilion_depth, own[4], (1 - culet) / 2, "pavilion_depth")
    context.afford(9 * n + 2, field="symmetry")
    cut = Brilliant(n, wide, crown, pavilion, values.star_length, values.lower_half_length, 2 * values.girdle, culet)
    mesh = brilliant(cut, radius, context.step)
    facts = {"table": wide, "crown_height": cut.crown_height / 2, "crown_angle": math.degrees(crown), "pavilion_depth": cut.pavilion_depth / 2,
             "pavilion_angle": math.degrees(pavilion), **{f"{k}_angle": v for k, v in cut.angles.items()}}  # fmt: skip
    count_ = 7 * n + 1 + (culet > 0)
    notes = [Note("info", f"{count_} facets" + (f" and {2 * n} of the girdle" if values.girdle > 0 else "") + f". Crown {_both(crown, cut.crown_height)}, pavilion {_both(pavilion, cut.pavilion_depth)}; "
             f"stars {facts['star_angle']:.1f}°, upper halves {facts['upper_angle']:.1f}°, lower halves {facts['lower_angle']:.1f}°.", field="proportions")]  # fmt: skip
    off = _off(own, facts)
    if off:
        notes.append(Note("info", f"Against {values.proportions}: {off}.", field="proportions"))
    used = _left_out(values, facts)
    foot, top = cut.pavilion_depth, cut.pavilion_depth + cut.girdle
    tip = cut.star_tip * radius
    corner = (cut.table * radius, 0.0, (top + cut.crown_height) * radius)
    half = math.pi / n
    star = (
        tip * math.cos(half),
        -tip * math.sin(half),
        (top + math.tan(crown) * (1 - cut.star_tip * cut.half)) * radius,
    )
    low = cut.lower_tip * radius
    lower = (
        low * math.cos(half),
        -low * math.sin(half),
        (foot - math.tan(pavilion) * (1 - cut.lower_tip * cut.half)) * radius,
    )
    callouts = [
        Callout("values/table", CalloutForm.SHARE, corner, corner, (1, 0, 0), 1 / radius),
        *_heights(values, corner, (-radius, 0.0, foot * radius), radius, (1 - wide) / 2, (1 - culet) / 2, (crown, pavilion)),
        Callout("values/star_length", CalloutForm.SHARE, star, star, (math.cos(half), -math.sin(half), 0), 1 / (radius * (1 - wide * most))),
        Callout("values/lower_half_length", CalloutForm.SHARE, lower, lower, (-math.cos(half), math.sin(half), 0), 1 / radius),
    ]  # fmt: skip
    return Result(mesh, tuple(notes), tuple(callouts), used, facts)


def _step(values: Values, radius: float, context: Context) -> Result:
    from jukai.core.geometry.gems import StepCut, step_cut

    wide = _OWN[0] / 100 if values.table is None else values.table
    crown = _height(values.crown_angle, values.crown_height, _OWN[1] / 100, (1 - wide) / 2, "crown_height")
    pavilion = _height(
        values.pavilion_angle, values.pavilion_depth, _OWN[3] / 100, (1 - values.culet) / 2, "pavilion_depth"
    )
    context.afford(16 * values.steps + 10, field="steps")
    cut = StepCut(
        values.length_share,
        values.clipped,
        wide,
        2 * crown,
        2 * pavilion,
        2 * values.girdle,
        values.culet,
        values.steps,
    )
    mesh = step_cut(cut, radius, context.step)
    slopes = (math.atan2(2 * crown, 1 - wide), math.atan2(2 * pavilion, 1 - values.culet))
    facts = {
        "table": wide,
        "crown_height": crown,
        "crown_angle": math.degrees(slopes[0]),
        "pavilion_depth": pavilion,
        "pavilion_angle": math.degrees(slopes[1]),
    }
    count_ = mesh.n_faces - 8 * (values.girdle > 0)
    notes = [Note("info", f"{count_} facets" + (" and 8 of the girdle" if values.girdle > 0 else "") + f". Crown {_both(slopes[0], 2 * crown)}, pavilion {_both(slopes[1], 2 * pavilion)}.", field="steps")]  # fmt: skip
    top = 2 * (crown + pavilion + values.girdle) * radius
    side, tip = (0.0, -wide * radius, top), (values.length_share * radius, 0.0, 2 * pavilion * radius)
    callouts = [
        Callout("values/table", CalloutForm.SHARE, side, side, (0, -1, 0), 1 / radius),
        Callout("values/length_share", CalloutForm.SHARE, tip, tip, (1, 0, 0), 1 / radius),
        *_heights(values, (0.0, wide * radius, top), (-tip[0], 0.0, tip[2]), radius, (1 - wide) / 2, (1 - values.culet) / 2, slopes),
    ]  # fmt: skip
    return Result(mesh, tuple(notes), tuple(callouts), _left_out(values, facts), facts)


def _rose(values: Values, radius: float, context: Context) -> Result:
    from jukai.core.geometry.gems import rose

    height = 0.4 if values.crown_height is None else values.crown_height
    if not height > 0:
        _refuse("crown_height", height, "leaves no stone", above=0)
    if not _LEAST < values.star_length < 1 - _LEAST:
        _refuse("star_length", values.star_length, "leaves a facet without area", above=0, below=1)
    context.afford(4 * values.symmetry + 1, field="symmetry")
    mesh = rose(values.symmetry, values.star_length, 2 * height, radius, context.step)
    notes = (Note("info", f"{4 * values.symmetry} facets on a flat base.", field="symmetry"),)
    tip, out = (0.0, 0.0, 2 * height * radius), values.star_length * radius
    level = 2 * height * math.sqrt(1 - values.star_length**2) * radius
    callouts = (
        Callout("values/crown_height", CalloutForm.SHARE, tip, tip, (0, 0, 1), 1 / (2 * radius)),
        Callout("values/star_length", CalloutForm.SHARE, (out, 0, level), (out, 0, level), (1, 0, 0), 1 / radius),
    )
    used = {"crown_height": height} if values.crown_height is None else {}
    return Result(mesh, notes, callouts, used)


def _cabochon(values: Values, radius: float, context: Context) -> Result:
    height = 2 * values.dome_height * radius
    foot = 2 * values.girdle * radius
    sides = values.sides or chord_sides(radius, 2 * radius)
    rows = max(3, round(sides / 4))
    context.afford(sides * (rows + 2), field="sides")
    sine, cosine = arc(rows, 0.0, 90.0)
    dome = np.column_stack([radius * cosine, foot + height * sine])
    bands = (("dome", rows),)
    if foot > 0:
        dome, bands = np.concatenate([[[radius, 0.0]], dome]), (("girdle", 1), ("dome", rows))  # type: ignore[assignment]
    mesh = turn([Section(dome, bands=bands)], Turning(sides=sides), context.step)
    top = (0.0, 0.0, foot + height)
    callouts = (Callout("values/dome_height", CalloutForm.SHARE, top, top, (0, 0, 1), 1 / (2 * radius)),)
    return Result(mesh, (), callouts, {"sides": sides})


def _angle(degrees: float | None, height: float | None, own: float, reach: float, field: str) -> float:
    """Return an angle in radians, from itself or from a height that it reaches over ``reach``; both are shares of the diameter."""
    if height is not None:
        if not height > 0:
            _refuse(field, height, "leaves no facets there", above=0)
        return math.atan2(height, reach)
    return math.radians(own if degrees is None else degrees)


def _height(degrees: float | None, height: float | None, own: float, reach: float, field: str) -> float:
    if degrees is not None:
        return reach * math.tan(math.radians(degrees))
    if height is not None and not height > 0:
        _refuse(field, height, "leaves no facets there", above=0)
    return own if height is None else height


def _refuse(field: str, now: float, why: str, *, above: float | None = None, below: float | None = None) -> None:
    """Say which value can't be, and what would work.

    Raises
    ------
    ValueProblem
        Always.
    """
    low = "" if above is None else f"over {_percent(math.ceil(1000 * above) / 1000) if above else '0 %'}"
    high = "" if below is None else f"under {_percent(math.floor(1000 * below) / 1000)}"
    words = {"lower_half_length": "lower half length"}.get(field, field.replace("_", " "))
    raise ValueProblem(f"A {words} of {_percent(now)} {why}.", field=field, hint=f"{' and '.join(t for t in (low, high) if t).capitalize()} would work.")  # fmt: skip


def _percent(number: float) -> str:
    return f"{100 * number:.4g} %"


def _both(radians: float, height: float) -> str:
    return f"{math.degrees(radians):.1f}° and {50 * height:.1f} %"


def _off(own: tuple[float, ...], facts: dict[str, float]) -> str:
    """Return in words how far a stone is from published proportions; nothing where it is not."""
    rows = (
        ("table", own[0], 100 * facts["table"], "%"),
        ("crown", own[2], facts["crown_angle"], "°"),
        ("pavilion", own[4], facts["pavilion_angle"], "°"),
    )
    return ", ".join(
        f"{name} {now - was:+.1f}{' ' if unit == '%' else ''}{unit}".replace("-", "−")
        for name, was, now, unit in rows
        if abs(now - was) > 0.05
    )


def _left_out(values: Values, facts: dict[str, float]) -> dict[str, object]:
    """Return what was chosen for what is not written; of a pair that which stands first."""
    out: dict[str, object] = {}
    if values.table is None:
        out["table"] = facts["table"]
    for height, degrees in (("crown_height", "crown_angle"), ("pavilion_depth", "pavilion_angle")):
        if getattr(values, height) is None and getattr(values, degrees) is None:
            out[height] = round(facts[height], 4)
    return out


def _heights(
    values: Values, corner: Point, rim: Point, radius: float, crown: float, pavilion: float, slopes: tuple[float, float]
) -> list[Callout]:
    """Return callouts of crown and pavilion: of the angle where that is written, else of the height.

    ``corner`` of the table and ``rim``, on the girdle's lower edge, are lifted by them: the stone stands on its culet.
    """
    out = []
    up = (0.0, 0.0, 1.0)
    rows = (
        ("crown", "crown_height", corner, crown, slopes[0]),
        ("pavilion", "pavilion_depth", rim, pavilion, slopes[1]),
    )
    for name, height, at, reach, slope in rows:
        if getattr(values, f"{name}_angle") is not None:
            # degrees by which the slope grows when its far end goes up a mm
            gain = math.degrees(math.cos(slope) ** 2 / (2 * reach * radius))
            out.append(Callout(f"values/{name}_angle", CalloutForm.COUNT, at, at, up, gain))
        else:
            out.append(Callout(f"values/{height}", CalloutForm.SHARE, at, at, up, 1 / (2 * radius)))
    return out
