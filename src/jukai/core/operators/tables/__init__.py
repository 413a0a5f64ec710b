"""Tables of standards: data files that name their source."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from types import MappingProxyType

__all__ = ["table"]


@cache
def table(name: str) -> Mapping[str, tuple[float, ...]]:
    """Return the rows of a table by their names, in order; the file tells source, unit and columns.

    Raises
    ------
    FileNotFoundError
        When there is no such table.
    """
    data = json.loads((files(__package__) / f"{name}.json").read_text("utf-8"))
    return MappingProxyType({row: tuple(numbers) for row, numbers in data["rows"].items()})
