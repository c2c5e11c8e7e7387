// Where a plane cuts bodies: closed outlines in the plane, their areas, how far two of them part, and both as files.
//
// frame     the work's: X Y Z of the mount that the stock is on, mm
// across    the axis that the plane stands across, at a place along it; in the plane u and v are the two others, right-handed
// outline   a closed loop, its material on its left: what is outside runs anticlockwise, holes clockwise

export type Axis = 0 | 1 | 2;
export type Point = [number, number];
export type Outline = Point[];
export interface Cut {
  name: string;
  role: string;
  outlines: Outline[];
}

export const AXES_IN_PLANE: [Axis, Axis][] = [
  [1, 2],
  [2, 0],
  [0, 1],
];
const SAME = 1e4; // places alike to a tenth of a micrometre are one

/** Directed segments [u0, v0, u1, v1, …] where triangles cross the plane. `positions` by `index`, or three by three; `matrix`
 *  (column-major, 16) takes them to the frame. */
export function crossings(positions: ArrayLike<number>, index: ArrayLike<number> | null, matrix: ArrayLike<number>, across: Axis, at: number): number[] {
  const [u, v] = AXES_IN_PLANE[across];
  const found: number[] = [];
  const count = (index?.length ?? positions.length / 3) / 3;
  const corner = [new Float64Array(3), new Float64Array(3), new Float64Array(3)];
  const beyond = [false, false, false];
  for (let t = 0; t < count; t++) {
    for (let c = 0; c < 3; c++) {
      const from = 3 * (index ? index[3 * t + c] : 3 * t + c);
      const [x, y, z] = [positions[from], positions[from + 1], positions[from + 2]];
      for (let d = 0; d < 3; d++) corner[c][d] = matrix[d] * x + matrix[4 + d] * y + matrix[8 + d] * z + matrix[12 + d];
      beyond[c] = corner[c][across] >= at;
    }
    if (beyond[0] === beyond[1] && beyond[1] === beyond[2]) continue;
    // The corner that is alone on its side; the segment runs from the edge after it to the edge before it, or back.
    const alone = beyond[0] === beyond[1] ? 2 : beyond[0] === beyond[2] ? 1 : 0;
    const a = between(corner[alone], corner[(alone + 1) % 3], across, at, u, v);
    const b = between(corner[alone], corner[(alone + 2) % 3], across, at, u, v);
    // Seen from beyond the plane a triangle with its outside to the right is left along its edge that goes up.
    if (beyond[alone]) found.push(...a, ...b);
    else found.push(...b, ...a);
  }
  return found;
}

/** Where an edge crosses the plane; worked out from the same end for both of its triangles, so that they agree to the bit. */
function between(one: Float64Array, other: Float64Array, across: Axis, at: number, u: Axis, v: Axis): Point {
  const [p, q] = one[across] < other[across] || (one[across] === other[across] && one[u] < other[u]) ? [one, other] : [other, one];
  const share = (at - p[across]) / (q[across] - p[across]);
  return [p[u] + share * (q[u] - p[u]), p[v] + share * (q[v] - p[v])];
}

/** Segments joined end to end; what does not close is left open ended and closed by its chord. */
export function joined(segments: number[]): Outline[] {
  const key = (x: number, y: number) => `${Math.round(x * SAME)} ${Math.round(y * SAME)}`;
  const from = new Map<string, number[]>();
  const count = segments.length / 4;
  const used = new Uint8Array(count);
  for (let s = 0; s < count; s++) {
    const start = key(segments[4 * s], segments[4 * s + 1]);
    if (start === key(segments[4 * s + 2], segments[4 * s + 3])) used[s] = 1; // of no length
    else from.set(start, [...(from.get(start) ?? []), s]);
  }
  const outlines: Outline[] = [];
  for (let s = 0; s < count; s++) {
    if (used[s]) continue;
    const outline: Outline = [];
    for (let next: number | undefined = s; next !== undefined; ) {
      used[next] = 1;
      outline.push([segments[4 * next], segments[4 * next + 1]]);
      next = from.get(key(segments[4 * next + 2], segments[4 * next + 3]))?.find((other) => !used[other]);
    }
    if (outline.length > 2) outlines.push(straightened(outline));
  }
  return outlines.filter((outline) => outline.length > 2);
}

const STRAIGHT = 1e-5; // mm that a corner may stand off the line of its neighbours and still be none

/** The same without the corners that lie on a straight line. */
function straightened(outline: Outline): Outline {
  const kept: Outline = [];
  outline.forEach((point, i) => {
    const before = kept.at(-1) ?? outline.at(-1)!;
    const after = outline[(i + 1) % outline.length];
    const [du, dv] = [after[0] - before[0], after[1] - before[1]];
    const off = Math.abs(du * (point[1] - before[1]) - dv * (point[0] - before[0]));
    if (off > STRAIGHT * Math.hypot(du, dv)) kept.push(point);
  });
  return kept;
}

