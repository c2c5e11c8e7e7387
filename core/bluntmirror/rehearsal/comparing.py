"""What became of the part: gouges, material left and loose pieces, each as a finding with its place and its cause."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from ..geometry.distance import Solid
from ..geometry.frames import Floats, frame, inverse
from ..geometry.mesh import Mesh, joined
from ..geometry.union import NotSolid, united
from ..material.comparison import SPOT_CELLS, Places, compare, loose_pieces
from .result import CutStock, PartCheck, Rehearsal, Spot
from .segments import Segments

MOST_SPOTS = 10  # places told one by one; the rest are told together
MOST_ASKED = 2000  # places for which all motions are gone through
SAME_REGISTER_MM = 0.001


def designs_of(result: Rehearsal, stock: str) -> tuple[list[str], list[Mesh]]:
    """The designs that this stock is to become, in the frame of the stock's mount.

    A design belongs to the stock on the same link whose box it shares most with.
    """
    job, chain = result.job, result.chain
    stocks = [body for body in job.file.bodies if body.role == "stock"]
    mount_of = {body.name: chain.mounts[body.mount] for body in job.file.bodies}
    names, meshes = [], []
    for body in job.file.bodies:
        if body.role != "design":
            continue
        try:
            mesh = united(job.body_meshes[body.name])
        except NotSolid as error:
            result.docket.add("check.limit", f"the design '{body.name}' cannot be compared: {error}", bodies=(body.name,),
                              remedy="Repair the mesh so that it is closed.")  # fmt: skip
            continue
        best, most = "", -1.0
        for other in stocks:
            if mount_of[other.name].link != mount_of[body.name].link:
                continue
            away = inverse(_placed(mount_of[other.name])) @ _placed(mount_of[body.name])
            a, b = joined(job.body_meshes[other.name]).bounds, mesh.moved(away).bounds
            shared = float(np.prod(np.clip(np.minimum(a[1], b[1]) - np.maximum(a[0], b[0]), 0, None)))
            if shared > most:
                best, most = other.name, shared
        if best == stock:
            names.append(body.name)
            meshes.append(mesh.moved(inverse(_placed(mount_of[stock])) @ _placed(mount_of[body.name])))
        elif not best and stock == stocks[0].name:
            result.docket.add("check.limit", f"the design '{body.name}' is on no link that carries stock: nothing can be "
                              "compared with it", bodies=(body.name,))  # fmt: skip
    return names, meshes


def _placed(mount) -> Floats:  # type: ignore[no-untyped-def]
    return frame(mount.at, mount.turn)


def check_part(result: Rehearsal, cut: CutStock, blank: Mesh, segments: Segments, channel: int) -> None:
    """Compare a cut stock with its design and look for pieces that came off. `blank` in the grid frame."""
    report = _Report(result, cut, segments, channel)
    report.loose()
    names, meshes = designs_of(result, cut.name)
    if not names:
        return
    design = united(meshes).moved(inverse(cut.frame))
    checks = result.job.file.checks
    comparison = compare(cut.stock, blank, design, checks.gouge, checks.excess)
    cut.part = PartCheck(" and ".join(names), comparison, Solid.of(design))
    if comparison.open_rays:
        result.docket.add("check.limit", f"the design '{cut.part.design}' is not a closed solid: {comparison.open_rays} "
                          "rays through it do not add up", bodies=tuple(names),
                          remedy="Repair the mesh so that it is closed.")  # fmt: skip
    if comparison.outside > max(checks.gouge, 1e-3):
        result.docket.add(
            "material.blank", f"the design '{cut.part.design}' reaches {comparison.outside:.3f} mm outside {cut.name}",
            channel=channel, bodies=(*names, cut.name), amount=comparison.outside,
        )  # fmt: skip
    report.gouges(cut.part)
    report.excess(cut.part)


class _Report:
    def __init__(self, result: Rehearsal, cut: CutStock, segments: Segments, channel: int) -> None:
        assert result.reel
        self.result, self.cut, self.segments, self.channel = result, cut, segments, channel
        self.reel, self.motions = result.reel, result.reel.motions
        self.cell = float(cut.stock.lattice.step.max())

    def moment(self, motion: int, point: Floats) -> tuple[float, Floats]:
        """The time at which a motion comes nearest to a point (grid frame), and how the work stands then."""
        rows = np.flatnonzero(self.segments.motion == motion)
        if not len(rows):
            return float(self.reel.end_time[motion]), self.cut.machine_from_work.last
        start, delta = self.segments.start[rows], self.segments.delta[rows]
        way = np.maximum(np.einsum("ij,ij->i", delta, delta), 1e-18)
        # Not the very end: that moment is the next motion's already.
        share = np.clip(np.einsum("ij,ij->i", point - start, delta) / way, 0, 0.999)
        nearest = int(np.argmin(np.linalg.norm(start + share[:, None] * delta - point, axis=1)))
        row = rows[nearest]
        t0, t1 = self.segments.t0[row], self.segments.time[row]
        stands = self.cut.machine_from_work.at(*self.segments.segment_share(int(row), float(share[nearest])))
        return float(t0 + share[nearest] * (t1 - t0)), stands

    def place(self, point: Floats, stands: Floats | None = None) -> tuple[float, float, float]:
        """A point of the grid frame in the machine's frame, as the work stands (at the end unless told)."""
        pose = (self.cut.machine_from_work.last if stands is None else stands) @ self.cut.frame
        x, y, z = pose[:3, :3] @ point + pose[:3, 3]
        return float(x), float(y), float(z)

    def on_part(self, point: Floats) -> tuple[float, float, float]:
        x, y, z = self.cut.frame[:3, :3] @ point + self.cut.frame[:3, 3]
        return float(x), float(y), float(z)

    def gouges(self, part: PartCheck) -> None:
        gouges = part.comparison.gouges
        if not len(gouges):
            return
        tag = self.made_by(gouges)
        gouges = self.fold_in(part, Places(gouges.points, gouges.amount, tag))
        tool_of = np.where(gouges.tag >= 0, self.motions.tool[np.maximum(gouges.tag, 0)], 0)
        for tool in np.unique(tool_of):
            rows = gouges.only(np.flatnonzero(tool_of == tool))
            wrong = self.wrong_register(int(tool), rows)
            spots = [rows] if wrong else rows.spots(self.cell)
            for i, spot in enumerate(spots):
                last = i == MOST_SPOTS - 1 and len(spots) > MOST_SPOTS
                self._gouge(part, int(tool), spot, wrong, len(spots) - MOST_SPOTS if last else 0)
                if last:
                    break

    def made_by(self, gouges: Places) -> np.ndarray:
        """The motion that cut each place. Where a whole stretch of the ray is gone no end of stock tells it: then the
        nearest place that knows tells it, or, far from any, the motions are asked which came through first."""
        tag = gouges.tag.copy()
        unknown = np.flatnonzero(tag < 0)
        known = np.flatnonzero(tag >= 0)
        if len(unknown) and len(known):
            away, nearest = cKDTree(gouges.points[known]).query(gouges.points[unknown])
            near = away <= SPOT_CELLS * self.cell
            tag[unknown[near]] = tag[known[nearest[near]]]
            unknown = unknown[~near]
        for i in unknown[:MOST_ASKED]:
            row = self.segments.first_through(gouges.points[i])
            tag[i] = self.segments.motion[row] if row >= 0 else -1
        return tag

    def fold_in(self, part: PartCheck, gouges: Places) -> Places:
        """Gouges made by motions that a finding already stops (a rapid through stock …) are told there, not again."""
        left = np.ones(len(gouges), np.bool_)
        findings = self.result.docket.findings
        for i, item in enumerate(findings):
            if item.kind not in ("contact.rapid", "contact.still") or self.cut.name not in item.bodies:
                continue
            alike = self.motions.kind if item.kind == "contact.rapid" else self.motions.rpm
            made = left & (gouges.tag >= item.motion) & (gouges.tag <= item.last_motion)
            made &= alike[gouges.tag] == alike[item.motion]
            if made.any():
                spot = gouges.only(np.flatnonzero(made))
                amount = float(spot.amount.max())
                told = f"{item.message}; it gouges {part.design} by {amount:.2f} mm"
                findings[i] = replace(item, message=told)
                part.spots.append(
                    Spot("gouge", amount, self.on_part(spot.points[spot.worst]), int(spot.tag[spot.worst]))
                )
                left &= ~made
        return gouges.only(np.flatnonzero(left))

    def wrong_register(self, tool: int, rows: Places) -> str:
        """What puts a tool right whose length register is not its length; empty when it is."""
        if tool not in self.result.tools:
            return ""
        motion = int(rows.tag[rows.worst])
        snapshot = self.motions.snapshots[int(self.motions.snapshot[motion])]
        length = self.result.tools[tool].length
        if not snapshot.length_number or abs(snapshot.length - length) < SAME_REGISTER_MM:
            return ""
        return (f"The length register H{snapshot.length_number} holds {snapshot.length:.3f}, but T{tool} is {length:.3f} mm "
                f"long: set H{snapshot.length_number} to {length:.3f}.")  # fmt: skip

    def _gouge(self, part: PartCheck, tool: int, spot: Places, remedy: str, more: int) -> None:
        worst, amount = spot.points[spot.worst], float(spot.amount.max())
        made = np.unique(spot.tag[spot.tag >= 0])
        motion = int(made[0]) if len(made) else -1
        time, stands = self.moment(motion, worst) if motion >= 0 else (0.0, None)
        who = f"T{tool} gouges" if tool else "a cut gouges"
        told = f"{who} {part.design}, {amount:.3f} mm deep" + (f"; {more} smaller places more" if more else "")
        self.result.docket.add(
            "material.gouge", told, channel=self.channel, program=self.motions.file_name(motion) if motion >= 0 else "",
            line=int(self.motions.line[motion]) if motion >= 0 else 0, time=time, tool=tool,
            bodies=(f"T{tool} cutter", part.design) if tool else (part.design,), amount=amount, count=max(1, len(made)),
            point=self.place(worst, stands), motion=motion, last_motion=int(made[-1]) if len(made) else -1, remedy=remedy,
        )  # fmt: skip
        part.spots.append(Spot("gouge", amount, self.on_part(worst), int(spot.tag[spot.worst])))

    def excess(self, part: PartCheck) -> None:
        spots = part.comparison.excess.spots(self.cell)
        for i, spot in enumerate(spots[:MOST_SPOTS]):
            worst, amount = spot.points[spot.worst], float(spot.amount.max())
            tag = int(spot.tag[spot.worst])
            more = len(spots) - MOST_SPOTS if i == MOST_SPOTS - 1 else 0
            x, y, z = self.on_part(worst)
            told = f"{amount:.3f} mm of material is left on {part.design} at {x:.1f} {y:.1f} {z:.1f}"
            told += f"; {more} smaller places more" if more > 0 else ""
            known = tag >= 0
            self.result.docket.add(
                "material.excess", told, channel=self.channel, program=self.motions.file_name(tag) if known else "",
                line=int(self.motions.line[tag]) if known else 0, time=self.reel.seconds,
                tool=int(self.motions.tool[tag]) if known else 0, bodies=(self.cut.name, part.design), amount=amount,
                point=self.place(worst), motion=tag, last_motion=tag,
            )  # fmt: skip
            part.spots.append(Spot("excess", amount, (x, y, z), tag))

    def loose(self) -> None:
        for piece in loose_pieces(self.cut.stock):
            motion = piece.tag
            time, stands = self.moment(motion, piece.centre) if motion >= 0 else (0.0, None)
            told = f"a piece of {piece.volume:.0f} mm³ comes off {self.cut.name}"
            self.result.docket.add(
                "material.loose", told, channel=self.channel, bodies=(self.cut.name,), amount=piece.volume ** (1 / 3),
                program=self.motions.file_name(motion) if motion >= 0 else "", time=time,
                line=int(self.motions.line[motion]) if motion >= 0 else 0,
                tool=int(self.motions.tool[motion]) if motion >= 0 else 0, point=self.place(piece.centre, stands),
                motion=motion, last_motion=motion,
            )  # fmt: skip
