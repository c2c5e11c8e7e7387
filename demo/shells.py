"""Clamp shells on the tombstone of the horizontal mill: three blanks on three faces (B0, B90, B180), two variants of bore, each
face with its own work offset. The subprograms are written once; the main program turns the pallet and calls them.
"""

from __future__ import annotations

import math

from manifold3d import Manifold

from bluntmirror.geometry.mesh import revolve
from bluntmirror.job.models import MachineFile
from bluntmirror.machine import Chain
from bluntmirror.machine.tip import Kinematics

from . import paths, solids
from .machines import MACHINES
from .shop import Json

NAME, MACHINE, PROGRAM, MOUNT = "Clamp shells, mixed pallet", "hm4-31", "O8100.nc", "pallet"
SIZE = (110.0, 80.0, 38.0)  # of a blank: along X, up, thick
HIGH = 260.0  # of the blanks' middles above the pallet
FACE = 100.0 + SIZE[2]  # of the blanks' faces from B's axis
BORES = {"narrow": 27.0, "wide": 33.0}  # radius; the bore lies upright across the face, half sunk
FACES = (("G54", 0, "narrow"), ("G55", 90, "wide"), ("G56", 180, "narrow"))
HOLES = [(-45.0, -28.0), (45.0, -28.0), (45.0, 28.0), (-45.0, 28.0)]
BALL = 5.0


def design(variant: str) -> Manifold:
    """In the program's directions: X along, Y up, Z out of the face; Z0 is the blank's face."""
    x, y, z = SIZE
    part = solids.block(x, y, -z, 0.0)
    radius = BORES[variant]
    bore = solids.solid_of(revolve([[0, -y], [radius, -y], [radius, y], [0, y]], tolerance=0.003)).rotate([90, 0, 0])
    part -= bore
    for hx, hy in HOLES:
        part -= solids.hole(hx, hy, 6.6, -30.0, 1.0)
    return part


def designs() -> dict[str, Manifold]:
    return {f"{variant}.stl": design(variant) for variant in BORES}


def half_width(radius: float, z: float) -> float:
    return math.sqrt(max(0.0, radius**2 - z**2))


def rough(number: int, radius: float) -> list[str]:
    """The bore in levels, up and down along Y, with a D16 end mill."""
    lines = [f"O{number} (BORE R{radius:g} ROUGH)"]
    z = 0.0
    while True:
        z -= 5.0
        half = half_width(radius, z) - 8.4
        if half < 0:
            break
        count = max(1, math.ceil(2 * half / 11.0))
        xs = [-half + 2 * half * i / count for i in range(count + 1)] if half > 0.5 else [0.0]
        lines += [f"G0 X{xs[0]:.3f} Y-52.", f"Z{z + 3:.3f}", f"G1 Z{z:.3f} F1200."]
        for i, x in enumerate(xs):
            lines += [f"G1 X{x:.3f} F1600."] if i else []
            lines += [f"Y{52 if i % 2 == 0 else -52}. F1800."]
        lines += ["G0 Z5."]
    return [*lines, "M99"]


def finish(number: int, radius: float) -> list[str]:
    """The bore with a D10 ball mill, line by line along Y; the ball's centre runs on a circle."""
    inner = radius - BALL
    lines = [f"O{number} (BORE R{radius:g} FINISH)", f"G0 X{-inner:.3f} Y-50.", "Z5."]
    # The first and last line stand at the bore's rim: there the ball's centre is level with the face.
    steps = math.ceil(math.pi * inner / 2.6)
    for i in range(steps + 1):
        angle = math.pi * i / steps
        x, z = -inner * math.cos(angle), -inner * math.sin(angle) - BALL
        lines += [f"G1 X{x:.4f} Z{z:.4f} F1500.", f"Y{50 if i % 2 == 0 else -50}."]
    return [*lines, "G0 Z40.", "M99"]


SUBPROGRAMS = {
    "O8101.nc": lambda: rough(8101, BORES["narrow"]), "O8102.nc": lambda: rough(8102, BORES["wide"]),
    "O8111.nc": lambda: finish(8111, BORES["narrow"]), "O8112.nc": lambda: finish(8112, BORES["wide"]),
}  # fmt: skip


