"""Closed outlines out of DXF drawings: the profile of what is turned, the outline of what is drawn out."""

from __future__ import annotations

import itertools
import logging
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import KDTree
from shapely import STRtree, box, linestrings, make_valid, union_all
from shapely.geometry import LineString, Polygon
from shapely.ops import polygonize

from .meshfile import MeshUnreadable

MAX_FILE_BYTES = 20_000_000
JOINED_MM = 0.005  # ends nearer than this are one: drawings are seldom closed to the bit
CHORD_MM = 0.0025  # by which chords may stand off an arc, and what is left of them off those
FAR_MM = 1e5
MOST_PARTS, MOST_POINTS, MOST_CROSSINGS = 10_000, 200_000, 20_000
_BATCH = 50  # of segments asked about at once: what comes back of one batch stays small even where all cross all
_TOO_FAR = "a point of the drawing is not a number or lies too far away: check its units"
# $INSUNITS: none said, inch, foot, mm, cm, m, mil, micron, dm.
MM_OF_UNIT = {0: 1.0, 1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0, 9: 0.0254, 13: 0.001, 14: 100.0}  # fmt: skip
BESIDE_THE_OUTLINE = frozenset(
    [
        "TEXT",
        "MTEXT",
        "ATTRIB",
        "ATTDEF",
        "DIMENSION",
        "LEADER",
        "MULTILEADER",
        "POINT",
        "HATCH",
        "TOLERANCE",
        "VIEWPORT",
        "XLINE",
    ]
)

Outline = list[tuple[float, float]]


def read_outline(path: Path) -> Outline:
    """The one closed outline of a drawing, mm. Raises MeshUnreadable."""
    return _ring(_faces(_curves(path)))


def read_profile(path: Path) -> Outline:
    """The profile [(r, z), …] of a turned body whose axis is the drawing's y axis: the half right of it. Of a whole section
    the right half is taken; a half whose ends stand on the axis is closed along it. Raises MeshUnreadable."""
    curves = _curves(path)
    heights = np.concatenate([curve[:, 1] for curve in curves])
    # The axis itself: polygonize keeps only what it closes.
    axis = np.array([[0.0, heights.min() - 1.0], [0.0, heights.max() + 1.0]])
    faces = _faces([*[_onto_axis(curve) for curve in curves], axis])
    right = [face.intersection(box(0.0, -FAR_MM, FAR_MM, FAR_MM)) for face in faces]
    return _ring([face for face in right if face.area > JOINED_MM**2])


def outside_of(ring: Outline) -> Outline:
    """From the lowest point of a closed profile [(r, z), …] up its outside to its highest, the lowest at z 0. Raises MeshUnreadable
    where that goes down again: it is no form that a tool of one turn could have been ground to."""
    points = np.array(ring)
    low, high = points[:, 1].min(), points[:, 1].max()
    area = np.sum(points[:, 0] * np.roll(points[:, 1], -1) - np.roll(points[:, 0], -1) * points[:, 1])
    points = points if area > 0 else points[::-1]  # anticlockwise: upwards on the outside
    flat = np.flatnonzero(np.abs(points[:, 1] - low) < JOINED_MM)
    begin = int(flat[np.argmax(points[flat, 0])])
    turned = np.roll(points, -begin, axis=0)
    level = np.flatnonzero(np.abs(turned[:, 1] - high) < JOINED_MM)
    side = turned[: int(level[np.argmax(turned[level, 0])]) + 1]
    if (np.diff(side[:, 1]) < -JOINED_MM).any():
        raise MeshUnreadable("the outside of the profile goes down again on its way up: a form tool's does not")
    heights = np.maximum.accumulate(side[:, 1] - low)
    return [(float(r), float(z)) for r, z in zip(np.maximum(side[:, 0], 0.0), heights, strict=True)]


def _curves(path: Path) -> list[np.ndarray]:
    """Every curve of the drawing as a polyline (n, 2), mm."""
    if path.suffix.lower() != ".dxf":
        raise MeshUnreadable(f"'{path.suffix}' is no drawing that is read here; use DXF")
    if path.stat().st_size > MAX_FILE_BYTES:
        raise MeshUnreadable(
            f"{path.stat().st_size / 1e6:.0f} MB; a drawing of one outline has at most {MAX_FILE_BYTES // 10**6} MB"
        )
    try:
        return _taken_apart(path)
    except (MeshUnreadable, MemoryError):
        raise
    except Exception as error:  # the library promises errors of its own; a damaged file finds its way to all others
        said = "".join(c for c in str(error) if c.isprintable())[:120]
        raise MeshUnreadable(f"the drawing cannot be read as DXF: {said or type(error).__name__}") from error


