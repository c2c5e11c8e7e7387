"""Control data out and back in: a control that runs the program written holds what the job's did."""

from __future__ import annotations

import contextlib
import io
import json
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np

from bluntmirror.cli import main
from bluntmirror.export.control_data import NotControlData, as_csv, as_program, control_data, put_in, read
from bluntmirror.job import Job, open_job
from bluntmirror.rehearsal import check_program

from .build import slot_job
from .shop import SHOP

MOVES = "G54 G0 X1. Y2.\nG43 H1 Z30.\nG54.1 P3 X5.\nG55 X#500\nM30\n"
OFFSETS = {
    "G54": {"X": -305.125, "Y": -205, "Z": -535}, "G55": {"X": -300, "Y": -200, "Z": -500}, "G54.1 P3": {"X": -290.5, "Y": -200, "Z": -500},
}  # fmt: skip


class RoundTrip(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def job(self, name: str, program: str, **changes: object) -> Job:
        (self.folder / name).mkdir()
        return slot_job(self.folder / name, program, **changes)

    def test_the_program_written_leaves_a_control_as_this_one(self) -> None:
        head = "G17 G21 G90\nT1 M6\n"
        told = check_program(self.job("own", head + MOVES, work_offsets=OFFSETS, variables={"500": 12.5}))
        self.assertEqual([item.kind for item in told.findings if item.severity == "stop"], [])
        written = [line for line in as_program(told, 1).splitlines() if line not in ("%", "M30")]
        empty = self.job("empty", head + "\n".join(written) + "\n" + MOVES, work_offsets={})
        tools = json.loads((empty.folder / "tools.json").read_text())
        tools["tools"][0]["registers"] = {"H": 50.0, "D": 1.0}
        (empty.folder / "tools.json").write_text(json.dumps(tools))
        again = check_program(open_job(empty.folder))
        np.testing.assert_allclose(again.reel.motions.end[-4:], told.reel.motions.end[-4:], atol=1e-4)

    def test_on_a_lathe_diameters_are_typed_and_the_tips_come_along(self) -> None:
        source = SHOP / "nose-cone" / "1-as released"
        told = check_program(open_job(source))
        own = self.folder / "lathe"
        shutil.copytree(source, own)
        written = [line for line in as_program(told, 1).splitlines() if line.startswith("G10")]
        self.assertIn("G10 L2 P1 X-300. Z-280.", written)  # the slide stands 150 from the axis
        main = told.job.file.programs[0].main
        lines = (own / main).read_text().split("\n")
        at = next(i for i, line in enumerate(lines) if line.startswith("G"))
        (own / main).write_text("\n".join([*lines[:at], *written, *lines[at:]]))
        data = json.loads((own / "job.json").read_text())
        data["work_offsets"] = {"G54": {"X": -10, "Z": -10}}
        (own / "job.json").write_text(json.dumps(data))
        tools = json.loads((own / "tools.json").read_text())
        for tool in tools["tools"]:
            tool["registers"] = {"X": 1.0, "Z": 1.0}
        (own / "tools.json").write_text(json.dumps(tools))
        again = check_program(open_job(own))
        np.testing.assert_allclose(again.reel.motions.end, told.reel.motions.end, atol=1e-4)

    def test_table_and_program_say_the_same_and_are_put_back_in(self) -> None:
        job = self.job("own", "M30\n", work_offsets=OFFSETS, variables={"500": 12.5})
        rows = control_data(check_program(job))
        table, program = read(as_csv(rows).encode()), read(as_program(check_program(job), 1).encode())
        alike = lambda rows: {(r.what, r.name, r.word): round(r.value, 4) for r in rows}  # noqa: E731
        self.assertEqual(alike(table), alike(rows))
        self.assertEqual(alike(program), alike(rows))
        data = json.loads((job.folder / "job.json").read_text())
        data["work_offsets"] = {"G54": {"datum": [0, 0, 65], "mount": "table"}}
        tools = json.loads((job.folder / "tools.json").read_text())
        tools["tools"][0]["registers"]["H"] = 1.0
        made, table_made, left = put_in(data, tools, table)
        self.assertEqual(left, [])
        self.assertEqual(
            (made["work_offsets"]["G54"], made["variables"]["500"]), ({"X": -305.125, "Y": -205.0, "Z": -535.0}, 12.5)
        )
        self.assertEqual(table_made["tools"][0]["registers"]["H"], 92.0)
        self.assertIn("datum", data["work_offsets"]["G54"])  # what was given is left as it was

    def test_every_demo_job_gives_its_data_and_takes_it(self) -> None:
        for folder in sorted(SHOP.glob("*/1-as released")):
            timed = check_program(open_job(folder))
            rows = control_data(timed)
            self.assertEqual(len(read(as_csv(rows).encode())), len(rows), folder)
            for strand in timed.strands:
                self.assertIn("M30", as_program(timed, strand.channel))

    def test_from_the_command_line(self) -> None:
        job = self.job("own", "M30\n", work_offsets=OFFSETS)
        for words, code, said in (
            ([], 0, "1,offset,G54,X,-305.1250"),
            (["--format", "g10"], 0, "G10 L2 P1 X-305.125 Y-205. Z-535."),
            (["--channel", "7"], 2, "no channel 7 (it has 1)"),
        ):
            out, err = io.StringIO(), io.StringIO()
            with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
                self.assertEqual(main(["control", str(job.folder), *words]), code)
            self.assertIn(said, out.getvalue() + err.getvalue())

    def test_what_is_none_is_told_with_its_line(self) -> None:
        for text, said in (
            ("G0 X5.\n", "neither"), ("%\nG10 L2 P9 X0.\n", "line 2: G10 L2 P9"), ("G10 L11 P1 R0.1\n", "L11 is not taken in"), ("G10 L2 X5.\n", "without P"),
            ("channel,what,name,word,value\n1,offset,G54,X,much\n", "line 2"), ("channel,what,name,word,value\n1,mood,G54,X,1\n", "'mood'"),
            ("channel,what,name,word,value\n1,offset,G54,X,1e12\n", "no number that can be used"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex(NotControlData, said):
                read(text.encode())
        _, _, left = put_in({"programs": []}, {"tools": []}, read(b"G10 L10 P7 R80.\n"))
        self.assertEqual(left, ["H7: the table has no T7"])


if __name__ == "__main__":
    unittest.main()
