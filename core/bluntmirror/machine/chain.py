"""The kinematic tree: links joined by linear and rotary joints, and where each stands for given axis values.

    link    a rigid body of the machine; its shapes and mounts are drawn in its frame
    joint   how a link moves against its parent: along, or about, `direction`, through `at`
    root    a link without a parent: it stands still

The frame of a link in its parent's is  T(at) · T(direction · q)  for a linear joint and  T(at) · R(direction, q)  for
a rotary one, q the axis value (of a slide moved by several axes: their sum, each times its factor). A positive axis word
moves the tool, seen from the work, in the positive direction (ISO 841), so a table that carries −X has direction
(−1, 0, 0).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np

from ..geometry.frames import Floats, frame, inverse, rotation_about
from ..job.models import Joint, Link, MachineFile, Mount


class Chain:
    """A machine's chain over named axes. All methods take axis values (n, k) in the order of `axes`."""

    def __init__(self, machine: MachineFile) -> None:
        self.links: dict[str, Link] = {}
        waiting = list(machine.links)
        while waiting:  # parents first; loading has seen that every chain ends at a root
            for link in list(waiting):
                if link.parent is None or link.parent in self.links:
                    self.links[link.name] = link
                    waiting.remove(link)
        self.joints: dict[str, Joint] = {link.joint.axis: link.joint for link in self.links.values() if link.joint}
        self.axes = tuple(self.joints)
        self.mounts: dict[str, Mount] = {mount.name: mount for mount in machine.mounts}

    def mount_of(self, takes: str) -> Mount:
        """The mount that takes 'tool' or 'work' where nothing says which: of the lowest station, else the first by name —
        the same in whatever order a file lists them."""
        return min(
            (m for m in self.mounts.values() if m.takes == takes), key=lambda mount: (mount.station or 0, mount.name)
        )

    def path_to(self, link: str) -> list[Link]:
        """The links from the root down to this one."""
        path = [self.links[link]]
        while path[-1].parent is not None:
            path.append(self.links[path[-1].parent])
        return path[::-1]

    def pose(self, link: str, values: Floats) -> Floats:
        """Frames (n, 4, 4) of a link in the machine's frame."""
        result = np.broadcast_to(np.eye(4), (len(values), 4, 4)).copy()
        joints = [step.joint for step in self.path_to(link) if step.joint]
        if all(joint.type == "linear" for joint in joints):  # nothing turns: the ways add up
            for joint in joints:
                unit = np.asarray(joint.direction) / np.linalg.norm(joint.direction)
                q = self.stand(joint, values)
                result[:, :3, 3] += np.asarray(joint.at) + q[:, None] * unit
            return result
        for joint in joints:
            unit = np.asarray(joint.direction) / np.linalg.norm(joint.direction)
            moved = np.broadcast_to(frame(joint.at), (len(values), 4, 4)).copy()
            q = self.stand(joint, values)
            if joint.type == "linear":
                moved[:, :3, 3] += q[:, None] * unit
            else:
                moved[:, :3, :3] = rotation_about(unit, q)
            result = result @ moved
        return result

    def stand(self, joint: Joint, values: Floats) -> Floats:
        """Where the joint itself stands (n,), for the chain's axis values (n, k)."""
        return np.asarray(sum(factor * values[:, self.axes.index(axis)] for axis, factor in joint.factors.items()))

    def mount_pose(self, mount: Mount, values: Floats) -> Floats:
        """Frames (n, 4, 4) of a mount in the machine's frame."""
        return self.pose(mount.link, values) @ frame(mount.at, mount.turn)

    def tool_in_work(self, tool: Mount, work: Mount, values: Floats) -> Floats:
        """Frames (n, 4, 4) of the tool mount (its origin the gauge point) seen from the work mount."""
        return inverse(self.mount_pose(work, values)) @ self.mount_pose(tool, values)

    def adjoining(self, a: str, b: str) -> bool:
        """Whether two links share a joint."""
        return self.links[a].parent == b or self.links[b].parent == a

    def moves_against(self, a: str, b: str) -> bool:
        """Whether any joint lies between two links."""
        path_a = {link.name for link in self.path_to(a)}
        path_b = {link.name for link in self.path_to(b)}
        return any(self.links[name].joint is not None for name in path_a ^ path_b)

    def tool_ways(self, tool: Mount, work: Mount, axes: Sequence[str]) -> Floats:
        """How far each linear axis moves the gauge point seen from the work, (3, m) in the work mount's directions, for one
        unit of its value; rotary axes at zero."""
        zero = np.zeros((1, len(self.axes)))
        origin = self.tool_in_work(tool, work, zero)[0, :3, 3]
        columns = np.empty((3, len(axes)))
        for i, axis in enumerate(axes):
            one = zero.copy()
            one[0, self.axes.index(axis)] = 1.0
            columns[:, i] = self.tool_in_work(tool, work, one)[0, :3, 3] - origin
        return columns

    def datum_offset(
        self, tool: Mount, work: Mount, datum: Floats, axes: Sequence[str] = ("X", "Y", "Z"),
        standing: Mapping[str, float] = MappingProxyType({}),
    ) -> dict[str, float]:  # fmt: skip
        """The linear axis values that bring the gauge point onto `datum` (in the work mount); all others stand where
        `standing` says, else at zero.

        Raises ValueError when X, Y and Z, as far as `axes` has them, cannot bring it there.
        """
        linear = [axis for axis in self.axes if self.joints[axis].type == "linear" and axis in "XYZ" and axis in axes]
        zero = np.zeros((1, len(self.axes)))
        for i, axis in enumerate(self.axes):
            if axis not in linear:
                zero[0, i] = standing.get(axis, 0.0)
        origin = self.tool_in_work(tool, work, zero)[0, :3, 3]
        columns = self.tool_ways(tool, work, linear)
        values = np.linalg.lstsq(columns, np.asarray(datum) - origin, rcond=None)[0]
        if np.linalg.norm(columns @ values - (np.asarray(datum) - origin)) > 1e-6:
            raise ValueError("the linear axes cannot bring the gauge point onto the datum")
        return {axis: float(value) for axis, value in zip(linear, values, strict=True)}
