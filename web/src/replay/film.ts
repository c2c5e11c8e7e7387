// The film's bricks as they are fetched: only those of the moments that are looked at, then those that come next.

import { unzlibSync } from "three/examples/jsm/libs/fflate.module.js";

/** A stretch of the film, bytes; the end is not counted in. */
export interface Span {
  begin: number;
  end: number;
}

export type FetchFilm = (ranges: [number, number][]) => Promise<ArrayBuffer>;

const PORTION = 2_000_000; // bytes asked for at once: the stage goes on between two
const GAP = 2048; // bytes between two stretches that are fetched along, rather than told apart
const MOST = 300_000_000; // bytes held, packed
const AGAIN_MS = [500, 2000, 8000]; // waits before a fetch that failed is tried again

/** What is held of a film. `want` tells what is lacking now; what comes next is fetched when nothing is. */
export class FilmStore {
  private readonly held = new Map<number, Uint8Array>(); // by where it begins, the least recently used first
  private size = 0;
  private wanted: Span[] = [];
  private next: (() => Span[]) | null = null;
  private busy = false;
  private failures = 0;
  private waiters: (() => void)[] = [];
  private ended = false;
  /** Told when bricks have come, and when the film cannot be had. */
  onArrive: (() => void) | null = null;
  failed = false;

  constructor(
    private readonly fetchFilm: FetchFilm,
    private readonly most = MOST,
  ) {}

  dispose(): void {
    this.ended = true;
    this.wanted = [];
    this.next = null;
    this.settle();
  }

  get(begin: number): Uint8Array | undefined {
    const found = this.held.get(begin);
    if (found) {
      this.held.delete(begin);
      this.held.set(begin, found);
    }
    return found;
  }

  has(begin: number): boolean {
    return this.held.has(begin);
  }

  /** What is to be shown now and is not there yet, in place of what was wanted before; `next` is asked for what to fetch after that. */
  want(spans: Span[], next: (() => Span[]) | null = null): void {
    this.wanted = spans;
    this.next = next;
    if (!spans.length) this.settle();
    void this.pump();
  }

  /** When everything that is wanted has come, or cannot be had. */
  settled(): Promise<void> {
    if (!this.lacking().length || this.failed || this.ended) return Promise.resolve();
    return new Promise((done) => this.waiters.push(done));
  }

  /** How many stretches are lacking. */
  get missing(): number {
    return this.lacking().length;
  }

  private lacking(): Span[] {
    return this.wanted.filter(({ begin }) => !this.held.has(begin));
  }

  private settle(): void {
    for (const done of this.waiters.splice(0)) done();
  }

  private async pump(): Promise<void> {
    if (this.busy || this.ended) return;
    let spans = this.lacking();
    if (!spans.length && this.size < this.most / 2) spans = (this.next?.() ?? []).filter(({ begin }) => !this.held.has(begin));
    spans = portion(spans);
    if (!spans.length) return;
    this.busy = true;
    try {
      const ranges = merged(spans);
      const data = new Uint8Array(await this.fetchFilm(ranges));
      this.take(spans, ranges, data);
      this.failures = 0;
      this.failed = false;
    } catch {
      const wait = AGAIN_MS[this.failures++];
      if (wait === undefined) {
        this.failed = true;
        this.next = null;
        this.wanted = [];
        this.settle();
        this.failures = 0;
      } else await new Promise((done) => setTimeout(done, wait));
    } finally {
      this.busy = false;
    }
    if (this.ended) return;
    if (!this.lacking().length) this.settle();
    this.onArrive?.(); // wants what is still lacking, and so goes on
    void this.pump();
  }

  private take(spans: Span[], ranges: [number, number][], data: Uint8Array): void {
    let at = 0;
    let range = 0;
    for (const { begin, end } of spans) {
      while (ranges[range][1] < end) at += ranges[range][1] - ranges[range++][0];
      const from = at + begin - ranges[range][0];
      this.held.set(begin, data.slice(from, from + end - begin));
      this.size += end - begin;
    }
    const needed = new Set(this.wanted.map(({ begin }) => begin));
    for (const [begin, blob] of this.held) {
      if (this.size <= this.most) break;
      if (needed.has(begin)) continue;
      this.held.delete(begin);
      this.size -= blob.length;
    }
  }
}

/** As many of the spans as are asked for at once, in the order of the film. */
function portion(spans: Span[]): Span[] {
  let size = 0;
  const taken: Span[] = [];
  for (const span of spans) {
    if (taken.length && size + span.end - span.begin > PORTION) break;
    size += span.end - span.begin;
    taken.push(span);
  }
  return taken.sort((a, b) => a.begin - b.begin);
}

/** Spans that lie side by side, or nearly, as one. */
export function merged(spans: Span[]): [number, number][] {
  const ranges: [number, number][] = [];
  for (const { begin, end } of spans) {
    const last = ranges.at(-1);
    if (last && begin - last[1] <= GAP) last[1] = Math.max(last[1], end);
    else ranges.push([begin, end]);
  }
  return ranges;
}

/** How the vertices of a stock's bricks are told. */
export interface BrickGrid {
  origin: [number, number, number];
  step: [number, number, number];
  bricks: [number, number, number];
  cells: number; // to a brick's side
  quanta: number; // to a cell
  margin: number; // cells that the vertices begin below the brick
}

export interface Brick {
  tags: Int32Array;
  quads: Uint16Array; // 4 a quad
  vertices: Float32Array; // 3 a vertex, mm, grid's frame
}

/** A brick out of its bytes. */
export function brickOf(packed: Uint8Array, number: number, { origin, step, bricks: [nx, ny], cells, quanta, margin }: BrickGrid): Brick {
  const raw = unzlibSync(packed);
  const [vertexCount, quadCount] = new Uint32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + 8));
  const body = raw.buffer.slice(raw.byteOffset + 8, raw.byteOffset + 8 + 12 * quadCount + 6 * vertexCount);
  const told = new Uint16Array(body, 12 * quadCount, 3 * vertexCount);
  const first = [number % nx, Math.floor(number / nx) % ny, Math.floor(number / (nx * ny))].map((place) => place * cells - margin);
  const vertices = new Float32Array(3 * vertexCount);
  for (let i = 0; i < vertices.length; i++) {
    const d = i % 3;
    vertices[i] = (first[d] + told[i] / quanta) * step[d] + origin[d];
  }
  return { tags: new Int32Array(body, 0, quadCount), quads: new Uint16Array(body, 4 * quadCount, 4 * quadCount), vertices };
}
