"""Working a recipe out, step by step, with what was worked out before taken from a cache."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Protocol

import numpy as np

from jukai.core.errors import Cancelled, CoreError, Estimated, Heavy, MeshProblem, TooLarge, ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import Reach, placement_matrix, reaching
from jukai.core.geometry.placing import placed as placed_mesh
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Kind, Operator, Result
from jukai.core.operators.inputs import Body, Files, HeldFiles
from jukai.core.operators.registry import get_operator
from jukai.core.recipe.bench import Bench, Part, Step
from jukai.core.recipe.resolve import Inputs, Resolved, Resolver

__all__ = ["Asked", "Cache", "Evaluation", "StepOutcome", "evaluate", "placement_numbers", "standing"]


class Cache(Protocol):
    """Where results of steps are kept; the keeper decides for how long."""

    def get(self, key: str) -> Result | None:
        """Return what is kept under ``key``."""

    def put(self, key: str, result: Result, operator: str) -> None:
        """Keep a result of an operator."""


@dataclass(frozen=True, slots=True, eq=False)
class StepOutcome:
    """What became of one step.

    Attributes
    ----------
    state : ``done``, ``off``, ``failed``, or ``waiting`` (an earlier step failed, or it lies
        beyond the step asked for).
    mesh : the body after the step, in the part's own space; of a failed step the body before it.
    shown : the numbers written in the step, worked out; ``used`` those chosen for what was left out.
    """

    step: Step
    state: str
    mesh: Mesh | None = None
    result: Result | None = None
    shown: Mapping[str, float] = field(default_factory=dict)
    used: Mapping[str, object] = field(default_factory=dict)
    notes: tuple[Note, ...] = ()
    error: CoreError | None = None
    faces_added: int = 0


@dataclass(frozen=True, slots=True, eq=False)
class Evaluation:
    """A part worked out.

    Attributes
    ----------
    mesh : the body in the part's own space; None when there is none.
    matrix : (4, 4) the part's placement.
    key : the same whenever the recipe and all it uses are.
    reaches : where sides of it were told to reach to.
    misplaced : why it does not stand where it was told to; it then stands as if it had not been told.
    """

    part: Part
    steps: tuple[StepOutcome, ...]
    mesh: Mesh | None
    matrix: Floats
    key: str
    reaches: tuple[Reach, ...] = ()
    misplaced: CoreError | None = None

    @property
    def error(self) -> CoreError | None:
        """The first error of a step, or that of the placement."""
        return next((s.error for s in self.steps if s.error is not None), self.misplaced)

    @property
    def failed(self) -> StepOutcome | None:
        """The step that failed, if any."""
        return next((s for s in self.steps if s.state == "failed"), None)

    @property
    def facts(self) -> Mapping[str, float | str]:
        """What its steps tell of the body, the later ones before the earlier."""
        told = [s.result.facts for s in self.steps if s.state == "done" and s.result is not None]
        return {key: value for facts in told for key, value in facts.items()}

    def placed_mesh(self) -> Mesh:
        """Return the body where it stands on the bench."""
        return placed_mesh(self.mesh if self.mesh is not None else Mesh.empty(), self.matrix, self.reaches)

    @property
    def placed_key(self) -> str:
        """The same whenever the body and where it stands are."""
        where = repr((self.matrix.tolist(), self.reaches))
        return hashlib.blake2b(f"{self.key} {where}".encode(), digest_size=16).hexdigest()


@dataclass(frozen=True, slots=True)
class Asked:
    """What more is asked of an evaluation.

    Attributes
    ----------
    estimate : id of a step that is only to say how many faces it would make, by ``Estimated``.
    preview_limit : faces over which a step raises ``Heavy``.
    """

    estimate: str | None = None
    preview_limit: int = 100_000_000


@dataclass(slots=True)
class _State:
    named: Mapping[str, object]
    mesh: Mesh | None = None
    key: str = ""
    broken: bool = False


class _Needed(Exception):
    """A step needs another part that is not worked out yet."""

    def __init__(self, part: Part, upto: str | None) -> None:
        super().__init__()
        self.part, self.upto = part, upto


class _Held:
    """Keeps results of steps while one part is worked out, where nobody else does: a part is begun anew when what it needs is there."""

    def __init__(self) -> None:
        self.results: dict[str, Result] = {}

    def get(self, key: str) -> Result | None:
        """Return what is kept under ``key``."""
        return self.results.get(key)

    def put(self, key: str, result: Result, operator: str) -> None:  # noqa: ARG002 - as caches are asked
        """Keep a result."""
        self.results[key] = result


@dataclass(frozen=True, slots=True)
class _World:
    """What the steps of a bench are worked out with; ``doing`` are the parts on the way, outermost first."""

    bench: Bench
    resolver: Resolver
    cache: Cache
    files: Files
    on_progress: Callable[[str, float], None] | None
    stop: Callable[[], bool] | None
    asked: Asked
    doing: tuple[Part, ...] = ()


def evaluate(
    bench: Bench,
    part: str,
    *,
    upto: str | None = None,
    cache: Cache | None = None,
    files: Files | Mapping[str, bytes] | None = None,
    on_progress: Callable[[str, float], None] | None = None,
    stop: Callable[[], bool] | None = None,
    resolver: Resolver | None = None,
    asked: Asked | None = None,
) -> Evaluation:
    """Work out a part's recipe.

    Parameters
    ----------
    part : id or name.
    upto : id of the last step to take, included.
    cache : where results of steps are looked for and kept.
    files : the files beside the bench, or their bytes by name.
    on_progress, stop : called with (step id, fraction); asked whether to stop.
    asked : what more is asked: an estimate, a limit while a number is dragged.

    Raises
    ------
    Estimated
        When asked for an estimate, and the step can.
    Heavy
        When a step would make more faces than the preview limit.
    ValueProblem
        When there is no such part or step. Errors of steps are not raised: they stop the part at
        their step and are told in its outcome.
    Cancelled
        When stopped.
    """
    found = bench.part(part)
    if found is None:
        known = ", ".join(p.name for p in bench.parts) or "none"
        raise ValueProblem(f"There is no part '{part}'.", field="part", hint=f"There is: {known}.")
    held = HeldFiles({} if files is None else files) if files is None or isinstance(files, Mapping) else files
    cache = _Held() if cache is None else cache
    world = _World(bench, resolver or Resolver(bench), cache, held, on_progress, stop, asked or Asked())
    return _in_order(world, found, upto)


def _in_order(world: _World, found: Part, upto: str | None) -> Evaluation:
    """Work out a part after those that it needs, however long the chain of them is.

    What is needed is found by trying: a part that asks for one that is not there yet is begun again when it is.
    """
    known: dict[tuple[str, str | None], Evaluation | ValueProblem] = world.resolver.parts
    way: list[tuple[Part, str | None]] = [(found, upto)]
    while True:
        part, until = way[-1]
        here = replace(world, doing=tuple(p for p, _ in way))
        try:
            done: Evaluation | ValueProblem = _evaluate(here, part, until)
        except _Needed as needed:
            way.append((needed.part, needed.upto))
            continue
        except ValueProblem as problem:
            if len(way) == 1:
                raise
            done = problem
        if len(way) == 1:
            assert isinstance(done, Evaluation)  # noqa: S101 - else it was raised
            return done
        known[part.id, until] = done
        way.pop()


def _evaluate(world: _World, found: Part, upto: str | None) -> Evaluation:
    if upto is not None and all(s.id != upto for s in found.recipe):
        known = ", ".join(s.id for s in found.recipe) or "none"
        raise ValueProblem(f"There is no step '{upto}' in '{found.name}'.", field="upto", hint=f"There is: {known}.")
    state = _State(named={row.name: row.pick for row in found.picks})
    outcomes: list[StepOutcome] = []
    past = False
    for step in found.recipe:
        if past or state.broken:
            outcomes.append(StepOutcome(step, "waiting"))
            continue
        if not step.on:
            outcomes.append(StepOutcome(step, "off", state.mesh))
        else:
            outcomes.append(_take(step, state, world))
        past = step.id == upto
    matrix, reaches, misplaced = _placed(found, world.resolver, state.mesh)
    return Evaluation(found, tuple(outcomes), state.mesh, matrix, state.key, reaches, misplaced)


def _placed(part: Part, resolver: Resolver, mesh: Mesh | None) -> tuple[Floats, tuple[Reach, ...], CoreError | None]:
    """Return where a part stands; with numbers that cannot be used it keeps what can, and says so."""
    try:
        return *standing(part, resolver, mesh), None
    except CoreError as e:
        plain = part.placement.model_copy(update={"extents": {}})
        try:
            return *standing(part.model_copy(update={"placement": plain}), resolver, mesh), e
        except CoreError:
            return np.eye(4), (), e


def _take(step: Step, state: _State, world: _World) -> StepOutcome:
    """Take one step: its outcome, with ``state`` moved on."""
    context = Context(step.id, world.bench.floor / 5, world.bench.face_limit,
                      on_progress=world.on_progress, stop=world.stop, preview_limit=world.asked.preview_limit,
                      estimate=step.id == world.asked.estimate and len(world.doing) == 1)  # fmt: skip
    context.checkpoint(0.0)
    before = state.mesh.n_faces if state.mesh is not None else 0
    shown: Mapping[str, float] = {}
    try:
        op = get_operator(step.operator)
        inputs = Inputs(state.mesh, state.named, world.files, partial(_body, world))
        resolved = world.resolver.step(step, op, inputs)
        shown = resolved.shown
        key = _key(step, op, resolved, state.key, context)
        result = world.cache.get(key)
        if result is None or context.estimate:
            result = _run(op, resolved, state.mesh, context)
            world.cache.put(key, result, op.id)
        state.mesh, state.key = result.mesh, key
        used = {k: v for k, v in result.used.items() if step.values.get(k) is None}
        return StepOutcome(step, "done", result.mesh, result, {**shown, **result.shown}, used, (*resolved.notes, *result.notes),
                           faces_added=result.mesh.n_faces - before)  # fmt: skip
    except (Cancelled, Estimated, Heavy):
        raise
    except CoreError as e:
        state.broken = True
        return StepOutcome(step, "failed", state.mesh, shown=shown, error=e)


def _body(world: _World, part_id: str, upto: object, placed: bool | str, where: str) -> Body:  # noqa: FBT001 - a port
    """Return another part of the bench, worked out; with ``placed`` where it stands counts too (``seen``: from this part)."""
    part = world.bench.part(part_id)
    assert part is not None  # noqa: S101 - the resolver has found it
    ring = [p.name for p in world.doing]
    if any(p.id == part.id for p in world.doing):
        ring = [*ring[[p.id for p in world.doing].index(part.id) :], part.name]
        raise ValueProblem(
            f"The parts follow each other in a circle: {' → '.join(ring)}.",
            field=where,
            hint="Let one of them be made otherwise.",
        )
    until = None if upto is None else str(upto)
    found: Evaluation | ValueProblem | None = world.resolver.parts.get((part.id, until))
    if found is None:
        raise _Needed(part, until)
    if isinstance(found, ValueProblem):
        raise ValueProblem(found.message, field=where, hint=found.hint) from None
    broken = found.failed.error if found.failed is not None else None
    if broken is not None:
        raise ValueProblem(f"'{part.name}' stops at an error: {broken.message}", field=where, hint=broken.hint)
    if not placed:
        return Body(part.id, part.name, found.mesh, np.eye(4), found.key, facts=found.facts)
    if placed != "seen":
        return Body(part.id, part.name, found.mesh, found.matrix, found.placed_key, found.reaches, facts=found.facts)
    own = placement_matrix(**placement_numbers(world.doing[-1], world.resolver))
    mesh = placed_mesh(found.mesh if found.mesh is not None else Mesh.empty(), found.matrix, found.reaches)
    if not abs(float(np.linalg.det(own[:3, :3]))) > 0:
        raise ValueProblem("This part is scaled to nothing.", field=where, hint="Let its placement have a size.")
    seen: Floats = np.asarray(np.linalg.inv(own), dtype=np.float64)
    key = found.placed_key + repr(own.tolist())
    return Body(part.id, part.name, mesh, seen, key, finish=part.finish, facts=found.facts, frame=seen @ found.matrix)


def _run(op: Operator, resolved: Resolved, mesh: Mesh | None, context: Context) -> Result:
    if op.kind is Kind.BLANK:
        if mesh is not None:
            raise ValueProblem(
                f"'{op.name}' begins a body, and there is one already.",
                hint="Put it in a part of its own, or switch off the steps before it.",
            )
        result: Result = op.apply(resolved.values, context)
    else:
        if mesh is None:
            raise ValueProblem(f"'{op.name}' works on a body, and there is none yet.", hint="Put a blank before it.")
        result = op.apply(mesh, resolved.values, context)
    made = result.mesh
    if made.n_faces > context.face_limit:
        raise TooLarge(
            f"The body has {made.n_faces} faces; {context.face_limit} are the most a part may have here.",
            hint="Raise the bench's face limit.",
        )
    if made.n_points and not np.isfinite(made.points).all():
        raise MeshProblem("The result has points that are not finite.", hint="Smaller numbers would work.")
    return replace(result, mesh=made)


def _key(step: Step, op: Operator, resolved: Resolved, before: str, context: Context) -> str:
    head = (step.id, op.id, op.version, resolved.key, before, context.blank_size, context.face_limit)
    return hashlib.blake2b(repr(head).encode(), digest_size=16).hexdigest()


_MEASURES = (("move", "length"), ("turn", "angle"), ("scale", ""), ("zero", "length"))


def placement_numbers(part: Part, resolver: Resolver) -> dict[str, Floats]:
    """Return the (3,) numbers of a placement, worked out: ``move``, ``turn``, ``scale`` and ``zero``."""
    return {
        name: np.array([resolver.number(v, measures=measures, where=name) for v in getattr(part.placement, name)])
        for name, measures in _MEASURES
    }


_AXES = (("left", "right"), ("front", "back"), ("bottom", "top"))


def standing(part: Part, resolver: Resolver, mesh: Mesh | None) -> tuple[Floats, tuple[Reach, ...]]:
    """Return the matrix of a part whose body is ``mesh``, and where its sides were told to reach to.

    Raises
    ------
    ValueProblem
        For a scale of 0, or extents that no body can have.
    """
    numbers = placement_numbers(part, resolver)
    if not numbers["scale"].all():
        raise ValueProblem(
            f"The scale of '{part.name}' is 0 along an axis.", field="scale", hint="1 leaves the size as it is."
        )
    matrix = placement_matrix(**numbers)
    reaches = []
    for axis, sides in enumerate(_AXES):
        low, high = (
            None if s not in part.placement.extents
            else resolver.number(part.placement.extents[s], measures="length", where=s) for s in sides
        )  # fmt: skip
        if low is not None and high is not None and not low < high:
            raise ValueProblem(
                f"The {sides[0]} of '{part.name}' is at {low:g} mm and its {sides[1]} at {high:g} mm.",
                field="extents",
                hint=f"The {sides[1]} must be the greater of the two.",
            )
        if low is not None or high is not None:
            reaches.append(Reach(axis, low, high))
    return reaching(mesh if mesh is not None else Mesh.empty(), matrix, reaches), tuple(reaches)
