"""Where the cutting of a stock may go on from: what a checkpoint of it depends on, and what is in it."""

from __future__ import annotations

from dataclasses import astuple

import numpy as np

from ..geometry.mesh import Mesh
from ..material.film import BrickVersion, Film
from ..material.stock import BatchResult, Stock
from .checkpoints import Arrays, Digest, Store, keys_at, packed, places, unpacked
from .entering import Entering, Hit, Watch
from .result import Rehearsal, Work
from .segments import Segments

HIT_COLUMNS = ("taken", "stretch", "engaged", "depth", "place")
Hits = list[tuple[np.ndarray, BatchResult]]


def checkpoint_keys(
    result: Rehearsal,
    name: str,
    mesh: Mesh,
    tags: np.ndarray | None,
    frame: np.ndarray,
    segments: Segments,
    entering: list[Entering],
) -> dict[int, str]:
    """The key of every place at which a checkpoint is due: all that the stock there depends on."""
    job = result.job
    digest = Digest()
    if tags is not None:
        digest.take(tags)
    digest.take(name, mesh.vertices, mesh.faces, job.file.checks.resolution, job.file.checks.near_stock, frame,
                job.machine.model_dump(mode="json"))  # fmt: skip
    for sets in (segments.upright_sets, segments.turned_sets):
        digest.take(sets.slabs, sets.sets, sets.extents)
    digest.take(segments.ring_sets.outlines, segments.ring_sets.begin, segments.centre)
    asked: list[tuple[int, int, bool]] = []
    for number, item in enumerate(entering):
        digest.take(item.label, *(array for solid in item.body.solids for array in (solid.vertices, solid.faces)))
        asked += [(int(s), number, bool(w)) for s, w in zip(item.segments, item.swept, strict=True)]
    asked.sort()

    def chunk(first: int, last: int) -> list[object]:
        rows = slice(first, last)
        low, high = (int(segments.index[first]) if first else 0), int(segments.index[last])
        return [
            segments.start[rows], segments.delta[rows], segments.axis[rows], segments.turn[rows], segments.tool[rows],
            segments.flags[rows], segments.motion[rows], segments.time[rows], segments.index[rows], segments.ring_start[rows],
            segments.ring_delta[rows], result.values[low : high + 2], [item for item in asked if low <= item[0] <= high],
        ]  # fmt: skip

    return keys_at(digest, places(len(segments.motion)), chunk)


def keep(store: Store, key: str, stock: Stock, film: Film, work: Work, hits: Hits, watch: Watch) -> None:
    """Put everything as it stands into the store: plain arrays, nothing that could run."""
    state: Arrays = {**{f"work/{name}": getattr(work, name) for name in Work.COLUMNS}, "asked": np.array([watch.asked])}
    for i, rays in enumerate(stock.rays):
        state |= {f"rays{i}/{name}": values for name, values in rays.held().items()} | {
            f"rays{i}/used": np.array([rays.used])
        }
    versions, last, looks = film.state
    state["film/brick"] = np.array([v.brick for v in versions], np.int64)
    state["film/time"] = np.array([v.time for v in versions])
    state["film/quads"] = np.array([v.quads for v in versions], np.int64)
    state["film/size"] = np.array([len(v.data) for v in versions], np.int64)
    state["film/data"] = np.frombuffer(b"".join(v.data for v in versions), np.uint8)
    for name, table in (("last", last), ("looks", looks)):
        state[f"film/{name}"] = np.array(list(table), np.int64)
        state[f"film/{name}/of"] = np.array(list(table.values()), np.uint64)
    state["hits/row"] = np.concatenate([np.zeros(0, np.int64), *(rows for rows, _ in hits)])
    for name in HIT_COLUMNS:
        parts = [getattr(answer, name) for _, answer in hits]
        if parts:
            state[f"hits/{name}"] = np.concatenate(parts)
    for name, flat in (("found", [(n, *astuple(h)) for n, hs in watch.found.items() for h in hs]),
                       ("near", [(n, *astuple(h)) for n, h in watch.near.items()])):  # fmt: skip
        state[f"watch/{name}"] = np.array([[n, s, d, share, *place] for n, s, d, place, share in flat]).reshape(-1, 7)
    store.put(key, packed(state))


def go_on(
    store: Store | None, keys: dict[int, str], stock: Stock, film: Film, work: Work, hits: Hits, watch: Watch
) -> int:
    """Bring everything to where it stood at the last checkpoint that the store has and that can be read; how many pieces
    that is."""
    if store is None:
        return 0
    for place, key in sorted(keys.items(), reverse=True):
        data = store.get(key)
        state = unpacked(data) if data else None
        if state is None:
            continue
        try:
            _take(state, stock, film, work, hits, watch)
        except (KeyError, ValueError, IndexError):  # not what this code keeps: worked out anew
            continue
        return place
    return 0


def _take(state: Arrays, stock: Stock, film: Film, work: Work, hits: Hits, watch: Watch) -> None:
    pools = [
        {name: state[f"rays{i}/{name}"].copy() for name in rays.ARRAYS} | {"used": int(state[f"rays{i}/used"][0])}
        for i, rays in enumerate(stock.rays)
    ]
    ends = np.cumsum(state["film/size"])
    data = state["film/data"].tobytes()
    versions = [
        BrickVersion(brick, time, quads, data[end - size : end])
        for brick, time, quads, size, end in zip(
            *(state[f"film/{name}"].tolist() for name in ("brick", "time", "quads", "size")), ends.tolist(), strict=True
        )
    ]
    last, looks = (
        dict(zip(state[f"film/{name}"].tolist(), state[f"film/{name}/of"].tolist(), strict=True))
        for name in ("last", "looks")
    )
    row = state["hits/row"]
    answer = BatchResult(*(state[f"hits/{name}"] for name in HIT_COLUMNS)) if len(row) else None
    flat = {name: state[f"watch/{name}"] for name in ("found", "near")}
    for rays, pool in zip(stock.rays, pools, strict=True):
        for name, values in pool.items():
            setattr(rays, name, values)
        rays.free = {}
    film.state = versions, last, looks
    for name in Work.COLUMNS:
        getattr(work, name)[: len(state[f"work/{name}"])] = state[f"work/{name}"]
    if answer is not None:
        hits.append((row, answer))
    found: dict[int, list[Hit]] = {}
    for number, segment, depth, share, *place in flat["found"]:
        found.setdefault(int(number), []).append(Hit(int(segment), float(depth), np.array(place), float(share)))
    near = {
        int(number): Hit(int(segment), float(depth), np.array(place), float(share))
        for number, segment, depth, share, *place in flat["near"]
    }
    watch.go_on(found, near, int(state["asked"][0]))
