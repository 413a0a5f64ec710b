"""What formulas are made of: the tokens of their text, quantities with units, functions, and how each sign works its result out."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from jukai.core.errors import FormulaError

__all__ = [
    "FUNCTIONS",
    "MAX_MAGNITUDE",
    "UNITS",
    "Function",
    "Node",
    "Quantity",
    "Token",
    "called",
    "plus_minus",
    "power",
    "scaled",
    "times_over",
    "tokens_of",
    "with_unit",
]

_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)|(?P<name>[A-Za-z_]\w*|[\"'″′”’])|(?P<sign>\*\*|[-+*/(),]))"
)
_MARKS = {'"': "in", "″": "in", "”": "in", "'": "ft", "′": "ft", "’": "ft"}
"""Marks of feet and inches."""
_LOOKALIKE = {"×": "*", "·": "*", "÷": "/", "−": "-", "–": "-", "^": "**", "°": "deg"}
MAX_EXPONENT = 64
MAX_MAGNITUDE = 1e12

UNITS: dict[str, tuple[str, float]] = {
    "mm": ("length", 1.0),
    "cm": ("length", 10.0),
    "m": ("length", 1000.0),
    "in": ("length", 25.4),
    "ft": ("length", 304.8),
    "deg": ("angle", 1.0),
    "rad": ("angle", 180.0 / math.pi),
}


@dataclass(frozen=True, slots=True)
class Token:
    """A number, a name, a sign or the end, and where it stands; marks of feet and inches are their names."""

    kind: str
    text: str
    position: int
    end: int

    @property
    def whole(self) -> bool:
        """Whether it is a number of figures alone."""
        return self.kind == "number" and self.text.isdigit()


def tokens_of(text: str) -> list[Token]:
    """Cut a text up; the last token is its end.

    Raises
    ------
    FormulaError
        At a character that can't stand in a formula.
    """
    out: list[Token] = []
    at = 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            rest = text[at:]
            if not rest.strip():
                break
            at += len(rest) - len(rest.lstrip())
            bad = text[at]
            hint = f"Write {_LOOKALIKE[bad]}." if bad in _LOOKALIKE else None
            if bad in "<>=!&|?":
                hint = "Formulas don't compare; min and max can limit a number."
            raise FormulaError(f"'{bad}' can't stand in a formula, at character {at + 1}.", position=at, hint=hint)
        kind = str(match.lastgroup)
        word = match.group(kind)
        out.append(Token(kind, _MARKS.get(word, word), match.start(kind), match.end(kind)))
        at = match.end()
    out.append(Token("end", "", len(text), len(text)))
    return out


def _exact_turns(f: Callable[[float], float], quarters: Mapping[int, float]) -> Callable[[float], float]:
    def of_degrees(d: float) -> float:
        r = math.fmod(d, 360.0)
        if r % 30 == 0 and int(r // 30) % 12 in quarters:
            return quarters[int(r // 30) % 12]
        return f(math.radians(r))

    return of_degrees


_sin = _exact_turns(math.sin, {0: 0.0, 1: 0.5, 3: 1.0, 5: 0.5, 6: 0.0, 7: -0.5, 9: -1.0, 11: -0.5})
_cos = _exact_turns(math.cos, {0: 1.0, 2: 0.5, 3: 0.0, 4: -0.5, 6: -1.0, 8: -0.5, 9: 0.0, 10: 0.5})


def _tan(d: float) -> float:
    if math.fmod(d, 180.0) in (90.0, -90.0):
        raise ValueError
    return math.tan(math.radians(d)) if math.fmod(d, 45.0) else float(round(_sin(d) / _cos(d)))


@dataclass(frozen=True, slots=True)
class Function:
    """Name, number of arguments, what it computes, and how units pass through it."""

    least: int
    most: int
    compute: Callable[..., float]
    units: str = "none"  # none: plain in, plain out; same: as the first; to_angle, from_angle


FUNCTIONS: dict[str, Function] = {
    "sin": Function(1, 1, _sin, "from_angle"),
    "cos": Function(1, 1, _cos, "from_angle"),
    "tan": Function(1, 1, _tan, "from_angle"),
    "asin": Function(1, 1, lambda x: math.degrees(math.asin(x)), "to_angle"),
    "acos": Function(1, 1, lambda x: math.degrees(math.acos(x)), "to_angle"),
    "atan": Function(1, 1, lambda x: math.degrees(math.atan(x)), "to_angle"),
    "atan2": Function(2, 2, lambda y, x: math.degrees(math.atan2(y, x)), "to_angle"),
    "sqrt": Function(1, 1, math.sqrt),
    "abs": Function(1, 1, abs, "same"),
    "min": Function(1, 16, min, "same"),
    "max": Function(1, 16, max, "same"),
    "hypot": Function(1, 16, math.hypot, "same"),
    "floor": Function(1, 1, math.floor, "same"),
    "ceil": Function(1, 1, math.ceil, "same"),
    "round": Function(1, 1, lambda x: math.floor(x + 0.5), "same"),
    "mod": Function(2, 2, lambda a, b: a - b * math.floor(a / b), "same"),
    "exp": Function(1, 1, math.exp),
    "ln": Function(1, 1, math.log),
    "log10": Function(1, 1, math.log10),
}


@dataclass(frozen=True, slots=True)
class Quantity:
    """A number and what it measures: ``length``, ``angle`` or None for a plain number."""

    value: float
    measures: str | None = None


Node = Callable[[Mapping[str, Quantity]], Quantity]
"""Works a part of a formula out from the named quantities."""


def _checked(value: float, token: Token) -> float:
    if not abs(value) <= MAX_MAGNITUDE:
        raise FormulaError(f"The result is too large at character {token.position + 1}.", position=token.position)
    return value + 0.0


def scaled(q: Quantity, factor: float) -> Quantity:
    """Return a quantity times a plain number."""
    return Quantity(q.value * factor, q.measures)


def _mixed(a: Quantity, b: Quantity, token: Token) -> str | None:
    if a.measures and b.measures and a.measures != b.measures:
        raise FormulaError(
            f"A {a.measures} and a {b.measures} can't be put together with '{token.text}', at character {token.position + 1}.",
            position=token.position,
        )
    return a.measures or b.measures


def plus_minus(left: Node, right: Node, token: Token) -> Node:
    """Return what adds or takes away."""
    factor = -1.0 if token.text == "-" else 1.0

    def node(names: Mapping[str, Quantity]) -> Quantity:
        a, b = left(names), right(names)
        return Quantity(_checked(a.value + factor * b.value, token), _mixed(a, b, token))

    return node


def times_over(left: Node, right: Node, token: Token) -> Node:
    """Return what multiplies or divides."""

    def times(names: Mapping[str, Quantity]) -> Quantity:
        a, b = left(names), right(names)
        measures = None if a.measures and b.measures else a.measures or b.measures
        return Quantity(_checked(a.value * b.value, token), measures)

    def over(names: Mapping[str, Quantity]) -> Quantity:
        a, b = left(names), right(names)
        if b.value == 0:
            raise FormulaError(f"Division by 0 at character {token.position + 1}.", position=token.position)
        if b.measures and not a.measures:
            raise FormulaError(
                f"A plain number is divided by a {b.measures} at character {token.position + 1}.",
                position=token.position, hint="A unit binds to what stands just before it: bracket the rest, as in (pi / 2) rad or (1/2) in.",
            )  # fmt: skip
        return Quantity(_checked(a.value / b.value, token), None if a.measures == b.measures else a.measures)

    return times if token.text == "*" else over


def power(base: Node, exponent: Node, token: Token) -> Node:
    """Return what raises to a power."""

    def node(names: Mapping[str, Quantity]) -> Quantity:
        a, b = base(names), exponent(names)
        if abs(b.value) > MAX_EXPONENT:
            raise FormulaError(
                f"The exponent {b.value:g} is over {MAX_EXPONENT}, at character {token.position + 1}.",
                position=token.position,
            )
        try:
            value = a.value**b.value
        except (OverflowError, ZeroDivisionError):
            value = math.inf
        if isinstance(value, complex):
            raise FormulaError(
                f"A root of a negative number at character {token.position + 1}.", position=token.position
            )
        return Quantity(_checked(value, token), a.measures if b.value == 1 else None)

    return node


def with_unit(inner: Node, token: Token) -> Node:
    """Return what gives a plain number the unit that stands behind it."""
    measures, factor = UNITS[token.text]

    def node(names: Mapping[str, Quantity]) -> Quantity:
        q = inner(names)
        if q.measures == measures and factor == 1.0:
            return q  # a named length written with its unit once more
        if q.measures:
            raise FormulaError(f"'{token.text}' stands behind a number that has a unit, at character {token.position + 1}.",
                               position=token.position)  # fmt: skip
        return Quantity(_checked(q.value * factor, token), measures)

    return node


def called(token: Token, function: Function, arguments: list[Node]) -> Node:
    """Return what asks a function."""

    def node(names: Mapping[str, Quantity]) -> Quantity:
        values = [a(names) for a in arguments]
        if function.units == "from_angle" and values[0].measures == "length":
            raise FormulaError(
                f"'{token.text}' takes an angle, not a length, at character {token.position + 1}.",
                position=token.position,
            )
        try:
            result = float(function.compute(*(q.value for q in values)))
        except (ValueError, OverflowError, ZeroDivisionError):
            shown = ", ".join(f"{q.value:g}" for q in values)
            raise FormulaError(f"'{token.text}' has no value for {shown}, at character {token.position + 1}.",
                               position=token.position) from None  # fmt: skip
        measures = {"to_angle": "angle", "same": values[0].measures}.get(function.units)
        return Quantity(_checked(result, token), measures)

    return node
