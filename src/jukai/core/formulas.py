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
from functools import lru_cache

from jukai.core.errors import CycleError, FormulaError
from jukai.core.formula_parts import (
    FUNCTIONS,
    MAX_MAGNITUDE,
    UNITS,
    Node,
    Quantity,
    Token,
    called,
    plus_minus,
    power,
    scaled,
    times_over,
    tokens_of,
    with_unit,
)

__all__ = ["FUNCTIONS", "UNITS", "Formula", "Quantity", "check_name", "evaluate_formula", "parse",
           "rename_in_formula", "resolve_names"]  # fmt: skip

MAX_LENGTH = 400
MAX_DEPTH = 40

CONSTANTS = {"pi": math.pi}
RESERVED = {"copy", "copies", "fit", "mask"}


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula that has been read: its text, the names it uses and how to work it out."""

    text: str
    names: frozenset[str]
    compute: Callable[[Mapping[str, Quantity]], Quantity]


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

    def whole(self) -> Node:
        node = self.sum()
        if self.token.kind != "end":
            shown = self.token.text
            hint = "Write * to multiply." if self.token.kind in ("name", "number") or shown == "(" else None
            raise self.fail(f"'{shown}' is not expected", hint=hint)
        return node

    def sum(self) -> Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise self.fail(f"The formula is nested more than {MAX_DEPTH} deep")
        node = self.product()
        while sign := self.take("+", "-"):
            node = plus_minus(node, self.product(), sign)
        self.depth -= 1
        return node

    def product(self) -> Node:
        node = self.sign()
        while sign := self.take("*", "/"):
            node = times_over(node, self.sign(), sign)
        return node

    def sign(self) -> Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise self.fail(f"The formula is nested more than {MAX_DEPTH} deep")
        if sign := self.take("+", "-"):
            inner = self.sign()
            factor = -1.0 if sign.text == "-" else 1.0
            node: Node = lambda names: scaled(inner(names), factor)  # noqa: E731
        else:
            node = self.power()
        self.depth -= 1
        return node

    def power(self) -> Node:
        base = self.measure()
        if sign := self.take("**"):
            return power(base, self.sign(), sign)
        return base

    def measure(self) -> Node:
        node = self.atom()
        unit = ""
        while self.token.kind == "name" and self.token.text in UNITS:
            node = with_unit(node, self.token)
            unit = self.token.text
            self.at += 1
        if unit == "ft" and self.token.kind == "number":
            begin = self.token
            inches = self.measure()
            if self.tokens[self.at - 1].text != "in":
                raise self.fail(f"'{begin.text}' is not expected", begin, "Feet are followed by inches: 2 ft 6 in.")
            return plus_minus(node, inches, begin)
        return node

    def atom(self) -> Node:
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

    def name(self, token: Token) -> Node:
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

    def call(self, token: Token) -> Node:
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
        return called(token, function, arguments)


def _is_fraction(tokens: list[Token]) -> bool:
    """Return whether a fraction of whole numbers begins there: ``1/8``."""
    return (
        len(tokens) >= 3 and tokens[0].whole and tokens[1].text == "/" and tokens[2].whole and int(tokens[2].text) > 0
    )


def _is_unit(tokens: list[Token]) -> bool:
    return bool(tokens) and tokens[0].kind == "name" and tokens[0].text in UNITS


@lru_cache(4096)
def parse(text: str) -> Formula:
    """Read a formula; while a number is dragged all others are read again and again.

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
        ("kept for what a step finds", RESERVED),
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
