"""Deforming steps beside whole-array NumPy, noise beside pyfastnoiselite, a stroke of a brush."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jukai.core.geometry.deform import Deformation, bending, rings, stretching, tapering, twisting, waves
from jukai.core.geometry.frames import frame_along
from jukai.core.geometry.masks import Stroke, painted
from jukai.core.geometry.noise import smooth_noise
from jukai.memory import keep_freed_memory
from timings.measure import Row, measure

Map = Callable[[np.ndarray], np.ndarray]


def _by_arrays() -> dict[str, tuple[Deformation, Map]]:
    """Return each map, and the same along Z written plainly over whole arrays."""
    z = frame_along("z")

    def inside(p: np.ndarray) -> np.ndarray:
        return np.clip(p[:, 2], -9.0, 9.0)

    def twist(p: np.ndarray) -> np.ndarray:
        a = (inside(p) + 9) * (np.radians(100) / 18)
        c, s = np.cos(a), np.sin(a)
        return np.stack([p[:, 0] * c - p[:, 1] * s, p[:, 0] * s + p[:, 1] * c, p[:, 2]], axis=1)

    def taper(p: np.ndarray) -> np.ndarray:
        r = 1 - 0.5 * (inside(p) + 9) / 18
        return np.stack([p[:, 0] * r, p[:, 1] * r, p[:, 2]], axis=1)

    def bend(p: np.ndarray) -> np.ndarray:
        k = np.radians(60) / 18
        t = inside(p)
        a = k * (t + 9)
        over = p[:, 2] - t
        c, s = np.cos(a), np.sin(a)
        arm = 1 / k - p[:, 0]
        return np.stack([1 / k - arm * c + over * s, p[:, 1], -9 + arm * s + over * c], axis=1)

    def stretch(p: np.ndarray) -> np.ndarray:
        r = 1 / np.sqrt(1.5)
        return np.stack([p[:, 0] * r, p[:, 1] * r, p[:, 2] + 0.5 * (inside(p) + 9)], axis=1)

    def wave(p: np.ndarray) -> np.ndarray:
        return np.stack([p[:, 0] + np.sin(2 * np.pi * (inside(p) + 9) / 5), p[:, 1], p[:, 2]], axis=1)

    def ring(p: np.ndarray) -> np.ndarray:
        r = np.clip(np.hypot(p[:, 0], p[:, 1]), 0, 9)
        return np.stack([p[:, 0], p[:, 1], p[:, 2] + np.sin(2 * np.pi * r / 5)], axis=1)

    return {
        "twist": (twisting(z, -9, 9, 100, 0.0), twist),
        "taper": (tapering(z, -9, 9, (0.5, 0.5)), taper),
        "bend": (bending(z, -9, 9, 60, 0.0, -9), bend),
        "stretch": (stretching(z, -9, 9, 27, keep_volume=True, still=0.0), stretch),
        "undulate": (waves(z, -9, 9, 2, 5, 0.0), wave),
        "undulate, rings": (rings(z, 0, 9, 2, 5, 0.0), ring),
    }


def deforming() -> None:
    """A million points by chance through each map; noise at them; a stroke over 100 000 points with 100 strokes before it."""
    rng = np.random.default_rng(2)
    points = rng.uniform(-10, 10, (1_000_000, 3))
    for name, (ours, plain) in _by_arrays().items():
        np.testing.assert_allclose(ours(points[:20_000]), plain(points[:20_000]), atol=1e-9)
        measure(Row(f"{name} of 1 000 000 points at random", lambda: points, lambda p, f=ours: f(p), lambda p: p.copy(),
                    {"whole-array NumPy": plain}, {"whole-array NumPy": 0.5, "floor": 20}))  # fmt: skip
    _noise(points)
    _stroke()


def _noise(points: np.ndarray) -> None:
    from pyfastnoiselite.pyfastnoiselite import FastNoiseLite, FractalType, NoiseType

    rows = np.ascontiguousarray(points.T.astype(np.float32))
    for octaves in (1, 4):
        other = FastNoiseLite(seed=1)
        other.noise_type = NoiseType.NoiseType_Perlin
        other.frequency = 1.0
        if octaves > 1:
            other.fractal_type = FractalType.FractalType_FBm
            other.fractal_octaves = octaves
        name = "pyfastnoiselite, float32"
        measure(Row(f"noise at 1 000 000 points, {octaves} octave{'s' * (octaves > 1)}", lambda: points,
                    lambda p, n=octaves: smooth_noise(p, 1.0, octaves=n, seed=3), lambda p: p[:, 0].copy(),
                    {name: lambda _, f=other: f.gen_from_coords(rows)}, {name: 1.3}))  # fmt: skip


def _stroke() -> None:
    from timings.edits import _apart, _made

    ball = _made("quad_sphere", radius=50, counts=130)
    _ = ball.connectivity
    rng = np.random.default_rng(5)
    spots = rng.normal(size=(101, 3))
    spots *= 50 / np.linalg.norm(spots, axis=1)[:, None]
    middle = np.mean(ball.bounds, axis=0)
    strokes = []
    for spot in spots:
        line = spot + np.linspace(0, 1, 60)[:, None] * np.array([4.0, 3.0, 2.0])
        line *= 50 / np.linalg.norm(line, axis=1)[:, None]
        strokes.append(Stroke(middle + line, 6.0, 0.5, "to", 1.0, line / 50))
    mesh = _apart(ball)
    painted(mesh, strokes[:-1])
    turn = [0]

    def one(_: object) -> object:
        turn[0] += 1
        last = strokes[-1]
        return painted(mesh, [*strokes[:-1], Stroke(last.places, 6.0 + 1e-9 * turn[0], 0.5, "to", 1.0, last.facing)])

    measure(Row(f"a stroke on {mesh.n_points:,} points, the hundred-and-first".replace(",", " "), lambda: None, one,
                lambda _: np.zeros(mesh.n_points), {}, {}))  # fmt: skip


if __name__ == "__main__":
    keep_freed_memory()  # as the command and the server do
    deforming()
