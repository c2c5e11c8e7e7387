"""How wrong a set-up may be, held against the set-up that is so wrong, rehearsed: nothing happens inside a bound, something just beyond.

Source of every expected value: the rehearsal of the shifted job itself, which knows nothing of tolerances; closed forms of boxes where
they are named.
"""

from __future__ import annotations

import json
import tempfile
import unittest
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bluntmirror.job import Job, open_job
from bluntmirror.material.layers import Ends
from bluntmirror.rehearsal import rehearse
from bluntmirror.tolerance import Quantity, Tolerance, tolerance
from bluntmirror.tolerance.material import grown
from bluntmirror.tolerance.shifts import shift_of

from .build import JOBS

EVENTS = (
    "contact.body",
    "contact.rapid",
    "contact.still",
    "contact.shank",
    "material.gouge",
    "material.blank",
    "travel.over",
)
WITHIN = 0.02  # mm: asked of a bound
TOP = 65.0


@dataclass(frozen=True)
class Shop:
    """What is drawn by chance: clearances, mm."""

    floor: float = 1.0  # of the second tool's rapid above the first one's floor
    above: float = 2.0  # of the first one's rapid above the blank
    post: float = 3.0  # of a post beside the end of the slot
    roof: float = 3.0  # of a bar beside the way of the second tool's holder
    side: float = 0.2  # that the design's slot is wider than the cutter, each side
    deep: float = 0.2  # that the design is lower than the pocket
    travel: float = 5.0  # of the X slide
    shank: float = 0.5  # of the second tool's shank beside the slot's walls
    design: bool = True


def box(name: str, role: str, size: list[float], at: list[float]) -> dict[str, Any]:
    return {"name": name, "role": role, "mount": "table", "shape": {"type": "box", "size": size}, "at": at}


def made(folder: Path, shop: Shop) -> Job:
    """A slot 5 deep, and a pocket 2 deep in its floor by a thinner tool with a thicker shank."""
    machine = json.loads((JOBS / "slot-clear" / "machine.json").read_text())
    for link in machine["links"]:
        if link.get("joint", {}).get("axis") == "X":
            link["joint"]["travel"] = [-305.0 - 40.0 - shop.travel, 0.0]
    tools = json.loads((JOBS / "slot-clear" / "tools.json").read_text())
    second = json.loads(json.dumps(tools["tools"][0]))
    second["number"], second["length"], second["registers"] = 2, 80.0, {"H": 80.0, "D": 2.0}
    second["cutter"] |= {"diameter": 4, "flute_length": 4.0, "reach": 20.0, "shank_diameter": 10.0 - 2.0 * shop.shank}
    tools["tools"].append(second)
    program = f"""%
O1
G17 G21 G40 G49 G80 G90
G91 G28 Z0.
G90
T1 M6
G54 G0 X-40. Y0. S6000 M3
G43 H1 Z{shop.above:.3f}
X0.
X-38.
G1 Z-5. F2000.
X38. F800.
G0 Z30.
M5
G91 G28 Z0.
G90
T2 M6
G54 G0 X-8. Y0. S8000 M3
G43 H2 Z30.
Z{-5.0 + shop.floor:.3f}
G1 Z-7. F300.
X8.
G0 Z30.
M5
G91 G28 Z0.
G28 X0. Y0.
M30
%
"""
    wide = 20.0 - 5.0 - shop.side
    bodies = [
        box("vise", "fixture", [80, 60, 40], [0, 0, 20]),
        box("blank", "stock", [60, 40, 25], [0, 0, 52.5]),
        box("post", "fixture", [6, 20, 20], [43.0 + shop.post + 3.0, 0, 60]),
        box("bar", "fixture", [30, 6, 10], [0, 21.0 + shop.roof + 3.0, TOP - 7.0 + 25.0]),
    ]
    if shop.design:
        shapes = [{"type": "box", "size": [60, 40, 18 - shop.deep], "at": [0, 0, 40 + 0.5 * (18 - shop.deep)]}]
        shapes += [{"type": "box", "size": [60, wide, 25], "at": [0, s * (20 - wide / 2), 52.5]} for s in (1, -1)]
        bodies.append({"name": "part", "role": "design", "mount": "table", "shapes": shapes})
    job = json.loads((JOBS / "slot-clear" / "job.json").read_text())
    job["bodies"], job["programs"] = bodies, [{"channel": 1, "main": "O1.nc", "dialect": "iso-mill"}]
    job["checks"] = {"resolution": 0.5, "gouge": 0.05, "excess": 3.0, "near": 0.01}
    for name, data in (("machine", machine), ("tools", tools), ("job", job)):
        (folder / f"{name}.json").write_text(json.dumps(data))
    (folder / "O1.nc").write_text(program)
    return open_job(folder)


