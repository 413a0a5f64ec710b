"""Screws against ISO 68-1, 724, 965-1 and the standards of heads (fasteners.json names sources and how sure each is)."""

from __future__ import annotations

import itertools
import math
import random
import unittest
from typing import Any

import manifold3d
import numpy as np
import trimesh

from jukai.core.errors import Cancelled, CoreError
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.threads import basic_form, rounded_form
from jukai.core.geometry.triangulation import triangulate
from jukai.core.operators.base import Context
from jukai.core.operators.blanks.screw import Values
from jukai.core.operators.blanks.screw import screw as made
from jukai.core.operators.fasteners import DRIVES, HEADS, SIZES
from tests.common import reference
from tests.recipes import built

TABLES = reference("fasteners.json")
ROWS = {name: {row["size"]: row for row in TABLES[name]["rows"]} for name in (
    "threads", "hexagon_head", "socket_cap", "socket_countersunk", "pan_cross", "cheese_slot", "knurled_thumb", "points")}  # fmt: skip
H = math.sqrt(3) / 2


def screw(**values: Any) -> Any:
    return made(Values(**values), Context("s1"))


def body(**values: Any) -> Mesh:
    out: Mesh = screw(**values).mesh
    return out


def group(mesh: Mesh, name: str) -> np.ndarray:
    """Return the numbers of the points of a group's faces."""
    assert mesh.face_lineage is not None
    rows = [i for i, (_, g, _) in enumerate(mesh.lineage.rows) if g == name]
    faces = np.isin(mesh.face_lineage, rows)
    return np.unique(mesh.corners[faces[mesh.corner_faces]])


def meridian(mesh: Mesh, low: float, high: float) -> np.ndarray:
    """Return (radius, level) of the points in the half plane from the axis to +X between two levels, from below."""
    p = mesh.points[(np.abs(mesh.points[:, 1]) < 1e-12) & (mesh.points[:, 0] > 0)]
    p = p[(p[:, 2] > low) & (p[:, 2] < high)]
    return p[np.argsort(p[:, 2])][:, [0, 2]]


def widths_at(profile: np.ndarray, radius: float) -> np.ndarray:
    """Return the lengths along the axis between the places where a profile passes a radius."""
    r, z = profile.T
    k = np.flatnonzero((r[:-1] - radius) * (r[1:] - radius) < 0)
    return np.diff(z[k] + (radius - r[k]) * (z[k + 1] - z[k]) / (r[k + 1] - r[k]))


def check_closed(case: unittest.TestCase, mesh: Mesh, genus: int = 0) -> None:
    con = mesh.connectivity
    case.assertTrue((con.edge_sides == 2).all())
    case.assertFalse(con.same_direction(mesh.corners).any())
    case.assertEqual(mesh.n_points, len(np.unique(mesh.corners)))
    case.assertEqual(mesh.n_points - len(con.edge_sides) + mesh.n_faces, 2 - 2 * genus)
    case.assertGreater(signed_volume(mesh), 0)
    case.assertLessEqual(int(mesh.sides.max()), 4)
    assert mesh.uv is not None
    case.assertTrue((mesh.uv >= 0).all() and (mesh.uv <= 1 + 1e-12).all())


