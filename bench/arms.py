"""Arms: solutions in closed form beside SciPy's least squares, and the choice of a way beside the solving of its poses alone."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.optimize import least_squares

from bluntmirror.job.models import MachineFile
from bluntmirror.machine import Chain
from bluntmirror.machine.arm import Arm, spin_zero, tool_pose
from bluntmirror.machine.choosing import Nodes, choose

Seconds = Callable[[Callable[[], object]], float]
Row = Callable[[str, float, str, str, float], None]
CELL = Path(__file__).resolve().parent.parent / "demo" / "machines" / "rc7-81.json"
POSES = 20_000


def arms(seconds: Seconds, row: Row) -> None:
    chain = Chain(MachineFile.model_validate(json.loads(CELL.read_text())))
    joints = [f"J{n}" for n in range(1, 7)]
    arm = Arm(chain, chain.mounts["spindle"], chain.mounts["stand"], joints)
    rng = np.random.default_rng(1)
    values = np.concatenate([np.zeros((POSES, 1)), rng.uniform(-150, 150, (POSES, 6))], axis=1)
    wanted = arm.wanted(arm.poses(values), values)

    def by_search(count: int = 10) -> None:
        for pose, start in zip(arm.poses(values[:count]), values[:count, 1:] + 5.0, strict=True):

            def off(q: np.ndarray, pose: np.ndarray = pose) -> np.ndarray:
                here = arm.poses(np.concatenate([[0.0], q])[None])[0]
                return np.concatenate([(here[:3, 3] - pose[:3, 3]) / 1000.0, (here[:3, :3] - pose[:3, :3]).ravel()])

            least_squares(off, start)

    arm.roots(wanted[:500])
    each = 10 / seconds(by_search)
    row("solutions", 8 * POSES / seconds(lambda: arm.roots(wanted)), "a second", "SciPy's least squares, one", each)

    # Once round a part, the spin free in steps of 5°.
    share = np.linspace(0.0, 2.0 * np.pi, POSES)
    tip = np.stack([1150 + 200 * np.cos(share), 200 * np.sin(share), np.full(POSES, 700.0)], axis=1)
    direction = np.stack([0.3 * np.cos(share), 0.3 * np.sin(share), np.ones(POSES)], axis=1)
    direction /= np.linalg.norm(direction, axis=1)[:, None]
    plain = tool_pose(tip, direction, spin_zero(direction), np.full(POSES, 110.0))
    free = np.full(POSES, -1, np.int8)
    nodes = Nodes(
        plain, np.zeros((POSES, 7)), np.full(POSES, 0.02), np.full(POSES, np.nan), free, free.copy(), free.copy()
    )
    now = np.array([0.0, -20, 50, 0, -30, 0])
    choose(arm, nodes.at(slice(50)), now)
    took = seconds(lambda: choose(arm, nodes, now))
    alone = seconds(lambda: arm.roots(arm.wanted(plain, np.zeros((POSES, 7)))))
    row("choosing", POSES / took, "poses/s", "all roots at one spin", POSES / alone)
