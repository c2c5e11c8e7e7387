"""Job folders as people really bring them: in inches, broken in one place, or packed to do harm."""

import json
import stat
import zipfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import mock

from bluntmirror.export.verdict import verdict_dict
from bluntmirror.job import JobUnreadable, loading, open_job
from bluntmirror.rehearsal import rehearse

from .build import HEAD, JOBS, slot_job
from .machines import Json, job_on, trunnion
from .test_lathe import lathe
from .test_machine import WithFolder

# What is a length in the open formats, told here a second time and by name; angles, factors, counts and rev/min are none.
LENGTHS = {
    "size", "at", "diameter", "outer", "inner", "length", "profile", "outline", "height", "to_diameter", "flute_length", "reach",
    "shank_diameter", "corner_radius", "tip_diameter", "datum", "resolution", "gouge", "excess", "near", "near_stock", "offset",
    "inscribed_circle", "nose_radius", "width", "pitch", "air_cut", "nominal", "tolerance",
}  # fmt: skip
BY_AXIS = {"reference", "tool_change", "work_offsets", "registers"}  # axis → value under these; A, B, C are degrees
OF_LINEAR_JOINTS = {"travel", "rapid", "accel"}


def in_inches(data: Any, key: str = "", by_axis: bool = False) -> Any:
    """A file's data with every length divided by 25.4, exact since 1959."""
    if isinstance(data, dict):
        linear = data.get("type") == "linear"
        if data.get("kind") == "angle":  # nominal and tolerance are degrees; where it is taken is a place
            return data | {"places": in_inches(data["places"])}
        return {
            name: in_inches(value, "size" if linear and name in OF_LINEAR_JOINTS else name, by_axis or name in BY_AXIS)
            for name, value in data.items()
        }  # fmt: skip
    if isinstance(data, list):
        return [in_inches(item, key, by_axis) for item in data]
    if isinstance(data, bool) or not isinstance(data, int | float):
        return data
    scaled = key in LENGTHS or (by_axis and key not in ("A", "B", "C", "seconds"))
    return data / 25.4 if scaled else data