def off(job: Job, quantity: Quantity, by: float) -> Job:
    """The job that is so wrong: what the control holds is written into its files."""
    job = quantity.in_job(job, by)
    if quantity.kind == "offset":
        own = {name: dict(value) for name, value in job.file.work_offsets.items()}  # type: ignore[arg-type]
        own[quantity.name][quantity.axis] += by
        return replace(job, file=job.file.model_copy(update={"work_offsets": own}))
    if quantity.kind in ("length", "radius"):
        letter = "H" if quantity.kind == "length" else "D"
        tools = [
            tool.model_copy(update={"registers": {**tool.registers, letter: tool.registers[letter] + by}})
            if tool.number == quantity.number else tool
            for tool in job.tools.tools
        ]  # fmt: skip
        return replace(job, tools=job.tools.model_copy(update={"tools": tools}))
    return job


def happens(job: Job) -> list[str]:
    return sorted({item.kind for item in rehearse(job, filmed=False).findings if item.kind in EVENTS})


def known(job: Job, reach: float = 1.0) -> Tolerance:
    return tolerance(rehearse(job, filmed=False), reach)


room = st.floats(0.06, 1.6).map(lambda value: round(value, 3))


class TestBounds(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def held_against(self, job: Job, told: Tolerance) -> None:
        """Each bound against the job that is just inside, and just outside of it."""
        for held in told.held:
            self.assertEqual(held.not_followed, "", held.quantity)
            for sign, bound in ((-1.0, held.less), (1.0, held.more)):
                inside = max(bound.amount - WITHIN, 0.0)
                for share in (0.5, 1.0):
                    self.assertEqual(
                        happens(off(job, held.quantity, sign * share * inside)), [], (held.quantity, sign, bound)
                    )
                if bound.by:
                    beyond = happens(off(job, held.quantity, sign * (bound.amount + WITHIN)))
                    self.assertIn(
                        bound.by.partition(".")[0],
                        {kind.partition(".")[0] for kind in beyond},
                        (held.quantity, sign, bound),
                    )

    @settings(max_examples=3)
    @given(st.builds(Shop, floor=room, above=room, post=room, roof=room, side=room, deep=room, travel=room, shank=room,
                     design=st.booleans()))  # fmt: skip
    def test_nothing_happens_inside_and_something_just_beyond(self, shop: Shop) -> None:
        job = made(self.folder, shop)
        self.assertEqual(happens(job), [])
        self.held_against(job, known(job))

    def test_closed_forms_of_boxes(self) -> None:
        shop = Shop(floor=0.4, above=0.5, post=0.3, roof=0.7, side=0.2, deep=0.1, travel=0.6, shank=0.5)
        told = {
            (held.quantity.kind, held.quantity.name, held.quantity.axis): held
            for held in known(made(self.folder, shop)).held
        }

        def bound(kind: str, name: str, axis: str, side: str, amount: float, by: str) -> None:
            found = getattr(told[kind, name, axis], side)
            self.assertEqual(found.by, by, (kind, name, axis, found))
            self.assertAlmostEqual(found.amount, amount, delta=WITHIN)

        bound("offset", "G54", "X", "more", 0.3, "contact.body")  # the cutter at the end of the slot, and the post
        bound("offset", "G54", "X", "less", 0.6, "travel.over")
        bound("offset", "G54", "Y", "more", 0.25, "material.gouge")  # the slot's wall, and the tolerance
        bound("length", "H2", "", "less", 0.15, "material.gouge")
        bound("length", "H1", "", "more", 0.4, "contact.rapid")  # the floor it leaves, and the next tool's rapid
        bound("fixture", "post", "X", "less", 0.3, "contact.body")
        bound("fixture", "bar", "Y", "less", 0.7, "contact.body")
        bound("blank", "blank", "+Z", "less", 0.05, "material.blank")  # the part's upper side is the blank's
        bound("blank", "blank", "+Z", "more", 0.5, "contact.rapid")

    def test_a_slope_is_gouged_by_a_shift_across_it(self) -> None:
        """Closed form: a cut along a slope of angle a that is off by e across it stands e · sin a nearer to the part, whichever family of rays sees it."""
        job = made(self.folder, Shop(design=False))
        rise = np.tan(np.radians(12.0))
        text = job.programs["O1.nc"].decode()
        ball = json.loads((self.folder / "tools.json").read_text())
        ball["tools"][0]["cutter"] |= {"type": "ball-mill"}
        ball["tools"][0]["cutter"].pop("corner_radius", None)
        (self.folder / "tools.json").write_text(json.dumps(ball))
        rows = [f"Y{y:.2f}\nG1 X{x:.1f} Z{-9.0 - rise * x:.4f} F900." for y, x in ((0.0, 30.0),)]
        head = text[: text.index("X0.\nX-38.")]
        program = f"{head}G1 X-30. Z{-9.0 + rise * 30.0:.4f} F2000.\n{rows[0]}\nG0 Z30.\nM5\nG91 G28 Z0.\nM30\n%\n"
        (self.folder / "O1.nc").write_text(program)
        data = json.loads((self.folder / "job.json").read_text())
        # The part: the groove's bottom line lies on a plane 0.1 mm under what the ball sweeps.
        under = 0.1 + 5.0 * (1.0 / np.cos(np.radians(12.0)) - 1.0)
        corners = [
            [-30.0, 40.0],
            [30.0, 40.0],
            [30.0, TOP - 9.0 - rise * 30.0 - under],
            [-30.0, TOP - 9.0 + rise * 30.0 - under],
        ]
        profile = {"type": "extrude", "outline": corners, "height": 1.0, "turn": [90.0, 0.0, 0.0]}
        data["bodies"].append(
            {"name": "part", "role": "design", "mount": "table", "shape": profile, "at": [0.0, 0.5, 0.0]}
        )
        (self.folder / "job.json").write_text(json.dumps(data))
        told = {
            held.quantity.axis: held for held in known(open_job(self.folder)).held if held.quantity.kind == "offset"
        }
        expected = (0.1 * np.cos(np.radians(12.0)) + 0.05) / np.sin(np.radians(12.0))
        found = min(told["X"].less, told["X"].more, key=lambda bound: bound.amount)
        self.assertEqual(found.by, "material.gouge")
        self.assertAlmostEqual(found.amount, expected, delta=0.05)

    def test_the_order_of_bodies_and_a_comment_more_change_nothing(self) -> None:
        shop = Shop(floor=0.4, above=0.5, post=0.3)
        one = known(made(self.folder, shop))
        job = open_job(self.folder)
        data = json.loads((self.folder / "job.json").read_text())
        data["bodies"].reverse()
        (self.folder / "job.json").write_text(json.dumps(data))
        (self.folder / "O1.nc").write_text(job.programs["O1.nc"].decode().replace("M30", "(ONE MORE)\nM30"))
        other = {held.quantity: held for held in known(open_job(self.folder)).held}
        for held in one.held:
            self.assertEqual(
                (held.less.amount, held.more.amount),
                (other[held.quantity].less.amount, other[held.quantity].more.amount),
            )

    def test_a_quantity_that_the_program_looks_at_is_not_followed(self) -> None:
        text = made(self.folder, Shop()).programs["O1.nc"].decode()
        for asks in ("#5221 GT -304.9", "#5221 LT -305.1"):  # whether it is more, or less
            (self.folder / "O1.nc").write_text(text.replace("M30", f"IF [{asks}] GOTO 9\nG4 P100\nN9 M30"))
            told = {
                held.quantity.axis: held for held in known(open_job(self.folder)).held if held.quantity.kind == "offset"
            }
            self.assertIn("something else", told["X"].not_followed, asks)
            self.assertEqual(told["Y"].not_followed, "")


class TestShifts(unittest.TestCase):
    def test_a_register_shifts_as_far_as_it_has_been_called(self) -> None:
        """Closed form: called by G43 on a straight way, a length register shifts its places in proportion to how far they have come."""
        with tempfile.TemporaryDirectory() as folder:
            result = rehearse(made(Path(folder), Shop(design=False)), filmed=False)
        shift = shift_of(result, Quantity("length", "H1", "", 1), 1.0)
        lines = result.reel.motions.line[result.knots.motion]
        called = np.flatnonzero(lines == 8)  # G43 H1 Z…
        z = result.chain.axes.index("Z")
        values, shifts = result.values[called[0] : called[-1] + 2, z], shift.knots[called[0] : called[-1] + 2, z]
        come = (values - values[0]) / (values[-1] - values[0])
        np.testing.assert_allclose(shifts[-1], 1.0)
        self.assertLess(float(np.abs(shifts - come)[1:].max()), 1e-6)
        before = np.flatnonzero(lines < 8)
        self.assertFalse(shift.knots[before].any())  # and nothing before it


class TestLayers(unittest.TestCase):
    @settings(max_examples=200)
    @given(
        st.lists(st.lists(st.integers(0, 60), max_size=8), min_size=2, max_size=2), st.tuples(*[st.integers(0, 6)] * 4)
    )
    def test_what_is_common_against_a_row_of_cells(self, rays: list[list[int]], growth: tuple[int, ...]) -> None:
        """The slow twin: half units of a ray, each in an interval or not."""

        def ends(marks: list[int]) -> tuple[Ends, np.ndarray, list[tuple[int, int]]]:
            marks = sorted(set(marks))
            pairs = list(zip(marks[0::2], marks[1::2], strict=False))
            lo, hi = (np.array([pair[i] for pair in pairs], np.float32) for i in (0, 1))
            return Ends(lo, hi, np.zeros(1, np.int64), np.array([len(pairs)], np.int32)), lo, pairs

        def filled(pairs: list[tuple[int, int]], low: int, high: int) -> np.ndarray:
            cells = np.zeros(200, np.bool_)
            for begin, end in pairs:
                cells[2 * (begin - low) + 40 : 2 * (end + high) + 40] = True
            return cells

        (a, _, of_a), (b, _, of_b) = ends(rays[0]), ends(rays[1])
        both = a.with_(b, np.array(growth[:2], float), np.array(growth[2:], float))
        expected = filled(of_a, *growth[:2]) & filled(of_b, *growth[2:])
        own = [(int(low), int(high)) for low, high in zip(both.lo, both.hi, strict=True)]
        np.testing.assert_array_equal(filled(own, 0, 0), expected)
        self.assertEqual(len(own), int(both.count[0]))
        self.assertTrue(all(one[1] < two[0] for one, two in pairwise(own)), own)

    def test_growth_is_the_hull_of_all_ways(self) -> None:
        ways = [np.array([1.0, 0.0, -2.0]), np.array([-0.5, 0.0, 1.0])]
        self.assertEqual(grown(ways, 2.0, False), ((1.0, 2.0), (0.0, 0.0), (4.0, 2.0)))


if __name__ == "__main__":
    unittest.main()
