"""A machine at a glance: in the words that its builder would use, by the demo shop's machines and some made for it."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from bluntmirror.export.glance import glance, kind_of, machine_picture
from bluntmirror.job import open_job
from bluntmirror.job.models import MachineFile

from . import machines
from .build import JOBS
from .shop import folders

# What `demo` builds, in words.
SHOP = {
    "VM-3 unit 17": "mill, three axes",
    "VM-5 unit 22": "mill, three axes",
    "HM-4 unit 31": "mill, four axes: B turns the work",
    "TR-5 unit 40": "mill, five axes: A and C turn the work",
    "GR-6 unit 52": "mill, five axes: A and C turn the tool",
    "LA-2 unit 61": "lathe, one work spindle, one turret",
    "TS-8 unit 71": "lathe, two work spindles, two turrets, two channels",
    "TT-6 unit 72": "lathe, one work spindle, two turrets, two channels",
    "MT-9 unit 74": "lathe, two work spindles, one turret, two channels",
    "SH-3 unit 73": "lathe, two work spindles, two channels",
    "RC-7 unit 81": "arm of six joints on a rail",
    "RC-3 unit 83": "arm of six joints, holding the work",
}


class Glance(unittest.TestCase):
    def test_kinds_of_the_demo_shop(self) -> None:
        told = {job.machine.name: job for job in map(open_job, folders())}
        self.assertEqual({name: kind_of(job.machine) for name, job in told.items()}, SHOP)
        for job in told.values():
            picture = machine_picture(job)
            assert picture is not None
            self.assertEqual(picture[:8], b"\x89PNG\r\n\x1a\n")

    def test_a_head_and_a_table_that_turn(self) -> None:
        machine = MachineFile.model_validate(machines.head_and_table())
        self.assertEqual(kind_of(machine), "mill, five axes: B turns the tool, C turns the work")

    def test_a_door_is_no_axis_of_a_mill(self) -> None:
        data = machines.router()
        before = kind_of(MachineFile.model_validate(machines.router()))
        data["links"].append(machines.link("door", data["links"][0]["name"], machines.linear("DOOR", [1, 0, 0])))
        data["channels"] = [{"number": 1, "axes": [*data["channels"][0]["axes"], "DOOR"]}]
        self.assertEqual(kind_of(MachineFile.model_validate(data)), before)

    def test_travels_turns_and_accessories(self) -> None:
        job = open_job(JOBS / "slot-clear")
        told = glance(job.machine)
        self.assertEqual([(row["axis"], row["least"], row["most"], row["unit"]) for row in told["travels"]],
                         [("X", -610.0, 0.0, "mm"), ("Y", -410.0, 0.0, "mm"), ("Z", -510.0, 0.0, "mm")])  # fmt: skip
        self.assertEqual(told["turns"], [{"name": "spindle", "most": 12000.0}])
        lathe = next(open_job(folder) for folder in folders() if "hull-union" in str(folder)).machine
        self.assertEqual(glance(lathe)["accessories"], [{"name": "tailstock", "on": True}])
        self.assertNotIn("TR", [row["axis"] for row in glance(lathe)["travels"]])  # the turret's own

    def test_nothing_to_draw(self) -> None:
        data = machines.trunnion()
        for link in data["links"]:
            link.pop("shapes", None)
        with tempfile.TemporaryDirectory() as folder:
            self.assertIsNone(machine_picture(machines.job_on(Path(folder), data, "M30\n")))
