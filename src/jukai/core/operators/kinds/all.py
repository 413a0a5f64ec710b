"""All kinds there are: every file of this folder that has one."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from types import MappingProxyType

from jukai.core.operators.kinds.base import AnyKind, ValueKind

__all__ = ["kinds"]


@cache
def kinds() -> Mapping[str, type[AnyKind]]:
    """Return the kinds by name, in order of name."""
    for module in pkgutil.iter_modules([str(Path(__file__).parent)]):
        importlib.import_module(f"jukai.core.operators.kinds.{module.name}")
    found: dict[str, type[AnyKind]] = {}
    waiting = list(ValueKind.__subclasses__())
    while waiting:
        kind = waiting.pop()
        waiting += kind.__subclasses__()
        if "name" in vars(kind):
            found[kind.name] = kind
    return MappingProxyType(dict(sorted(found.items())))
