"""Rounding of edges and points: rings round the points, strips along the edges, patches at the corners."""