class Inches(WithFolder):
    def verdicts(self) -> tuple[Json, Json]:
        """The verdicts of the job in the folder as it is, and with all its files in inches."""
        before = verdict_dict(rehearse(open_job(self.folder)))
        for name in ("job.json", "machine.json", "tools.json"):
            data = json.loads((self.folder / name).read_text())
            (self.folder / name).write_text(json.dumps(in_inches(data) | {"units": "inch"}))
        return before, verdict_dict(rehearse(open_job(self.folder)))

    def assertSame(self, one: Any, other: Any, where: str = "") -> None:
        if where.endswith(".margins"):  # found to within a bound, so that a near tie may be told the other way round
            clearances = [{frozenset(m["bodies"]): m["clearance"] for m in margins} for margins in (one, other)]
            self.assertEqual(clearances[0].keys(), clearances[1].keys())
            for bodies, clearance in clearances[0].items():
                self.assertAlmostEqual(clearances[1][bodies], clearance, delta=0.6 * clearance + 1e-3)
            return
        if isinstance(one, dict):
            self.assertEqual(one.keys(), other.keys(), where)
            for key in one:
                self.assertSame(one[key], other[key], f"{where}.{key}")
        elif isinstance(one, list | tuple):
            self.assertEqual(len(one), len(other), where)
            for i, pair in enumerate(zip(one, other, strict=True)):
                self.assertSame(*pair, f"{where}[{i}]")
        elif isinstance(one, float):
            self.assertAlmostEqual(one, other, delta=2e-3 * max(1.0, abs(one) * 1e-3), msg=where)
        else:
            self.assertEqual(one, other, where)

    def test_a_flawed_job_is_judged_alike(self) -> None:
        for file in (JOBS / "slot-flawed").iterdir():
            (self.folder / file.name).write_bytes(file.read_bytes())
        before, after = self.verdicts()
        self.assertTrue(before["findings"])
        self.assertSame(before, after)

    def test_measures_are_taken_alike(self) -> None:
        for file in (JOBS / "slot-flawed").iterdir():
            (self.folder / file.name).write_bytes(file.read_bytes())
        job = json.loads((self.folder / "job.json").read_text())
        blank = next(body for body in job["bodies"] if body["role"] == "stock")
        (x, y, z), (length, width, height) = blank["at"], blank["shape"]["size"]
        top, bottom, side = (
            {"on": "face", "at": [x - length / 2 + 3, y - width / 2 + 3, z + height / 2]},
            {"on": "face", "at": [x, y, z - height / 2]},
            {"on": "face", "at": [x - length / 2, y, z - 2]},
        )
        job["measures"] = [
            {"name": "height", "stock": blank["name"], "kind": "distance", "places": [top, bottom], "nominal": height - 0.5, "tolerance": [-0.1, 0.6]},
            {"name": "thin", "stock": blank["name"], "kind": "wall", "places": [side], "nominal": length + 1, "tolerance": [-0.2, 0.2]},
            {"name": "square", "stock": blank["name"], "kind": "angle", "places": [top, side], "nominal": 88, "tolerance": [-1, 1]},
        ]  # fmt: skip
        (self.folder / "job.json").write_text(json.dumps(job))
        before, after = self.verdicts()
        self.assertEqual([row["within"] for row in before["measures"]], [True, False, False])
        self.assertEqual([round(row["off"], 6) for row in before["measures"]], [0.5, -1.0, 2.0])
        self.assertSame(before, after)

    def test_rotary_axes_stay_in_degrees(self) -> None:
        offsets = {"G54": {"X": 12.7, "Y": 25.4, "Z": -430.0, "A": 5.0, "C": -12.0}}
        program = HEAD.replace("G54 G0 X0. Y0.", "G54 G0 X0. Y0. A10. C30.") + "G1 Z-400. F2000\nG0 A-200.\nM30\n"
        job_on(
            self.folder,
            trunnion() | {"reference": {"1": {"X": 0, "Y": 0, "Z": 0, "A": 2, "C": 0}}},
            program,
            work_offsets=offsets,
        )
        before, after = self.verdicts()
        self.assertIn("travel.over", {f["kind"] for f in before["findings"]})
        self.assertSame(before, after)


def at(*path: str | int, to: Any) -> Callable[[Json], None]:
    """A change of one place in a file's data; `...` takes the place away."""

    def change(data: Json) -> None:
        place: Any = data
        for step in path[:-1]:
            place = place[step]
        if to is ...:
            del place[path[-1]]
        else:
            place[path[-1]] = to

    return change


