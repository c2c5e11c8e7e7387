import { zlibSync } from "three/examples/jsm/libs/fflate.module.js";
import { describe, expect, it } from "vitest";

import { brickOf, FilmStore, merged, type Span } from "./film";

const spans = (...begins: number[]): Span[] => begins.map((begin) => ({ begin, end: begin + 10 }));

/** A film whose every byte is its place, modulo 251; it notes what it was asked for. */
function filmOf(fail = 0) {
  const asked: [number, number][][] = [];
  const fetch = async (ranges: [number, number][]) => {
    asked.push(ranges);
    if (fail-- > 0) throw new Error("away");
    return Uint8Array.from(ranges.flatMap(([begin, end]) => Array.from({ length: end - begin }, (_, i) => (begin + i) % 251))).buffer;
  };
  return { asked, fetch };
}

describe("a film fetched as it is looked at", () => {
  it("takes what is wanted and what lies side by side at once", async () => {
    const { asked, fetch } = filmOf();
    const store = new FilmStore(fetch);
    store.want(spans(10_000, 0, 10, 12_500));
    await store.settled();
    expect(asked).toEqual([[[0, 20], [10_000, 10_010], [12_500, 12_510]]]);
    expect([0, 10, 10_000, 12_500].map((begin) => store.get(begin)?.[3])).toEqual([0, 10, 10_000, 12_500].map((begin) => (begin + 3) % 251));
    expect(merged(spans(0, 100, 5000))).toEqual([[0, 110], [5000, 5010]]);
  });

  it("drops a wish that was passed over, and fetches ahead when nothing is lacking", async () => {
    const { asked, fetch } = filmOf();
    const store = new FilmStore(fetch);
    const all = spans(...Array.from({ length: 5 }, (_, i) => 10_000 * i));
    store.want(all.slice(0, 1), () => all);
    await store.settled();
    await new Promise((done) => setTimeout(done, 5));
    expect(asked).toHaveLength(2);
    expect(all.every(({ begin }) => store.has(begin))).toBe(true);
  });

  it("lets go of what was not used for longest, never of what is wanted", async () => {
    const store = new FilmStore(filmOf().fetch, 30);
    for (const begin of [0, 10_000, 20_000]) {
      store.want(spans(begin));
      await store.settled();
    }
    store.get(0);
    store.want(spans(30_000, 40_000));
    await store.settled();
    expect([0, 10_000, 20_000, 30_000, 40_000].map((begin) => store.has(begin))).toEqual([true, false, false, true, true]);
  });

  it("tries again, and says so when it cannot be had", async () => {
    const store = new FilmStore(filmOf(1).fetch);
    store.want(spans(0));
    await store.settled();
    expect([store.has(0), store.failed]).toEqual([true, false]);
  });

  it("unpacks a brick", () => {
    const raw = new ArrayBuffer(8 + 12 + 6 * 4);
    new Uint32Array(raw, 0, 2).set([4, 1]);
    new Int32Array(raw, 8, 1).set([7]);
    new Uint16Array(raw, 12, 4).set([0, 1, 2, 3]);
    new Uint16Array(raw, 20, 12).set([4 * 2048, 4 * 2048, 4 * 2048, 5 * 2048 + 1024, 0, 0, 0, 0, 0, 0, 0, 0]);
    const grid = { origin: [100, 0, 0] as [number, number, number], step: [0.5, 0.5, 0.5] as [number, number, number], bricks: [3, 1, 1] as [number, number, number], cells: 16, quanta: 2048, margin: 4 };
    const brick = brickOf(zlibSync(new Uint8Array(raw)), 2, grid);
    expect([...brick.tags, ...brick.quads]).toEqual([7, 0, 1, 2, 3]);
    // Brick 2 begins at cell 32: 116 mm; a cell and a half farther 116.75.
    expect([...brick.vertices.slice(0, 4)]).toEqual([116, 0, 0, 116.75]);
  });
});
