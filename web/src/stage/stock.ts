// A stock through time: bricks of the film in the version of the moment, coloured by the tool that cut them or by deviation.

import * as THREE from "three";

import { deviationColour, type Scale, timeColour, toolColour } from "../look";
import { brickOf, type Brick, type Span } from "../replay/film";
import { above, FilmIndex, type CutBefore, type Replay } from "../replay/replay";
import { matrix, type Skeleton } from "./skeleton";

export type Colours = { by: "tool" | "operation" | "time" } | { by: "deviation"; scale: Scale };

const FIRST_BEFORE = -2; // the tag of the first cut of an earlier step
const PALE = new THREE.Color(toolColour(0));
const PALER = 0.6;

export class StockView {
  readonly group = new THREE.Group();
  readonly name: string;
  private readonly film: FilmIndex;
  private readonly bricks = new Map<number, { mesh: THREE.Mesh; version: number; tags: Int32Array }>();
  private readonly times: Float64Array;
  private readonly begins: Float64Array; // where each version begins in the film, and where the last ends
  private readonly quadEnd: Uint32Array;
  private readonly deviation = new Map<number, Float32Array>(); // version → deviation of each quad, for the final bricks
  private colours: Colours = { by: "tool" };
  private hand: { link: string; matrix: number[][] } | null = null; // what carries it, where that changes

  constructor(
    private readonly replay: Replay,
    private readonly skeleton: Skeleton,
    private readonly told: Replay["description"]["stocks"][number],
  ) {
    this.name = told.name;
    this.group.matrixAutoUpdate = false;
    this.group.matrix.copy(matrix(told.matrix));
    skeleton.of(told.link)!.add(this.group);
    this.times = replay.array(told.time) as Float64Array;
    this.film = new FilmIndex(replay.array(told.brick), this.times);
    const sizes = told.bytes ? replay.array(told.bytes) : new Uint32Array(this.times.length);
    this.begins = new Float64Array(sizes.length + 1);
    this.begins[0] = told.film ?? 0;
    for (let i = 0; i < sizes.length; i++) this.begins[i + 1] = this.begins[i] + sizes[i];
    this.quadEnd = replay.array(told.quadEnd) as Uint32Array;
    if (!told.part) return;
    const all = replay.array(told.part.deviation) as Float32Array;
    let at = 0;
    for (const version of replay.array(told.part.final)) {
      this.deviation.set(version, all.subarray(at, at + this.count(version)));
      at += this.count(version);
    }
  }

  get hasDesign(): boolean {
    return this.deviation.size > 0;
  }

  colour(colours: Colours): void {
    this.colours = colours;
    for (const brick of this.bricks.values()) brick.version = -2;
  }

  /** As it stands at a moment; a deviation is that of the finished part. Tells what of the film is lacking for it: there it is shown as
   *  it was before. */
  show(time: number, state: "shown" | "ghost" | "hidden", planes: THREE.Plane[] | null): Span[] {
    this.group.visible = state !== "hidden";
    this.carry(time);
    const moment = this.colours.by === "deviation" ? this.replay.seconds : time;
    const lacking: Span[] = [];
    for (const brick of this.film.bricks) {
      const version = this.film.versionAt(brick, moment);
      if (!this.brick(brick, version, state === "ghost", planes)) lacking.push(this.span(version));
    }
    return lacking;
  }

  /** What of the film comes after a moment and then before it, as far as it is not there. */
  *coming(time: number): Generator<Span> {
    const here = above(this.times, time);
    const count = this.times.length;
    for (let i = 0; i < count; i++) {
      const version = i < count - here ? here + i : count - 1 - i;
      if (!this.told.whole && !this.replay.film.has(this.begins[version])) yield this.span(version);
    }
  }

  private span(version: number): Span {
    return { begin: this.begins[version], end: this.begins[version + 1] };
  }

