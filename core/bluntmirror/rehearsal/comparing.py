"""What became of the part: gouges, material left and loose pieces, each as a finding with its place and its cause."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from ..findings import Finding
from ..findings.grouping import SAME_AMOUNT_MM, SAME_SHARE
from ..geometry.distance import Solid
from ..geometry.frames import Floats, frame, inverse
from ..geometry.mesh import Mesh, joined
from ..geometry.union import NotSolid, united
from ..job.channel import tool_key, tool_number
from ..job.models import Carried
from ..material.comparison import SPOT_CELLS, Comparison, Places, joined_places, loose_pieces
from ..material.hidden import Hidden
from .corners import Corners
from .result import CutStock, PartCheck, Rehearsal, Spot
from .scene import tool_name
from .segments import Segments

CARRIED_CELLS = 0.3
SEEN_SHARE = 0.7  # of a detail's width: on a grid so fine a ray meets it, wherever it stands (1/√2)
MOST_SPOTS = 10  # causes told one by one; the rest are told together
BESIDE_CELLS = 10
MOST_ASKED = 5  # places of a stock of which is asked whether any tool could have made them
ASKED_CELLS = 3  # of places whose motion no end of stock tells, one in so wide a cube is asked about


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


def exactness(resolution: float) -> float:
    """How far, in mm, the surface that a step hands on may lie beside the one it cut: at narrow faces and fillets, by measure on the
    demo shop's parts (0.12 mm at 0.5 mm); on flat faces and their edges it is exact to 0.02 mm."""
    return CARRIED_CELLS * resolution


def _placed(mount) -> Floats:  # type: ignore[no-untyped-def]
    return frame(mount.at, mount.turn)


@dataclass(frozen=True)
class Meant:
    """What a stock is to become: the names of its designs, and all of them in one, in the grid's frame."""

    names: list[str]
    design: Mesh


def meant(result: Rehearsal, name: str, frame_of: Floats, own: list[tuple[str, Mesh]] | None) -> Meant | None:
    """The designs of a stock; `own`: those that go with a piece that is held, in its own frame."""
    names, meshes = designs_of(result, name) if own is None else ([n for n, _ in own], [mesh for _, mesh in own])
    return Meant(names, united(meshes).moved(inverse(frame_of))) if names else None


def check_part(result: Rehearsal, cut: CutStock, blank: Mesh, segments: Segments, to_be: Meant | None, comparison: Comparison | None,
               held: bool) -> None:  # fmt: skip
    """Tell how a cut stock differs from its design, and of pieces that came off (`holding` sees to what comes off a piece that is held).
    `blank` in the grid frame."""
    report = _Report(result, cut, blank, segments)
    if not held:
        report.loose()
    if to_be is None or comparison is None:
        return
    cut.part = PartCheck(" and ".join(to_be.names), comparison, comparison.solid, to_be.design)
    if comparison.open_rays:
        result.docket.add("check.limit", f"the design '{cut.part.design}' is not a closed solid: {comparison.open_rays} "
                          "rays through it do not add up", bodies=tuple(to_be.names),
                          remedy="Repair the mesh so that it is closed.")  # fmt: skip
    if comparison.hidden and not result.quick:  # of a quick look's coarse grid its caution says so
        report.hidden(comparison.hidden)
    if len(comparison.lacking):
        report.lacking(to_be.names, comparison.lacking)
    causes_of(report.tagged(cut.part), report)


@dataclass(eq=False)
class _Cause:
    """Places of one kind that have one cause: one tool in one operation, alike in amount, or made by one motion."""

    kind: str
    tool: int
    operation: int
    places: Places

    @property
    def amount(self) -> float:
        return float(self.places.amount.max())

    def alike(self, other: _Cause) -> bool:
        if (self.kind, self.tool, self.operation) != (other.kind, other.tool, other.operation):
            return False
        worst = max(self.amount, other.amount)
        made, also = (set(p.tag[p.tag >= 0].tolist()) for p in (self.places, other.places))
        return abs(self.amount - other.amount) <= max(SAME_AMOUNT_MM, SAME_SHARE * worst) or bool(made & also)


def causes_of(spots: list[_Cause], report: _Report) -> None:
    """Group spots by cause and tell each once: first those that a register explains, then the others."""
    groups: list[_Cause] = []
    for spot in spots:
        known = next((group for group in groups if group.alike(spot)), None)
        if known is None:
            groups.append(spot)
        else:
            known.places = joined_places([known.places, spot.places])
    groups = report.by_register(_with_the_untouched(groups, report.cell))
    for kind in ("material.gouge", "material.excess"):
        mine = sorted((group for group in groups if group.kind == kind), key=lambda group: -group.amount)
        for i, group in enumerate(mine[:MOST_SPOTS]):
            report.tell(group, len(mine) - MOST_SPOTS if i == MOST_SPOTS - 1 else 0)