/** Signed: anticlockwise is positive. */
export function areaOf(outline: Outline): number {
  return outline.reduce((sum, [u, v], i) => {
    const [u1, v1] = outline[(i + 1) % outline.length];
    return sum + (u * v1 - u1 * v) / 2;
  }, 0);
}

export const cutArea = ({ outlines }: Cut): number => outlines.reduce((sum, outline) => sum + areaOf(outline), 0);

export function isInside([u, v]: Point, outlines: Outline[]): boolean {
  let inside = false;
  for (const outline of outlines) {
    for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
      const [[ui, vi], [uj, vj]] = [outline[i], outline[j]];
      if (vi > v !== vj > v && u < ((uj - ui) * (v - vi)) / (vj - vi) + ui) inside = !inside;
    }
  }
  return inside;
}

/** Every outline that runs anticlockwise with the holes that lie in it. */
export function faces(outlines: Outline[]): { outside: Outline; holes: Outline[] }[] {
  const found = outlines.filter((outline) => areaOf(outline) > 0).map((outside) => ({ outside, holes: [] as Outline[] }));
  found.sort((a, b) => areaOf(a.outside) - areaOf(b.outside));
  for (const hole of outlines) if (areaOf(hole) < 0) found.find(({ outside }) => isInside(hole[0], [outside]))?.holes.push(hole);
  return found;
}

/** The place of some outlines that is nearest to a point. */
export function nearest([u, v]: Point, outlines: Outline[]): { point: Point; away: number } {
  let best = { point: [u, v] as Point, away: Infinity };
  for (const outline of outlines) {
    for (let i = 0; i < outline.length; i++) {
      const [[au, av], [bu, bv]] = [outline[i], outline[(i + 1) % outline.length]];
      const [du, dv] = [bu - au, bv - av];
      const share = Math.min(1, Math.max(0, ((u - au) * du + (v - av) * dv) / (du * du + dv * dv || 1)));
      const point: Point = [au + share * du, av + share * dv];
      const away = Math.hypot(u - point[0], v - point[1]);
      if (away < best.away) best = { point, away };
    }
  }
  return best;
}

export interface Parting {
  at: Point; // on the stock's outline
  to: Point; // on the design's
  amount: number; // mm; below 0 the stock is cut into the design
}

/** Where the stock's outline parts most from the design's, inwards and outwards; null where either is missing. */
export function parting(stock: Outline[], design: Outline[]): { deep: Parting | null; left: Parting | null } {
  let [deep, left]: (Parting | null)[] = [null, null];
  if (design.length)
    for (const outline of stock)
      for (const at of outline) {
        const { point: to, away } = nearest(at, design);
        const amount = isInside(at, design) ? -away : away;
        if (amount < 0 && (!deep || amount < deep.amount)) deep = { at, to, amount };
        if (amount >= 0 && (!left || amount > left.amount)) left = { at, to, amount };
      }
  return { deep, left };
}

// --- files ----------------------------------------------------------------------------------------------------------------

const number = (value: number) => value.toFixed(4).replace(/\.?0+$/, "") || "0";
const layer = (name: string) => name.replace(/[^A-Za-z0-9_-]+/g, "_") || "body";

/** A drawing in millimetres, v upwards: a path for each body. */
export function asSvg(cuts: Cut[]): string {
  const points = cuts.flatMap(({ outlines }) => outlines.flat());
  const low = [0, 1].map((d) => Math.min(...points.map((p) => p[d])));
  const high = [0, 1].map((d) => Math.max(...points.map((p) => p[d])));
  const [width, height] = [high[0] - low[0], high[1] - low[1]];
  const paths = cuts.map(({ name, role, outlines }) => {
    const d = outlines.map((outline) => `M${outline.map(([u, v]) => `${number(u)} ${number(-v)}`).join("L")}Z`).join("");
    return `<path id="${layer(name)}" class="${role}" fill-rule="evenodd" fill="${role === "design" ? "none" : "#d8d2c2"}" stroke="#1d2a30" stroke-width="0.1" d="${d}"/>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${number(width)}mm" height="${number(height)}mm" viewBox="${number(low[0])} ${number(-high[1])} ${number(width)} ${number(height)}">\n${paths.join("\n")}\n</svg>\n`;
}

/** The same as DXF (R12, millimetres): closed polylines, a layer for each body. */
export function asDxf(cuts: Cut[]): string {
  const lines: (string | number)[] = [0, "SECTION", 2, "HEADER", 9, "$ACADVER", 1, "AC1009", 9, "$INSUNITS", 70, 4, 0, "ENDSEC", 0, "SECTION", 2, "ENTITIES"];
  for (const { name, outlines } of cuts)
    for (const outline of outlines) {
      lines.push(0, "POLYLINE", 8, layer(name), 66, 1, 70, 1);
      for (const [u, v] of outline) lines.push(0, "VERTEX", 8, layer(name), 10, number(u), 20, number(v));
      lines.push(0, "SEQEND");
    }
  return `${[...lines, 0, "ENDSEC", 0, "EOF"].join("\n")}\n`;
}
