"""Chains of straight and cubic pieces, as curves of a bench."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.json_data import JsonObject

__all__ = ["MOST_CURVES", "MOST_POINTS", "Chain", "as_curves", "joined", "refuse_far"]

MOST_POINTS = 2000
"""Points that a curve of a bench may have."""
MOST_CURVES = 200
"""Curves that are taken from one file."""
_DIGITS = 9
_FARTHEST = 1e9


@dataclass(slots=True)
class Chain:
    """Points in order, mm; after each but the last a straight piece, or a cubic one with two inner points.

    Attributes
    ----------
    points : (n,) rows of two or three coordinates.
    inner : (n - 1,) None where a piece is straight.
    """

    name: str
    points: list[np.ndarray]
    inner: list[tuple[np.ndarray, np.ndarray] | None] = field(default_factory=list)
    closed: bool = False

    def line(self, to: np.ndarray) -> None:
        """Go straight on to a point."""
        self.points.append(to)
        self.inner.append(None)

    def cubic(self, a: np.ndarray, b: np.ndarray, to: np.ndarray) -> None:
        """Go on along a cubic Bezier curve."""
        self.points.append(to)
        self.inner.append((a, b))

    def reversed(self) -> Chain:
        """Return the same chain run the other way."""
        inner = [None if row is None else (row[1], row[0]) for row in reversed(self.inner)]
        return Chain(self.name, self.points[::-1], inner, self.closed)


def joined(chains: list[Chain], near: float) -> list[Chain]:
    """Return open chains end to end where their ends meet, in the order they come in; those that come back are closed."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    open_ = [c for c in chains if not c.closed]
    if not open_:
        return list(chains)
    ends = np.array([p for c in open_ for p in (c.points[0], c.points[-1])])
    pairs = cKDTree(ends).query_pairs(near, output_type="ndarray")
    graph = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(ends), len(ends)))
    _, place = connected_components(graph, directed=False)
    at: dict[int, list[int]] = {}
    for i in range(len(open_)):
        for end in (0, 1):
            at.setdefault(int(place[2 * i + end]), []).append(2 * i + end)
    used = [False] * len(open_)

    def grown(chain: Chain, end: int) -> tuple[Chain, int]:
        """Go on from an end as long as another chain begins or ends there."""
        chain = Chain(chain.name, list(chain.points), list(chain.inner))
        while True:
            following: int | None = next((k for k in at[int(place[end])] if not used[k // 2]), None)
            if following is None:
                return chain, end
            used[following // 2] = True
            other = open_[following // 2]
            other = other if following % 2 == 0 else other.reversed()
            chain.points += other.points[1:]
            chain.inner += other.inner
            end = following ^ 1

    out: list[Chain] = []
    index = {id(c): i for i, c in enumerate(open_)}
    for c in chains:
        i = index.get(id(c), -1)
        if i < 0:
            out.append(c)
        elif not used[i]:
            used[i] = True
            chain, last = grown(c, 2 * i + 1)
            back, first = grown(chain.reversed(), 2 * i)
            chain = back.reversed()
            chain.closed = len(chain.points) > 2 and place[first] == place[last]
            out.append(chain)
    return out


def _apart(p: np.ndarray, q: np.ndarray) -> float:
    return float(np.linalg.norm(p - q))


def as_curves(chains: list[Chain], what: str) -> list[JsonObject]:
    """Return chains as curves of a bench, without ids: profiles, or paths where they have three coordinates.

    Raises
    ------
    FileProblem
        When there is none, or there are more, or larger ones, than a bench can hold.
    """
    refuse_far(chains)
    rows = [c for c in (_tidy(c) for c in chains) if len(c.points) > 1]
    if not rows:
        raise FileProblem(f"The file has no curve: {what} are read.", hint="Text must be turned into outlines before.")
    if len(rows) > MOST_CURVES:
        raise FileProblem(
            f"The file has {len(rows)} curves; {MOST_CURVES} can be taken at once.",
            hint="Leave out what is not needed.",
        )
    out: list[JsonObject] = []
    for c in rows:
        if len(c.points) > MOST_POINTS:
            raise FileProblem(
                f"The curve '{c.name}' has {len(c.points)} points; {MOST_POINTS} are possible.",
                hint="Simplify it, or take it in pieces.",
            )
        out.append(_curve(c))
    return out


def refuse_far(chains: list[Chain]) -> None:
    """Refuse places that are no numbers, or farther than a bench may hold."""
    for c in chains:
        inner = (q for row in c.inner if row is not None for q in row)
        if not all(np.isfinite(p).all() and np.abs(p).max() <= _FARTHEST for p in (*c.points, *inner)):
            raise FileProblem(f"The curve '{c.name}' has places that are no numbers, or farther than {_FARTHEST:g} mm.")


def _tidy(chain: Chain) -> Chain:
    """Leave out straight pieces without length, and the last point of a closed chain where it is the first again."""
    size = max((float(np.abs(p).max()) for p in chain.points), default=0.0)
    near = 1e-9 * max(size, 1e-300)
    points, inner = chain.points[:1], []
    for p, row in zip(chain.points[1:], chain.inner, strict=True):
        if row is None and _apart(points[-1], p) <= near:
            continue
        points.append(p)
        inner.append(row)
    out = Chain(chain.name, points, list(inner), chain.closed)
    if out.closed and len(points) > 2 and _apart(points[0], points[-1]) > near:
        out.line(points[0])  # it closes straight
    return out


def _curve(c: Chain) -> JsonObject:
    """Return a chain as a curve; of a closed one the last piece runs to the first point."""
    closed = c.closed and len(c.points) > 2
    count = len(c.points) - closed
    points: list[JsonObject] = [{"id": f"p{i + 1}", "at": _row(c.points[i])} for i in range(count)]
    for i, inner in enumerate(c.inner):
        if inner is None:
            continue
        start, stop = c.points[i], c.points[i + 1]
        points[i] |= {"join": "bezier", "out": _row(inner[0] - start)}
        points[(i + 1) % count]["in"] = _row(inner[1] - stop)
    kind = "profile" if len(c.points[0]) == 2 else "path"
    return {"name": c.name, "kind": kind, "closed": closed, "points": points}


def _row(p: np.ndarray) -> list[float]:
    return [round(float(x), _DIGITS) + 0.0 for x in p]
