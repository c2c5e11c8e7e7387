"""What of a tool met stock that should not have: one finding for each cause."""

from __future__ import annotations

import numpy as np

from ..findings import causes
from ..geometry.frames import Floats
from ..job.channel import tool_key
from ..material.cut_kernel import TEST_CORE, TEST_CUT, TEST_FLUSH, TEST_HOLDER, TEST_NEAR, TEST_SHANK
from ..tools import Assembly
from .result import Rehearsal
from .resuming import Hits
from .scene import tool_name
from .segments import Segments
from .stands import Stands


def report_touches(
    result: Rehearsal, name: str, segments: Segments, hits: Hits, frame: Floats, machine_from_work: Stands
) -> None:
    """One finding for each stretch of neighbouring motions with the same trouble."""
    if not hits:
        return
    reel = result.reel
    motions, docket = reel.motions, result.docket
    operation = motions.operation
    names_of = {tool_key(result.job.machine, entry): tool_name(entry) for entry in result.job.tools.tools}
    rows = np.concatenate([index for index, _ in hits])
    depth = np.concatenate([answer.depth for _, answer in hits])
    place = np.concatenate([answer.place for _, answer in hits])
    body_depth = np.maximum(depth[:, TEST_SHANK], depth[:, TEST_HOLDER])
    troubles = [
        ("contact.rapid", (depth[:, TEST_CUT] > 0) & segments.rapid[rows], TEST_CUT, ("cutter",)),
        ("contact.still", (depth[:, TEST_CUT] > 0) & segments.still[rows], TEST_CUT, ("cutter",)),
        ("contact.shank", body_depth > 0, TEST_SHANK, ()),
        ("material.depth", (depth[:, TEST_FLUSH] > 0) & (body_depth == 0), TEST_FLUSH, ("shank",)),
        ("material.plunge", depth[:, TEST_CORE] > 0, TEST_CORE, ("cutter",)),
        ("contact.near", (depth[:, TEST_NEAR] > 0) & (body_depth == 0), TEST_NEAR, ("holder",)),
    ]
    for kind, mask, test, parts in troubles:
        met = np.flatnonzero(mask)
        if not len(met):
            continue
        motion_of = segments.motion[rows[met]]
        amount_of = body_depth[met] if kind == "contact.shank" else depth[met, test]
        whole = kind not in ("contact.rapid", "contact.still")
        for group in causes(motion_of, operation[motion_of], amount_of, whole):
            run = met[group]
            row, at = int(rows[run[0]]), int(run[0])
            motion = int(segments.motion[row])
            number = int(motions.tool[motion])
            called = names_of.get(number, f"T{number}")
            test_of, names = test, parts
            if kind == "contact.shank":
                names = tuple(
                    p for p, t in (("shank", TEST_SHANK), ("holder", TEST_HOLDER)) if (depth[run, t] > 0).any()
                )
                test_of = TEST_HOLDER if depth[at, TEST_HOLDER] > depth[at, TEST_SHANK] else TEST_SHANK
                amount = float(body_depth[run].max())
            else:
                amount = float(depth[run, test].max())
            share = segments.first_touch(row, test_of, place[at, test_of])
            segment, of_segment = segments.segment_share(row, share)
            to_machine = machine_from_work.at(segment, of_segment) @ frame
            x, y, z = to_machine[:3, :3] @ place[at, test_of] + to_machine[:3, 3]
            docket.add(
                kind, _said(kind, called, names, name, amount, result.tools[number]),
                where=reel.where(motion, result.knots.moment(reel, segment, of_segment), int(segments.motion[rows[run[-1]]])),
                bodies=(*(f"{called} {part}" for part in names), name), amount=amount,
                count=len(np.unique(segments.motion[rows[run]])), point=(float(x), float(y), float(z)),
            )  # fmt: skip


def _said(kind: str, tool: str, parts: tuple[str, ...], stock: str, amount: float, it: Assembly) -> str:
    if kind == "contact.rapid":
        return f"{tool} goes through {stock} at rapid, {amount:.2f} mm deep"
    if kind == "contact.still":
        return f"{tool} cuts {stock} with the spindle still or turning the wrong way, {amount:.2f} mm deep"
    if kind == "contact.shank":
        return f"the {' and '.join(parts)} of {tool} {'run' if len(parts) > 1 else 'runs'} into {stock}, {amount:.2f} mm deep"
    if kind == "material.depth":
        return f"{tool} is engaged deeper than its flutes are long ({it.flute_length:g} mm)"
    if kind == "material.plunge":
        return f"{tool} goes down into {stock} where nothing is bored for it: the middle of its face does not cut (⌀ {2 * it.core:.4g})"
    return f"shank or holder of {tool} comes closer to {stock} than asked for"
