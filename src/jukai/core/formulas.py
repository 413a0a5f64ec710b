"""Formulas: numbers with names, units and the usual functions, and nothing else.

Grammar, loosest first::

    sum      = product { ("+" | "-") product }
    product  = sign { ("*" | "/") sign }
    sign     = ("+" | "-") sign | power
    power    = measure [ "**" sign ]
    measure  = atom { unit } | number "ft" number "in"
    atom     = number | name | function "(" sum { "," sum } ")" | "(" sum ")"

A unit stands behind what it measures and binds tightest: ``pi / 2 rad`` divides by 2 rad and is
refused; ``(pi / 2) rad`` is 90°. Lengths become mm, angles degrees; trigonometry takes and gives
degrees.

Numbers are written as in a workshop too: ``1/8 in`` is an eighth of an inch where a term begins,
``5 1/2`` is 5.5, ``3/8"`` and ``2' 6"`` are inches and feet, ``8,5`` is 8.5 outside the brackets of
a function. What can be read in two ways (``1,000``, ``5-1/2 in``) is refused.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from jukai.core.errors import CycleError, FormulaError
from jukai.core.formula_text import Token, tokens_of

__all__ = ["FUNCTIONS", "UNITS", "Formula", "Quantity", "check_name", "evaluate_formula", "parse",
           "rename_in_formula", "resolve_names"]  # fmt: skip

MAX_LENGTH = 400
MAX_DEPTH = 40
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
CONSTANTS = {"pi": math.pi}
RESERVED = {"copy", "copies"}


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
class _Function:
    """Name, number of arguments, what it computes, and how units pass through it."""

    least: int
    most: int
    compute: Callable[..., float]
    units: str = "none"  # none: plain in, plain out; same: as the first; to_angle, from_angle


FUNCTIONS: dict[str, _Function] = {
    "sin": _Function(1, 1, _sin, "from_angle"),
    "cos": _Function(1, 1, _cos, "from_angle"),
    "tan": _Function(1, 1, _tan, "from_angle"),
    "asin": _Function(1, 1, lambda x: math.degrees(math.asin(x)), "to_angle"),
    "acos": _Function(1, 1, lambda x: math.degrees(math.acos(x)), "to_angle"),
    "atan": _Function(1, 1, lambda x: math.degrees(math.atan(x)), "to_angle"),
    "atan2": _Function(2, 2, lambda y, x: math.degrees(math.atan2(y, x)), "to_angle"),
    "sqrt": _Function(1, 1, math.sqrt),
    "abs": _Function(1, 1, abs, "same"),
    "min": _Function(1, 16, min, "same"),
    "max": _Function(1, 16, max, "same"),
    "hypot": _Function(1, 16, math.hypot, "same"),
    "floor": _Function(1, 1, math.floor, "same"),
    "ceil": _Function(1, 1, math.ceil, "same"),
    "round": _Function(1, 1, lambda x: math.floor(x + 0.5), "same"),
    "mod": _Function(2, 2, lambda a, b: a - b * math.floor(a / b), "same"),
    "exp": _Function(1, 1, math.exp),
    "ln": _Function(1, 1, math.log),
    "log10": _Function(1, 1, math.log10),
}


@dataclass(frozen=True, slots=True)
class Quantity:
    """A number and what it measures: ``length``, ``angle`` or None for a plain number."""

    value: float
    measures: str | None = None


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula that has been read: its text, the names it uses and how to work it out."""

    text: str
    names: frozenset[str]
    compute: Callable[[Mapping[str, Quantity]], Quantity]


_Node = Callable[[Mapping[str, Quantity]], Quantity]


