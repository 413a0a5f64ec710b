"""The name for what JSON holds: benches as they are written, edits, answers, reports."""

from __future__ import annotations

from typing import Any

__all__ = ["JsonObject"]

JsonObject = dict[str, Any]
"""A JSON object as Python reads and writes it. What its values are is checked where it comes in, by a model or schema."""
