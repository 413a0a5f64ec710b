"""What every kind of value can do: describe itself, be read, be walked through, be edited below its own address."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Protocol, TypeAlias, TypedDict, TypeVar, Unpack

from pydantic import Field
from pydantic.fields import FieldInfo

from jukai.core.errors import FormulaError, ValueProblem
from jukai.core.formulas import parse
from jukai.core.json_data import JsonObject
from jukai.core.operators.kinds.relevance import Condition, conditions

if TYPE_CHECKING:
    from jukai.core.geometry.mesh import Mesh
    from jukai.core.notes import Note
    from jukai.core.operators.inputs import Body, CurveInput, FileInput

__all__ = [
    "NUMBER",
    "AnyKind",
    "Change",
    "Declared",
    "Leaf",
    "Reference",
    "Relevant",
    "Schema",
    "Scope",
    "Value",
    "ValueKind",
    "declare",
    "kind_of",
    "limit",
]

Schema = JsonObject
"""A JSON Schema, or other plain data for the page."""
NUMBER: Schema = {"type": ["number", "string"], "description": "a number or a formula"}
"""JSON Schema of a number as it is written."""


@dataclass(frozen=True, slots=True)
class Leaf:
    """The smallest thing in a written value that means something: a number, or the name of something.

    Attributes
    ----------
    to : ``number`` for a number or formula; else what is named: ``curve``, ``part``, ``step``, ``file``, ``finish``, ``pick``.
    raw : as it is written.
    where : its address below the value, such as ``size/0`` or ``pick/angle``.
    measures : of a number: ``length``, ``angle`` or nothing.
    of : of a step: the part it belongs to, where that is another one.
    speaks_of : of a number: names that its formula may use besides those of the bench.
    """

    to: str
    raw: object
    where: str
    measures: str = ""
    of: str | None = None
    speaks_of: tuple[str, ...] = ()


Change = Callable[[Leaf], object]
"""What a leaf is replaced with."""


@dataclass(frozen=True, slots=True)
class Reference:
    """Something of the bench that a written value speaks of; ``text`` is the formula or name it stands in."""

    to: str
    name: str
    where: str
    text: str
    of: str | None = None


class Scope(Protocol):
    """What a value is worked out with: the bench's numbers and curves, and the body that comes to the step.

    Attributes
    ----------
    mesh : the body that comes to the step; None for a step that begins one.
    written : the step's values as they are written, for kinds that look at one beside them.
    done : the values of the step that are worked out already, by their keys.
    taken : the defaults of those before this one that are left out.
    named : picks of the part by their names.
    """

    @property
    def mesh(self) -> Mesh | None: ...  # noqa: D102 - attributes, told above
    @property
    def written(self) -> Mapping[str, object]: ...  # noqa: D102
    @property
    def done(self) -> Mapping[str, Any]: ...  # noqa: D102
    @property
    def taken(self) -> Mapping[str, Any]: ...  # noqa: D102
    @property
    def named(self) -> Mapping[str, object]: ...  # noqa: D102

    def number(self, raw: object, *, measures: str, where: str) -> float:
        """Return a number, or what a formula gives."""

    def each(self, raw: object, count: int, *, measures: str, where: str) -> tuple[float, ...]:
        """Return a number for each of some copies; a formula may speak of ``copy`` (from 0) and ``copies``."""

    def fitted(self, raw: object, fit: float, *, where: str) -> float:
        """Return a length whose formula may speak of ``fit``, mm."""

    def masked(self, raw: object, mask: float, *, where: str) -> float:
        """Return a number whose formula may speak of ``mask``, 0 to 1."""

    def show(self, where: str, number: float) -> None:
        """Say what the number at an address came to."""

    def say(self, note: Note) -> None:
        """Have the step say something."""

    def curve(self, raw: object, where: str, *, of: str = "profile") -> CurveInput:
        """Return a curve of the bench; where a path is wanted a profile will do, not the other way round."""

    def body(self, raw: object, where: str, *, upto: object, placed: bool | str) -> Body:
        """Return the body of another part, worked out; ``placed`` says whether where it stands counts, ``seen`` that it does from this part."""

    def file(self, raw: object, where: str) -> FileInput:
        """Return a file beside the bench; it is read when it is asked for."""

    def finish(self, raw: object, where: str) -> str:
        """Return the name of a finish that the bench has."""


V = TypeVar("V")


class Relevant(TypedDict, total=False):
    """What any value may be declared with: when it counts, such as ``head == "hexagon"``."""

    relevant: str


class Declared(Relevant, total=False):
    """The limits of its numbers, too."""

    ge: float
    gt: float
    le: float
    lt: float


@dataclass(frozen=True, kw_only=True)
class ValueKind(ABC, Generic[V]):
    """A kind of value, as one operator declares it; ``V`` is what the operator takes.

    Attributes
    ----------
    unit : shown behind the number.
    otherwise : in words, what is taken when it is left out.
    instead_of : the other key of a pair of which one is given.
    follows : the key that what is left out comes from; another choice there takes it back to that.
    chapter : the heading it stands under where an operator has many values.
    relevant : when it counts at all; it is not asked for otherwise.
    """

    name: ClassVar[str]
    whole: ClassVar[bool] = False
    """Its numbers are whole."""
    begins: ClassVar[bool] = False
    """A new step is written with it, where it stands in the first sentence."""
    solvable: ClassVar[bool] = False
    """A number of it can be looked for."""
    measures: ClassVar[str] = ""
    """What its numbers measure: ``length``, ``angle`` or nothing."""
    refers: ClassVar[str] = ""
    """What it names: ``curve``, ``part`` and so on, where the value is a name or a list of them."""
    lowest: ClassVar[float] = -1e9
    """The least number where nothing else is said."""

    unit: str = ""
    otherwise: str = ""
    instead_of: str = ""
    follows: str = ""
    chapter: str = ""
    relevant: tuple[Condition, ...] = ()

    @abstractmethod
    def schema(self) -> Schema:
        """Return the JSON Schema of the written form."""

    @abstractmethod
    def resolve(self, raw: object, scope: Scope, where: str) -> V:
        """Return what the operator takes.

        Raises
        ------
        ValueProblem
            When it can't be read; ``field`` is ``where``.
        """

    def mapped(self, raw: object, change: Change, where: str = "") -> object:
        """Return the written form with each of its leaves replaced; one that can't be read comes back as it is."""
        return raw

    def key(self, value: V) -> object:
        """Return what of a resolved value the result depends on, as plain data."""
        return repr(value)

    def default(self, raw: object, scope: Scope, where: str) -> object:
        """Return what the operator takes where nothing is written; ``raw`` is the default as declared."""
        return raw

    def written(self, default: V) -> object:
        """Return a default as it would stand in a file."""
        return list(default) if isinstance(default, tuple) else default

    def words(self, number: float) -> str:
        """Return a number of this kind as errors say it."""
        return f"{number:g}"

    def rule_at(
        self, raw: object, path: Sequence[str], written: Mapping[str, object]
    ) -> tuple[object, tuple[str, ...]] | None:
        """Return the pick at an address below the value and what it may be of; None where there is none.

        ``written`` are the step's values.
        """
        return None

    def describe(self) -> Schema:
        """Return what is particular to the kind, as plain data for the page."""
        return {}

    # -- what all kinds share -----------------------------------------------------------------
    def leaves(self, raw: object, where: str = "") -> list[Leaf]:
        """Return the leaves of a written value, in order."""
        out: list[Leaf] = []

        def note(leaf: Leaf) -> object:
            out.append(leaf)
            return leaf.raw

        self.mapped(raw, note, where)
        return out

    def formulas(self, raw: object, where: str = "") -> Iterator[tuple[str, str]]:
        """Yield addresses and texts of the formulas in a written value."""
        for leaf in self.leaves(raw, where):
            if leaf.to == "number" and isinstance(leaf.raw, str):
                yield leaf.where, leaf.raw

    def references(self, raw: object, where: str = "") -> Iterator[Reference]:
        """Yield all that a written value speaks of."""
        for leaf in self.leaves(raw, where):
            if leaf.to != "number":
                if isinstance(leaf.raw, str):
                    yield Reference(leaf.to, leaf.raw, leaf.where, leaf.raw, leaf.of)
                continue
            if isinstance(leaf.raw, str):
                for name in sorted(names_in(leaf.raw) - set(leaf.speaks_of)):
                    yield Reference("number", name, leaf.where, leaf.raw)

    def read(self, raw: object, path: Sequence[str], where: str) -> object:
        """Return what stands at an address below the value.

        Raises
        ------
        ValueProblem
            When nothing can stand there.
        """
        for name in path:
            raw = self._at(raw, self.place(raw, name, where))
        return raw

    @staticmethod
    def _at(raw: object, place: int | str) -> object:
        if isinstance(raw, dict):
            return raw[place]
        return raw[int(place)] if isinstance(raw, list | tuple) else None

    def number_at(self, raw: object, path: Sequence[str], where: str) -> object:
        """Return the number or formula at an address below the value, as the resolver works it out."""
        return self.read(raw, path, where)

    def edited(self, raw: object, path: Sequence[str], value: object, where: str) -> object:
        """Return the written form with one thing below it changed."""
        if not path:
            return value
        at = self.place(raw, path[0], where)
        inner = self.edited(self._at(raw, at), path[1:], value, where)
        if isinstance(raw, dict):
            return raw | {at: inner}
        rows = raw if isinstance(raw, list | tuple) else []
        return [inner if i == at else x for i, x in enumerate(rows)]

    def place(self, raw: object, name: str, where: str) -> int | str:
        """Return the index or key that a word of an address means; things with an id are found by it."""
        if isinstance(raw, dict) and name in raw:
            return name
        if isinstance(raw, list | tuple):
            for i, row in enumerate(raw):
                if isinstance(row, dict) and row.get("id") == name:
                    return i
            if name.isdigit() and int(name) < len(raw):
                return int(name)
        raise ValueProblem(f"There is nothing at '{name[:40]}' in {where.replace('_', ' ')}.", field=where)


