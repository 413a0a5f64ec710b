"""The geometry core: no web, no database, no threads, no clock, no files but in ``formats``.

The names below are loaded when they are first asked for.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jukai.core.errors import CoreError
    from jukai.core.geometry.mesh import Lineage, Mesh
    from jukai.core.recipe.bench import Bench
    from jukai.core.recipe.evaluate import Evaluation, evaluate

__all__ = ["Bench", "CoreError", "Evaluation", "Lineage", "Mesh", "evaluate"]

_WHERE = {
    "Bench": "recipe.bench",
    "CoreError": "errors",
    "Evaluation": "recipe.evaluate",
    "Lineage": "geometry.mesh",
    "Mesh": "geometry.mesh",
    "evaluate": "recipe.evaluate",
}


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_WHERE[name]}"), name)