def _taken_apart(path: Path) -> list[np.ndarray]:
    from ezdxf import recover
    from ezdxf.audit import AuditError
    from ezdxf.path import make_path

    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)  # what it mends is in what it gives back
    drawing, auditor = recover.readfile(path)
    for fix in (*auditor.fixes, *auditor.errors):
        if fix.code == AuditError.INVALID_FLOATING_POINT_VALUE:  # the library has guessed one
            said = "".join(c for c in fix.message if c.isprintable())
            raise MeshUnreadable(f"a number of the drawing is damaged: export it again ({said[:120]})")
    entities = list(_parts(drawing.modelspace()))
    scale = MM_OF_UNIT.get(int(drawing.header.get("$INSUNITS", 0)))
    if scale is None:
        raise MeshUnreadable(
            "the drawing's units ($INSUNITS) are none that is used for drawings of parts: export it in mm or inches"
        )
    curves, total = [], 0
    for entity in entities:
        kind = entity.dxftype()
        try:
            way = make_path(entity)
        except TypeError as error:
            raise MeshUnreadable(f"the drawing holds a {kind}, which is no curve: explode or remove it") from error
        # An arc of a mile would be cut into chords without end: how far it goes is looked at before.
        if not all(abs(c) * scale < FAR_MM for v in way.control_vertices() for c in (v.x, v.y, v.z)):
            raise MeshUnreadable(_TOO_FAR)
        points = [(p.x, p.y, p.z) for p in itertools.islice(way.flattening(CHORD_MM / scale), MOST_POINTS - total + 1)]
        total += len(points)
        if total > MOST_POINTS:
            raise MeshUnreadable(
                f"the drawing has more than {MOST_POINTS:,} points: leave only the outline that is meant"
            )
        curve = np.array(points).reshape(-1, 3) * scale
        if len(curve) > 1:
            if np.ptp(curve[:, 2]) > JOINED_MM:
                raise MeshUnreadable(f"a {kind} of the drawing leaves its plane: export it flat")
            curves.append(curve[:, :2])
    if not curves:
        raise MeshUnreadable("the drawing holds no lines, arcs or splines")
    if not all(np.isfinite(curve).all() and np.abs(curve).max() < FAR_MM for curve in curves):
        raise MeshUnreadable(_TOO_FAR)
    once = {min(curve.tobytes(), curve[::-1].tobytes()): curve for curve in curves}  # a curve drawn twice is one
    return list(once.values())


def _parts(layout: Any) -> Iterator[Any]:
    """The curves of a layout, blocks taken apart. Raises MeshUnreadable where that has no end in sight: a few lines of a file can name
    a block in thousands of rows, or blocks of blocks."""
    from ezdxf.protocols import SupportsVirtualEntities, virtual_entities

    waiting, left, passed = [iter(layout)], MOST_PARTS, 0
    while waiting:
        entity = next(waiting[-1], None)
        if entity is None:
            waiting.pop()
            continue
        kind = entity.dxftype()
        beside = kind in BESIDE_THE_OUTLINE or kind.startswith("ACAD_")
        many = entity.mcount if kind == "INSERT" else 1
        passed, left = passed + beside, left - (0 if beside else max(many, 1))
        if left < 0 or passed > 10 * MOST_PARTS:  # a block may hold nothing but texts, and be named ten thousand times
            raise MeshUnreadable(
                f"the drawing has more than {MOST_PARTS:,} parts, blocks in blocks counted: leave only the outline that is meant"
            )
        if beside:
            continue  # whole: the lines that draw a dimension are none of the outline's
        if many > 1:
            waiting.append(itertools.chain.from_iterable(virtual_entities(single) for single in entity.multi_insert()))
        elif isinstance(entity, SupportsVirtualEntities):
            waiting.append(iter(virtual_entities(entity)))
        else:
            yield entity


def _onto_axis(curve: np.ndarray) -> np.ndarray:
    moved = curve.copy()
    moved[np.abs(moved[:, 0]) < JOINED_MM, 0] = 0.0
    return moved


def _faces(curves: list[np.ndarray]) -> list[Polygon]:
    """What the curves close, ends within JOINED_MM of each other made one."""
    _refuse_a_tangle(curves)
    ends = np.concatenate([curve[[0, -1]] for curve in curves])
    near = KDTree(ends).query_pairs(JOINED_MM, output_type="ndarray")
    links = coo_array((np.ones(len(near)), (near[:, 0], near[:, 1])), shape=(len(ends), len(ends)))
    _, group = connected_components(links, directed=False)
    first = np.unique(group, return_index=True)[1]  # every group of ends becomes the first of them
    ends = ends[first[group]]
    lines = []
    for i, curve in enumerate(curves):
        joined = curve.copy()
        joined[0], joined[-1] = ends[2 * i], ends[2 * i + 1]
        lines.append(LineString(joined))
    faces = list(polygonize(union_all(lines)))
    if not faces:
        raise MeshUnreadable("nothing in the drawing is closed: join the ends of its outline")
    if any(face.interiors for face in faces):
        raise MeshUnreadable("one outline lies inside another: leave only the one that is meant, without holes")
    return faces


def _refuse_a_tangle(curves: list[np.ndarray]) -> None:
    """Raises MeshUnreadable where so many segments meet that to cut them at each other would take for ever: an outline's segments
    meet the one before and the one after."""
    pieces = np.concatenate([np.stack([curve[:-1], curve[1:]], axis=1) for curve in curves])
    segments = linestrings(pieces)
    tree = STRtree(segments)
    left = 4 * len(segments) + MOST_CROSSINGS
    for i in range(0, len(segments), _BATCH):
        left -= tree.query(segments[i : i + _BATCH], predicate="intersects").shape[1]
        if left < 0:
            raise MeshUnreadable("the drawing's lines cross each other all over: leave only the outline that is meant")


def _ring(faces: list[Polygon]) -> Outline:
    merged = make_valid(union_all(faces))
    if merged.geom_type != "Polygon":
        raise MeshUnreadable("the drawing holds more than one outline: leave only the one that is meant")
    return [(float(x), float(y)) for x, y in merged.simplify(CHORD_MM).exterior.coords[:-1]]