def program(flawed: bool) -> list[str]:
    post = paths.Post(8100, "CLAMP SHELLS, MIXED PALLET")

    def retracted() -> list[str]:
        return ["G91 G28 Z0.", "G28 Y0.", "G90"]

    def turned(offset: str, b: int, home: bool = True) -> None:
        post.add(*(retracted() if home else []), "M11", f"G0 B{b}.", "M10", offset)

    for tool, name, speed, first in ((2, "ROUGH BORES", 5200, 8101), (6, "FINISH BORES", 9000, 8111)):
        post.add(*retracted())
        post.call(tool, name, speed, "G54")
        for offset, b, variant in FACES:
            # Flawed: the third face is machined as the wide variant; and turned to without a retract.
            wide = variant == "wide" or (flawed and tool == 2 and b == 180)
            turned(offset, b, not (flawed and tool == 2 and b == 180))
            post.add("G0 X0. Y-50.", f"G43 H{tool} Z40. M8", f"M98 P{first + (1 if wide else 0)}",
                     "G0 Z0.5" if flawed and tool == 2 and b == 90 else "G0 Z60.")  # fmt: skip
    post.add(*retracted())
    post.call(4, "HOLES", 3600, "G54")
    for offset, b, _ in FACES:
        turned(offset, b)
        paths.drill(post, 4, HOLES, -30.0)
    post.add("M11")
    return post.end("X0. Y0. B0.")


def placed(b: int) -> tuple[list[float], list[float]]:
    """Where a part that is drawn in program directions lies on the pallet for the face that B turns to the spindle."""
    # At B0 program X, Y, Z lie along −x, +z, +y of the pallet: turned by 90 about x, then half about z.
    angle = {0: 0.0, 90: 90.0, 180: 180.0}[b]
    radians = math.radians(angle)
    return [-FACE * math.sin(radians), FACE * math.cos(radians), HIGH], [90, 0, 180 + angle]


def bodies(flawed: bool) -> list[Json]:
    tombstone: list[Json] = [
        {"type": "box", "size": [200, 200, 430], "at": [0, 0, 245]},
        {"type": "box", "size": [320, 320, 30], "at": [0, 0, 15]},
    ]
    result: list[Json] = [{"name": "tombstone", "role": "fixture", "mount": MOUNT, "shapes": tombstone}]
    for _, b, variant in FACES:
        at, turn = placed(b)
        x, y, z = SIZE
        straps = [{"type": "box", "size": [14, 26, z], "at": [side * (x / 2 + 12), 0, -z / 2]} for side in (-1, 1)]
        if flawed and b == 90:  # a strap left over two holes
            straps.append({"type": "box", "size": [30, 68, 10], "at": [53, 0, 5.2]})
        result += [
            {"name": f"strap B{b}", "role": "fixture", "mount": MOUNT, "at": at, "turn": turn, "shapes": straps},
            {"name": f"blank B{b}", "role": "stock", "mount": MOUNT, "at": at, "turn": turn,
             "shape": {"type": "box", "size": [x, y, z], "at": [0, 0, -z / 2]}},
            {"name": f"shell B{b}", "role": "design", "mount": MOUNT, "at": at, "turn": turn,
             "shape": {"type": "mesh", "file": f"{variant}.stl"}},
        ]  # fmt: skip
    return result


def tools(tools: list[Json], flawed: bool) -> list[Json]:
    return tools


def offsets() -> Json:
    """As a control holds them: the axis values at each face's middle with the pallet turned to it."""
    machine = MachineFile.model_validate(MACHINES[MACHINE])
    chain = Chain(machine)
    axes = machine.channels[0].axes
    solver = Kinematics(chain, chain.mount_of("tool"), chain.mount_of("work"), axes)
    result: Json = {}
    for offset, b, _ in FACES:
        at, _turn = placed(b)
        reached = solver.reach_point([0.0, 0.0, 0.0, float(b)], at)
        result[offset] = {axis: round(value, 4) for axis, value in zip("XYZ", reached, strict=False)}
    return result


CHECKS = {"resolution": 1.0, "gouge": 0.05, "excess": 0.3, "near": 0.5}
