"""Finding a number: the largest or smallest one that still leaves what is asked for."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.operators.fields import field_at
from jukai.core.operators.registry import get_operator
from jukai.core.recipe.bench import Bench, Step
from jukai.core.recipe.edits import Edit, parse_edit
from jukai.core.recipe.resolve import Resolver

__all__ = ["Solved", "Unknown", "solve", "unknown"]

_MOST_TRIES = 120


@dataclass(frozen=True, slots=True)
class Unknown:
    """A number that may be solved for.

    Attributes
    ----------
    start : what it is now.
    least, most : its limits.
    whole : whether it is a count.
    edit : the edit that gives it another value.
    length : whether it is in mm, so that a body moves or grows by no more than it changes.
    """

    start: float
    least: float
    most: float
    whole: bool
    edit: Callable[[float], Edit]
    length: bool = False


@dataclass(frozen=True, slots=True)
class Solved:
    """A number found, what is measured there, and how often was tried; ``limit`` when only its own limit stopped it."""

    value: float
    measured: float
    tries: int
    limit: bool = False


def unknown(bench: Bench, address: str, used: object = None) -> Unknown:
    """Return the number at an address.

    Addresses are ``p1/s1/values/radius``, ``p1/s1/values/size/0``, ``p1/placement/move/2`` and ``dimensions/gap``;
    ``used`` is what was chosen for a value that is left out.

    Raises
    ------
    ValueProblem
        When there is no such number.
    """
    words = address.split("/")
    resolver = Resolver(bench)
    if words[0] == "dimensions" and len(words) == 2:
        name = words[1]
        if name not in resolver.names:
            raise ValueProblem(f"There is no named number '{name}'.", field="address")
        start = resolver.names[name].value
        return Unknown(start, -1e9, 1e9, whole=False, edit=lambda v: _edit(kind="set_dimension", name=name, value=v),
                       length=resolver.names[name].measures == "length")  # fmt: skip
    part = bench.part(words[0])
    if part is not None and len(words) == 4 and words[1] == "placement" and words[2] in ("move", "turn", "scale"):
        if words[3] not in ("0", "1", "2"):
            raise ValueProblem(f"There is no number at '{address[:80]}'.", field="address")
        return _of_placement(bench, part.id, words[2], int(words[3]))
    step = None if part is None or len(words) < 4 else next((s for s in part.recipe if s.id == words[1]), None)
    if part is None or step is None or words[2] != "values":
        raise ValueProblem(f"There is no number at '{address[:80]}'.", field="address")
    return _of_value(resolver, part.id, step, "/".join(words[3:]), used)


def _of_value(resolver: Resolver, part: str, step: Step, address: str, used: object) -> Unknown:
    op = get_operator(step.operator)
    field, path = field_at(op.values, address, op.name)
    key, kind = field.key, field.kind
    if not kind.solvable:
        raise ValueProblem(f"'{key}' is no number that can be solved for.", field="address")
    whole_value = next((v for v in (step.values.get(key), used, field.written_default) if v is not None), None)
    if whole_value is None:
        raise ValueProblem(f"'{key}' has no value to begin with.", field="address", hint="Type one first.")
    listed = list(whole_value) if isinstance(whole_value, tuple) else whole_value
    start = resolver.number(kind.number_at(listed, path, key), measures=kind.measures, where=key)

    def edit(v: float) -> Edit:
        return _edit(kind="set_value", part=part, step=step.id, key=address, value=v, start=listed if path else None)

    least = kind.lowest if field.least is None else field.least
    most = 1e9 if field.most is None else field.most
    if kind.measures == "angle":
        least, most = max(least, start - 360.0), min(most, start + 360.0)
    if kind.whole:
        most = min(most, max(1000.0, 16 * start))  # finer changes no clearance, and costs much
    return Unknown(start, least, most, kind.whole, edit, length=kind.measures == "length")


def _edit(**data: object) -> Edit:
    return parse_edit(data)


def _of_placement(bench: Bench, part_id: str, what: str, index: int) -> Unknown:
    part = bench.part(part_id)
    assert part is not None  # noqa: S101 - it was found before
    placement = part.placement.model_dump(mode="json")
    measures = {"move": "length", "turn": "angle"}.get(what, "")
    start = Resolver(bench).number(placement[what][index], measures=measures, where=what)

    def edit(v: float) -> Edit:
        numbers = [v if i == index else x for i, x in enumerate(placement[what])]
        return _edit(kind="place_parts", placements={part_id: placement | {what: numbers}}, what=what)

    reach = {"turn": 360.0, "scale": 1000.0}.get(what, 1e9)
    least = 1e-3 if what == "scale" else start - reach
    return Unknown(start, least, start + reach, whole=False, edit=edit, length=what == "move")


def solve(
    number: Unknown, measure: Callable[[float], float], requested: float, *, largest: bool, step: float
) -> Solved:
    """Return the largest (or smallest) value at which ``measure`` is not under ``requested``.

    From where the number is, the search goes outward while it is good, or back until it is, in steps that double, and
    then closes in on the border from both sides by false position (the Illinois rule, Dowell & Jarratt 1971), halving where that
    is slow (as Brent 1973 does). So it finds the border
    next to the present value; a length takes no step outward that is longer than what is left, so that it does not leap
    over a body that stands in the way (conservative advancement, Mirtich 1996). The answer is rounded to the safe side.

    Parameters
    ----------
    measure : may raise ``CoreError`` where the number cannot be used; that counts as not good.
    step : the first step.

    Raises
    ------
    ValueProblem
        When no value is good.
    """
    sign = 1.0 if largest else -1.0
    search = _Search(number, measure, requested)
    here = min(max(number.start, number.least), number.most)
    at = search.at(here)
    if at >= 0:
        good, bad = search.outward(here, at, sign * max(step, 1.0 if number.whole else 0.0))
        if bad is None:
            return Solved(good[0], good[1] + requested, search.tries, limit=True)
    else:
        back, _ = search.outward(here, at, -sign * max(step, 1.0 if number.whole else 0.0), good=False)
        if back[1] < 0:
            raise ValueProblem(
                f"No value leaves {requested:g} mm. The most is {search.best[1] + requested:.4g} mm, at {search.best[0]:.4g}.",
                field="requested",
                hint="A smaller gap would work.",
            )
        good, bad = back, search.last_bad
    good = search.close(good, bad, sign)
    return Solved(good[0], good[1] + requested, search.tries)


class _Search:
    def __init__(self, number: Unknown, measure: Callable[[float], float], requested: float) -> None:
        self.number, self.measure, self.requested = number, measure, requested
        self.tries = 0
        self.best = (number.start, -math.inf)
        self.last_bad: tuple[float, float] = (number.start, -math.inf)

    def at(self, value: float) -> float:
        """Return by how much more is left at a value than what is asked for."""
        self.tries += 1
        try:
            more = self.measure(value) - self.requested
        except CoreError as e:
            if e.code == "cancelled":
                raise
            more = -math.inf
        more = 0.0 if abs(more) < 1e-9 else more
        if more > self.best[1]:
            self.best = (value, more)
        return more

    def outward(
        self, here: float, at: float, step: float, *, good: bool = True
    ) -> tuple[tuple[float, float], tuple[float, float] | None]:
        """Walk in steps that double until what is ``good`` changes; return the last of the kind walked on and the other."""
        last, first = (here, at), step
        while self.tries < _MOST_TRIES:
            to = last[0] + step
            if self.number.whole:
                to = round(to)
            to = min(max(to, self.number.least), self.number.most)
            if to == last[0]:
                break
            more = self.at(to)
            if (more >= 0) != good:
                if not good:
                    self.last_bad = last
                    return (to, more), last
                return last, (to, more)
            last = (to, more)
            longest = max(abs(first), more) if good and self.number.length else math.inf
            step = math.copysign(min(abs(step) * 2, longest), first)
        return last, None

    def close(self, good: tuple[float, float], bad: tuple[float, float] | None, sign: float) -> tuple[float, float]:
        """Close in between a good value and a bad one; return a good one next to the border."""
        if bad is None:
            return good
        first = wide = abs(good[0] - bad[0])
        g, b = good[1], bad[1]
        near = max(1e-9 * max(abs(good[0]), first), 1e-12)
        beyond, slow = near / 2, 0
        while self.tries < _MOST_TRIES and abs(good[0] - bad[0]) > near:
            middle, straight = (good[0] + bad[0]) / 2, False
            if good[1] == 0:
                # what is asked for to the last digit: the border is likely close behind it
                middle = good[0] + math.copysign(min(beyond, abs(bad[0] - good[0]) / 2), bad[0] - good[0])
                beyond *= 16
            elif math.isfinite(b) and slow < 2:
                middle, straight = good[0] + (bad[0] - good[0]) * g / (g - b), True
            if self.number.whole:
                middle = math.floor(middle) if good[0] < bad[0] else math.ceil(middle)
            if middle in (good[0], bad[0]):
                if self.number.whole or not straight:
                    break
                slow = 2
                continue
            more = self.at(middle)
            if more >= 0:
                good, g = (middle, more), more
                b = b / 2 if straight else bad[1]
            else:
                bad, b = (middle, more), more
                g = g / 2 if straight else good[1]
            # one end may stay far away for long: steps that don't halve what is between are followed by one that does
            slow = slow + 1 if straight and abs(good[0] - bad[0]) > wide / 2 else 0
            wide = abs(good[0] - bad[0])
        return self._tidy(good, bad, sign)

    def _tidy(self, good: tuple[float, float], bad: tuple[float, float], sign: float) -> tuple[float, float]:
        """Round to as few figures as the border leaves, to the safe side."""
        if self.number.whole:
            return good
        dust = 2 * abs(bad[0] - good[0]) + 1e-9 * abs(good[0])
        for digits in range(2, 10):
            near = float(f"{good[0]:.{digits}g}")
            if abs(near - good[0]) <= dust and self.number.least <= near <= self.number.most:
                more = self.at(near)
                if more >= 0:
                    return near, more
        unit = 10.0 ** (math.floor(math.log10(max(abs(good[0]), 1e-9))) - 6)
        near = math.floor(good[0] / unit) * unit if sign > 0 else math.ceil(good[0] / unit) * unit
        near = float(f"{near:.9g}")
        if self.number.least <= near <= self.number.most:
            more = self.at(near)
            if more >= 0:
                return near, more
        return good
