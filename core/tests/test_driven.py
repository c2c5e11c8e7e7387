"""Cutters that turn by themselves while the work turns, too: what they take off are rings, in closed form (Pappus)."""

import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.job.models import ToolEntry
from bluntmirror.material.cut_kernel import CUT, TEST_SHANK
from bluntmirror.material.stock import ToolSets
from bluntmirror.rehearsal import Rehearsal, rehearse
from bluntmirror.rehearsal.rings import AGAINST, ALONG, OUTWARDS, driven, splits, stand_of
from bluntmirror.tools import build_assembly

from .channels import channels_job, swivelling
from .machines import Json
from .test_machine import WithFolder

MILL: Json = {
    "number": 1,
    "length": 150,
    "cutter": {"type": "end-mill", "diameter": 8, "flute_length": 12, "reach": 60},
}
BALL: Json = {**MILL, "cutter": {"type": "ball-mill", "diameter": 8, "flute_length": 12, "reach": 60}}
R = 30.0  # of the bar, which reaches from 0 to 150 along its axis; the program's X is away from the axis, Z 0 its face


class WorkThatTurns(WithFolder):
    def run_with(
        self, program: str, tool: Json = MILL, turns: str = "M80\nS800 M3\nM79\nS5000 M3\n", **more: Any
    ) -> Rehearsal:
        head = f"G17 G21 G40 G49 G80 G90 G94\nG28 X0 Y0 Z0\nT1 M6\n{turns}G54\n"
        end = "G0 X120\nG49\nM5\nM80\nM5\nM30\n"
        options = {"checks": {"resolution": 0.5, "near": 0}} | more
        return rehearse(channels_job(self.folder, swivelling(), {1: head + program + end, 2: "M30\n"}, tools=[tool],
                                     dialects={1: "iso-mill"}, **options))  # fmt: skip

    def taken(self, result: Rehearsal, *told: str) -> float:
        self.assertEqual([f"{f.kind} {f.message}" for f in result.findings if f.kind not in told], [])
        return result.stocks[0].volume_before - result.stocks[0].volume_after

    def test_a_groove_across_the_axis(self) -> None:
        # Flat: width 8, from r 30 to r 25. Ball: the cap that stands below r 30, turned about the axis by Pappus.
        result = self.run_with("G43.4 H1 G0 X40 Y0 Z-30 B0\nG1 X25 F100\n")
        self.assertAlmostEqual(
            self.taken(result), math.pi * (R**2 - 25**2) * 8, delta=0.003 * math.pi * (R**2 - 25**2) * 8
        )
        depth, r = 3.0, 4.0
        half = math.acos((r - depth) / r)
        area = r * r * (half - math.sin(half) * math.cos(half))
        centroid = (R - depth + r) - 2 * r * math.sin(half) ** 3 / (3 * (half - math.sin(half) * math.cos(half)))
        result = self.run_with("G43.4 H1 G0 X40 Y0 Z-30 B0\nG1 X27 F100\n", BALL)
        self.assertAlmostEqual(
            self.taken(result), 2 * math.pi * centroid * area, delta=0.01 * 2 * math.pi * centroid * area
        )

    def test_a_groove_in_the_face_and_a_way_that_passes_beside_the_axis(self) -> None:
        result = self.run_with("G43.4 H1 G0 X90 Y0 Z60 B-90\nX20 Y0 Z10\nG1 Z-5 F100\nG0 Z10\n")
        self.assertAlmostEqual(
            self.taken(result), math.pi * (24**2 - 16**2) * 5, delta=0.003 * math.pi * (24**2 - 16**2) * 5
        )
        # Along Y at X 10 from −18 to 18: from 6 at the nearest to √(10² + 18²) + 4 at the ends.
        result = self.run_with("G43.4 H1 G0 X90 Y0 Z60 B-90\nX10 Y-18 Z10\nG1 Z-5 F100\nY18\nG0 Z10\n")
        expected = math.pi * ((math.hypot(10, 18) + 4) ** 2 - 6**2) * 5
        self.assertAlmostEqual(self.taken(result), expected, delta=0.003 * expected)
        # Through the axis everything out to the ends goes.
        result = self.run_with("G43.4 H1 G0 X90 Y0 Z60 B-90\nX10 Y0 Z10\nG1 Z-5 F100\nX-14\nG0 Z10\n")
        self.assertAlmostEqual(self.taken(result), math.pi * 18**2 * 5, delta=0.003 * math.pi * 18**2 * 5)

    def test_a_shank_meets_what_its_flutes_have_not_cut(self) -> None:
        deep = "G43.4 H1 G0 X40 Y0 Z-30 B0\nG1 X{} F100\n"
        self.taken(self.run_with(deep.format(R - 11)))
        slim = {**MILL, "cutter": {**MILL["cutter"], "shank_diameter": 12}}
        found = self.run_with(deep.format(R - 14), slim).findings
        self.assertEqual([f.kind for f in found], ["contact.shank"])
        self.assertAlmostEqual(found[0].amount, 2.0, delta=0.05)  # it stands 2 mm too deep and 2 mm too wide

    def test_a_tool_that_stands_beside_work_that_turns_is_contact(self) -> None:
        found = self.run_with("G43.4 H1 G0 X40 Y0 Z-30 B0\nG1 X25 F100\n", turns="M80\nS800 M3\nM79\n").findings
        self.assertIn("contact.still", [f.kind for f in found])
        found = self.run_with("G43.4 H1 G0 X40 Y0 Z-30 B0\nG0 X25\n").findings
        self.assertIn("contact.rapid", [f.kind for f in found])

    def test_a_stand_that_is_not_worked_out_is_told(self) -> None:
        for program in ("G43.4 H1 G0 X40 Y0 Z-30 B-40\nG1 X25 F100\n", "G43.4 H1 G0 X40 Y2 Z-30 B0\nG1 X25 F100\n"):
            found = self.run_with(program).findings
            self.assertEqual([f.kind for f in found], ["check.limit"], program)


