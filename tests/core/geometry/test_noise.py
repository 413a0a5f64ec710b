"""Noise, cells and pictures: published samples, what they must be on the mean, and the relief made of them."""

from __future__ import annotations

import io
import math
import unittest
from typing import Any

import numpy as np
from PIL import Image

from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.noise import cells, grey_at, smooth_noise
from jukai.core.geometry.relief import point_normals
from jukai.core.operators.inputs import HeldFiles
from jukai.core.recipe.evaluate import evaluate
from tests.common import check_sound, reference
from tests.recipes import bench_of, body, built

NOISE = reference("deform.json")["noise"]


class Noise(unittest.TestCase):
    def test_samples_of_the_reference(self) -> None:
        """Perlin 2002 (deform.json: noise(3.14, 42, 7) as widely printed; memory, sure)."""
        rows = np.array(NOISE["samples_x_y_z_value"])
        np.testing.assert_allclose(smooth_noise(rows[:, :3].copy(), 1.0), rows[:, 3], atol=1e-12)

    def test_zero_on_the_lattice_mean_and_range(self) -> None:
        chance = np.random.default_rng(1)
        whole = chance.integers(-500, 500, (5000, 3)).astype(float)
        for size in (1.0, 0.25, 7.0):
            np.testing.assert_array_equal(smooth_noise(whole * size, size), 0.0)
        points = chance.uniform(-200, 200, (400_000, 3))
        for octaves in (1, 3, 6):
            for seed in (0, 1, 77):
                n = smooth_noise(points, 1.0, octaves=octaves, seed=seed)
                # points by chance: the mean is within five of its standard errors
                self.assertLess(abs(float(n.mean())), 5 * float(n.std()) / math.sqrt(len(n)))
                # the reference has -1 to 1 (from memory); the formula itself goes beyond, up to 1.04 (four gradients that add up)
                self.assertLessEqual(float(np.abs(n).max()), 1.04)
                np.testing.assert_array_equal(n[:99], smooth_noise(points[:99], 1.0, octaves=octaves, seed=seed))
        self.assertGreater(
            float(np.abs(smooth_noise(points, 1.0, seed=1) - smooth_noise(points, 1.0, seed=2)).mean()), 0.1
        )

    def test_it_repeats_after_256_cells_and_is_smooth(self) -> None:
        points = np.random.default_rng(2).uniform(0, 50, (2000, 3))
        np.testing.assert_allclose(
            smooth_noise(points + np.array([256, 0, 0]), 1.0), smooth_noise(points, 1.0), atol=1e-11
        )
        edge = np.floor(points)
        step = 1e-5 * np.array([1.0, 0, 0])
        there, here, back = (smooth_noise(edge + np.array([0, 0.3, 0.6]) + d, 1.0) for d in (step, 0 * step, -step))
        np.testing.assert_allclose(there - here, here - back, atol=1e-12)  # the slope goes through

    def test_cells_are_distances_to_the_nearest_point(self) -> None:
        """Worley 1996: F1 is 0 at the scattered points, changes by no more than the step, and is 1 at most here."""
        points = np.random.default_rng(3).uniform(-30, 30, (30_000, 3))
        f = cells(points, 2.0, seed=5)
        self.assertGreaterEqual(float(f.min()), 0.0)
        self.assertLessEqual(float(f.max()), 1.0)
        step = np.random.default_rng(4).normal(0, 0.02, points.shape)
        change = np.abs(cells(points + step, 2.0, seed=5) - f)
        self.assertTrue((change <= np.linalg.norm(step, axis=1) / 2 + 1e-12).all())
        np.testing.assert_array_equal(f, cells(points, 2.0, seed=5))
        # one point to a cell, anywhere in it: a ball of radius r holds 4/3 pi r³ of them on the mean, so the mean of F1 is that of
        # scattered points, 0.554 (Hertz 1909, for points by chance), less where they are as even as here
        self.assertAlmostEqual(float(f.mean()), 0.53, delta=0.03)

    def test_greys_between_pixels(self) -> None:
        picture = np.array([[0.0, 1.0], [0.5, 0.25]])
        u, v = np.array([0.25, 0.75, 0.25, 0.75, 0.5]), np.array([0.75, 0.75, 0.25, 0.25, 0.5])
        np.testing.assert_allclose(grey_at(picture, u, v), [0, 1, 0.5, 0.25, 0.4375])
        np.testing.assert_allclose(grey_at(picture, u + 3, v - 2), grey_at(picture, u, v))


class Relief(unittest.TestCase):
    def test_normals_of_a_sphere_point_out(self) -> None:
        mesh = body({"operator": "sphere", "radius": 10, "sides": 48, "rows": 24})
        out = mesh.points - np.mean(mesh.bounds, axis=0)
        way = out / np.linalg.norm(out, axis=1)[:, None]
        self.assertGreater(float(np.einsum("ij,ij->i", point_normals(mesh), way).min()), 0.999)

    def test_a_level_pattern_moves_the_surface_by_what_is_asked(self) -> None:
        """A white picture, zero at 0 %: a sphere becomes larger by the depth, a box's top rises by it along the axis."""
        white = io.BytesIO()
        Image.new("L", (8, 8), 255).save(white, "PNG")
        files = HeldFiles({"w.png": white.getvalue(), "bad.png": b"no picture"})
        steps: list[dict[str, Any]] = [{"operator": "sphere", "radius": 10, "sides": 48, "rows": 24},
                 {"operator": "relief", "pattern": "image", "picture": "w.png", "depth": 2, "zero_at": 0}]  # fmt: skip
        plain = body(steps[0])
        for laid in ("axis", "texture"):
            made = evaluate(bench_of(steps[0], steps[1] | {"laid": laid}), "p1", files=files).mesh
            assert made is not None
            np.testing.assert_allclose(np.linalg.norm(made.points - plain.points, axis=1), 2.0, atol=1e-9)
        flat = [{"operator": "box", "size": [10, 10, 10]}, steps[1] | {"moves": "axis", "axis": "z", "from": "50 %"}]
        top = evaluate(bench_of(*flat), "p1", files=files).mesh
        assert top is not None
        self.assertEqual(float(top.bounds[1][2]), 12.0)
        self.assertEqual(float(signed_volume(top)), 1200.0)
        failed = evaluate(bench_of(steps[0], steps[1] | {"picture": "bad.png"}), "p1", files=files).steps[1].error
        assert failed is not None
        self.assertIn("no PNG or JPEG", failed.message)

    def test_depth_is_kept_and_nothing_opens(self) -> None:
        for pattern in ("noise", "cells"):
            for zero in (0.0, 0.5, 1.0):
                blank = {"operator": "sphere", "radius": 20, "sides": 64, "rows": 32}
                made = built(blank, {"operator": "relief", "pattern": pattern, "size": 9, "depth": 3, "zero_at": zero})
                check_sound(self, made.mesh)
                out = np.linalg.norm(made.mesh.points - body(blank).points, axis=1)
                self.assertLessEqual(float(out.max()), 3 * max(zero, 1 - zero) + 1e-9)
                self.assertGreater(float(out.max()), 0.8)


if __name__ == "__main__":
    unittest.main()
