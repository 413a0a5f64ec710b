"""Errors a person can read: what is wrong, where, and what would work.

CoreError
├── ValueProblem      a value of a step, curve or named number can't be used
│   └── FormulaError  a formula can't be read; ``position`` is the character
├── MeshProblem       the body can't be worked on as it is
├── TooLarge          the predicted cost is over a limit
│   └── Heavy         it is too much to be done while a number is dragged
├── Estimated          no error: how many faces there would be, when only that was asked
├── CycleError        things refer to each other in a cycle
├── FileProblem       a file can't be read or written
└── Cancelled         stopped on request
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from jukai.core.json_data import JsonObject

__all__ = [
    "Cancelled",
    "CoreError",
    "CycleError",
    "Estimated",
    "FileProblem",
    "FormulaError",
    "Heavy",
    "MeshProblem",
    "TooLarge",
    "ValueProblem",
]


class CoreError(Exception):
    """Base of all errors of the core.

    Parameters
    ----------
    message : one sentence that says what is wrong and where.
    field : the value it is about, for example ``"sides"``.
    hint : what would work.
    places : (n, 3) coordinates in mm that show where, if any.
    """

    code: ClassVar[str] = "core"

    def __init__(
        self,
        message: str,
        *,
        field: str | None = None,
        hint: str | None = None,
        places: Sequence[Sequence[float]] = (),
    ) -> None:
        super().__init__(message)
        self.message = message
        self.field = field
        self.hint = hint
        self.places = [[float(x) for x in p] for p in places]

    def sentence(self) -> str:
        """Return message and hint as one line."""
        return f"{self.message} {self.hint}" if self.hint else self.message

    def as_dict(self) -> JsonObject:
        """Return the error as plain data."""
        return {
            "code": self.code,
            "message": self.message,
            "field": self.field,
            "hint": self.hint,
            "places": self.places,
        }


class ValueProblem(CoreError):
    """A value can't be used."""

    code = "value"


class FormulaError(ValueProblem):
    """A formula can't be read or worked out; ``position`` counts characters from 0."""

    code = "formula"

    def __init__(self, message: str, *, position: int = 0, field: str | None = None, hint: str | None = None) -> None:
        super().__init__(message, field=field, hint=hint)
        self.position = position

    def as_dict(self) -> JsonObject:
        """Return the error as plain data."""
        return super().as_dict() | {"position": self.position}


class MeshProblem(CoreError):
    """The body can't be worked on as it is."""

    code = "mesh"


class TooLarge(CoreError):
    """The predicted cost is over a limit; nothing was computed."""

    code = "too_large"


class Heavy(TooLarge):
    """The predicted cost is too much for a preview."""

    code = "heavy"


class Estimated(CoreError):
    """The estimate of a step that was only asked for it."""

    code = "estimated"

    def __init__(self, faces: int) -> None:
        super().__init__(f"{faces} faces.")
        self.faces = faces


class CycleError(CoreError):
    """Things refer to each other in a cycle."""

    code = "cycle"


class FileProblem(CoreError):
    """A file can't be read or written."""

    code = "file"


class Cancelled(CoreError):
    """The work was stopped on request."""

    code = "cancelled"