class Pieces(unittest.TestCase):
    """What a driven tool covers in z and r, against its own points: every place of its axis and rim on the true way."""

    @settings(max_examples=60)
    @given(
        st.tuples(*[st.floats(-40, 40) for _ in range(6)]), st.sampled_from([ALONG, AGAINST, OUTWARDS]), st.floats(0, 360),
        st.floats(0, 1), st.floats(0, 1), st.floats(-1, 1),
    )  # fmt: skip
    def test_the_rings_of_all_pieces_cover_what_the_tool_does_and_hardly_more(
        self, ends: tuple[float, ...], stand: int, round_: float, share: float, height: float, rim: float
    ) -> None:
        tool = build_assembly(ToolEntry.model_validate(MILL))
        slabs = ToolSets.of([tool])
        turn = math.radians(round_)
        axis = {ALONG: [0, 0, 1.0], AGAINST: [0, 0, -1.0], OUTWARDS: [math.cos(turn), math.sin(turn), 0.0]}[stand]
        start, stop = np.array(ends[:3]), np.array(ends[3:])
        if stand == OUTWARDS:  # in the plane through the axis
            start, stop = (np.array([p[0] * axis[0], p[0] * axis[1], p[2]]) for p in (start, stop))
        axes, centre = np.array([axis]), np.zeros(3)
        self.assertEqual(stand_of(start[None], axes, np.zeros((1, 3)), centre)[0], stand)
        count = int(splits(start[None], (stop - start)[None], np.array([stand]), axes, np.array([12.0]), centre)[0])
        at = np.linspace(0, 1, count + 1)[:, None]
        places = start + at * (stop - start)
        n = count
        rings = driven({1: tool}, np.ones(n, np.int64), np.full(n, stand), places[:-1], np.diff(places, axis=0),
                       np.repeat(axes, n, axis=0), slabs, centre)  # fmt: skip
        (outline,) = rings.sets.outlines_of(0, CUT)
        self.assertEqual(len(rings.sets.outlines_of(0, TEST_SHANK)), 1)
        # A point of the cutter's section, at a share of the way: the section lies in the plane of the spindle and the tool's axis.
        tip = start + share * (stop - start)
        out = tip[:2] / max(np.hypot(*tip[:2]), 1e-12) if stand != OUTWARDS else np.array(axis[:2])
        h, rho = 12.0 * height, 4.0 * rim
        point = (
            tip + h * np.array(axis) + (np.array([*(rho * out), 0.0]) if stand != OUTWARDS else np.array([0, 0, rho]))
        )
        z, r = point[2], float(np.hypot(*point[:2]))
        piece = min(int(share * count), count - 1)
        of = share * count - piece
        corner = rings.start[piece] + of * rings.delta[piece]
        gap = min(
            max(outline[:, 0].min() + corner[0] - z, z - outline[:, 0].max() - corner[0],
                outline[:, 1].min() + corner[1] - side, side - outline[:, 1].max() - corner[1])
            for side in (r, -r)
        )  # fmt: skip
        self.assertLess(gap, 0.0021)
        true = math.hypot(*tip[:2]) if stand != OUTWARDS else abs(float(tip[:2] @ axis[:2]))
        self.assertAlmostEqual(abs(corner[1]), true, delta=0.0021)


if __name__ == "__main__":
    unittest.main()
