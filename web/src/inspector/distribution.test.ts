import { describe, expect, it } from "vitest";

import { distribution, percent } from "./distribution";

const SCALE = { gouge: 0.05, excess: 0.3, reach: 1, steps: 0 };

describe("how deviations are spread", () => {
  it("counts every one once, what lies beyond in the last bar", () => {
    const { bars, within, deep, left } = distribution([-7, -0.3, -0.05, 0, 0.04, 0.2, 0.31, 9], SCALE, 4);
    expect(bars.map(({ from, share }) => [from, share * 8])).toEqual([
      [-1, 1],
      [-0.5, 2],
      [0, 4],
      [0.5, 1],
    ]);
    expect([within, deep, left].map((share) => share * 8)).toEqual([4, 2, 2]); // exactly at the tolerance is within
  });

  it("says nothing of a part without a surface", () => {
    expect(distribution([], SCALE).within).toBe(0);
  });

  it("never rounds to all or nothing", () => {
    expect([percent(1), percent(0.99999), percent(0.00001), percent(0), percent(0.4567)]).toEqual(["100.0 %", "> 99.9 %", "< 0.1 %", "0.0 %", "45.7 %"]);
  });
});