  /** Put it into the hands that hold it at a time. */
  private carry(time: number): void {
    const spans = this.told.carried ?? [];
    if (!spans.length) return;
    const now = spans.findLast((span) => span.time <= time + 1e-9) ?? this.told;
    if (this.hand === now) return;
    this.hand = now;
    this.group.matrix.copy(matrix(now.matrix));
    this.skeleton.of(now.link)!.add(this.group);
  }

  /** Whether it is a piece of its own at a time. */
  isThere(time: number): boolean {
    return (this.told.begin ?? 0) <= time;
  }

  /** The link that carries it now. */
  get link(): string {
    return this.hand?.link ?? this.told.link;
  }

  /** A place of the mount's frame in the machine's, as it stands. */
  fromMount(): THREE.Matrix4 {
    return this.skeleton.frame(this.told.link).multiply(matrix(this.told.mount));
  }

  /** The motion that made a face (below 0: none did, or one of an earlier step), and its deviation. */
  face({ brick, version }: { brick: number; version: number }, triangle: number): { motion: number; before: CutBefore | null; deviation: number | null } {
    const quad = triangle >> 1;
    const tag = this.bricks.get(brick)?.tags[quad] ?? -1;
    return { motion: Math.max(tag, -1), before: this.cutBefore(tag), deviation: this.deviation.get(version)?.[quad] ?? null };
  }

  private cutBefore(tag: number): CutBefore | null {
    return tag <= FIRST_BEFORE ? (this.told.before?.[FIRST_BEFORE - tag] ?? null) : null;
  }

  /** By what cut it, or when; what an earlier step cut is paler, what nothing cut is bare. */
  private byMaker(colour: THREE.Color, tag: number): void {
    const before = this.cutBefore(tag);
    const { by } = this.colours;
    if (tag >= 0 && by === "operation") colour.set(toolColour(1 + this.replay.operationOf(tag)));
    else if (tag >= 0 && by === "time") colour.setRGB(...timeColour(this.replay.column("time")[tag] / Math.max(this.replay.seconds, 1e-9)));
    else colour.set(toolColour(before?.tool ?? (tag >= 0 ? this.replay.column("tool")[tag] : 0)));
    if (before) colour.lerp(PALE, PALER);
  }

  /** How many quads are on show. */
  get seen(): number {
    let total = 0;
    for (const { version } of this.bricks.values()) if (version >= 0) total += this.count(version);
    return total;
  }

  private first(version: number): number {
    return version ? this.quadEnd[version - 1] : 0;
  }

  private count(version: number): number {
    return this.quadEnd[version] - this.first(version);
  }

