"""Outlines out of DXF drawings, written here by ezdxf: against shapely's areas and closed forms."""

import math
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import ezdxf
from shapely.geometry import Polygon

from bluntmirror.geometry.drawing import read_outline, read_profile
from bluntmirror.geometry.meshfile import MeshUnreadable

from .machines import job_on
from .test_machine import WithFolder

Draw = Callable[[Any], object]


class Drawings(WithFolder):
    def drawn(self, *draw: Draw, units: int = 4) -> Path:
        drawing = ezdxf.new(units=units)
        for one in draw:
            one(drawing.modelspace())
        path = self.folder / "holder.dxf"
        drawing.saveas(path)
        return path

    def test_lines_and_an_arc_that_nearly_meet_make_the_right_half(self) -> None:
        path = self.drawn(
            lambda m: m.add_line((0, 0.001), (10, 0)), lambda m: m.add_line((10, 20), (10.002, 0)),
            lambda m: m.add_arc((10, 25), 5, 270, 90), lambda m: m.add_line((10, 30), (0, 30)), lambda m: m.add_text("holder"),
        )  # fmt: skip
        half = Polygon(read_profile(path))
        self.assertAlmostEqual(half.area, 10 * 30 + math.pi * 25 / 2, delta=0.1)
        self.assertEqual(half.bounds[0], 0.0)

    def test_of_a_whole_section_the_right_half_counts_and_inches_are_inches(self) -> None:
        path = self.drawn(lambda m: m.add_lwpolyline([(-1, 0), (1, 0), (1, 2), (-1, 2)], close=True), units=1)
        self.assertAlmostEqual(Polygon(read_profile(path)).area, 25.4 * 50.8, places=6)
        self.assertAlmostEqual(Polygon(read_outline(path)).area, 50.8 * 50.8, places=6)

    def test_curves_of_every_kind(self) -> None:
        ellipse = read_outline(self.drawn(lambda m: m.add_ellipse((5, 5), (30, 0), 0.5)))
        self.assertAlmostEqual(Polygon(ellipse).area, math.pi * 30 * 15, delta=0.4)
        spline = read_outline(
            self.drawn(lambda m: m.add_spline([(0, 0), (10, 8), (20, 0)]), lambda m: m.add_line((0, 0), (20, 0)))
        )
        self.assertGreater(Polygon(spline).area, 80)

    def test_what_is_not_one_outline_is_refused(self) -> None:
        def circle(m: Any, x: float = 0, r: float = 3) -> None:
            m.add_circle((x, 0), r)

        for draw, said in (
            ([lambda m: m.add_line((0, 0), (5, 5))], "nothing in the drawing is closed"),
            ([circle, lambda m: circle(m, 20)], "more than one outline"),
            ([circle, lambda m: circle(m, 0, 1)], "inside another"),
            ([lambda m: m.add_shape("A")], "SHAPE, which is no curve"),
            ([lambda m: m.add_line((0, 0, 0), (5, 0, 7))], "leaves its plane"),
        ):
            with self.subTest(said), self.assertRaisesRegex(MeshUnreadable, said):
                read_outline(self.drawn(*draw))
        for content in (b"garbage", b"\0\xff" * 500, b""):
            (self.folder / "holder.dxf").write_bytes(content)
            with self.subTest(content[:8]), self.assertRaises(MeshUnreadable):
                read_outline(self.folder / "holder.dxf")

    def test_a_damaged_number_is_told_and_not_guessed(self) -> None:
        path = self.drawn(lambda m: m.add_lwpolyline([(0, 0), (43.25, 0), (43.25, 30), (0, 30)], close=True))
        sound = path.read_bytes()
        self.assertAlmostEqual(Polygon(read_outline(path)).area, 43.25 * 30, places=6)
        for damaged in (b"43.2;5", b"4x3.25", b"43.25\x82"):
            path.write_bytes(sound.replace(b"43.25", damaged))
            with self.subTest(damaged), self.assertRaisesRegex(MeshUnreadable, "a number of the drawing is damaged"):
                read_outline(path)

    def test_whatever_is_lost_of_a_file_it_is_refused_by_the_reader_or_read(self) -> None:
        sound = self.drawn(
            lambda m: m.add_lwpolyline([(0, 0), (40, 0, 0.4), (40, 30)], format="xyb", close=True), lambda m: m.add_spline([(70, 0), (75, 5), (80, 0)]),
            lambda m: m.add_text("ear"),
        ).read_text().split("\n")  # fmt: skip
        path = self.folder / "holder.dxf"
        for at in range(0, len(sound), 67):
            for lost in (1, 2):
                path.write_text("\n".join(sound[:at] + sound[at + lost :]))
                with self.subTest(at=at, lost=lost), suppress(MeshUnreadable):
                    read_outline(path)

    def test_a_small_file_that_would_become_a_huge_drawing_is_refused(self) -> None:
        def nested(depth: int, leaf: bool) -> Draw:
            def draw(m: Any) -> None:
                blocks = m.doc.blocks
                if leaf:
                    blocks.new("B0").add_circle((0, 0), 3)
                else:
                    blocks.new("B0")
                for level in range(1, depth):
                    block = blocks.new(f"B{level}")
                    for _ in range(10):
                        block.add_blockref(f"B{level - 1}", (0, 0))
                m.add_blockref(f"B{depth - 1}", (0, 0))

            return draw

        def rows(count: int) -> Draw:
            def draw(m: Any) -> None:
                m.doc.blocks.new("HOLE").add_circle((0, 0), 3)
                m.add_blockref(
                    "HOLE",
                    (0, 0),
                    dxfattribs={"row_count": count, "column_count": count, "row_spacing": 9, "column_spacing": 9},
                )

            return draw

        def texts(m: Any) -> None:
            block = m.doc.blocks.new("NOTES")
            for _ in range(100):
                block.add_text("note")
            m.add_blockref("NOTES", (0, 0), dxfattribs={"row_count": 9_000, "row_spacing": 9})

        for name, draw, said in (
            ("rows", rows(30_000), "more than 10,000 parts"), ("one row more", rows(101), "more than 10,000 parts"),
            ("blocks in blocks", nested(12, True), "parts"), ("empty blocks in blocks", nested(12, False), "parts"),
            ("texts", texts, "more than 10,000 parts"), ("an arc without end", lambda m: m.add_circle((0, 0), 1e12), "too far away"),
            ("points", lambda m: [m.add_circle((0, y), 9e4) for y in range(100)], "more than 200,000 points"),
            ("a hatch", lambda m: [m.add_line(*at) for i in range(400) for at in (((i, -1), (i, 400)), ((-1, i), (400, i)))], "cross"),
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(MeshUnreadable, said):
                read_outline(self.drawn(draw))

        def dimensioned(m: Any) -> None:
            rows(1)(m)
            dimension = m.add_linear_dim(base=(0, 20), p1=(-3, 0), p2=(3, 0)).render().dimension
            block = dimension.get_geometry_block()
            block.add_lwpolyline([(50, 0), (60, 0), (60, 9)], close=True)
            block.add_blockref(
                "HOLE",
                (0, 0),
                dxfattribs={"row_count": 30_000, "column_count": 30_000, "row_spacing": 9, "column_spacing": 9},
            )

        for name, draw in (
            ("once", rows(1)),
            ("a dimension's lines are none of it", dimensioned),
            ("a thousand times in one place", nested(4, True)),
        ):
            with self.subTest(name):
                self.assertAlmostEqual(Polygon(read_outline(self.drawn(draw))).area, math.pi * 9, delta=0.1)

    def test_a_holder_out_of_a_drawing_is_the_turned_body(self) -> None:
        self.drawn(lambda m: m.add_lwpolyline([(0, -60), (20, -60), (30, -20), (30, 0), (0, 0)], close=True))
        tool = {
            "number": 1, "length": 100, "holder": {"shapes": [{"type": "revolve", "file": "holder.dxf"}]},
            "cutter": {"type": "end-mill", "diameter": 10, "flute_length": 25, "reach": 40},
        }  # fmt: skip
        job = job_on(self.folder, "trunnion", "M30\n", tools=[tool])
        (holder,) = job.solid(job.tools.tools[0].holder.shapes, "holder")
        cone = math.pi * 40 / 3 * (20**2 + 20 * 30 + 30**2)  # a frustum's volume, π·h/3·(r² + r·R + R²)
        self.assertAlmostEqual(holder.volume / (cone + math.pi * 30**2 * 20), 1.0, delta=0.01)
