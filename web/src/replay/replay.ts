// The replay's data as it comes from a rehearsal, and questions about a moment of it.

import { FilmStore, type BrickGrid, type FetchFilm } from "./film";

export interface Joint {
  axis: string;
  type: "linear" | "rotary";
  direction: [number, number, number];
  at: [number, number, number];
  moved_by?: Record<string, number>;
}

interface ArrayPlace {
  type: "uint8" | "uint16" | "uint32" | "int32" | "float32" | "float64";
  count: number;
  offset: number;
}

export interface Snapshot {
  codes: string[];
  workOffset: string;
  lengthNumber: number;
  length: number;
  offset: number[];
  tool: number;
  coolant: number;
  /** Of a tilted plane, tip control or dynamic offset: how a program point becomes a place over the work. */
  frame: { rows: number[]; length: number; workOnly: boolean } | null;
}

export interface Spot {
  kind: "gouge" | "excess";
  amount: number;
  point: [number, number, number]; // in the frame of the work mount
  motion: number; // −1 where no motion made it
  area?: number; // mm² of the surface, as drawn
}

/** The finished part beside its design: a deviation (mm, + is material left) for every quad of the final bricks. */
export interface Part {
  design: string;
  final: string;
  deviation: string;
  spots: Spot[];
}

/** What a machine's control and unit do of their own. */
export interface Habits {
  joints: Record<string, { rapid: number; accel: number; step: number | null; factors: Record<string, number> }>;
  places: { name: string; values: Record<string, number> }[];
  rpm: number | null;
  codes: { code: string; says: string }[];
  ignored: [string, string][];
}

/** A channel on the clock: its motions among all, its axes among the machine's, and where it waits. */
export interface Lane {
  channel: number;
  first: number;
  count: number;
  seconds: number;
  program: string;
  axes: number[];
  words: string[];
  waits: { begin: number; end: number; mark: number; line: number }[];
}

/** Wait marks that go on together: the line in each channel's program. */
export interface Meeting {
  mark: number;
  at: { lane: number; line: number; program: string }[];
}

/** A motion of an earlier step that left faces of a stock. */
export interface CutBefore {
  step: string;
  program: string;
  line: number;
  tool: number;
  name: string;
}

/** A stock on the mount of a grip: how much of it stands within the grip's reach, and how far it stands out. */
export interface Gripped {
  body: string;
  grip: string;
  within: number;
  least: number;
  out: number;
}

export interface Description {
  job: string;
  machine: string;
  seconds: number;
  links: { name: string; parent: string | null; joint: Joint | null }[];
  bodies: {
    name: string;
    role: "machine" | "fixture" | "part" | "design" | "tool" | "stock" | "access";
    link: string;
    tool: number;
    there?: [number, number] | null; // from when to when, where it comes or goes at programmed stops
    rests?: boolean; // a tool that hangs in a rack while it is not in use
    mesh: { positions: string; triangles: string };
  }[];
  kinds: string[];
  tools: {
    number: number;
    name: string;
    diameter: number;
    length: number;
    reach: number;
    flute_length: number;
    link: string;
    called?: string; // how it is called, where its number alone does not tell it
    stays?: boolean; // it is there whether in use or not
    matrix: number[][];
    outline: { part: "cutter" | "shank" | "holder" | "insert"; points: [number, number][] }[];
  }[];
  lanes?: Lane[]; // of a machine of several channels, or one that has grips
  meetings?: Meeting[];
  held?: { grip: string; piece: string; begin: number; end: number | null }[];
  toolMount: { link: string; matrix: number[][] };
  workMount: { link: string; matrix: number[][] };
  turret: boolean;
  arms?: string[][]; // the joints of each
  mounts?: { name: string; link: string; takes: "tool" | "work" | "rack"; matrix: number[][]; station: number | null }[];
  contacts?: [string, string][];
  habits?: Habits;
  accessories?: { name: string; on: boolean }[];
  stocks: {
    name: string;
    link: string;
    matrix: number[][];
    mount: number[][];
    begin?: number; // s: from when on it is a piece of its own
    carried?: { time: number; link: string; matrix: number[][] }[]; // from when on something else carries it
    before?: CutBefore[]; // who cut what in earlier steps of a route: the tag −2 is the first of them
    brick: string;
    time: string;
    quadEnd: string;
    bytes?: string; // of each version of a brick in the film
    film?: number; // where its part of the film begins
    grid?: BrickGrid;
    whole?: { vertexEnd: string; vertices: string; quads: string; tags: string }; // of a rehearsal that was kept before films were fetched by the brick
    part: Part | null;
  }[];
  checks: { gouge: number; excess: number };
  axes?: { name: string; travel: [number, number] | null; type: "linear" | "rotary"; diameter: boolean; jaw?: boolean }[];
  channels?: number[];
  grips?: { name: string; close: string | null; open: string | null }[];
  gripped?: Gripped[]; // of a setup
  start?: number[];
  files?: string[];
  snapshots?: Snapshot[];
  operations?: { motion: number; line: number; tool: number; comment: string; time: number; lane?: number }[];
  arrays: Record<string, ArrayPlace>;
}

