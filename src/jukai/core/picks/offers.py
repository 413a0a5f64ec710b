"""Rules that a pick by hand could as well be."""

from __future__ import annotations

import math

import numpy as np

from jukai.core.geometry.elements import loop_through
from jukai.core.geometry.measures import edge_turns
from jukai.core.geometry.mesh import Mesh
from jukai.core.json_data import JsonObject
from jukai.core.picks.finding import element_of
from jukai.core.picks.picked import Picked
from jukai.core.picks.rules import SHARP, Picker

__all__ = ["looks_like"]

_ANGLES = (1.0, 5.0, 10.0, 20.0, 30.0, 45.0, 60.0, 75.0, 89.0, 120.0, 150.0)
_DIRECTIONS = {
    "up": (0, 0, 1),
    "down": (0, 0, -1),
    "to the right": (1, 0, 0),
    "to the left": (-1, 0, 0),
    "to the front": (0, -1, 0),
    "to the back": (0, 1, 0),
}


def looks_like(mesh: Mesh, picked: Picked) -> list[tuple[str, JsonObject]]:
    """Return rules that pick just these elements, each with words for it: what a pick by hand could as well be.

    Tried are all elements, angles, the rim, the six ways to face and the groups of earlier steps,
    simplest first.
    """
    if not picked.mask.any():
        return []
    rules: list[tuple[str, JsonObject]] = [("all there are", {"rule": "everything"}), ("the rim", {"rule": "rim"})]
    if picked.kind == "edges":
        least = math.degrees(float(edge_turns(mesh)[picked.mask].min()))
        rules += [
            (f"sharper than {a:g}°", {"rule": "sharper_than", "angle": a})
            for a in sorted(_ANGLES, key=lambda a: (a != SHARP, -a))
            if a < least
        ]
    rules += [
        (f"facing {words}", {"rule": "facing", "direction": list(direction), "within": 15})
        for words, direction in _DIRECTIONS.items()
    ]
    groups = dict.fromkeys((s, g) for s, g, _ in mesh.lineage.rows)
    rules += [
        (f"of the group {g.replace('_', ' ')} of step {s}", {"rule": "group", "step": s, "name": g}) for s, g in groups
    ]
    first = int(np.flatnonzero(picked.mask)[0])
    if picked.kind == "edges":
        loop = np.zeros(len(picked.mask), dtype=bool)
        loop[loop_through(mesh, first)] = True
        if int(loop.sum()) > 1 and (loop == picked.mask).all():
            rules.append(
                ("the loop through one of them", {"rule": "loop_through", "start": element_of(mesh, "edges", first)})
            )
    if picked.count > 1:
        rules.append(
            ("that are the same as one of them", {"rule": "same_as", "start": element_of(mesh, picked.kind, first)})
        )
    out = []
    picker = Picker(mesh, picked.kind, lambda raw, **_: float(raw), "pick")
    for words, rule in rules:
        if (picker.rule(rule) == picked.mask).all():
            out.append((words, rule))
            if len(out) == 3:
                break
    return out
