"""What a machine does besides X Y Z in a row: slides moved together, tables that index, quills, axes sent by a code."""

import json
import math

import numpy as np

from bluntmirror.job import JobUnreadable
from bluntmirror.machine import Chain
from bluntmirror.program.motions import ARC
from bluntmirror.rehearsal import check_program, rehearse
from bluntmirror.rehearsal.travel import extremes, ranges
from bluntmirror.timeline.reel import arc_points

from .machines import Json, box, horizontal, job_on, linear, link, machine
from .test_lathe import BAR, lathe
from .test_lathe import TOOLS as TURNING_TOOLS
from .test_machine import WithFolder

SLANT = math.radians(30.0)
HEAD = "G21 G17 G40 G49 G80 G90 G54\nT1 M6\nS3000 M3\n"


def slanted(square: bool = False) -> Json:
    """X carries a wedge at 30°: the control makes Y of both. `square`: the same machine with a Y slide of its own."""
    wedge = linear("Y", [math.sin(SLANT), math.cos(SLANT), 0], moved_by={"Y": 1 / math.cos(SLANT)})
    under = linear("X", [1, 0, 0], travel=[-50, 50], moved_by={"X": 1.0, "Y": -math.tan(SLANT)})
    return machine("slanted", "XYZ", [
        link("bed"), link("post", "bed", None, box(30, 30, 200, at=(70, 60, 100))),
        link("slide", "bed", linear("X", [1, 0, 0], travel=[-50, 50]) if square else under),
        link("wedge", "slide", linear("Y", [0, 1, 0]) if square else wedge),
        link("head", "wedge", linear("Z", [0, 0, 1]), box(60, 60, 100, at=(0, 0, 330))),
    ], {"link": "head", "at": [0, 0, 280]}, {"link": "bed"})  # fmt: skip


class Slides(WithFolder):
    def test_y_of_two_slanted_slides_goes_square(self) -> None:
        chain = Chain(job_on(self.folder, slanted(), HEAD + "M30\n").machine)
        values = np.array([[10.0, 20.0, -30.0], [-7.0, 44.0, 5.0]])
        np.testing.assert_allclose(chain.pose("head", values)[:, :3, 3], values, atol=1e-12)

    def test_travel_and_speed_are_those_of_the_slides(self) -> None:
        program = HEAD + "G43 H1 G53 G0 X0 Y100\nG53 G1 Y0 F99999\nM30\n"
        result = rehearse(job_on(self.folder, slanted(), program))
        over = [f for f in result.findings if f.kind == "travel.over" and f.axis == "X"]
        # Y 100 draws X's slide back by 100·tan 30°, past its 50.
        self.assertEqual([(f.line, round(f.amount, 6)) for f in over], [(4, round(100 * math.tan(SLANT) - 50, 6))])
        assert result.reel
        feed = result.reel.motions.kind == 1
        self.assertAlmostEqual(float(result.reel.v_peak[feed].max()), 500 * math.cos(SLANT), places=6)

    def test_a_circle_asks_more_of_the_slide_than_its_radius(self) -> None:
        program = HEAD + "G43 H1 G53 G0 X40 Y0\nG91 G3 I-40 F2000\nM30\n"
        result = check_program(job_on(self.folder, slanted(), program))
        assert result.reel
        slide = next(r for r in ranges(result.strands) if r.axis == "X")
        # x − y·tan 30° round a circle of 40: amplitude 40·√(1 + tan² 30°).
        self.assertAlmostEqual(slide.low, -40 * math.hypot(1, math.tan(SLANT)), places=9)

    def test_arcs_and_helices_in_every_plane_against_their_own_points(self) -> None:
        moved = slanted()
        moved["links"][2]["joint"] |= {"travel": [-500, 500], "moved_by": {"X": 1.0, "Y": -0.6, "Z": 0.35}}
        program = HEAD + "G43 H1 G53 G0 X0 Y0 Z0\n" + "".join(
            f"{plane} G91 {turn} {end} R{radius} F900\n"
            for plane, first, second, third in (("G17", "X", "Y", "Z"), ("G18", "Z", "X", "Y"), ("G19", "Y", "Z", "X"))
            for turn in ("G2", "G3") for radius in (21.0, -21.0)
            for end in (f"{first}12 {second}-9", f"{first}-7 {second}3 {third}19", f"{first}-5 {second}6 {third}-240")
        )  # fmt: skip
        for data in (moved, slanted(square=True)):
            result = check_program(job_on(self.folder, data, program + "M30\n"))
            reel = result.reel
            assert reel
            low, high = extremes(reel)
            arcs = np.flatnonzero(reel.motions.kind == ARC)
            self.assertEqual(len(arcs), 36)
            for row in arcs:
                points = (
                    arc_points(reel.motions, int(row), reel.motions.begin[row], np.linspace(0, 1, 20_001)) @ reel.slides
                )
                np.testing.assert_allclose(low[row], points.min(axis=0), atol=2e-5, err_msg=str(row))
                np.testing.assert_allclose(high[row], points.max(axis=0), atol=2e-5, err_msg=str(row))

    def test_contact_is_that_of_the_square_machine(self) -> None:
        program = HEAD + "G43 H1 G53 G0 X20 Y-40 Z-180\nG53 G1 X-10 Y40 F3000\nG53 G1 X48 Y20\nM30\n"
        margins = []
        for square in (True, False):
            result = rehearse(job_on(self.folder, slanted(square), program, tools=[]))
            margins.append({(m.a, m.b): m.clearance for m in result.margins})
        self.assertEqual(set(margins[0]), set(margins[1]))
        for pair, clearance in margins[0].items():
            self.assertAlmostEqual(margins[1][pair], clearance, places=5, msg=str(pair))

    def test_a_slide_moved_by_what_is_no_axis_is_refused(self) -> None:
        wrong = slanted()
        wrong["links"][2]["joint"]["moved_by"] = {"X": 1, "Q": 0.5}
        with self.assertRaisesRegex(JobUnreadable, "moved_by names Q"):
            job_on(self.folder, wrong, HEAD)
        wrong["links"][2]["joint"]["moved_by"] = {"Y": 0.5}
        with self.assertRaisesRegex(JobUnreadable, "own axis"):
            job_on(self.folder, wrong, HEAD)


