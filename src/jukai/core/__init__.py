"""The geometry core: no web, no database, no threads, no clock, no files but in ``formats``."""

from jukai.core.errors import CoreError
from jukai.core.geometry.mesh import Lineage, Mesh
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import Evaluation, evaluate

__all__ = ["Bench", "CoreError", "Evaluation", "Lineage", "Mesh", "evaluate"]