def _places(data: Any, above: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Keys that lead to every value of a JSON file."""
    keys = list(data) if isinstance(data, dict) else range(len(data)) if isinstance(data, list) else ()
    return [place for key in keys for place in ((*above, key), *_places(data[key], (*above, key)))]


class Broken(WithFolder):
    """One thing wrong at a time: one line that names the file and the place."""

    def said(self, change: Callable[[Json], None], name: str) -> str:
        path = self.folder / name
        data = json.loads(path.read_text())
        change(data)
        path.write_text(json.dumps(data))
        with self.assertRaises(JobUnreadable) as caught:
            open_job(self.folder)
        told = str(caught.exception)
        self.assertNotIn("\n", told)
        self.assertTrue(told.startswith(name), told)
        return told

    def test_machines(self) -> None:
        joint = ("links", 1, "joint")
        for change, says in (
            (at("links", 1, "name", to="bed"), "two links are called 'bed'"),
            (at(*joint, "direction", to=[0, 0, 0]), "direction has no length"),
            (at(*joint, "travel", to=[10, -10]), "first value must not be above its second"),
            (at(*joint, "rapid", to=0), "rapid"),
            (at(*joint, "step", to=5), "step is for rotary joints"),
            (at("mounts", 0, "link", to="nowhere"), "no link 'nowhere'"),
            (at("reference", "2", to={"Q": 0}), "no joint moves axis Q"),
            (at("tool_change", "at", "W", to=3), "no joint moves axis W"),
            (at("turret", to={"axis": "TR", "stations": 8}), "no joint moves axis TR"),
            (at("work_spindle", to={"mount": "spindle"}), "no work mount 'spindle'"),
            (at("codes", to={"M10": {"does": "clamp"}}), "clamp needs its axis"),
            (at("codes", to={"M10": {"does": "clamp", "axis": "B"}}), "no joint moves axis B"),
            (at("codes", to={"M98": {"does": "macro"}}), "macro needs the number"),
            (at("codes", to={"M21": {"does": "move", "axis": "X", "to": 5}}), "more than one letter"),
            (at("codes", to={"X21": {"does": "wait"}}), "codes"),
            (at("links", 0, "shapes", to=[{"type": "revolve"}]), "either `profile` or `file`"),
            (at("links", 0, "shapes", to=[{"type": "extrude", "height": 5}]), "either `outline` or `file`"),
            (at("links", 0, "shapes", to=[{"type": "sphere"}]), "sphere"),
            (at("spindle", "max_rpm", to=float("nan")), "NaN is not a number"),
        ):
            with self.subTest(says):
                slot_job(self.folder, HEAD)
                self.assertIn(says, self.said(change, "machine.json"))

    def test_an_axis_that_a_code_sends_must_be_in_a_channel(self) -> None:
        job_on(
            self.folder, lathe() | {"codes": {"M21": {"does": "move", "axis": "TR", "to": 90}}}, HEAD, work_offsets={}
        )
        self.assertIn(
            "no channel has axis TR", self.said(at("channels", 0, "axes", to=["X", "Z", "C"]), "machine.json")
        )

    def test_tools(self) -> None:
        cutter = ("tools", 0, "cutter")
        for change, says in (
            (at(*cutter, "flute_length", to=200), "flute_length must not exceed reach"),
            (at(*cutter, "corner_radius", to=20), "corner_radius must not exceed half"),
            (at(*cutter, to={"type": "chamfer-mill", "diameter": 8, "tip_diameter": 9, "angle": 90, "flute_length": 5, "reach": 9}), "the small end"),
            (at(*cutter, to={"type": "profile", "reach": 30, "profile": [[0, 0], [5, 4], [5, 2]]}), "from the tip"),
            (at(*cutter, to={"type": "profile", "reach": 30, "profile": [[0, 0], [-5, 4]]}), "must not be negative"),
            (at(*cutter, to={"type": "insert", "shape": "C"}), "inscribed_circle"),
            (at(*cutter, to={"type": "groove"}), "needs its width"),
            (lambda data: data["tools"].append(data["tools"][0]), "is listed twice"),
            (at("tools", 0, "length", to=-1), "length"),
            (at("tools", 0, "colour", to="red"), "colour"),
        ):  # fmt: skip
            with self.subTest(says):
                slot_job(self.folder, HEAD)
                self.assertIn(says, self.said(change, "tools.json"))

    def test_jobs(self) -> None:
        for change, says in (
            (at("bodies", 0, "shape", to=...), "either `shape` or `shapes`"),
            (at("bodies", 1, "name", to="vise"), "two bodies are called 'vise'"),
            (at("bodies", 0, "mount", to="ceiling"), "no mount 'ceiling' (it has"),
            (at("work_offsets", "G60", to={"X": 0}), "'G60' is none of G54"),
            (at("work_offsets", "G54.1 P301", to={"X": 0}), "none of G54"),
            (at("work_offsets", "G55", to={"datum": [0, 0, 0], "mount": "ceiling"}), "no mount 'ceiling'"),
            (at("programs", 0, "channel", to=2), "no channel 2"),
            (lambda data: data["programs"].append(data["programs"][0]), "a channel has two programs"),
            (at("programs", 0, "main", to="../O1001.nc"), "leave"),
            (at("checks", "resolution", to=0), "resolution"),
            (at("switches", to={"feed_override": 250}), "feed_override"),
        ):
            with self.subTest(says):
                slot_job(self.folder, HEAD)
                self.assertIn(says, self.said(change, "job.json"))

    def test_something_else_at_every_place(self) -> None:
        odd = (None, "x", "NaN", [], {}, [[0]], -1, 1e300, 10**40, True, "\x00", {"type": "box"})
        slot_job(self.folder, HEAD)
        for name in ("job.json", "machine.json", "tools.json"):
            whole = (self.folder / name).read_text()
            for number, place in enumerate(_places(json.loads(whole))):
                for value in (odd[number % len(odd)], odd[(5 * number + 1) % len(odd)]):
                    data = json.loads(whole)
                    at(*place, to=value)(data)
                    (self.folder / name).write_text(json.dumps(data))
                    with self.subTest(place=place, value=value), suppress(JobUnreadable):
                        open_job(self.folder)
            (self.folder / name).write_text(whole)

    def test_what_is_no_job(self) -> None:
        for name, content, says in (
            ("job.json", b"[1, 2]", "one JSON object"), ("job.json", b'{"format": ', "job.json"), ("machine.json", b"\xff\xfe", "machine.json"),
        ):  # fmt: skip
            slot_job(self.folder, HEAD)
            (self.folder / name).write_bytes(content)
            with self.subTest(content), self.assertRaisesRegex(JobUnreadable, says):
                open_job(self.folder)
        with self.assertRaisesRegex(JobUnreadable, "no such file"):
            open_job(self.folder / "gone")
        (self.folder / "empty").mkdir()
        with self.assertRaisesRegex(JobUnreadable, "no job.json"):
            open_job(self.folder / "empty")


class Archives(WithFolder):
    def packed(self, fill: Callable[[zipfile.ZipFile], object]) -> Path:
        slot_job(self.folder, HEAD)
        path = self.folder / "job.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as bundle:
            for name in ("job.json", "machine.json", "tools.json", "O1001.nc"):
                bundle.write(self.folder / name, f"lid/{name}")
            fill(bundle)
        return path

    def refused(self, path: Path) -> str:
        with self.assertRaises(JobUnreadable) as caught:
            open_job(path)
        return str(caught.exception)

    def test_a_folder_in_a_zip_is_the_job(self) -> None:
        path = self.packed(lambda bundle: bundle.writestr("lid/empty/", ""))
        self.assertEqual(open_job(path).name, json.loads((self.folder / "job.json").read_text())["name"])

    def test_links_and_ways_out(self) -> None:
        link = zipfile.ZipInfo("lid/design.stl")
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        self.assertIn("is a link", self.refused(self.packed(lambda bundle: bundle.writestr(link, "/etc/passwd"))))
        for name in ("../evil.nc", "/etc/evil.nc", "lid/../../evil.nc", "C:\\evil.nc", "..\\evil.nc"):
            with self.subTest(name):
                told = self.refused(self.packed(lambda bundle, name=name: bundle.writestr(name, "x")))
                self.assertIn("leaves the job folder", told)

    def test_bombs(self) -> None:
        with mock.patch.object(loading, "MAX_ZIP_FILES", 4):
            self.assertIn("files; at most 4", self.refused(self.packed(lambda bundle: bundle.writestr("lid/x", "x"))))
        with mock.patch.object(loading, "MAX_ZIP_BYTES", 20_000):
            noise = bytes(range(256)) * 100  # said to be so large
            self.assertIn(
                "unpacks to more than", self.refused(self.packed(lambda bundle: bundle.writestr("lid/x", noise)))
            )

    def test_cut_off(self) -> None:
        path = self.packed(lambda bundle: None)
        whole = path.read_bytes()
        for size in (0, 10, len(whole) // 2, len(whole) - 30):
            path.write_bytes(whole[:size])
            with self.subTest(size):
                self.assertIn("not a zip that can be read", self.refused(path))
