"""What a request's JSON may hold: looked at before anything else sees it."""

from __future__ import annotations

import json
import re
from typing import NoReturn

from jukai.core.errors import ValueProblem

__all__ = ["refuse_unreadable"]

MOST_DEEP = 64
_MOST_WHOLE = 2**63 - 1
_CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")
"""Control characters but tab and line ends, halves of surrogate pairs, and what is no character."""


def refuse_unreadable(data: bytes) -> None:
    """Refuse JSON that no part of a bench can hold.

    Raises
    ------
    ValueProblem
        For what is no JSON in UTF-8, is nested too deep, or holds numbers or characters that can't be kept.
    """
    try:
        text = data.decode("utf-8")
        found = json.loads(text, parse_float=_number, parse_constant=_constant)
    except UnicodeDecodeError as e:
        raise ValueProblem(f"The request is not in UTF-8, at byte {e.start + 1}.") from None
    except json.JSONDecodeError as e:
        raise ValueProblem(f"The request is no JSON: {e.msg} at character {e.pos + 1}.") from None
    except RecursionError:
        raise ValueProblem(f"The request is nested over {MOST_DEEP} deep.") from None
    except ValueError:  # Python's own limit for whole numbers
        raise ValueProblem("The request has a number of thousands of figures.") from None
    _walk(found)


def _number(text: str) -> float:
    value = float(text)
    if value in (float("inf"), float("-inf")):
        raise ValueProblem(f"The number {text[:40]} is too large.", hint="1e308 is about the most.")
    return value


def _constant(text: str) -> NoReturn:
    raise ValueProblem(f"{text} is no number that can be used.")


def _walk(found: object) -> None:
    stack = [(found, 1)]
    while stack:
        value, deep = stack.pop()
        if isinstance(value, str):
            _look_at(value)
        elif isinstance(value, int) and abs(value) > _MOST_WHOLE:
            raise ValueProblem(f"The number {str(value)[:20]}… is too large.", hint=f"{_MOST_WHOLE} is the most.")
        elif isinstance(value, dict | list):
            if deep > MOST_DEEP:
                raise ValueProblem(f"The request is nested over {MOST_DEEP} deep.")
            if isinstance(value, dict):
                for key in value:
                    _look_at(key)
            rows = value.values() if isinstance(value, dict) else value
            stack.extend((row, deep + 1) for row in rows)


def _look_at(text: str) -> None:
    bad = _CONTROL.search(text)
    if bad is not None:
        raise ValueProblem(
            f"The character U+{ord(bad.group()):04X} can't be kept, at place {bad.start() + 1} of a text.",
            hint="It is a control character, or half of one.",
        )
