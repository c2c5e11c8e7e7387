"""Writing tool paths as posted blocks: facing, pockets, walls, drilling. Z0 is the top of the blank."""

from __future__ import annotations

import math
from collections.abc import Iterator

from shapely.geometry import LinearRing, Point, Polygon

Path = list[tuple[float, float]]


class Post:
    """Collects blocks."""

    def __init__(self, number: int, title: str) -> None:
        self.lines = ["%", f"O{number} ({title})", "G17 G21 G40 G49 G80 G90", "G91 G28 Z0.", "G90"]

    def add(self, *blocks: str) -> None:
        self.lines.extend(blocks)

    def call(self, tool: int, name: str, speed: int, offset: str = "G54") -> None:
        self.add("M5", "M9", *self.home(), f"T{tool} M6 ({name})", f"{offset} S{speed} M3")

    def home(self, words: str = "Z0.") -> list[str]:
        return [f"G91 G28 {words}", "G90"]

    def end(self, words: str = "X0. Y0.") -> list[str]:
        self.add("M5", "M9", "G91 G28 Z0.", f"G28 {words}", "G90", "M30", "%")
        return self.lines


def parts(region: Polygon) -> list[Polygon]:
    return list(region.geoms) if hasattr(region, "geoms") else [region]


def rings(region: Polygon, first: float, step: float) -> Iterator[Path]:
    """Closed paths parallel to the borders of a region, from the borders inwards."""
    offset = first
    while True:
        inner = region.buffer(-offset, quad_segs=16)
        if inner.is_empty:
            return
        for part in parts(inner):
            for ring in [part.exterior, *part.interiors]:
                yield list(LinearRing(ring).simplify(0.002).coords)
        offset += step


def face(post: Post, tool: int, half_x: float, rows: list[float], z: float, feed: int) -> None:
    post.add(f"G0 X{-half_x:.1f} Y{rows[0]:.1f}", f"G43 H{tool} Z10. M8", f"G1 Z{z:.1f} F2000.")
    for i, y in enumerate(rows):
        post.add(f"G1 Y{y:.1f} F{feed}." if i else f"F{feed}.", f"X{half_x if i % 2 == 0 else -half_x:.1f}")
    post.add("G0 Z40.")


def rough_pocket(post: Post, region: Polygon, levels: list[float], offset: float, step: float) -> None:
    """Rings from the inside out on every level, each entered on a ramp along its own path."""
    paths = list(rings(region, offset, step))[::-1]
    for level in levels:
        for path in paths:
            x, y = path[0]
            post.add(f"G0 X{x:.3f} Y{y:.3f}", f"Z{level + 3.2 if level > -4 else level + 3.0:.3f}")
            ramp = path[1 : max(3, len(path) // 3)]
            for i, (px, py) in enumerate(ramp):
                z = level + 3.0 * (1 - (i + 1) / len(ramp))
                post.add(f"{'G1 ' if i == 0 else ''}X{px:.3f} Y{py:.3f} Z{z:.3f}{' F700.' if i == 0 else ''}")
            around = path[len(ramp) + 1 :] + path[1 : len(ramp) + 1]
            for i, (px, py) in enumerate(around):
                post.add(f"X{px:.3f} Y{py:.3f}{' F1400.' if i == 0 else ''}")
            post.add("G0 Z3.")


def wall(post: Post, region: Polygon, radius: float, levels: list[float], feed: int) -> None:
    """Along every wall of a region, entered square to the middle of its longest side."""
    inside = region.buffer(-radius, quad_segs=24)
    for part in parts(inside):
        for ring in [part.exterior, *part.interiors]:
            path = list(LinearRing(ring).simplify(0.002).coords)
            longest = max(range(len(path) - 1), key=lambda i: math.dist(path[i], path[i + 1]))
            (ax, ay), (bx, by) = path[longest], path[longest + 1]
            start = ((ax + bx) / 2, (ay + by) / 2)
            nx, ny = -(by - ay) / math.dist((ax, ay), (bx, by)), (bx - ax) / math.dist((ax, ay), (bx, by))
            if not part.contains(Point(start[0] + 0.5 * nx, start[1] + 0.5 * ny)):
                nx, ny = -nx, -ny
            around = [*path[longest + 1 : -1], *path[: longest + 1], start]
            for level in levels:
                post.add(f"G0 X{start[0] + 3 * nx:.3f} Y{start[1] + 3 * ny:.3f}", f"Z{level + 1:.3f}",
                         f"G1 Z{level:.3f} F600.", f"X{start[0]:.3f} Y{start[1]:.3f} F{feed}.")  # fmt: skip
                post.add(*(f"X{x:.3f} Y{y:.3f}" for x, y in around))
                post.add(f"X{start[0] + 3 * nx:.3f} Y{start[1] + 3 * ny:.3f}", "G0 Z3.")


def floor(post: Post, region: Polygon, offset: float, step: float, z: float, feed: int) -> None:
    for path in list(rings(region, offset, step)):
        x, y = path[0]
        post.add(f"G0 X{x:.3f} Y{y:.3f}", f"Z{z + 1:.3f}", f"G1 Z{z:.3f} F500.")
        post.add(*(f"X{px:.3f} Y{py:.3f}{f' F{feed}.' if i == 0 else ''}" for i, (px, py) in enumerate(path[1:])))
        post.add("G0 Z3.")


def drill(post: Post, tool: int, holes: list[tuple[float, float]], z: float) -> None:
    (x, y), *others = holes
    post.add(f"G0 X{x:.1f} Y{y:.1f}", f"G43 H{tool} Z40. M8", f"G98 G83 R3. Z{z:.1f} Q6. F420.")
    post.add(*(f"X{hx:.1f} Y{hy:.1f}" for hx, hy in others))
    post.add("G80", "G0 Z40.")