type Numbers = Uint8Array | Uint16Array | Uint32Array | Int32Array | Float32Array | Float64Array;

const VIEWS = {
  uint8: Uint8Array,
  uint16: Uint16Array,
  uint32: Uint32Array,
  int32: Int32Array,
  float32: Float32Array,
  float64: Float64Array,
};

/** The first index whose value is greater than x in an ascending array. */
export function above(values: ArrayLike<number>, x: number): number {
  let low = 0;
  let high = values.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (values[middle] > x) high = middle;
    else low = middle + 1;
  }
  return low;
}

type Stock = Description["stocks"][number];

/** A stock's description as it is kept now: before films were fetched by the brick they stood in the replay itself. */
export function asKeptNow(stock: Stock & Partial<NonNullable<Stock["whole"]>>): void {
  const { vertexEnd, vertices, quads, tags } = stock;
  if (stock.bytes === undefined && vertexEnd && vertices && quads && tags) stock.whole = { vertexEnd, vertices, quads, tags };
}

export class Replay {
  /** The bricks of its stocks. */
  readonly film: FilmStore;
  readonly axes: string[];
  readonly seconds: number;
  readonly motionCount: number;
  readonly lanes: Lane[];
  private readonly motionEnd: Float64Array;
  private readonly knotAt: Float64Array;
  private readonly knotMotion: Uint32Array;
  private readonly knotT0: Float64Array;
  private readonly knotT1: Float64Array;

  constructor(
    readonly description: Description,
    private readonly binary: ArrayBuffer,
    fetchFilm: FetchFilm = () => Promise.reject(new Error("this replay has no film")),
  ) {
    this.film = new FilmStore(fetchFilm);
    this.axes = description.axes?.map((axis) => axis.name) ?? [];
    this.seconds = description.seconds;
    this.motionEnd = this.optional("motions/time") as Float64Array;
    this.motionCount = this.motionEnd.length;
    const axes = this.axes.map((_, i) => i);
    const one = { channel: 1, first: 0, count: this.motionCount, seconds: description.seconds, program: description.files?.[0] ?? "", axes, words: this.axes, waits: [] };
    this.lanes = description.lanes ?? [one];
    this.knotAt = this.optional("knots/at") as Float64Array;
    this.knotMotion = this.optional("knots/motion") as Uint32Array;
    this.knotT0 = this.optional("knots/t0") as Float64Array;
    this.knotT1 = this.optional("knots/t1") as Float64Array;
  }

  array(name: string): Numbers {
    const place = this.description.arrays[name];
    if (!place) throw new Error(`the replay lacks '${name}'`);
    return new VIEWS[place.type](this.binary, place.offset, place.count);
  }

  private optional(name: string): Numbers {
    return name in this.description.arrays ? this.array(name) : new Float64Array(0);
  }

  column(name: string): Numbers {
    return this.optional(`motions/${name}`);
  }

  /** The motion of a channel under way at a time (its last one at the end). */
  motionAt(time: number, lane = 0): number {
    const { first, count } = this.lanes[lane];
    return first + Math.max(0, Math.min(count - 1, above(this.motionEnd.subarray(first, first + count), time)));
  }

  /** The channel that a motion is of. */
  laneOf(motion: number): number {
    return Math.max(0, this.lanes.findIndex(({ first, count }) => motion >= first && motion < first + count));
  }

