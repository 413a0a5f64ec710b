"""Compiled search for loops of edges that can be left out together."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Ints
from jukai.core.geometry.kernels import kernel


@kernel
def closed_loops(following: Array, twins: Array, good: Array) -> tuple[Ints, Ints]:
    """Return the loops of edges that go straight on through points of four edges until they close.

    ``good`` (c,) tells which corners' edges may be in one. Returns the corners along all loops, those of
    one loop after another, each edge from its one side only, and where each loop starts.
    """
    n = following.shape[0]
    seen = np.zeros(n, np.uint8)
    along = np.empty(n, np.int32)
    starts = np.empty(n + 1, np.int32)
    loops, end = 0, 0
    for first in range(n):
        if seen[first] or not good[first]:
            continue
        here, c, closed = end, first, False
        while good[c] and not seen[c]:
            seen[c] = 1
            seen[twins[c]] = 1
            along[end] = c
            end += 1
            c = following[twins[following[c]]]
            if c == first:
                closed = True
                break
        if closed and end - here >= 3:
            starts[loops] = here
            loops += 1
        else:
            end = here
    starts[loops] = end
    return along[:end], starts[: loops + 1]


@kernel
def apart(
    along: Array,
    starts: Array,
    spacing: Array,
    order: Array,
    following: Array,
    twins: Array,
    corner_faces: Array,
    finish: Array,
) -> Bools:
    """Return (loops,) which loops to leave out, so that no face stands at two of them.

    Loops are tried in ``order``; from each that is taken the search goes on two loops farther to either
    side, so that every other one of a row is taken.
    """
    n = starts.shape[0] - 1
    faces = 0
    for c in range(corner_faces.shape[0]):
        faces = max(faces, corner_faces[c] + 1)
    taken = np.full(faces, -1, np.int32)
    stamp = np.full(faces, -1, np.int32)
    of = np.full(following.shape[0], -1, np.int32)
    for k in range(n):
        for i in range(starts[k], starts[k + 1]):
            of[along[i]] = k
            of[twins[along[i]]] = k
    state = np.zeros(n, np.uint8)
    stack = np.empty(2 * n + 2, np.int32)
    for s in range(n):
        top = 1
        stack[0] = order[s]
        while top > 0:
            top -= 1
            k = stack[top]
            if state[k] or spacing[k] > 2 * spacing[order[s]]:
                continue
            state[k] = 2
            free = True
            kind = finish[corner_faces[along[starts[k]]]]
            for i in range(starts[k], starts[k + 1]):
                for c in (along[i], twins[along[i]]):
                    f = corner_faces[c]
                    if taken[f] >= 0 or stamp[f] == k or finish[f] != kind:
                        free = False
                    stamp[f] = k
            if not free:
                continue
            state[k] = 1
            for i in range(starts[k], starts[k + 1]):
                taken[corner_faces[along[i]]] = k
                taken[corner_faces[twins[along[i]]]] = k
            for c in (along[starts[k]], twins[along[starts[k]]]):
                beside = twins[following[following[c]]]
                if beside < 0:
                    continue
                other = of[following[following[beside]]]
                if other >= 0 and not state[other] and top < 2 * n:
                    stack[top] = other
                    top += 1
    return state == 1


@kernel
def _across(loop: Array, across: Array, of: Array, following: Array, twins: Array, gentle: Array) -> int:
    """Find the loop to the right of one, a row of gentle edges between their faces; -1 where there is none.

    Its corners are put into ``across``, each beside that of ``loop``; ``of`` (c,) tells which loop each is in.
    """
    found = -1
    for i in range(loop.shape[0]):
        between = following[following[twins[loop[i]]]]
        if not gentle[between]:
            return -1
        across[i] = following[following[twins[between]]]
        if i == 0:
            found = of[across[i]]
        if of[across[i]] != found:
            return -1
    return found


@kernel
def side_by_side(
    along: Array, starts: Array, following: Array, twins: Array, gentle: Array, corner_faces: Array, finish: Array
) -> tuple[Ints, Ints, Ints, Ints, int]:
    """Return strips of loops: first those of two, between whose faces one row of edges lies, then those of one.

    ``gentle`` (c,) tells over which edges the surface bends so little that three rows may be left out together.
    Returns the corners along the left loop of each strip and, across from these, along its right one (the same if it
    has one only), where each strip starts, the left and the right loop of each, and how many have two.
    """
    n = starts.shape[0] - 1
    of = np.full(following.shape[0], -1, np.int32)
    used = np.zeros(n, np.uint8)  # 1: in a strip of two, 2: bends too much for one
    for k in range(n):
        for i in range(starts[k], starts[k + 1]):
            of[along[i]] = k
            of[twins[along[i]]] = k
            if not gentle[along[i]]:
                used[k] = 2
    left = np.empty(along.shape[0], np.int32)
    right = np.empty(along.shape[0], np.int32)
    begins = np.zeros(n + 1, np.int32)
    loops = np.empty((n, 2), np.int32)
    wide, end = 0, 0
    for k in range(n):
        rungs = starts[k + 1] - starts[k]
        for back in range(2):
            if used[k]:
                break
            part = slice(end, end + rungs)
            # the loop as it is, then the other way round: what lay on its left is on its right
            if back:
                left[part] = twins[along[starts[k] : starts[k + 1]]][::-1]
            else:
                left[part] = along[starts[k] : starts[k + 1]]
            other = _across(left[part], right[part], of, following, twins, gentle)
            if other < 0 or other == k or used[other] or starts[other + 1] - starts[other] != rungs:
                continue
            if finish[corner_faces[left[end]]] != finish[corner_faces[right[end]]]:
                continue
            used[k] = 1
            used[other] = 1
            loops[wide, 0] = k
            loops[wide, 1] = other
            end += rungs
            wide += 1
            begins[wide] = end
    strips = wide
    for k in range(n):
        if used[k] == 1:
            continue
        for i in range(starts[k], starts[k + 1]):
            left[end] = along[i]
            right[end] = along[i]
            end += 1
        loops[strips, 0] = k
        loops[strips, 1] = k
        strips += 1
        begins[strips] = end
    return left[:end], right[:end], begins[: strips + 1], loops[:strips], wide