class _Reader:
    """Reads one formula by recursive descent."""

    def __init__(self, text: str) -> None:
        self.tokens = tokens_of(text)
        self.at = 0
        self.depth = 0
        self.listing = False  # between the commas of a function
        self.names: set[str] = set()

    @property
    def token(self) -> Token:
        return self.tokens[self.at]

    def take(self, *texts: str) -> Token | None:
        if self.token.kind == "sign" and self.token.text in texts:
            self.at += 1
            return self.tokens[self.at - 1]
        return None

    def fail(self, what: str, token: Token | None = None, hint: str | None = None) -> FormulaError:
        token = token or self.token
        where = "at the end" if token.kind == "end" else f"at character {token.position + 1}"
        return FormulaError(f"{what} {where}.", position=token.position, hint=hint)

    def whole(self) -> _Node:
        node = self.sum()
        if self.token.kind != "end":
            shown = self.token.text
            hint = "Write * to multiply." if self.token.kind in ("name", "number") or shown == "(" else None
            raise self.fail(f"'{shown}' is not expected", hint=hint)
        return node

    def sum(self) -> _Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise self.fail(f"The formula is nested more than {MAX_DEPTH} deep")
        node = self.product()
        while sign := self.take("+", "-"):
            node = _plus_minus(node, self.product(), sign)
        self.depth -= 1
        return node

    def product(self) -> _Node:
        node = self.sign()
        while sign := self.take("*", "/"):
            node = _times_over(node, self.sign(), sign)
        return node

    def sign(self) -> _Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise self.fail(f"The formula is nested more than {MAX_DEPTH} deep")
        if sign := self.take("+", "-"):
            inner = self.sign()
            factor = -1.0 if sign.text == "-" else 1.0
            node: _Node = lambda names: _scaled(inner(names), factor)  # noqa: E731
        else:
            node = self.power()
        self.depth -= 1
        return node

    def power(self) -> _Node:
        base = self.measure()
        if sign := self.take("**"):
            return _power(base, self.sign(), sign)
        return base

    def measure(self) -> _Node:
        node = self.atom()
        unit = ""
        while self.token.kind == "name" and self.token.text in UNITS:
            node = _with_unit(node, self.token)
            unit = self.token.text
            self.at += 1
        if unit == "ft" and self.token.kind == "number":
            begin = self.token
            inches = self.measure()
            if self.tokens[self.at - 1].text != "in":
                raise self.fail(f"'{begin.text}' is not expected", begin, "Feet are followed by inches: 2 ft 6 in.")
            return _plus_minus(node, inches, begin)
        return node

    def atom(self) -> _Node:
        token = self.token
        self.at += 1
        if token.kind == "number":
            value = self.number(token)
            if not abs(value) <= MAX_MAGNITUDE:
                raise self.fail(f"'{token.text}' is too large", token)
            return lambda _: Quantity(value)
        if token.kind == "name":
            return self.name(token)
        if token.text == "(":
            listing, self.listing = self.listing, False
            node = self.sum()
            if not self.take(")"):
                raise self.fail("A closing bracket is missing")
            self.listing = listing
            return node
        self.at -= 1
        raise self.fail(
            "A number or a name is missing" if token.kind == "end" or token.text != ")" else "')' is not expected"
        )

    def number(self, token: Token) -> float:
        """Read a number that has begun: with a decimal comma, as a fraction of whole numbers, or as both of a mixed one."""
        after = self.tokens[self.at : self.at + 5]
        if not token.whole or len(after) < 2:
            return float(token.text)
        if after[0].text == "," and not self.listing:
            return self.with_comma(token, after)
        if _is_fraction(after) and int(after[0].text) < int(after[2].text):
            self.at += 3
            return int(token.text) + int(after[0].text) / int(after[2].text)
        if _is_fraction([token, *after]) and _is_unit(after[2:]) and self.begins_term():
            self.at += 2
            return int(token.text) / int(after[1].text)
        if after[0].text == "-" and after[0].position == token.end and _is_fraction(after[1:]) and _is_unit(after[4:]) \
                and after[1].position == after[0].end:  # fmt: skip
            mixed, fraction = f"{token.text} {after[1].text}/{after[3].text}", f"{after[1].text}/{after[3].text}"
            raise self.fail("This can be read in two ways,", token,
                            f"Write {mixed} {after[4].text}, or {token.text} - ({fraction}) {after[4].text}.")  # fmt: skip
        return float(token.text)

    def with_comma(self, token: Token, after: list[Token]) -> float:
        comma, rest = after[0], after[1]
        if (
            comma.position != token.end
            or rest.kind != "number"
            or rest.position != comma.end
            or not rest.text[0].isdigit()
            or "." in rest.text
        ):
            return float(token.text)
        if len(rest.text) == 3 and rest.whole and len(token.text) <= 3 and token.text != "0":
            raise self.fail("This can be read in two ways,", token,
                            f"Write {token.text}{rest.text}, or {token.text}.{rest.text}.")  # fmt: skip
        self.at += 2
        return float(f"{token.text}.{rest.text}")

    def begins_term(self) -> bool:
        """Return whether the token just taken is the first of its term, so that a fraction there is one number."""
        before = self.tokens[self.at - 2] if self.at >= 2 else None
        return before is None or (before.kind == "sign" and before.text in "(,+-")

    def name(self, token: Token) -> _Node:
        name = token.text
        if name in FUNCTIONS:
            return self.call(token)
        if name in UNITS:
            raise self.fail(f"The unit '{name}' has no number before it", token, f"For example 1 {name}.")
        if name in CONSTANTS:
            value = CONSTANTS[name]
            return lambda _: Quantity(value)
        self.names.add(name)

        def look_up(names: Mapping[str, Quantity]) -> Quantity:
            try:
                return names[name]
            except KeyError:
                known = ", ".join(sorted(names)[:12]) or "none yet"
                raise self.fail(f"'{name}' is no named number", token, f"There is: {known}.") from None

        return look_up

    def call(self, token: Token) -> _Node:
        function = FUNCTIONS[token.text]
        if not self.take("("):
            raise self.fail(f"'{token.text}' needs a bracket behind it")
        listing, self.listing = self.listing, True
        arguments = [self.sum()]
        while self.take(","):
            arguments.append(self.sum())
        if not self.take(")"):
            raise self.fail("A closing bracket is missing")
        self.listing = listing
        if not function.least <= len(arguments) <= function.most:
            wants = f"{function.least}" if function.least == function.most else f"{function.least} to {function.most}"
            raise self.fail(f"'{token.text}' takes {wants} numbers, not {len(arguments)},", token)
        return _called(token, function, arguments)