class Thread(unittest.TestCase):
    def test_diameters_and_flanks_of_every_size_on_a_slice_through_the_axis(self) -> None:
        # ISO 724 (d, d2, d1 from the basic profile), ISO 68-1 (60 degrees, flats of P/8 and P/4)
        for size, row in ROWS["threads"].items():
            with self.subTest(size):
                d, p = row["d"], row["P"]
                long = 4 * d + 8 * p
                mesh = body(
                    size=size, length=long, thread_length=long, detail="full", root="flat", tolerance="none", sides=12
                )
                profile = meridian(mesh, -long + 0.7 * d, -p)
                self.assertAlmostEqual(2 * profile[:, 0].max(), d, 9)
                self.assertAlmostEqual(2 * profile[:, 0].min(), d - 1.25 * H * p, 9)
                self.assertAlmostEqual(2 * profile[:, 0].min(), row["d1"], delta=6e-4)  # three decimals in the table
                # at the pitch diameter ridge and groove are as wide as each other
                np.testing.assert_allclose(widths_at(profile, (d - 0.75 * H * p) / 2), p / 2, atol=1e-9)
                self.assertLess(np.abs(widths_at(profile, row["d2"] / 2) - p / 2).max(), 6e-4)
                r, z = profile.T
                slope = np.degrees(np.arctan2(np.abs(np.diff(z)), np.abs(np.diff(r))))
                flanks = slope[np.abs(np.diff(r)) > 0.5 * H * p]
                self.assertGreater(len(flanks), 6)
                np.testing.assert_allclose(flanks, 30.0, atol=1e-7)

    def test_sizes_are_those_remembered_apart_and_rounded_roots_go_to_d3(self) -> None:
        self.assertEqual(list(SIZES), list(ROWS["threads"]))
        for size, d2, d1 in TABLES["iso724_remembered"]["rows"]:  # memory, sure
            d, p = SIZES[size]
            self.assertAlmostEqual(d - 0.75 * H * p, d2, delta=6e-4)
            self.assertAlmostEqual(d - 1.25 * H * p, d1, delta=6e-4)
        for size, row in ROWS["threads"].items():
            d, p = SIZES[size]
            form = rounded_form(p, d, 16)
            self.assertAlmostEqual(2 * form.r.min(), row["d3"], delta=6e-4)
            arc = np.column_stack([form.z, form.r])[3:]
            centre = [p / 2, d / 2 - 17 / 24 * H * p + H * p / 6]
            np.testing.assert_allclose(np.hypot(*(arc - centre).T), TABLES["profile"]["external_minor_rounded"]["root_radius"] * p, rtol=1e-9)  # fmt: skip
            # both flanks touch it: they leave at 60 degrees to the axis
            rise = (arc[0] - [form.z[2], form.r[2]])[::-1]
            self.assertAlmostEqual(math.degrees(math.atan2(-rise[0], rise[1])), 60.0, 9)

    def test_limits_of_6g(self) -> None:
        # ISO 965-2 as computed in the table; the screw is cut at its greatest limits
        for row in TABLES["limits"]["rows"]:
            d, p = SIZES[row["size"]]
            mesh = body(size=row["size"], length=6 * d, detail="full", sides=12, thread_length=6 * d)
            self.assertAlmostEqual(2 * meridian(mesh, -5 * d, -p)[:, 0].max(), row["d_max_6g"], delta=6e-4)

    def test_pitch_starts_and_hand_by_unrolling(self) -> None:
        for starts, hand, sides in ((1, "right", 24), (1, "left", 30), (3, "right", 36), (2, "left", 24)):
            mesh = body(
                size="M12",
                length=60,
                thread_length=60,
                detail="full",
                starts=starts,
                hand=hand,
                sides=sides,
                root="flat",
            )
            p = mesh.points[group(mesh, "crest")]
            p = p[(p[:, 2] > -45) & (p[:, 2] < -5)]
            turn = np.arctan2(p[:, 1], p[:, 0]) / (2 * math.pi)
            lead = 1.75 * starts * (1 if hand == "right" else -1)
            # unrolled, the middles and edges of all crests are straight lines a pitch apart
            off = (p[:, 2] - lead * turn) / 1.75 % 1.0
            known = np.array([0.0, 1 / 16, 15 / 16, 1.0])
            self.assertLess(np.abs(off[:, None] - known).min(axis=1).max(), 1e-9)

    def test_volume_of_a_thread_in_closed_form(self) -> None:
        # the mean of r squared over a pitch, in closed form of the profile's straight pieces, on a prism of n sides
        for form, values in ((basic_form(2, 16), {"root": "flat"}), (rounded_form(2, 16), {"root": "rounded"})):
            z, r = np.append(form.z, form.z[0] + 2), np.append(form.r, form.r[0])
            mean = float((np.diff(z) * (r[:-1] ** 2 + r[:-1] * r[1:] + r[1:] ** 2) / 3).sum()) / 2
            errors = []
            for n in (24, 48, 96):
                short, long_ = (
                    signed_volume(
                        body(size="M16", length=x, thread_length=x, detail="full", tolerance="none", sides=n, **values)
                    )
                    for x in (40, 60)
                )
                errors.append(abs((long_ - short) / (20 * math.pi * mean) - 1))
            self.assertLess(errors[-1], 1e-3)
            for coarse, fine in itertools.pairwise(errors):
                self.assertAlmostEqual(coarse / fine, 4, delta=0.2)

    def test_another_library_sees_the_same_body(self) -> None:
        for head, drive in (
            ("hexagon", "usual"),
            ("pan", "usual"),
            ("knurled", "slot"),
            ("countersunk", "hexalobular"),
        ):
            mesh = body(size="M10", length=45, head=head, drive=drive, detail="full", sides=36)
            corners = triangulate(mesh).points(mesh).astype(np.uint64)
            other = manifold3d.Manifold(
                manifold3d.Mesh64(np.array(mesh.points, order="C"), np.array(corners, order="C"))
            )
            self.assertEqual(other.status(), manifold3d.Error.NoError)
            self.assertEqual((other.genus(), len(other.decompose())), (0, 1))
            self.assertAlmostEqual(other.volume() / signed_volume(mesh), 1, 4)
            # a slice through the axis by another library: across flats and the thread's depth
            cut = trimesh.Trimesh(mesh.points, corners.astype(np.int64), process=False).section([0, 1, 0.01], [0, 0, 0])
            assert cut is not None
            self.assertAlmostEqual(
                2 * np.abs(cut.vertices[cut.vertices[:, 2] < -20][:, 0]).max(), 10 - 0.032, delta=0.05
            )


