"""Loops of cutting: pieces joined to outlines, and the least distance between outlines."""

from __future__ import annotations

import numpy as np

from jukai.core.geometry.arrays import Array, Floats
from jukai.core.geometry.kernels import kernel

__all__ = ["follow_chains", "nearest_of_segments"]


@kernel
def _follow(from_: Array, to: Array, n: int) -> tuple[Array, Array, Array]:
    m = len(from_)
    # pieces that leave each node, as linked lists; the first in order stands at the head
    head = np.full(n, -1, np.int64)
    link = np.full(m, -1, np.int64)
    arrives = np.zeros(n, np.int64)
    for i in range(m - 1, -1, -1):
        link[i] = head[from_[i]]
        head[from_[i]] = i
        arrives[to[i]] += 1
    leaves = np.zeros(n, np.int64)
    for i in range(m):
        leaves[from_[i]] += 1
    nodes = np.empty(2 * m, np.int64)
    offsets = np.zeros(m + 1, np.int64)
    closed = np.zeros(m, np.bool_)
    used = np.zeros(m, np.bool_)
    runs, at = 0, 0
    for phase in range(2):  # open chains first, from where nothing arrives
        for i in range(m):
            if used[i]:
                continue
            if phase == 0 and arrives[from_[i]] >= leaves[from_[i]]:
                continue
            start = from_[i]
            piece = i
            nodes[at] = start
            at += 1
            end = start
            while piece >= 0:
                used[piece] = True
                end = to[piece]
                if end == start:
                    break
                nodes[at] = end
                at += 1
                piece = head[end]
                while piece >= 0 and used[piece]:
                    piece = link[piece]
            closed[runs] = end == start
            runs += 1
            offsets[runs] = at
    return nodes[:at], offsets[: runs + 1], closed[:runs]


def follow_chains(from_: Array, to: Array, n: int) -> tuple[Array, Array, Array]:
    """Join directed pieces to chains: the nodes of all, (runs + 1) offsets, and which close on themselves."""
    return _follow.choose(len(from_), 3000)(from_, to, n)


@kernel
def nearest_of_segments(one: Array, two: Array) -> tuple[float, Floats, Floats]:
    """Return the least distance of two sets of segments (m, 2, 2), -1 where they cross, and the two points."""
    best = np.inf
    p = np.zeros(2)
    q = np.zeros(2)
    # boxes round runs of pieces leave most pairs out
    step = 16
    blocks = (len(two) + step - 1) // step
    low = np.empty((blocks, 2))
    high = np.empty((blocks, 2))
    for b in range(blocks):
        for k in range(2):
            low[b, k] = np.inf
            high[b, k] = -np.inf
            for j in range(b * step, min(len(two), (b + 1) * step)):
                for e in range(2):
                    low[b, k] = min(low[b, k], two[j, e, k])
                    high[b, k] = max(high[b, k], two[j, e, k])
    for i in range(len(one)):
        ax, ay, bx, by = one[i, 0, 0], one[i, 0, 1], one[i, 1, 0], one[i, 1, 1]
        x0, x1, y0, y1 = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
        for b in range(blocks):
            gx = max(low[b, 0] - x1, x0 - high[b, 0], 0.0)
            gy = max(low[b, 1] - y1, y0 - high[b, 1], 0.0)
            if gx * gx + gy * gy >= best:
                continue
            for j in range(b * step, min(len(two), (b + 1) * step)):
                cx, cy, dx, dy = two[j, 0, 0], two[j, 0, 1], two[j, 1, 0], two[j, 1, 1]
                s1 = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
                s2 = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
                s3 = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
                s4 = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
                if s1 * s2 < 0 and s3 * s4 < 0:
                    share = s3 / (s3 - s4)
                    p[0] = ax + share * (bx - ax)
                    p[1] = ay + share * (by - ay)
                    return -1.0, p, p
                # else the least lies at an end of one of the two
                for which in range(4):
                    if which < 2:
                        px = ax if which == 0 else bx
                        py = ay if which == 0 else by
                        ux, uy, vx, vy = cx, cy, dx, dy
                    else:
                        px = cx if which == 2 else dx
                        py = cy if which == 2 else dy
                        ux, uy, vx, vy = ax, ay, bx, by
                    wx, wy = vx - ux, vy - uy
                    l2 = wx * wx + wy * wy
                    t = 0.0
                    if l2 > 0:
                        t = min(1.0, max(0.0, ((px - ux) * wx + (py - uy) * wy) / l2))
                    hx, hy = ux + t * wx, uy + t * wy
                    g = (px - hx) ** 2 + (py - hy) ** 2
                    if g < best:
                        best = g
                        if which < 2:
                            p[0], p[1], q[0], q[1] = px, py, hx, hy
                        else:
                            p[0], p[1], q[0], q[1] = hx, hy, px, py
    return np.sqrt(best), p, q
