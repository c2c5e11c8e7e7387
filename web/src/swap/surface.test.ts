import { expect, test } from "vitest";

import { readSurface } from "./surface";

test("every triangle has its own corners, and its own difference", () => {
  const data = new ArrayBuffer(8 + 12 * 4 + 16 * 2);
  new Uint32Array(data, 0, 2).set([4, 2]);
  new Float32Array(data, 8, 12).set([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 5]);
  new Uint32Array(data, 56, 6).set([0, 1, 2, 0, 2, 3]);
  new Float32Array(data, 80, 2).set([0.5, -1]);
  const { corners, away } = readSurface(data);
  expect([...corners.subarray(9)]).toEqual([0, 0, 0, 1, 1, 0, 0, 1, 5]);
  expect([...away]).toEqual([0.5, -1]);
});