class Heads(unittest.TestCase):
    """Those of the standards: memory, sure; DIN 464 memory, check (its table says so)."""

    def measured(self, head: str, size: str) -> tuple[float, float, Mesh]:
        mesh = body(size=size, head=head, drive="none")
        return float(np.ptp(mesh.points[:, 0])), float(mesh.points[:, 2].max()), mesh

    def test_widths_and_heights(self) -> None:
        for head, table, width, height in (
            ("hexagon", "hexagon_head", "s", "k"),
            ("socket", "socket_cap", "dk_max", "k_max"),
            ("pan", "pan_cross", "dk_max", "k_max"),
            ("cheese", "cheese_slot", "dk_max", "k_max"),
            ("knurled", "knurled_thumb", "dk", "k"),
        ):
            for size, row in ROWS[table].items():
                with self.subTest(head, size=size):
                    across, high, _ = self.measured(head, size)
                    # a knurl's outermost points are not all on X
                    self.assertAlmostEqual(across / row[width], 1, delta=3e-3 if head == "knurled" else 1e-9)
                    self.assertAlmostEqual(high, row[height], 9)

    def test_a_hexagon_has_its_chamfer_of_30_degrees_and_its_washer_face(self) -> None:
        # 30 degrees: common practice, no source; the standard draws 15 to 30
        for size in ("M3", "M10", "M24"):
            row = ROWS["hexagon_head"][size]
            mesh = body(size=size, sides=48)
            head = mesh.points[group(mesh, "head")]
            corner = head[np.argmax(np.hypot(head[:, 0], head[:, 1]))]
            self.assertAlmostEqual(2 * math.hypot(*corner[:2]), row["e_sharp"], 3)
            top = head[head[:, 2] > row["k"] - 1e-9]
            flat = np.hypot(top[:, 0], top[:, 1]).max()
            sides = head[np.abs(np.hypot(head[:, 0], head[:, 1]) - row["e_sharp"] / 2) < 1e-3]
            drop = row["k"] - sides[:, 2].max()
            self.assertAlmostEqual(math.degrees(math.atan2(drop, row["e_sharp"] / 2 - flat)), 30, 2)
            seat = head[np.abs(head[:, 2]) < 1e-9]
            self.assertAlmostEqual(2 * np.hypot(seat[:, 0], seat[:, 1]).max(), row["dw_min_A"], 9)

    def test_a_countersunk_head_has_90_degrees_and_the_length_is_over_all(self) -> None:
        for size, row in ROWS["socket_countersunk"].items():
            mesh = body(size=size, head="countersunk", length=10 * SIZES[size][0])
            self.assertAlmostEqual(mesh.points[:, 2].max(), 0, 12)
            self.assertAlmostEqual(mesh.points[:, 2].min(), -10 * SIZES[size][0], 9)
            head = mesh.points[group(mesh, "head")]
            r = np.hypot(head[:, 0], head[:, 1])
            cone = (head[:, 2] < -1e-9) & (head[:, 2] > -row["k_max"] * 1.01)
            np.testing.assert_allclose(2 * (r - head[:, 2])[cone], row["dk_theoretical_max"], rtol=0.07)
            self.assertTrue((np.abs(2 * (r - head[:, 2])[cone] - row["dk_theoretical_max"]) < 1e-9).any())

    def test_drives_measure_what_their_standards_say(self) -> None:
        lobes = {row["size"]: row for row in TABLES["hexalobular"]["rows"]}
        for size, row in ROWS["socket_cap"].items():
            with self.subTest(size):
                drive = self.drive(body(size=size, head="socket", sides=48))
                self.assertAlmostEqual(np.abs(drive[:, 0]).max() * 2, row["s"], 9)
                self.assertAlmostEqual(row["k_max"] - drive[:, 2].min(), row["t_min"], 9)
                if row.get("hexalobular"):
                    r = np.hypot(*self.drive(body(size=size, head="socket", drive="hexalobular", sides=48))[:, :2].T)
                    wanted = lobes[str(int(row["hexalobular"]))]
                    self.assertAlmostEqual(2 * r.max(), wanted["A"], 9)
                    self.assertAlmostEqual(2 * r[r > 0.5 * r.max() + 1e-9].min(), wanted["B"], 9)
        for size, row in ROWS["cheese_slot"].items():
            drive = self.drive(body(size=size, head="cheese"))
            self.assertAlmostEqual(np.ptp(drive[:, 1]), row["n"], 9)
            self.assertAlmostEqual(np.ptp(drive[:, 2]), row["t_min"], 9)
        for size, row in ROWS["pan_cross"].items():  # the wings' width is memory, check
            drive = self.drive(body(size=size, head="pan", sides=48))
            self.assertAlmostEqual(np.ptp(drive[:, 0]), row["m_H"], 9)

    @staticmethod
    def drive(mesh: Mesh) -> np.ndarray:
        return mesh.points[group(mesh, "drive")]

    def test_between_sizes_and_beyond_them_it_says_that_it_is_in_proportion(self) -> None:
        out = screw(size="M12", head="pan", drive="none")
        self.assertIn("ISO 7045 goes from M1.6 to M10", " ".join(n.text for n in out.notes))
        self.assertAlmostEqual(out.mesh.points[:, 2].max(), 7.5 * 1.2, 9)
        self.assertNotIn("proportion", " ".join(n.text for n in screw(size="M10", head="pan").notes))
        own = screw(size="own", diameter=9, head="socket")
        self.assertAlmostEqual(own.mesh.points[:, 2].max(), 9, 9)


