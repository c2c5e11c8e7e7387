"""Every kind of finding that a three-axis job can bring about, on the worked slot job: kind, severity, line, amount.

Program zero is the middle of the blank's top. The blank reaches from Z−25 to Z0, X±70, Y±50; under it the vise, X±100,
Y±60, down from Z−25; under that the table's top at Z−65. T1 is a flat D10, flutes 22, reach 32, holder D42, length 92.
"""

import json
import math
import tempfile
import unittest
from pathlib import Path

from bluntmirror.findings import CATALOGUE, Finding
from bluntmirror.job import open_job
from bluntmirror.rehearsal import rehearse

from .build import HEAD, slot_job

END = "G0 Z20.\nG91 G28 Z0.\nG28 X0. Y0.\nM30\n"
T1 = {
    "number": 1, "length": 92, "registers": {"H": 92},
    "cutter": {"type": "end-mill", "diameter": 10, "flute_length": 22, "reach": 32, "shank_diameter": 10},
    "holder": {"segments": [{"diameter": 42, "length": 60}]},
}  # fmt: skip


class OnTheSlotJob(unittest.TestCase):
    def setUp(self) -> None:
        keep = tempfile.TemporaryDirectory()
        self.addCleanup(keep.cleanup)
        self.folder = Path(keep.name)

    def found(
        self, program: str, tools: list[dict] | None = None, machine: dict | None = None, **job: object
    ) -> list[Finding]:
        slot_job(self.folder, program, **job)
        if tools:
            (self.folder / "tools.json").write_text(json.dumps({"format": "blunt-mirror/tools@1", "tools": tools}))
        if machine:
            file = self.folder / "machine.json"
            file.write_text(json.dumps({**json.loads(file.read_text()), **machine}))
        return rehearse(open_job(self.folder)).findings

    def expect(self, program: str, *wanted: tuple[str, int, float], **more: object) -> list[Finding]:
        """Exactly these findings, as (kind, line, amount), each with its catalogue's severity."""
        found = self.found(program, **more)  # type: ignore[arg-type]
        told = [(f.kind, f.line, round(f.amount, 2)) for f in found]
        self.assertEqual(told, [(k, n, round(a, 2)) for k, n, a in wanted], [f.message for f in found])
        for item in found:
            if item.kind not in ("program.word", "program.macro"):
                self.assertEqual(item.severity, CATALOGUE[item.kind].severity)
            self.assertTrue(item.message and item.remedy)
        return found


