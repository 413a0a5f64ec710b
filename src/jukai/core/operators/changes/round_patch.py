"""Round patches: spot faces, seats for bosses and holes."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from jukai.core.geometry.mesh import Mesh
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Result,
    operator,
    three,
)
from jukai.core.operators.crossing import crossing_notes
from jukai.core.operators.kinds.angle import angle
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.count import count
from jukai.core.operators.kinds.finish import finish
from jukai.core.operators.kinds.fitted import FittedLength, fitted
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.pulling import nothing_picked

if TYPE_CHECKING:
    from jukai.core.geometry.round_patches import Rounded

__all__ = ["Values", "round_patch"]


class Values(OperatorValues):
    """Faces that become round patches."""

    pick: AnyPick = pick(
        "The faces that become round, those side by side one patch; or points, about each of which one is cut.",
        of=("faces", "points"),
        default={"rule": "facing", "direction": [0, 0, 1]},
    )  # without a body before it the rule as it is written
    diameter: FittedLength | None = fitted(
        "Across the patch; a formula may speak of fit, the diameter that fits: fit + 1.", otherwise="the one that fits"
    )
    points: int | None = count("Points on the circle.", otherwise="as many as there are, 12 at least", ge=3, le=2000)
    clocking: float = angle("How far they are turned on about the middle.", default=0.0, ge=-36_000, le=36_000)
    spacing: str = choice(
        "How far points of a border that moves are apart.",
        (("even", "evenly spread"), ("as_they_were", "in the directions that they had")),
    )
    seat: str = choice(
        "What the patch lies on.", (("flat", "flat, as a spot face"), ("follows_the_surface", "following the surface"))
    )
    height: float = length("How high it stands over the seat; below 0 it is sunk.", default=0.0, ge=-1e6, le=1e6)
    surroundings: str = choice(
        "What lies between the patch and what stays.",
        (("four_sided", "four-sided faces"), ("one_face", "as few faces as can be")),
    )
    within: str = choice(
        "What the patch itself is made of.", (("four_sided", "four-sided faces"), ("one_face", "one face"))
    )
    finish: str | None = finish("Finish of the patch.")


@operator(
    id="round_patch",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Make {pick} a round patch of {diameter} with {points} points",
    quiet="{seat}, {height} high, clocked by {clocking}, points {spacing}; round it {surroundings}, within it {within}; its finish is {finish}.",
    groups=("patch", "border"),
    synonyms=("make circular", "roundel", "spot face", "circle", "hole", "boss", "seat"),
    example=Example(
        (
            ("box", {"size": [24, 24, 10], "counts": [4, 4, 1]}),
            (
                "round_patch",
                {
                    "pick": {
                        "rule": "inside",
                        "of": "faces",
                        "shape": "box",
                        "centre": [0, 0, 10],
                        "size": [12.5, 12.5, 2],
                    },
                    "height": 3,
                },
            ),
        ),
        seen_from=(-35, 50),
    ),
)
def round_patch(mesh: Mesh, values: Values, context: Context) -> Result:
    """Make faces round patches whose points lie on a circle; what lies round them is finished in four-sided faces.

    Notes
    -----
    The circle is that of least squares through the border in its own plane. Inner points are each in the middle of their
    neighbours (Tutte 1963).
    """
    from jukai.core.geometry.regions import regions_of_faces, regions_of_points
    from jukai.core.geometry.round_patches import Asked, round_patches

    picked = values.pick
    used: dict[str, object] = {"pick": float(picked.count)}
    if not picked.mask.any():
        if picked.kind == "faces":
            return nothing_picked(mesh, picked, "made round")
        return Result(mesh, (Note("info", "No point is picked: nothing is made round.", field="pick"),), used=used)
    regions = (regions_of_faces if picked.kind == "faces" else regions_of_points)(mesh, picked.mask)
    n = values.points or max(len(r.border) for r in regions)
    context.afford(mesh.n_faces + len(regions) * (n * n // 8 + 4 * n), field="points")
    asked = Asked(
        None if values.diameter is None else values.diameter.at, values.points, values.clocking, values.spacing == "even",
        values.seat == "flat", values.height, values.surroundings == "four_sided", values.within == "four_sided",
    )  # fmt: skip
    out, made = round_patches(mesh, regions, asked, context.step, finish=values.finish, told=context.checkpoint)
    notes = []
    stopped = [m for m in made if m.limit is not None]
    if stopped:
        least = min(stopped, key=lambda m: m.diameter)
        text = f"There is room for a diameter of {least.diameter:.4g} mm; stopped there."
        notes.append(Note("warning", text, field="diameter", places=tuple(three(m.centre) for m in stopped[:50])))
    odd = [m for m in made if m.threes]
    if odd:
        text = f"{len(odd)} {'ring has' if len(odd) == 1 else 'rings have'} one face of three sides: the points of circle and border make an odd number."
        notes.append(Note("info", text, field="points", places=tuple(three(m.centre) for m in odd[:50])))
    notes += crossing_notes(out, (context.step, "patch", "border"), "A patch has no room", "diameter")
    first = made[0]
    if values.diameter is None:
        used["diameter"] = first.diameter
    used["points"] = len(first.circle)
    facts = {"fit": first.fit, "diameter": first.diameter, "patches": float(len(made))}
    shown = {} if values.diameter is None else {"diameter": values.diameter.at(first.fit)}
    return Result(out, tuple(notes), _callouts(values, first), used, facts, shown=shown)


def _callouts(values: Values, made: Rounded) -> tuple[Callout, ...]:
    """Return the diameter, the number of points, clocking and height, on the first patch."""
    n = len(made.circle)
    a = made.circle[0]
    b = made.circle[n // 2]
    way = (b - made.centre) / max(float(np.linalg.norm(b - made.centre)), 1e-300)
    stopped = made.diameter if made.limit is not None else None
    out = [
        Callout(
            "values/diameter",
            CalloutForm.DIAMETER,
            three(2 * made.centre - b),
            three(b),
            three(way),
            2.0,
            stopped=stopped,
        )
    ]
    c = made.circle[n // 4]
    out.append(Callout("values/points", CalloutForm.COUNT, three(c), three(c), three(made.normal), 0.5))
    turned = made.centre + float(np.linalg.norm(a - made.centre)) * made.clock
    out.append(
        Callout(
            "values/clocking", CalloutForm.ANGLE, three(made.centre), three(turned), three(made.normal), grip=three(a)
        )
    )
    d = made.circle[(3 * n) // 4]
    out.append(
        Callout(
            "values/height", CalloutForm.LENGTH, three(d - values.height * made.normal), three(d), three(made.normal)
        )
    )
    return tuple(out)