class Indexing(WithFolder):
    def findings(self, program: str) -> list[tuple[str, int, float]]:
        data = horizontal()
        next(x for x in data["links"] if x["name"] == "pallet")["joint"]["step"] = 5
        result = rehearse(job_on(self.folder, data, HEAD + program))
        return [(f.kind, f.line, round(f.amount, 6)) for f in result.findings]

    def test_between_two_positions_and_in_a_cut_it_cannot_stand(self) -> None:
        self.assertEqual(self.findings("G0 B90\nB85\nM30\n"), [])
        self.assertEqual(self.findings("G0 B92.5\nB90\nM30\n"), [("travel.reach", 4, 2.5)])
        self.assertEqual(self.findings("G43 H1 G0 B90\nG1 B95 F500\nM30\n"), [("travel.reach", 5, 0.0)])

    def test_a_quill_is_an_axis_of_its_own(self) -> None:
        data = horizontal()
        data["links"].append(link("quill", "head", linear("W", [0, 0, 1], travel=[-100, 0])))
        data["mounts"][0] |= {"link": "quill"}
        data["channels"][0]["axes"].append("W")
        data["reference"]["1"]["W"] = 0
        result = rehearse(job_on(self.folder, data, HEAD + "G0 W-60\nG91 W-50\nM30\n"))
        self.assertEqual([(f.kind, f.axis, f.line, f.amount) for f in result.findings], [("travel.over", "W", 5, 10.0)])
        # Z and W lead the same way: the gauge point stands 60 nearer.
        chain, zero = result.chain, np.zeros((2, 5))
        zero[1, chain.axes.index("W")] = -60
        moved = np.diff(chain.tool_in_work(chain.mount_of("tool"), chain.mount_of("work"), zero)[:, :3, 3], axis=0)[0]
        np.testing.assert_allclose(moved, [0, 0, -60], atol=1e-12)


class SentByCode(WithFolder):
    def job(self, program: str):  # type: ignore[no-untyped-def]
        data = json.loads(json.dumps(lathe()))
        data["links"].append(link("quill", "bed", linear("TAIL", [1, 0, 0], travel=[-350, 0]),
                                  {"type": "cylinder", "diameter": 20, "length": 60, "at": [450, 0, 0], "turn": [0, 90, 0]}))  # fmt: skip
        data["channels"][0]["axes"].append("TAIL")
        data["reference"]["1"]["TAIL"] = 0
        data["codes"] |= {
            "M21": {"does": "move", "axis": "TAIL", "to": -310},
            "M22": {"does": "move", "axis": "TAIL", "to": -340},
        }
        return job_on(self.folder, data, "G21 G40 G99\nG28 U0 W0\n" + program, programs=[{"main": "O1.nc", "dialect": "iso-turn"}],
                      tools=TURNING_TOOLS, bodies=[BAR], work_offsets={"G54": {"datum": [0, 0, 100], "mount": "chuck"}})  # fmt: skip

    def test_a_quill_forward_stops_short_of_the_bar_or_runs_into_it(self) -> None:
        result = rehearse(self.job("M21\nM30\n"))  # its end at 420 − 310 = 110, the bar ends at 100
        self.assertEqual([f.kind for f in result.findings], [])
        assert result.reel
        column = result.reel.motions.axes.index("TAIL")
        self.assertEqual(result.reel.motions.end[-1, column], -310)
        self.assertGreater(result.reel.seconds, 310 / 500)
        result = rehearse(self.job("M22\nM30\n"))
        self.assertEqual(
            [(f.kind, f.line, f.bodies) for f in result.findings], [("contact.shank", 3, ("quill", "bar"))]
        )


class StickOut(WithFolder):
    def test_what_reach_suffices_is_how_deep_the_tip_goes_below_the_blanks_top_along_the_tool(self) -> None:
        blank = {
            "name": "blank",
            "role": "stock",
            "mount": "table",
            "shape": {"type": "box", "size": [40, 60, 40]},
            "at": [0, 0, 0],
        }
        cut = "G43 H1 G0 X-40 Y0 Z50\nG1 Z{z} F500\nX40\nG0 Z80\n"
        # Turned by 45° about Y, the edge of the 40 mm square stands 20·√2 before the middle.
        for z, turned, needed in ((20 - 12, "", 12.0), (20 - 7.5, "G0 B45\n", 20 * math.sqrt(2) - 12.5)):
            program = HEAD + turned + cut.format(z=z) + "M30\n"
            job = job_on(self.folder, "horizontal", program, bodies=[blank], checks={"resolution": 1})
            result = rehearse(job)
            (stock,) = result.stocks
            self.assertEqual(set(stock.reach_needed), {1})
            self.assertAlmostEqual(stock.reach_needed[1], needed, places=6)
