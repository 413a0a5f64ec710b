"""A body and its mirror image as one: nothing lost, nothing doubled at the plane."""

from __future__ import annotations

import unittest

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mirroring import mirrored, with_mirror_image
from tests.common import check_sound
from tests.recipes import body


class Mirroring(unittest.TestCase):
    def test_halves_at_the_plane_become_one_body(self) -> None:
        """A box that stands at X = 0, plain, divided and bevelled: twice its volume, its faces in the plane gone."""
        bevel = {
            "operator": "bevel",
            "width": 0.3,
            "segments": 2,
            "pick": {"rule": "facing", "direction": [1, 0, 0], "within": 5},
        }
        for counts, more in (([1, 1, 1], []), ([3, 2, 4], []), ([1, 1, 1], [bevel])):
            for size in (1e-3, 1.0, 1e4):
                edges = [{**m, "width": 0.3 * size} for m in more]
                half = body({"operator": "box", "size": [4 * size, 3 * size, 2 * size], "counts": counts}, *edges)
                half = half.with_points(half.points + np.array([2 * size, 0, 0]))
                whole, shared = with_mirror_image(half)
                check_sound(self, whole)
                self.assertEqual(int(whole.pieces.max()), 0)
                self.assertAlmostEqual(signed_volume(whole) / signed_volume(half), 2.0, places=9)
                lost = counts[1] * counts[2]
                self.assertEqual(
                    (whole.n_faces, shared),
                    (
                        2 * (half.n_faces - lost),
                        (counts[1] + 1) * (counts[2] + 1) - max(counts[1] - 1, 0) * max(counts[2] - 1, 0),
                    ),
                )
                np.testing.assert_allclose(whole.bounds[:, 0], [-4 * size, 4 * size])
                self.assertEqual(set(whole.groups()), set(half.groups()) - {"left"})

    def test_what_reaches_over_the_plane_is_refused_with_its_place(self) -> None:
        box = body({"operator": "box", "size": [4, 3, 2]})
        with self.assertRaises(MeshProblem) as caught:
            with_mirror_image(box.with_points(box.points + np.array([1.5, 0, 0])))
        self.assertIn("reaches 0.5 mm over the plane", caught.exception.message)
        self.assertAlmostEqual(caught.exception.places[0][0], -0.5)

    def test_mirrored_twice_is_as_before(self) -> None:
        box = body({"operator": "box", "size": [4, 3, 2]})
        check_sound(self, mirrored(box))
        np.testing.assert_array_equal(mirrored(mirrored(box)).points, box.points)


if __name__ == "__main__":
    unittest.main()