def _with_the_untouched(groups: list[_Cause], cell: float) -> list[_Cause]:
    """What is left beside a place that a tool did not finish was left by the same pass, though no tool ever came there."""
    shaped = [group for group in groups if group.kind == "material.excess" and group.operation >= 0]
    kept = []
    if not shaped:
        return groups
    from scipy.spatial import cKDTree  # only where there is something to group

    for group in groups:
        beside = None
        if group.kind == "material.excess" and group.operation < 0:
            tree = cKDTree(group.places.points)
            apart = [float(tree.query(other.places.points)[0].min()) for other in shaped]
            if apart and min(apart) <= BESIDE_CELLS * cell:
                beside = shaped[int(np.argmin(apart))]
        if beside is None:
            kept.append(group)
        else:
            beside.places = joined_places([beside.places, group.places])
    return kept


class _Report:
    def __init__(self, result: Rehearsal, cut: CutStock, blank: Mesh, segments: Segments) -> None:
        self.result, self.cut, self.blank, self.segments = result, cut, blank, segments
        self.reel, self.motions = result.reel, result.reel.motions
        self.cell = float(cut.stock.lattice.step.max())
        self.asked = 0  # places of which was asked whether any tool could have made them

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
        segment, of_segment = self.segments.segment_share(int(rows[nearest]), float(share[nearest]))
        return self.result.knots.moment(self.reel, segment, of_segment), self.cut.machine_from_work.at(
            segment, of_segment
        )

    def place(self, point: Floats, stands: Floats | None = None) -> tuple[float, float, float]:
        """A point of the grid frame in the machine's frame, as the work stands (at the end unless told)."""
        pose = (self.cut.machine_from_work.last if stands is None else stands) @ self.cut.frame
        x, y, z = pose[:3, :3] @ point + pose[:3, 3]
        return float(x), float(y), float(z)

    def on_part(self, point: Floats) -> tuple[float, float, float]:
        x, y, z = self.cut.frame[:3, :3] @ point + self.cut.frame[:3, 3]
        return float(x), float(y), float(z)

    def where(self, motion: int, point: Floats) -> dict[str, Any]:
        """Place in the program and in space of something that a motion made at a point (−1: none did)."""
        if motion < 0:
            return {"where": self.reel.where(-1, self.reel.seconds), "point": self.place(point)}
        time, stands = self.moment(motion, point)
        return {"where": self.reel.where(motion, time), "point": self.place(point, stands)}

    def lacking(self, names: list[str], places: Places) -> None:
        """What of the design lies outside the blank as it came; what an earlier step of a route took of it is that step's gouge."""
        design = " and ".join(names)
        body = next(b for b in self.result.job.file.bodies if b.name == self.cut.name)
        if isinstance(body.shape, Carried):
            origin = self.result.job.origins.get((body.shape.step, body.shape.body))
            if origin is not None:
                placed = inverse(self.cut.frame) @ frame(body.at, body.turn) @ frame(body.shape.at, body.shape.turn)
                inside = Solid.of(origin.moved(placed)).distance(places.points) <= self.result.job.file.checks.gouge
                if inside.any():
                    self._taken_before(body.shape.step, names)
                places = places.only(np.flatnonzero(~inside))
            if not len(places):
                return
        worst, amount = places.points[places.worst], float(places.amount.max())
        x, y, z = self.on_part(worst)
        self.result.docket.add(
            "material.blank", f"the design '{design}' reaches {amount:.3f} mm outside {self.cut.name}, at {x:.1f} {y:.1f} {z:.1f} of its "
            "mount", where=self.reel.where(-1), bodies=(*names, self.cut.name), amount=amount, point=self.place(worst),
        )  # fmt: skip

    def hidden(self, details: list[Hidden]) -> None:
        """Details of the design that no ray meets."""
        widest = details[0]
        x, y, z = self.on_part(widest.place)
        several = f", the widest of {len(details)}," if len(details) > 1 else ""
        self.result.docket.add(
            "check.limit", f"a detail of '{self._design}' about {widest.width:.2f} mm wide{several} at {x:.1f} {y:.1f} {z:.1f} lies between the rays of "
            "the grid: whether it was made, or cut away, is not known", severity="caution", bodies=(self._design,), amount=widest.width,
            point=self.place(widest.place), remedy=f"Choose a resolution of {np.floor(SEEN_SHARE * 100 * widest.width) / 100:g} mm or finer.",
        )  # fmt: skip

    def _taken_before(self, step: str, names: list[str]) -> None:
        """How deep the surface that an earlier step left lies inside the design."""
        part = self.cut.part
        assert part is not None
        depth = -part.solid.distance(self.blank.vertices)
        amount, worst = float(depth.max()), self.blank.vertices[int(np.argmax(depth))]
        if amount <= exactness(self.result.job.file.checks.resolution):
            return
        x, y, z = self.on_part(worst)
        before, at = self.cut.before, int(np.argmax(depth))
        around = self.blank.faces == at
        made = before.made(int(before.tags[around.any(axis=1)].min(initial=-1))) if before else None
        self.result.docket.add(
            "material.gouge", f"step '{step}' has taken {amount:.3f} mm of {' and '.join(names)}, at {x:.1f} {y:.1f} {z:.1f} of the mount"
            + (f": T{made.tool} {made.name} there, line {made.line} of {made.program}" if made else ""),
            where=self.reel.where(-1), bodies=(*names, self.cut.name), amount=amount, point=self.place(worst),
            remedy=f"Put the program of '{step}' right: what it took cannot be put back.",
        )  # fmt: skip
        part.comparison = replace(part.comparison, gouge_max=max(part.comparison.gouge_max, amount))

    def tagged(self, part: PartCheck) -> list[_Cause]:
        """Every spot of gouge and excess, with who made it."""
        found = []
        gouges, excess = part.comparison.gouges, part.comparison.excess
        if len(gouges):
            gouges = self.fold_in(part, Places(gouges.points, gouges.amount, self.made_by(gouges)))
        operation = self.motions.operation
        for kind, places in (("material.gouge", gouges), ("material.excess", excess)):
            # What is left has no maker: a spot is one place, whoever shaped its sides. A gouge of several tools is told of each.
            tool_of = self._tools(places) if kind == "material.gouge" else np.zeros(len(places), np.int32)
            for tool in np.unique(tool_of):
                for spot in places.only(np.flatnonzero(tool_of == tool)).spots(self.cell):
                    tag = int(spot.tag[spot.worst])
                    maker = int(self.motions.tool[tag]) if tag >= 0 else 0
                    found.append(_Cause(kind, maker, int(operation[tag]) if tag >= 0 else -1, spot))
                    part.spots.append(
                        Spot(
                            kind.split(".")[1],
                            float(spot.amount.max()),
                            self.on_part(spot.points[spot.worst]),
                            max(tag, -1),
                            spot.points,
                        )
                    )
        part.spots.sort(key=lambda spot: (spot.kind != "gouge", -spot.amount))
        del part.spots[2 * MOST_SPOTS :]
        return sorted(found, key=lambda cause: -cause.amount)

    def _tools(self, places: Places) -> np.ndarray:
        return (
            np.asarray(np.where(places.tag >= 0, self.motions.tool[np.maximum(places.tag, 0)], 0))
            if len(places)
            else places.tag
        )

    def made_by(self, gouges: Places) -> np.ndarray:
        """The motion that cut each place. Where a whole stretch of the ray is gone no end of stock tells it: then the
        nearest place that knows tells it, or, far from any, the motions are asked which came through first — for one place
        of each small cube, and the others in it are told the same."""
        tag = gouges.tag.copy()
        unknown = np.flatnonzero(tag < 0)
        known = np.flatnonzero(tag >= 0)
        if len(unknown) and len(known):
            from scipy.spatial import cKDTree  # only where there is something to ask

            away, nearest = cKDTree(gouges.points[known]).query(gouges.points[unknown])
            near = away <= SPOT_CELLS * self.cell
            tag[unknown[near]] = tag[known[nearest[near]]]
            unknown = unknown[~near]
        if not len(unknown):
            return tag
        cubes = np.floor(gouges.points[unknown] / (ASKED_CELLS * self.cell)).astype(np.int64)
        _, first, of_cube = np.unique(cubes, axis=0, return_index=True, return_inverse=True)
        rows = self.segments.first_through(gouges.points[unknown[first]])
        tag[unknown] = np.where(rows >= 0, self.segments.motion[np.maximum(rows, 0)], -1)[of_cube.reshape(-1)]
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
                findings[i] = replace(item, message=told, also=(*item.also, ("material.gouge", amount)))
                part.spots.append(
                    Spot("gouge", amount, self.on_part(spot.points[spot.worst]), int(spot.tag[spot.worst]), spot.points)
                )
                left &= ~made
        return gouges.only(np.flatnonzero(left))

    def by_register(self, groups: list[_Cause]) -> list[_Cause]:
        """Tell all that a tool left or took because of its register, or of another's, in one finding; what is left."""
        findings = self.result.docket.findings
        left = list(groups)
        for item in [f for f in findings if f.kind in ("tool.register", "program.length") and f.tool]:
            mine = [g for g in left if tool_number(g.tool) == item.tool and self._comes_of(item, g)]
            if not mine:
                continue
            left = [g for g in left if g not in mine]
            by_kind = {kind: [g for g in mine if g.kind == kind] for kind in ("material.gouge", "material.excess")}
            most = {kind: max(g.amount for g in those) for kind, those in by_kind.items() if those}
            at = next(i for i, f in enumerate(findings) if f is item)
            if item.kind == "program.length" or "material.gouge" not in most:
                says = {
                    "material.gouge": "it gouges {} by {:.3f} mm",
                    "material.excess": "it leaves {1:.3f} mm of material on {0}",
                }
                told = "; ".join(
                    [item.message, *(says[kind].format(self._design, amount) for kind, amount in most.items())]
                )
                findings[at] = replace(item, message=told, also=(*item.also, *most.items()))
                continue
            del findings[at]  # it is only a caution, and the gouge is not
            also = [("tool.register", item.amount), *((k, a) for k, a in most.items() if k != "material.gouge")]
            whole = _Cause(
                "material.gouge", mine[0].tool, 0, joined_places([g.places for g in by_kind["material.gouge"]])
            )
            self.tell(whole, 0, f"; {item.message}", item.remedy, tuple(also))
        return left

    def _comes_of(self, item: Finding, cause: _Cause) -> bool:
        """Whether a cause's places were made while the register told in a finding was in use."""
        tags = cause.places.tag[cause.places.tag >= item.motion]
        if item.kind == "tool.register":
            return bool((tags <= item.last_motion).any())
        numbers = np.array([s.length_number for s in self.motions.snapshots])[self.motions.snapshot[tags]]
        return bool((numbers != item.tool).any())

    def called(self, tool: int) -> str:
        """How a tool is called, by what tells it apart in the machine."""
        machine = self.result.job.machine
        return next((tool_name(t) for t in self.result.job.tools.tools if tool_key(machine, t) == tool), f"T{tool}")

    @property
    def _design(self) -> str:
        return self.cut.part.design if self.cut.part else ""

    @cached_property
    def corners(self) -> Corners:
        part = self.cut.part
        assert part is not None
        return Corners(self.result, self.segments, part.mesh, part.solid, self.blank)

    def tell(
        self, cause: _Cause, more: int, because: str = "", remedy: str = "", also: tuple[tuple[str, float], ...] = ()
    ) -> None:
        places, amount, tool = cause.places, cause.amount, cause.tool
        worst = places.points[places.worst]
        made = np.unique(places.tag[places.tag >= 0])
        rest = f"; {more} smaller places more" if more > 0 else ""
        if cause.kind == "material.gouge":
            called = self.called(tool)
            told = f"{called if tool else 'a cut'} gouges {self._design}, {amount:.3f} mm deep"
            bodies = (f"{called} cutter", self._design) if tool else (self._design,)
            place = self.where(int(made[0]) if len(made) else -1, worst)
        else:
            x, y, z = self.on_part(worst)
            told = f"{amount:.3f} mm of material is left on {self._design} at {x:.1f} {y:.1f} {z:.1f}"
            if self.asked < MOST_ASKED:
                self.asked += 1
                corner, other_way = self.corners.said_of(worst, amount)
                because = f"; {corner}{because}" if corner else because
                remedy = remedy or other_way
            bodies = (self.cut.name, self._design)
            tag = int(places.tag[places.worst])
            place = {"where": self.reel.where(tag, self.reel.seconds), "point": self.place(worst)}
        place["where"] = replace(place["where"], last_motion=int(made[-1]) if len(made) else -1)
        self.result.docket.add(cause.kind, told + rest + because, bodies=bodies, amount=amount, count=max(1, len(made)), remedy=remedy,
                               also=also, **place)  # fmt: skip

    def loose(self) -> None:
        for piece in loose_pieces(self.cut.stock):
            told = f"a piece of {piece.volume:.0f} mm³ comes off {self.cut.name}"
            self.result.docket.add("material.loose", told, bodies=(self.cut.name,), amount=piece.volume ** (1 / 3),
                                   **self.where(piece.tag, piece.centre))  # fmt: skip