def _is_fraction(tokens: list[Token]) -> bool:
    """Return whether a fraction of whole numbers begins there: ``1/8``."""
    return (
        len(tokens) >= 3 and tokens[0].whole and tokens[1].text == "/" and tokens[2].whole and int(tokens[2].text) > 0
    )


def _is_unit(tokens: list[Token]) -> bool:
    return bool(tokens) and tokens[0].kind == "name" and tokens[0].text in UNITS


def _checked(value: float, token: Token) -> float:
    if not abs(value) <= MAX_MAGNITUDE:
        raise FormulaError(f"The result is too large at character {token.position + 1}.", position=token.position)
    return value + 0.0


def _scaled(q: Quantity, factor: float) -> Quantity:
    return Quantity(q.value * factor, q.measures)


def _mixed(a: Quantity, b: Quantity, token: Token) -> str | None:
    if a.measures and b.measures and a.measures != b.measures:
        raise FormulaError(
            f"A {a.measures} and a {b.measures} can't be put together with '{token.text}', at character {token.position + 1}.",
            position=token.position,
        )
    return a.measures or b.measures


def _plus_minus(left: _Node, right: _Node, token: Token) -> _Node:
    factor = -1.0 if token.text == "-" else 1.0

    def node(names: Mapping[str, Quantity]) -> Quantity:
        a, b = left(names), right(names)
        return Quantity(_checked(a.value + factor * b.value, token), _mixed(a, b, token))

    return node


def _times_over(left: _Node, right: _Node, token: Token) -> _Node:
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


def _power(base: _Node, exponent: _Node, token: Token) -> _Node:
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


def _with_unit(inner: _Node, token: Token) -> _Node:
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


def _called(token: Token, function: _Function, arguments: list[_Node]) -> _Node:
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


