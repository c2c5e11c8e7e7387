"""Where findings say they are, worked out by hand: in the machine's frame, whatever carries the work or the tool."""

import json

from bluntmirror.job import open_job
from bluntmirror.rehearsal import rehearse

from . import test_lathe
from .build import JOBS, slot_job
from .test_machine import WithFolder


class Places(WithFolder):
    def test_of_the_worked_job(self) -> None:
        rapid, over = rehearse(open_job(JOBS / "slot-flawed")).findings
        # At the start of line 13 the tip goes from X80 to X−60 at Y30 Z−2 over a blank whose end is X70: the D10 cutter touches it
        # when its axis is at X75. Machine X is then −305 + 75; the table, and the blank's end with it, stands at +230 (it carries −X).
        assert rapid.point and over.point
        x, y, z = rapid.point
        self.assertAlmostEqual(x, 70 + 230, delta=0.6)
        self.assertAlmostEqual(y, 30 + 205 - 30, delta=5.1)
        self.assertLess(abs(z - 64), 1.6)
        # The head carries no X or Y: the tip stays over (305, 205); Z −448 + …: gauge point 600 + Z, the tip 92 below.
        self.assertAlmostEqual(over.point[0], 305, places=6)
        self.assertAlmostEqual(over.point[1], 205, places=6)

    def test_of_a_contact(self) -> None:
        post = {
            "name": "post",
            "role": "fixture",
            "mount": "table",
            "shape": {"type": "box", "size": [20, 20, 60]},
            "at": [100, 0, 30],
        }
        program = "G21 G90\nT1 M6\nG54 G0 X0. Y0. S6000 M3\nG43 H1 Z-10.\nG1 X120. F900.\nM30\n"
        result = rehearse(slot_job(self.folder, program, bodies=[post]))
        touch = next(f for f in result.findings if "post" in f.bodies and f.kind == "contact.body")
        assert touch.point
        # The cutter's edge meets the post's face at work X 90, Y 0: the axis is at X 85 then, the table at 305 − 85 − 0 of its zero.
        x, y, z = touch.point
        self.assertAlmostEqual(x, 90 + (305 - 85), delta=0.2)
        self.assertLess(abs(y - 205), 5.1)
        self.assertTrue(0 <= z <= 60.1, touch.point)


class OnATurret(WithFolder):
    job = test_lathe.Turning.job

    def test_overtravel_is_shown_at_the_tool_in_use(self) -> None:
        result = rehearse(self.job("T0101\nG97 S500 M3\nG0 X70. Z5.\nZ-60.\nG0 X500.\nM30\n"))
        over = next(f for f in result.findings if f.kind == "travel.over")
        tip = result.tools[1].tip
        assert over.point
        # Past its + limit of 20 the slide stands at X 20, Z as it was: station 1 hangs 130 under the turret's axis at 300.
        self.assertAlmostEqual(over.point[2], 300 - 130 + 20 + tip[2], places=6)


class Inches(WithFolder):
    def test_angles_stay_degrees(self) -> None:
        slot_job(self.folder, "M30\n")
        data = json.loads((self.folder / "machine.json").read_text())
        data["links"].append(
            {
                "name": "rotor",
                "parent": "table",
                "joint": {"axis": "TR", "type": "rotary", "direction": [0, 0, 1], "rapid": 9, "accel": 9},
            }
        )
        data["channels"] = [{"number": 1, "axes": ["X", "Y", "Z", "TR"]}]
        data["reference"]["1"]["TR"] = 90
        data["tool_change"]["at"]["TR"] = 45
        data["units"] = "inch"
        (self.folder / "machine.json").write_text(json.dumps(data))
        machine = open_job(self.folder).machine
        self.assertEqual((machine.reference["1"]["TR"], machine.tool_change.at["TR"]), (90, 45))
        self.assertAlmostEqual(machine.links[1].joint.rapid, 24000 * 25.4)  # type: ignore[union-attr]