class Cutting(OnTheSlotJob):
    SLOT = "G0 X-80.\nG1 Z{z} F2000.\nX80. F800.\n"  # lines 7, 8, 9

    def test_a_plain_slot_brings_nothing(self) -> None:
        self.expect(HEAD + self.SLOT.format(z=-5) + END)

    def test_spindle_still_or_wrong_way(self) -> None:
        for spindle in ("M5", "M4", ""):
            self.expect(HEAD.replace("M3", spindle) + self.SLOT.format(z=-5) + END, ("contact.still", 9, 5.0))
        left = {**T1, "cutter": {**T1["cutter"], "hand": "left"}}
        self.expect(HEAD.replace("M3", "M4") + self.SLOT.format(z=-5) + END, tools=[left])
        self.expect(HEAD + self.SLOT.format(z=-5) + END, ("contact.still", 9, 5.0), tools=[left])

    def test_rapid_through_the_blank(self) -> None:
        found = self.expect(HEAD + "G0 X-80.\nZ-4.\nX0.\n" + END, ("contact.rapid", 9, 4.0))
        self.assertIn("blank", found[0].bodies)
        x, _, z = found[0].point or (0, 0, 0)
        self.assertAlmostEqual(x, 305 + 5, delta=0.1)
        self.assertTrue(61 - 0.02 <= z <= 65 + 0.02)

    def test_a_rapid_through_air_beside_or_over_the_blank_brings_nothing(self) -> None:
        self.expect(HEAD + "G0 X-80.\nZ-4.\nY60.\nX80.\nZ0.02\nX-80. Y0.\n" + END, ("program.order", 9, 4.0))
        self.expect(HEAD + "G1 Z10. F900.\nG0 X-75.1\nZ-4.\nY60.\nZ0.02\nX80. Y0.\n" + END)

    def test_shank_through_uncut_stock(self) -> None:
        # 24 deep in one pass: the flutes end 2 mm below the top, and the shank ploughs through what is over them.
        found = self.expect(HEAD + self.SLOT.format(z=-24) + END, ("contact.shank", 9, 2.0))
        self.assertEqual(found[0].bodies, ("T1 shank", "blank"))
        # The shank comes to the blank's end, X−70, when the tip's middle is at X−75; the place stands where the table then
        # has it: the spindle at (305, 205), so 5 mm in front of it.
        x, y, _ = found[0].point or (0, 0, 0)
        self.assertAlmostEqual(x, 305 + 5, delta=0.1)
        self.assertAlmostEqual(y, 205, delta=0.5)

    def test_deeper_than_the_flutes_along_a_wall_that_is_cut(self) -> None:
        levels = "".join(f"G1 Z{z} F2000.\nX{x}. F800.\n" for z, x in ((-10, 80), (-20, -80), (-24, 80)))
        (found,) = self.found(HEAD + "G0 X-80.\n" + levels + END)
        self.assertEqual((found.kind, found.line, found.severity), ("material.depth", 13, "caution"))

    def test_a_neck_keeps_the_wall_free(self) -> None:
        necked = {**T1, "cutter": {**T1["cutter"], "shank_diameter": 9.4}}
        levels = "".join(f"G1 Z{z} F2000.\nX{x}. F800.\n" for z, x in ((-10, 80), (-20, -80), (-24, 80)))
        self.expect(HEAD + "G0 X-80.\n" + levels + END, tools=[necked])

    def test_holder_into_the_wall_of_the_slot(self) -> None:
        short = {**T1, "cutter": {**T1["cutter"], "flute_length": 12, "reach": 12}}
        levels = "".join(f"G1 Z{z} F2000.\nX{x}. F800.\n" for z, x in ((-6, 80), (-12, -80), (-15, 80)))
        found = self.expect(HEAD + "G0 X-80.\n" + levels + END, ("contact.shank", 12, 3.0), tools=[short])
        self.assertEqual(found[0].bodies, ("T1 holder", "blank"))

    def test_near_stock_only_when_asked(self) -> None:
        # Tip at −20 and reach 20.5: the holder passes half a millimetre over the blank.
        close = {**T1, "cutter": {**T1["cutter"], "flute_length": 20.5, "reach": 20.5}}
        levels = "".join(f"G1 Z{z} F2000.\nX{x}. F800.\n" for z, x in ((-10, 80), (-20, -80)))
        program = HEAD + "G0 X-80.\n" + levels + END
        self.expect(program, tools=[close])
        checks = {"resolution": 0.5, "near": 1.0, "near_stock": 1.0}
        found = self.found(program, tools=[close], checks=checks)
        self.assertEqual([(f.kind, f.line) for f in found], [("contact.near", 10)])

    def test_drilling_volume_in_closed_form(self) -> None:
        drill = {**T1, "cutter": {"type": "drill", "diameter": 10, "point_angle": 118, "flute_length": 40, "reach": 50}}
        slot_job(self.folder, HEAD + "G98 G81 X0. Y0. R2. Z-15. F100.\nG80\n" + END, checks={"resolution": 0.2})
        (self.folder / "tools.json").write_text(json.dumps({"format": "blunt-mirror/tools@1", "tools": [drill]}))
        result = rehearse(open_job(self.folder))
        self.assertEqual(result.findings, [])
        # Cylinder over a cone of height r / tan 59°.
        cone = 5 / math.tan(math.radians(59))
        expected = math.pi * 25 * (15 - cone) + math.pi * 25 * cone / 3
        stock = result.stocks[0]
        self.assertAlmostEqual((stock.volume_before - stock.volume_after) / expected, 1.0, delta=0.01)