def parse(text: str) -> Formula:
    """Read a formula.

    Raises
    ------
    FormulaError
        With the position of the character, counted from 0.
    """
    if len(text) > MAX_LENGTH:
        raise FormulaError(f"The formula has {len(text)} characters; {MAX_LENGTH} are the most.", position=MAX_LENGTH)
    if not text.strip():
        raise FormulaError("The formula is empty.", position=0)
    reader = _Reader(text)
    node = reader.whole()
    return Formula(text, frozenset(reader.names), node)


def evaluate_formula(text: str, names: Mapping[str, Quantity] | None = None, *, measures: str | None = None) -> float:
    """Work out a formula; ``measures`` says what it is for, ``length`` (mm) or ``angle`` (degrees)."""
    q = parse(text).compute(names or {})
    if measures and q.measures and q.measures != measures:
        raise FormulaError(
            f"This is a{'n' if q.measures == 'angle' else ''} {q.measures}, where a{'n' if measures == 'angle' else ''} {measures} is wanted."
        )
    if measures == "" and q.measures:
        raise FormulaError(
            f"This is a{'n' if q.measures == 'angle' else ''} {q.measures}, where a plain number is wanted."
        )
    return q.value


def check_name(name: str) -> None:
    """Refuse what can't be the name of a number."""
    if not re.fullmatch(r"[A-Za-z_]\w{0,39}", name, flags=re.ASCII):
        raise FormulaError(
            f"'{name}' can't be a name.", hint="Use letters, digits and _, not beginning with a digit; 40 at most."
        )
    for kind, words in (
        ("a unit", UNITS),
        ("a function", FUNCTIONS),
        ("a constant", CONSTANTS),
        ("kept for repeats", RESERVED),
    ):
        if name in words:
            raise FormulaError(f"'{name}' is {kind} and can't be the name of a number.")


def rename_in_formula(text: str, old: str, new: str) -> str:
    """Return the formula with one name replaced, a per cent sign behind it kept; text that can't be read comes back as it is."""
    if text.rstrip().endswith("%"):
        inner = text.rstrip()[:-1]
        return rename_in_formula(inner, old, new) + text[len(inner) :]
    try:
        tokens = tokens_of(text)
    except FormulaError:
        return text
    for token in reversed(tokens):
        if token.kind == "name" and token.text == old:
            text = text[: token.position] + new + text[token.position + len(old) :]
    return text


def resolve_names(definitions: Mapping[str, str]) -> tuple[dict[str, Quantity], dict[str, FormulaError | CycleError]]:
    """Work out named numbers that may stand in any order and use each other.

    Returns
    -------
    The values of those that could be worked out, and the errors of the others. A ring of names is
    an error of each of its members that names them all.
    """
    values: dict[str, Quantity] = {}
    errors: dict[str, FormulaError | CycleError] = {}
    formulas: dict[str, Formula] = {}
    for name, text in definitions.items():
        try:
            formulas[name] = parse(text)
        except FormulaError as e:
            errors[name] = e
    for name in _by_need(formulas, errors):
        missing = sorted(n for n in formulas[name].names if n in errors)
        if missing:
            errors[name] = FormulaError(f"'{name}' uses '{missing[0]}', which has no value.")
            continue
        try:
            values[name] = formulas[name].compute(values)
        except FormulaError as e:
            errors[name] = e
    return values, errors


def _by_need(formulas: Mapping[str, Formula], errors: dict[str, FormulaError | CycleError]) -> list[str]:
    """Return the names so that each stands after those it uses; cycles go to ``errors``."""
    order: list[str] = []
    state: dict[str, int] = {}
    for root in formulas:
        path: list[str] = []
        stack: list[tuple[str, bool]] = [(root, False)]
        while stack:
            name, leaving = stack.pop()
            if leaving:
                path.pop()
                state[name] = 2
                if name not in errors:
                    order.append(name)
                continue
            if state.get(name) == 2:
                continue
            if state.get(name) == 1:
                ring = path[path.index(name) :]
                told = " → ".join([*ring, name])
                for member in ring:
                    errors[member] = CycleError(f"These numbers are made of each other: {told}.", field=member)
                continue
            state[name] = 1
            path.append(name)
            stack.append((name, True))
            stack.extend((n, False) for n in sorted(formulas[name].names, reverse=True) if n in formulas)
    return order