AnyKind = ValueKind[Any]
"""A kind of which nobody needs to know here what it gives."""
Value: TypeAlias = Any
"""What a kind's function stands for in a class of values: the type checker goes by the annotation beside it."""


@dataclass(frozen=True, slots=True)
class _InSchema:
    """Carries the kind on a pydantic field and writes it into the JSON Schema."""

    kind: AnyKind

    def __call__(self, schema: Schema) -> None:
        schema["x-kind"] = self.kind.name
        if self.kind.unit:
            schema["x-unit"] = self.kind.unit


def declare(kind: AnyKind, default: object, description: str, **more: Unpack[Declared]) -> Value:
    """Return the pydantic field of a value of this kind; ``relevant`` says when it counts: ``head == "hexagon"``."""
    relevant = more.get("relevant")
    whole = replace(kind, relevant=conditions(relevant)) if relevant else kind
    return Field(default, description=description, json_schema_extra=_InSchema(whole),
                 ge=more.get("ge"), gt=more.get("gt"), le=more.get("le"), lt=more.get("lt"))  # fmt: skip


def kind_of(info: FieldInfo) -> AnyKind:
    """Return the kind of a declared value."""
    if not isinstance(info.json_schema_extra, _InSchema):
        raise TypeError("every value of an operator is declared with the function of its kind")
    return info.json_schema_extra.kind


def limit(info: FieldInfo, *names: str) -> float | None:
    """Return a limit of a declared value: that of the first of the names which it has."""
    for m in info.metadata:
        for name in names:
            if hasattr(m, name):
                return float(getattr(m, name))
    return None


def names_in(text: str) -> frozenset[str]:
    """Return the named numbers that a formula uses; none where it can't be read."""
    try:
        return parse(text.strip().removesuffix("%")).names
    except FormulaError:
        return frozenset()