  /** Show a version of a brick; false where the film has not come yet. */
  private brick(brick: number, version: number, ghost: boolean, planes: THREE.Plane[] | null): boolean {
    let known = this.bricks.get(brick);
    if (!known) {
      const material = new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.8, clipShadows: true });
      known = { mesh: new THREE.Mesh(new THREE.BufferGeometry(), material), version: -2, tags: new Int32Array(0) };
      this.group.add(known.mesh);
      this.bricks.set(brick, known);
    }
    const material = known.mesh.material as THREE.MeshStandardMaterial;
    material.transparent = ghost;
    material.opacity = ghost ? 0.25 : 1;
    material.clippingPlanes = planes;
    known.mesh.castShadow = known.mesh.receiveShadow = !ghost;
    material.side = planes ? THREE.DoubleSide : THREE.FrontSide;
    if (known.version === version) return true;
    const told = version < 0 ? null : this.told.whole ? this.kept(version) : this.fetched(brick, version);
    if (told === undefined) return false;
    known.version = version;
    known.mesh.geometry.dispose();
    known.mesh.geometry = told ? this.geometry(told, version) : new THREE.BufferGeometry();
    known.tags = told?.tags ?? new Int32Array(0);
    known.mesh.userData = { stock: this, brick, version };
    return true;
  }

  private fetched(brick: number, version: number): Brick | undefined {
    const packed = this.replay.film.get(this.begins[version]);
    return packed && brickOf(packed, brick, this.told.grid!);
  }

  /** Out of the replay itself, where the film stands in it. */
  private kept(version: number): Brick {
    const { vertexEnd, vertices, quads, tags } = this.told.whole!;
    const ends = this.replay.array(vertexEnd);
    const [v, q, count] = [version ? ends[version - 1] : 0, this.first(version), this.count(version)];
    return {
      vertices: (this.replay.array(vertices) as Float32Array).subarray(3 * v, 3 * ends[version]),
      quads: (this.replay.array(quads) as Uint16Array).subarray(4 * q, 4 * (q + count)),
      tags: (this.replay.array(tags) as Int32Array).subarray(q, q + count),
    };
  }

  private geometry(told: Brick, version: number): THREE.BufferGeometry {
    const quads = told.tags.length;
    const positions = new Float32Array(quads * 18);
    const normals = new Float32Array(quads * 18);
    const shaded = creased(told);
    const colours = new Float32Array(quads * 18);
    const colour = new THREE.Color();
    const deviation = this.deviation.get(version);
    for (let q = 0; q < quads; q++) {
      const corner = [0, 1, 2, 3].map((c) => 3 * told.quads[4 * q + c]);
      const tag = told.tags[q];
      if (this.colours.by !== "deviation") this.byMaker(colour, tag);
      else if (deviation) colour.setRGB(...deviationColour(deviation[q], this.colours.scale));
      else colour.set("#cfc9ba");
      [0, 1, 2, 0, 2, 3].forEach((c, i) => {
        const at = 18 * q + 3 * i;
        for (let d = 0; d < 3; d++) {
          positions[at + d] = told.vertices[corner[c] + d];
          normals[at + d] = shaded[12 * q + 3 * c + d];
        }
        colours[at] = colour.r;
        colours[at + 1] = colour.g;
        colours[at + 2] = colour.b;
      });
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
    geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
    return geometry;
  }
}

const SMOOTH = Math.cos((35 * Math.PI) / 180); // a corner's quads that look farther apart meet at an edge

/** A normal for each corner of each quad (12 numbers a quad): where the quads around a vertex look nearly one way their mean, so that a
 *  surface looks as smooth as it was cut; at an edge the quad's own. */
export function creased({ quads, vertices, tags }: Brick): Float32Array {
  const count = tags.length;
  const own = new Float32Array(3 * count);
  const sum = new Float32Array(vertices.length);
  const at = (q: number, c: number, d: number) => vertices[3 * quads[4 * q + c] + d];
  for (let q = 0; q < count; q++) {
    // Across its diagonals: the quad is nearly flat.
    const [ax, ay, az] = [at(q, 2, 0) - at(q, 0, 0), at(q, 2, 1) - at(q, 0, 1), at(q, 2, 2) - at(q, 0, 2)];
    const [bx, by, bz] = [at(q, 3, 0) - at(q, 1, 0), at(q, 3, 1) - at(q, 1, 1), at(q, 3, 2) - at(q, 1, 2)];
    const normal = [ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx];
    const length = Math.hypot(...normal) || 1;
    for (let d = 0; d < 3; d++) {
      own[3 * q + d] = normal[d] / length;
      for (let c = 0; c < 4; c++) sum[3 * quads[4 * q + c] + d] += normal[d] / length;
    }
  }
  const corners = new Float32Array(12 * count);
  for (let q = 0; q < count; q++)
    for (let c = 0; c < 4; c++) {
      const v = 3 * quads[4 * q + c];
      const length = Math.hypot(sum[v], sum[v + 1], sum[v + 2]) || 1;
      const along = (sum[v] * own[3 * q] + sum[v + 1] * own[3 * q + 1] + sum[v + 2] * own[3 * q + 2]) / length;
      for (let d = 0; d < 3; d++) corners[12 * q + 3 * c + d] = along > SMOOTH ? sum[v + d] / length : own[3 * q + d];
    }
  return corners;
}