  beginOf(motion: number): number {
    return this.lanes.some(({ first }) => first === motion) || motion <= 0 ? 0 : this.motionEnd[motion - 1];
  }

  /** The tools in use at a time, one for each channel. */
  toolsAt(time: number): number[] {
    const tools = this.column("tool");
    return this.lanes.map(({ count }, lane) => (count ? tools[this.motionAt(time, lane)] : 0));
  }

  /** The number of the operation that a motion belongs to: the last that begins at it or before it. */
  operationOf(motion: number): number {
    const operations = this.description.operations ?? [];
    let [low, high] = [0, operations.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (operations[middle].motion <= motion) low = middle + 1;
      else high = middle;
    }
    return Math.max(0, low - 1);
  }

  /** How a tool is called. */
  called(tool: number): string {
    return this.description.tools.find(({ number }) => number === tool)?.called ?? `T${tool}`;
  }

  /** Who holds each piece at a time. */
  holdersAt(time: number): [string, string[]][] {
    const pieces = this.description.stocks.filter(({ begin }) => (begin ?? 0) <= time).map(({ name }) => name);
    const held = (this.description.held ?? []).filter(({ begin, end }) => begin <= time && (end === null || time < end));
    return pieces.map((piece) => [piece, held.filter((spell) => spell.piece === piece).map(({ grip }) => grip)]);
  }

  endOf(motion: number): number {
    return this.motionEnd[motion] ?? 0;
  }

  /** Axis values at a time. */
  axesAt(time: number): number[] {
    const k = this.axes.length;
    const from = this.description.start ?? [];
    const segment = above(this.knotT1, time);
    const at = (row: number) => Array.from(this.knotAt.subarray(row * k, row * k + k));
    if (!this.knotT1.length) return [...from];
    if (segment >= this.knotT1.length) return at(this.knotT1.length);
    const a = at(segment);
    const share = (time - this.knotT0[segment]) / (this.knotT1[segment] - this.knotT0[segment]);
    if (!(share > 0)) return a; // before the segment begins: a dwell or tool change is going on
    const b = at(segment + 1);
    return a.map((value, i) => value + share * (b[i] - value));
  }

  /** Axis values at the end of a motion. */
  targetOf(motion: number): number[] {
    const k = this.axes.length;
    return Array.from(this.column("end").subarray(motion * k, motion * k + k));
  }

  /** The polyline of the program: axis values at knot i, and the motion of segment i. */
  get knots(): { count: number; at: Float64Array; motion: Uint32Array } {
    return { count: this.knotMotion.length, at: this.knotAt, motion: this.knotMotion };
  }

  /** When blocks end: the times at which the next motion stands in another line. */
  blockEnds(): number[] {
    const lines = this.column("line");
    const files = this.column("file");
    const ends: number[] = [];
    for (let i = 0; i < this.motionCount; i++) if (i + 1 === this.motionCount || lines[i + 1] !== lines[i] || files[i + 1] !== files[i]) ends.push(this.motionEnd[i]);
    return this.lanes.length > 1 ? ends.sort((a, b) => a - b) : ends;
  }

  /** The first motion of a line of a file, or of the next line after it that moves. */
  motionOfLine(file: number, line: number): number {
    const lines = this.column("line");
    const files = this.column("file");
    let best = -1;
    for (let i = 0; i < this.motionCount; i++) {
      if (files[i] !== file || lines[i] < line) continue;
      if (lines[i] === line) return i;
      if (best < 0 || lines[i] < lines[best]) best = i;
    }
    return best;
  }
}

/** Which version of every brick is seen at a time: the latest that is not younger. */
export class FilmIndex {
  private readonly ofBrick = new Map<number, { versions: number[]; times: number[] }>();

  constructor(bricks: ArrayLike<number>, times: ArrayLike<number>) {
    for (let i = 0; i < bricks.length; i++) {
      const known = this.ofBrick.get(bricks[i]) ?? { versions: [], times: [] };
      this.ofBrick.set(bricks[i], known);
      known.versions.push(i);
      known.times.push(times[i]);
    }
  }

  get bricks(): Iterable<number> {
    return this.ofBrick.keys();
  }

  versionAt(brick: number, time: number): number {
    const known = this.ofBrick.get(brick);
    const place = known ? above(known.times, time) : 0;
    return known && place ? known.versions[place - 1] : -1;
  }
}
