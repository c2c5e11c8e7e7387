"""Every kind of cutter: its outline against handbook geometry, what it takes against closed forms, what it cannot do told."""

import itertools
import json
import math
import unittest
from pathlib import Path
from typing import Any

import ezdxf
import manifold3d
import numpy as np
from scipy import integrate

from bluntmirror.geometry import mesh as meshes
from bluntmirror.job import JobUnreadable, open_job
from bluntmirror.job.loading import model_of
from bluntmirror.job.models import ToolEntry
from bluntmirror.material.cut_kernel import CUT
from bluntmirror.material.stock import Batch, Stock, ToolSets, TurnedBatch
from bluntmirror.material.sweep_kernel import slab_radius
from bluntmirror.rehearsal import rehearse
from bluntmirror.tools import Assembly, build_assembly
from bluntmirror.tools.cutters import widest
from bluntmirror.tools.slabs import H0, H1, R0, R1

from .build import HEAD
from .test_kinds import END, OnTheSlotJob
from .test_machine import WithFolder

BODY = {"diameter": 10, "flute_length": 20, "reach": 40, "shank_diameter": 10}
KINDS: dict[str, dict[str, Any]] = {
    "taper-mill": {"diameter": None, "tip_diameter": 4, "corner_radius": 1, "angle": 5},
    "tapered ball": {"type": "taper-mill", "diameter": None, "tip_diameter": 4, "corner_radius": 2, "angle": 7},
    "tapered, then straight": {"type": "taper-mill", "diameter": 6, "tip_diameter": 4, "angle": 10},
    "face-mill": {"diameter": 50, "flute_length": 6, "core_diameter": 36, "shank_diameter": 44, "corner_radius": 0.8},
    "face mill at 45°": {
        "type": "face-mill",
        "diameter": 50,
        "flute_length": 5,
        "core_diameter": 36,
        "angle": 45,
        "shank_diameter": 44,
    },
    "lollipop": {"flute_length": None, "shank_diameter": 5},
    "spot-drill": {},
    "centre-drill": {"pilot_diameter": 3, "pilot_length": 4},
    "step-drill": {"steps": [[6, 9], [8, 14]]},
    "counterbore": {"pilot_diameter": 5, "pilot_length": 4, "flute_length": 12},
    "thread-mill": {"pitch": 1.5, "shank_diameter": 7, "diameter": 9, "flute_length": 12},
    "boring-bar": {"flute_length": 2, "shank_diameter": 8},
}


def entry(name: str, **more: Any) -> dict[str, Any]:
    cutter = {k: v for k, v in {"type": name, **BODY, **KINDS.get(name, {}), **more}.items() if v is not None}
    return {"number": 1, "length": 60, "cutter": cutter, "holder": {"segments": [{"diameter": 30, "length": 20}]}}


def made(name: str, **more: Any) -> Assembly:
    return build_assembly(ToolEntry.model_validate(entry(name, **more)))


def slab_volume(tool: Assembly) -> float:
    """π ∫ r² dh over the cutting part (SciPy's quadrature)."""
    total = 0.0
    for s in range(len(tool.cutting)):
        low, high = tool.cutting[s, H0], tool.cutting[s, H1]
        total += integrate.quad(lambda h, s=s: math.pi * slab_radius(tool.cutting, s, h) ** 2, low, high)[0]
    return total


