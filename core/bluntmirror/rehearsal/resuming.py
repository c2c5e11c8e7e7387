"""Where the cutting of a stock may go on from: what a checkpoint of it depends on, and what is in it."""

from __future__ import annotations

from dataclasses import astuple, dataclass, field

import numpy as np

from ..geometry.mesh import Mesh
from ..material.film import BrickVersion, Film
from ..material.stock import BatchResult, Stock
from .checkpoints import Arrays, Digest, Store, keys_at, packed, places, unpacked
from .entering import Entering, Hit, Watch
from .result import Rehearsal, Work
from .segments import Segments

FILM_COLUMNS = ("brick", "time", "quads", "look", "size")
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


@dataclass
class Kept:
    """What of a cutting the checkpoints so far hold: a checkpoint holds no more than what has come since the one before it."""

    key: str = ""
    versions: int = 0  # of the film
    hits: int = 0
    taken: np.ndarray = field(default_factory=lambda: np.zeros(0))  # of every motion, at that moment
    blank: float = 0.0  # mm³: what the blank's rays hold


def keep(store: Store, key: str, stock: Stock, film: Film, work: Work, hits: Hits, watch: Watch, kept: Kept) -> None:
    """Put what has come since the last checkpoint into the store: plain arrays, nothing that could run."""
    state: Arrays = {
        "before": np.frombuffer(kept.key.encode(), np.uint8),
        "asked": np.array([watch.asked]),
        "blank": np.array([kept.blank]),
    }
    motions = np.flatnonzero(work.taken != kept.taken) if len(kept.taken) else np.flatnonzero(work.taken)
    state |= {"work/motion": motions} | {f"work/{name}": getattr(work, name)[motions] for name in Work.COLUMNS}
    for i, rays in enumerate(stock.rays):
        state |= {f"rays{i}/{name}": values for name, values in rays.copies().items()}
    versions, last, looks = film.state
    new = versions[kept.versions :]
    state["film/brick"] = np.array([v.brick for v in new], np.int64)
    state["film/time"] = np.array([v.time for v in new])
    state["film/quads"] = np.array([v.quads for v in new], np.int64)
    state["film/look"] = np.array([v.look for v in new], np.uint64)
    state["film/size"] = np.array([len(v.data) for v in new], np.int64)
    state["film/data"] = np.frombuffer(b"".join(v.data for v in new), np.uint8)
    for name, table in (("last", last), ("looks", looks)):
        state[f"film/{name}"] = np.array(list(table), np.int64)
        state[f"film/{name}/of"] = np.array(list(table.values()), np.uint64)
    more = hits[kept.hits :]
    state["hits/row"] = np.concatenate([np.zeros(0, np.int64), *(rows for rows, _ in more)])
    for name in HIT_COLUMNS:
        parts = [getattr(answer, name) for _, answer in more]
        if parts:
            state[f"hits/{name}"] = np.concatenate(parts)
    for name, flat in (("found", [(n, *astuple(h)) for n, hs in watch.found.items() for h in hs]),
                       ("near", [(n, *astuple(h)) for n, h in watch.near.items()])):  # fmt: skip
        state[f"watch/{name}"] = np.array([[n, s, d, share, *place] for n, s, d, place, share in flat]).reshape(-1, 7)
    key = _with_film(key) if film.runs else key
    store.put(key, packed(state))
    if kept.key:
        store.put(_after(kept.key), key.encode())
    kept.key, kept.versions, kept.hits, kept.taken = key, len(versions), len(hits), work.taken.copy()


def holds(store: Store, key: str, film: Film) -> bool:
    """Whether the store has a checkpoint that a film may go on from."""
    return store.get(_with_film(key)) is not None or (not film.runs and store.get(key) is not None)


def _with_film(key: str) -> str:
    """The key of a checkpoint that holds the film so far, too."""
    return f"{key}-film"


def _after(key: str) -> str:
    """Under which the store has the key of the checkpoint that came last after this one."""
    return f"{key}-after"


@dataclass
class Earlier:
    """What an earlier run's film holds from the checkpoint on that this one went on from. After a small change most bricks will look as
    they did then, and packing one takes longer than finding out how it looks."""

    store: Store
    key: str  # the earlier run's checkpoint that has been reached
    most: int  # checkpoints; an earlier run has no more, or goes round in a circle
    passed: dict[tuple[int, int], bytes] = field(
        default_factory=dict
    )  # of the stretch before: places may have moved a little

    def go_on(self, film: Film) -> None:
        """Let a film have the bricks of the next stretch."""
        data = self.store.get(_after(self.key)) if self.most > 0 else None
        key = data.decode(errors="replace") if data else ""
        held = self.store.get(key) if key else None
        state = unpacked(held) if held else None
        coming: dict[tuple[int, int], bytes] = {}
        if state is not None and all(f"film/{name}" in state for name in (*FILM_COLUMNS, "data")):
            coming = {(version.brick, version.look): version.data for version in _versions(state)}
        film.packed_before = {**self.passed, **coming}
        self.key, self.most, self.passed = key, self.most - 1 if coming else 0, coming


