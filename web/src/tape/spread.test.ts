import { describe, expect, it } from "vitest";

import { spread } from "./spread";

function shifts(times: number[]): number[] {
  return spread(times, 100).map((shift) => Math.round(10 * shift) / 10 + 0);
}

describe("pins on the tape", () => {
  it("stand at their moments while there is room, and side by side where there is none", () => {
    expect(shifts([10, 50, 90])).toEqual([0, 0, 0]);
    expect(shifts([50, 50, 50])).toEqual([0, 1, 2]);
    expect(shifts([50.1, 10, 50])).toEqual([0.9, 0, 0]);
  });
  it("stay on the tape at its end", () => {
    expect(shifts([100, 100, 10, 100])).toEqual([-2, -1, 0, 0]);
  });
});
