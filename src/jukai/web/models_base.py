"""What goes over the wire: what all of it is made of."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

Vector = list[float]


class In(BaseModel):
    """Base of what comes in."""

    model_config = ConfigDict(extra="forbid")


class ErrorView(BaseModel):
    """What is wrong with a step, number or curve."""

    code: str
    message: str
    field: str | None
    hint: str | None
    places: list[Vector]
    position: int | None = None


class SolveView(BaseModel):
    """A number that would mend what a note says, and words for it."""

    key: str
    value: float
    words: str


class StepBeforeView(BaseModel):
    """A step that would mend what a note says if it stood before, and words for it."""

    operator: str
    values: dict[str, Any]
    words: str


class NoteView(BaseModel):
    """What a step has to say."""

    level: str
    text: str
    places: list[Vector]
    field: str | None
    solve: SolveView | None = None
    lines: list[list[float]] = Field(default_factory=list, description="both ends of edges, to be drawn as a chain")
    before: list[StepBeforeView] = Field(
        default_factory=list, description="steps that would mend it, put before this one"
    )