class Outlines(unittest.TestCase):
    def test_every_kind_is_a_closed_solid_of_its_own_volume(self) -> None:
        for name in KINDS:
            with self.subTest(name):
                tool = made(name)
                solids = tool.meshes()
                for mesh in solids.values():
                    self.assertTrue(mesh.closed and mesh.volume > 0)
                # Facets stand inside the circle: a hundredth at most.
                self.assertAlmostEqual(solids["cutter"].volume / slab_volume(tool), 1.0, delta=0.01)
                heights = tool.cutting[:, [H0, H1]]
                np.testing.assert_allclose(heights[1:, 0], heights[:-1, 1], atol=1e-9)  # stacked without a gap

    def test_a_taper_is_tangent_to_its_corner(self) -> None:
        for name, corner, angle, middle in (("taper-mill", 1.0, 5.0, 1.0), ("tapered ball", 2.0, 7.0, 0.0)):
            arc, cone = made(name).cutting
            self.assertAlmostEqual(arc[R1], cone[R0], places=9)
            self.assertAlmostEqual(cone[R0], middle + corner * math.cos(math.radians(angle)), places=9)
            slope = (cone[R1] - cone[R0]) / (cone[H1] - cone[H0])
            self.assertAlmostEqual(math.degrees(math.atan(slope)), angle, places=9)
            # The sphere's own slope there: −(h − hc) / √(rc² − (h − hc)²).
            up = arc[H1] - corner
            self.assertAlmostEqual(-up / math.sqrt(corner**2 - up**2), slope, places=9)

    def test_a_taper_ends_at_its_diameter(self) -> None:
        cone, straight = made("tapered, then straight").cutting
        self.assertAlmostEqual(cone[H1], 1.0 / math.tan(math.radians(10)), places=9)
        np.testing.assert_allclose(straight[[R0, R1, H1]], [3, 3, 20])

    def test_steps_and_pilots(self) -> None:
        point, low, first, middle, second, top = made("step-drill").cutting
        self.assertAlmostEqual(point[H1], 3 / math.tan(math.radians(59)), places=9)  # 118°
        np.testing.assert_allclose(
            [low[H1], first[H0], first[H1], middle[H1], second[H1]], [9, 9, 10, 14, 15]
        )  # 90° shoulders
        self.assertEqual((top[R0], top[H1]), (5.0, 20.0))
        centre = made("centre-drill").cutting
        self.assertAlmostEqual(
            centre[-2, H1] if len(centre) > 3 else centre[-1, H1], 4 + 3.5 / math.tan(math.radians(30)), places=9
        )
        bore = made("counterbore")
        np.testing.assert_allclose(bore.cutting[0, [H0, H1, R0]], [4, 16, 5])
        np.testing.assert_allclose(bore.shank[0, [H0, H1, R0]], [0, 4, 2.5])

    def test_a_tooth_of_the_iso_profile(self) -> None:
        # ISO 68-1: H = √3/2·P; the internal thread is 5/8·H deep, crest of the tooth P/8, flanks at 60°.
        pitch = 1.5
        teeth = made("thread-mill").cutting
        flank = 0.625 * math.sqrt(3) / 2 * pitch
        up, crest, root = teeth[0], teeth[1], teeth[3]
        self.assertAlmostEqual(up[R1] - up[R0], flank, places=9)
        self.assertAlmostEqual(crest[H1] - crest[H0], pitch / 8, places=9)
        self.assertAlmostEqual(2 * math.degrees(math.atan((up[H1] - up[H0]) / flank)), 60.0, places=9)
        self.assertAlmostEqual(root[H1] - up[H0], pitch, places=9)
        self.assertAlmostEqual(teeth[4, H0], pitch, places=9)
        self.assertLessEqual(teeth[-1, H1], 12.0)
        self.assertEqual(len(made("thread-mill", teeth=1).cutting), 3)

    def test_what_does_not_fit_together_is_refused(self) -> None:
        for name, more, said in (
            ("taper-mill", {"corner_radius": 3}, "half the tip_diameter"), ("taper-mill", {"diameter": 3}, "small end"),
            ("centre-drill", {"pilot_diameter": 10}, "below diameter"), ("step-drill", {"steps": [[8, 9], [6, 14]]}, "must grow"),
            ("counterbore", {"pilot_length": None}, "both"), ("thread-mill", {"diameter": 1}, "too small for teeth"),
            ("boring-bar", {"shank_diameter": 10}, "must be below"), ("lollipop", {"shank_diameter": 12}, "must be below"),
            ("face-mill", {"angle": 45}, "inserts at 90°"), ("end-mill", {"core_diameter": 11}, "must not exceed diameter"),
            ("profile", {}, "needs its profile"),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(JobUnreadable, said):
                model_of(entry(name, **more), "tools.json", ToolEntry)

    def test_a_taper_without_a_diameter_is_as_wide_as_its_flutes_end(self) -> None:
        cutter = ToolEntry.model_validate(entry("taper-mill")).cutter
        self.assertAlmostEqual(widest(cutter), made("taper-mill").diameter, places=9)  # type: ignore[arg-type]


class Cuts(unittest.TestCase):
    def test_a_cone_that_goes_down_its_own_axis_in_any_direction(self) -> None:
        """A plunge along X of a tool that is a cone to its end, beside the same one upright: the same hole, turned."""
        for name in ("taper-mill", "spot-drill"):
            tool = made(name, **({"flute_length": 4} if name == "spot-drill" else {}))
            one = (np.zeros(1, np.int64), np.full(1, 1 << CUT), np.zeros(1, np.int32))
            upright, along_x = Stock(meshes.box([40, 40, 40]), 0.4), Stock(meshes.box([40, 40, 40]), 0.4)
            upright.cut(Batch(np.array([[0.0, 0.0, 18.0]]), np.array([[0.0, 0.0, -12.0]]), *one), ToolSets.of([tool]))
            axis = np.array([[1.0, 0.0, 0.0]])
            along_x.cut(
                TurnedBatch(18.0 * axis, -12.0 * axis, *one, axis, np.zeros((1, 3))), ToolSets.of([tool], facets=True)
            )
            self.assertAlmostEqual((64_000 - along_x.volume) / (64_000 - upright.volume), 1.0, delta=0.004)

    PATH = ((-24.0, -6.0, 6.0), (18.0, -6.0, 5.0), (18.0, 7.0, 5.0), (4.0, 3.0, 3.0), (4.0, 3.0, 16.0))

    def test_beside_booleans_of_faceted_sweeps(self) -> None:
        for name in (
            "taper-mill",
            "tapered ball",
            "tapered, then straight",
            "lollipop",
            "step-drill",
            "centre-drill",
            "thread-mill",
        ):
            with self.subTest(name):
                tool = made(name, **({"teeth": 2} if name == "thread-mill" else {}))
                stock = Stock(meshes.box([40, 30, 20]), 0.2)
                path = np.array(self.PATH)
                n = len(path) - 1
                stock.cut(Batch(path[:-1], np.diff(path, axis=0), np.zeros(n, np.int64), np.full(n, 1 << CUT), np.arange(n, dtype=np.int32)),
                          ToolSets.of([tool]))  # fmt: skip
                solid = manifold3d.Manifold.cube([40, 30, 20], True)
                for piece in tool.pieces()["cutter"]:  # a slab that narrows or widens is convex: its sweep is a hull
                    body = piece.vertices + [0, 0, tool.length]
                    for a, b in itertools.pairwise(path):
                        solid -= manifold3d.Manifold.hull_points(np.concatenate([body + a, body + b]))
                removed = 24_000 - solid.volume()
                self.assertAlmostEqual((24_000 - stock.volume) / removed, 1.0, delta=0.012)

    def test_a_milled_thread_is_as_deep_as_its_profile(self) -> None:
        """M20 × 1.5 in a bore of D1 = 20 − 2·5/8·H (ISO 68-1), by one tooth on a helix: what the second of two turns takes, Pappus'
        volume of the groove. (Where it enters and leaves the mill takes more than the groove: the first turn has that, too.)"""
        pitch, major, mill = 1.5, 20.0, 8.0
        depth = 0.625 * math.sqrt(3) / 2 * pitch
        minor = major - 2 * depth
        tool = made("thread-mill", diameter=mill, teeth=1, shank_diameter=5, flute_length=4)
        taken = []
        for turns in (1, 2):
            stock = Stock(meshes.tube(30, minor, 12), 0.1)
            before = stock.volume
            angle = np.radians(np.arange(0, 360 * turns + 1, 2.0))
            r = (major - mill) / 2
            path = np.column_stack([r * np.cos(angle), r * np.sin(angle), -3 + pitch * angle / (2 * math.pi)])
            n = len(path) - 1
            stock.cut(Batch(path[:-1], np.diff(path, axis=0), np.zeros(n, np.int64), np.full(n, 1 << CUT), np.arange(n, dtype=np.int32)),
                      ToolSets.of([tool]))  # fmt: skip
            taken.append(before - stock.volume)
        # A trapezium: crest P/8, foot P/8 + 2·depth·tan 30°, its centroid's distance from the foot by the handbook.
        foot, crest = pitch / 8 + 2 * depth * math.tan(math.radians(30)), pitch / 8
        area = (crest + foot) / 2 * depth
        centroid = minor / 2 + depth / 3 * (2 * crest + foot) / (crest + foot)
        self.assertAlmostEqual((taken[1] - taken[0]) / (2 * math.pi * centroid * area), 1.0, delta=0.02)


class Plunges(OnTheSlotJob):
    def tool(self, **cutter: Any) -> list[dict[str, Any]]:
        return [{**entry("end-mill", **cutter), "length": 92, "registers": {"H": 92}}]

    def plunged(self, tools: list[dict[str, Any]], program: str) -> list[Any]:
        return [f for f in self.found(HEAD + program + END, tools) if f.kind == "material.plunge"]

    def test_a_mill_with_an_open_centre(self) -> None:
        down, ramp = "G1 Z-2. F300.\n", "G0 Z0.5\nG1 X30. Z-2. F300.\n"
        open_ = self.tool(core_diameter=6)
        told = self.plunged(open_, down)
        self.assertEqual(([f.line for f in told], told[0].severity), ([7], "caution"))
        self.assertEqual(self.plunged(self.tool(), down), [])  # it cuts at its centre
        self.assertEqual(self.plunged(open_, ramp), [])  # 4.8°
        self.assertEqual(len(self.plunged(self.tool(core_diameter=6, ramp_angle=3), ramp)), 1)
        self.assertEqual(self.plunged(open_, "X-80.\n" + down), [])  # beside the work

    def test_where_it_is_bored_it_goes_down(self) -> None:
        drill = {
            "number": 2,
            "length": 80,
            "registers": {"H": 80},
            "cutter": {"type": "drill", "diameter": 6.8, "flute_length": 40, "reach": 44},
        }
        tap = {**entry("tap", diameter=8, pitch=1.25, shank_diameter=6), "length": 92, "registers": {"H": 92}}
        home = "G80 G0 Z50.\nG91 G28 Z0.\n"
        bored = "T2 M6\nG90 G54 G0 X0 Y0 S900 M3\nG43 H2 Z5.\nG81 Z-20. R3. F100.\n"
        hole = home + bored + home + "T1 M6\nG90 G54 G0 X0 Y0 S300 M3\nG43 H1 Z5.\n"
        tapping = "M29 S300\nG84 Z-12. R4. F375.\nG80\n"
        self.assertEqual(len(self.plunged([tap, drill], tapping)), 1)
        self.assertEqual(self.plunged([tap, drill], hole + tapping), [])
        # ISO 68-1: the hole of M8 is 8 − 1.0825 · 1.25 = 6.647 wide; 6.5 is too narrow.
        narrow = {**drill, "cutter": {**drill["cutter"], "diameter": 6.5}}
        self.assertEqual(len(self.plunged([tap, narrow], hole + tapping)), 1)


class FormTools(WithFolder):
    def job(self, draw: Any) -> Path:
        drawing = ezdxf.new()
        drawing.header["$INSUNITS"] = 4
        draw(drawing.modelspace())
        source = Path(__file__).parent / "jobs" / "slot-clear"
        for file in source.iterdir():
            if file.is_file():
                (self.folder / file.name).write_bytes(file.read_bytes())
        drawing.saveas(self.folder / "form.dxf")
        tools = json.loads((self.folder / "tools.json").read_text())
        cutter = {"type": "profile", "file": "form.dxf", "reach": 32, "shank_diameter": 10}
        tools["tools"][0]["cutter"] = cutter
        (self.folder / "tools.json").write_text(json.dumps(tools))
        return self.folder

    def test_out_of_a_drawing(self) -> None:
        # A quarter-round of r 3 on a pilot of r 2: the whole section, drawn on both sides of the axis, its foot at y = 7.
        def draw(space: Any) -> None:
            half = [(0, 7), (2, 7), (2, 10), (5, 13), (5, 20), (0, 20)]
            space.add_lwpolyline([*half, *((-x, y) for x, y in reversed(half))], close=True)

        job = open_job(self.job(draw))
        self.assertEqual(job.tools.tools[0].cutter.profile, [(2.0, 0.0), (2.0, 3.0), (5.0, 6.0), (5.0, 13.0)])  # type: ignore[union-attr]
        cut = rehearse(job).stocks[0]
        self.assertLess(cut.volume_after, cut.volume_before)

    def test_a_form_that_no_tool_has_is_refused(self) -> None:
        def hook(space: Any) -> None:
            space.add_lwpolyline([(0, 0), (2, 0), (2, 9), (5, 6), (5, 12), (0, 12)], close=True)

        with self.assertRaisesRegex(
            JobUnreadable, r"T1\.cutter\.file: form\.dxf: the outside of the profile goes down"
        ):
            open_job(self.job(hook))


if __name__ == "__main__":
    unittest.main()