class Bodies(OnTheSlotJob):
    def test_into_the_vise_from_the_side_and_from_above(self) -> None:
        found = self.expect(HEAD + "G0 X-130.\nG1 Z-30. F2000.\nX-99.\nX-130.\n" + END, ("contact.body", 9, 5.0))
        self.assertEqual(found[0].bodies, ("T1 cutter", "vise"))
        # First touch with the tip's centre at X−105: the table stands so that the vise's −X face is under the cutter's
        # edge. In the machine's frame the spindle is at (305, 205), so the face is 5 mm to the right of it.
        x, y, z = found[0].point or (0, 0, 0)
        self.assertAlmostEqual(x, 305 + 5, delta=0.01)
        self.assertAlmostEqual(y, 205, delta=1.0)
        self.assertTrue(35 - 0.01 <= z <= 40 + 0.01, z)  # between the tip at Z−30 and the vise's top
        self.expect(HEAD + "G0 X-85.\nG1 Z-27. F2000.\n" + END, ("contact.body", 8, 2.0))

    def test_into_the_table_with_everything_named_once(self) -> None:
        (found,) = [f for f in self.found(HEAD + "G0 X-130.\nG1 Z-66. F2000.\n" + END) if f.kind == "contact.body"]
        self.assertEqual((found.line, found.bodies, round(found.amount, 2)), (8, ("T1 cutter", "table"), 1.0))

    def test_too_close(self) -> None:
        program = HEAD + "G0 X-130.\nG1 Z-24.4 F2000.\nX-90.\nX-130.\n" + END
        self.expect(program, ("contact.near", 9, 0.4))
        self.expect(program, checks={"resolution": 0.5, "near": 0.5})

    def test_one_that_is_let_be(self) -> None:
        program = HEAD + "G0 X-130.\nG1 Z-30. F2000.\nX-99.\nX-130.\n" + END
        self.expect(program, machine={"ignore": [["vise", "T1 cutter"]]})


class Travel(OnTheSlotJob):
    def test_every_axis_both_ways(self) -> None:
        # Machine value = G54 (−305, −205, −535) + program (+ 92 in Z); travels −610…0, −410…0, −510…0.
        for move, axis, amount in (
            ("X-310.", "X", 5),
            ("X306.", "X", 1),
            ("Y-207.", "Y", 2),
            ("Y208.5", "Y", 3.5),
            ("Z443.5", "Z", 0.5),
        ):
            with self.subTest(move):
                (found,) = self.found(HEAD + f"G0 {move}\n" + "M30\n")
                self.assertEqual((found.kind, found.line, found.axis), ("travel.over", 7, axis))
                self.assertAlmostEqual(found.amount, amount, places=9)

    def test_what_an_arc_passes_on_the_way(self) -> None:
        # From X−290 over a half circle of radius 20 to the left: the leftmost point is X−310.
        program = HEAD + "G0 X-290. Y20.\nG3 X-290. Y-20. J-20. F900.\nM30\n"
        (found,) = self.found(program)
        self.assertEqual((found.kind, found.line, round(found.amount, 6)), ("travel.over", 8, 5.0))

    def test_exactly_on_the_limit_is_no_overtravel(self) -> None:
        self.assertEqual(self.found(HEAD + "G0 X-305. Y-205.\nM30\n"), [])


class Program(OnTheSlotJob):
    def test_a_change_away_from_its_position(self) -> None:
        self.expect(HEAD + "T1 M6\n" + END, ("program.tool", 7, 423.0))

    def test_a_change_that_moves_by_itself(self) -> None:
        machine = {"tool_change": {"at": {"Z": 0}, "seconds": 4, "moves": True}}
        self.expect(HEAD + "T1 M6\n" + END, machine=machine)

    def test_a_tool_that_is_not_there(self) -> None:
        self.expect(HEAD + "G91 G28 Z0.\nG90\nT9 M6\n" + END, ("program.tool", 9, 0.0))

    def test_another_tools_length(self) -> None:
        other = {**T1, "number": 2, "length": 80, "registers": {"H": 80}}
        found = self.found(HEAD.replace("H1", "H2") + "G0 X-80.\nG1 Z5. F900.\n" + END, tools=[T1, other])
        self.assertIn(("program.length", 8, 12.0), [(f.kind, f.line, f.amount) for f in found])

    def test_speed_above_the_machines(self) -> None:
        self.expect(HEAD + "S13500\n" + END, ("program.speed", 7, 1500.0))

    def test_codes_that_are_known_but_not_carried_out_stop(self) -> None:
        for text in (
            "G60 X5.",
            "G5.1 Q1",
            "G96 S100",  # no spindle of this machine turns the work
            "G10 L50",
        ):
            with self.subTest(text):
                (found,) = self.found(HEAD + text + "\n" + END)
                self.assertEqual((found.kind, found.severity, found.line), ("program.word", "stop", 7))

    def test_every_error_of_a_program_is_listed(self) -> None:
        text = "G999\nX1.2.3\nG1 Z10. F0\nM98 P77\nG2 X9. I1. F10.\n"
        found = self.found(HEAD + text + END)
        self.assertEqual([(f.kind, f.line) for f in found if f.kind.startswith("program.")],
                         [("program.word", 7), ("program.syntax", 8), ("program.feed", 9),
                          ("program.call", 10), ("program.arc", 11)])  # fmt: skip