def go_on(
    store: Store | None, keys: dict[int, str], stock: Stock, film: Film, work: Work, hits: Hits, watch: Watch, kept: Kept
) -> int:  # fmt: skip
    """Bring everything to where it stood at the last checkpoint that the store has, with all those it stands on, and that can be
    read; how many pieces that is."""
    if store is None:
        return 0
    for place, plain in sorted(keys.items(), reverse=True):
        # A film needs one that was filmed; whoever needs none takes either.
        for key in (_with_film(plain),) if film.runs else (plain, _with_film(plain)):
            states = _chain(store, key, len(keys), stock)
            if states is not None:
                break
        if states is None:
            continue
        versions: list[BrickVersion] = []
        for state in states:
            versions += _take(state, stock, work, hits)
        # The first checkpoint of a run holds what was shot of the blank, too.
        film.state = versions, _table(states[-1], "last"), _table(states[-1], "looks")
        _found_so_far(states[-1], watch)
        for rays in stock.rays:
            rays.changed[:] = False
        kept.key, kept.versions, kept.hits, kept.taken = key, len(film.versions), len(hits), work.taken.copy()
        kept.blank = float(states[-1]["blank"][0])
        return place
    return 0


def _chain(store: Store, key: str, most: int, stock: Stock) -> list[Arrays] | None:
    """What a checkpoint and all that it stands on hold, the first of them first; None where anything is lost, torn or not of this
    stock."""
    states: list[Arrays] = []
    while key:
        data = store.get(key)
        state = unpacked(data) if data and len(states) < most else None
        if state is None or not _is_whole(state, stock):
            return None
        states.append(state)
        key = state["before"].tobytes().decode()
    return states[::-1]


def _is_whole(state: Arrays, stock: Stock) -> bool:
    """Whether an archive holds what `keep` puts there, and tiles of this stock."""
    try:
        for i, rays in enumerate(stock.rays):
            tiles, capacity = state[f"rays{i}/tiles"], state[f"rays{i}/capacity"]
            room = int(capacity.sum()) * state[f"rays{i}/count"].shape[1] if len(tiles) else 0
            if len(capacity) != len(tiles) or (len(tiles) and tiles.max() >= rays.tiles):
                return False
            if any(len(state[f"rays{i}/{name}"]) != room for name in rays.POOLS):
                return False
        rows = len(state["hits/row"])
        if rows and any(len(state[f"hits/{name}"]) != rows for name in HIT_COLUMNS):
            return False
        named = ("before", "asked", "blank", "work/motion", "film/data", "watch/found", "watch/near")
        return all(name in state for name in (*named, *(f"film/{table}/of" for table in ("last", "looks"))))
    except (KeyError, ValueError, IndexError):
        return False


def _take(state: Arrays, stock: Stock, work: Work, hits: Hits) -> list[BrickVersion]:
    """What one checkpoint adds to the one before it; its versions of bricks for the film."""
    for i, rays in enumerate(stock.rays):
        head = f"rays{i}/"
        rays.take({name.removeprefix(head): values for name, values in state.items() if name.startswith(head)})
    motions = state["work/motion"]
    for name in Work.COLUMNS:
        getattr(work, name)[motions] = state[f"work/{name}"]
    if len(state["hits/row"]):
        hits.append((state["hits/row"], BatchResult(*(state[f"hits/{name}"] for name in HIT_COLUMNS))))
    return _versions(state)


def _versions(state: Arrays) -> list[BrickVersion]:
    ends = np.cumsum(state["film/size"])
    data = state["film/data"].tobytes()
    return [
        BrickVersion(brick, time, quads, look, data[end - size : end])
        for brick, time, quads, look, size, end in zip(
            *(state[f"film/{name}"].tolist() for name in FILM_COLUMNS), ends.tolist(), strict=True
        )
    ]


def _table(state: Arrays, name: str) -> dict[int, int]:
    return dict(zip(state[f"film/{name}"].tolist(), state[f"film/{name}/of"].tolist(), strict=True))


def _found_so_far(state: Arrays, watch: Watch) -> None:
    found: dict[int, list[Hit]] = {}
    for number, segment, depth, share, *place in state["watch/found"]:
        found.setdefault(int(number), []).append(Hit(int(segment), float(depth), np.array(place), float(share)))
    near = {
        int(number): Hit(int(segment), float(depth), np.array(place), float(share))
        for number, segment, depth, share, *place in state["watch/near"]
    }
    watch.go_on(found, near, int(state["asked"][0]))