class All(unittest.TestCase):
    def test_every_combination_is_one_closed_body_or_a_named_error(self) -> None:
        for size, head, drive, detail, hand in itertools.product(
            ("M1.6", "M6", "M10x1.25", "M64"), HEADS, DRIVES, ("light", "full"), ("right", "left")
        ):
            with self.subTest(size, head=head, drive=drive, detail=detail, hand=hand):
                try:
                    mesh = body(size=size, head=head, drive=drive, detail=detail, hand=hand)
                except CoreError as e:
                    self.assertEqual((head, drive), ("none", "slot"))
                    self.assertTrue(e.hint)
                    continue
                check_closed(self, mesh)
                self.assertGreater((mesh.sides == 4).mean(), 0.9 if detail == "light" else 0.97)

    def test_every_size_with_every_head(self) -> None:
        for size, (k, head) in itertools.product(SIZES, enumerate(HEADS)):
            with self.subTest(size, head=head):
                check_closed(self, body(size=size, head=head, detail="full", sides=24, hand=("right", "left")[k % 2]))

    def test_nothing_runs_through_itself(self) -> None:
        rng = random.Random(20)
        for _ in range(30):
            values = {"size": rng.choice(list(SIZES)), "head": rng.choice(list(HEADS)), "drive": rng.choice(list(DRIVES)),
                      "point": rng.choice(["chamfered", "as_cut", "flat", "cone", "dog"]), "starts": rng.choice([1, 1, 2, 3]),
                      "root": rng.choice(["flat", "rounded"]), "sides": rng.choice([24, 36, 50]), "detail": "full"}  # fmt: skip
            with self.subTest(**values):
                try:
                    mesh = body(**values)
                except CoreError:
                    continue
                self.assertEqual(len(self_crossings(mesh).places), 0)

    def test_ends_shanks_and_run_outs(self) -> None:
        for point, run_out, shank, threaded, head in itertools.product(
            ("chamfered", "as_cut", "flat", "cone", "dog"),
            (None, 0, 6),
            (None, 9.1, 12),
            (None, 12, 39.9),
            ("hexagon", "countersunk", "none"),
        ):
            values = {
                "point": point,
                "run_out": run_out,
                "shank": shank,
                "thread_length": threaded,
                "head": head,
                "length": 40,
            }
            for detail in ("light", "full"):
                with self.subTest(**values, detail=detail):
                    mesh = body(size="M10", detail=detail, sides=24, **values)
                    check_closed(self, mesh)
                    self.assertAlmostEqual(mesh.points[:, 2].min(), -40, 9)
                    con = mesh.connectivity
                    edge = mesh.points[mesh.corners] - mesh.points[mesh.corners[con.following]]
                    self.assertGreater(np.linalg.norm(edge, axis=1).min(), 1e-5)

    def test_a_stud_with_a_shank_takes_a_slot(self) -> None:
        for detail, depth in itertools.product(("light", "full"), (None, 0.2, 3)):
            mesh = body(size="M6", head="none", drive="slot", thread_length=8, drive_depth=depth, detail=detail)
            check_closed(self, mesh)
            self.assertAlmostEqual(-Heads.drive(mesh)[:, 2].min(), 1.5 if depth is None else depth, 9)

    def test_it_tells_how_far_it_is_and_stops_when_asked(self) -> None:
        told: list[float] = []
        values = Values(size="M10", detail="full")
        whole = made(values, Context("s1", on_progress=lambda _, f: told.append(f)))
        self.assertEqual(told, sorted(told))
        self.assertGreater(len(told), 5)
        for after in range(len(told)):
            asked = iter([False] * after + [True])
            with self.assertRaises(Cancelled):
                made(values, Context("s1", stop=lambda asked=asked: next(asked)))
        np.testing.assert_array_equal(body(size="M10", detail="full").points, whole.mesh.points)

    def test_groups(self) -> None:
        for detail, names in (("light", {"head", "drive", "shank", "crest", "point"}),
                              ("full", {"head", "drive", "shank", "crest", "point", "flanks", "root"})):  # fmt: skip
            mesh = body(size="M8", head="socket", length=60, detail=detail, tolerance="6g")
            self.assertEqual({g for _, g, _ in mesh.lineage.rows}, names)

    def test_values_that_do_not_go_are_told_with_what_would(self) -> None:
        for values, field, hint in (
            ({"pitch": 9}, "pitch", "up to"),
            ({"length": 3}, "length", "is the least"),
            ({"head": "cheese", "drive": "hexagon_socket", "drive_size": 15}, "drive_size", "is the largest that fits"),
            ({"head": "socket", "drive_depth": 60}, "drive_depth", "is the deepest that fits"),
            ({"head": "cheese", "drive_size": 15.9}, "drive_size", "is the widest that fits"),
            ({"head": "cheese", "drive_depth": 6}, "drive_depth", "would work"),
            ({"head_width": 9}, "head_width", "More than"),
            ({"shank": 2}, "shank", "would work"),
            ({"thread_length": 500}, "thread_length", "is the most"),
            ({"thread_length": 0.5}, "thread_length", "is the least"),
            ({"allowance": 5}, "allowance", "would work"),
            ({"head": "none", "drive": "slot"}, "drive", "shorter thread length"),
            ({"head": "pan", "sides": 12}, "sides", "would do"),
        ):
            with self.subTest(values), self.assertRaises(CoreError) as caught:
                screw(**values)
            self.assertEqual(caught.exception.field, field)
            self.assertIn(hint, caught.exception.hint or "")

    def test_what_a_hint_says_fits(self) -> None:
        for head, drive in itertools.product(HEADS, ("hexagon_socket", "hexalobular", "cross_recess")):
            with self.subTest(head, drive=drive):
                with self.assertRaises(CoreError) as caught:
                    screw(size="M8", head=head, drive=drive, drive_size=40, drive_depth=1)
                hint = caught.exception.hint or ""
                largest = float(hint.split(" mm")[0])
                check_closed(self, body(size="M8", head=head, drive=drive, drive_size=largest, drive_depth=1))

    def test_odd_sizes_and_many_sides(self) -> None:
        def scaled(k: float) -> Mesh:
            return body(
                size="own",
                diameter=k,
                pitch=0.15 * k,
                length=5 * k,
                thread_length=5 * k,
                head="none",
                detail="full",
                allowance=0,
                sides=24,
            )

        again = scaled(1)
        for scale in (1e-3, 1e3, 1e4):
            one = scaled(scale)
            check_closed(self, one)
            np.testing.assert_allclose(one.points / scale, again.points, rtol=0, atol=1e-9)
        with self.assertRaises(CoreError):
            built({"operator": "screw", "length": 1e6, "thread_length": 1e6, "detail": "full"})


if __name__ == "__main__":
    unittest.main()
