import { describe, expect, it } from "vitest";

import { spread } from "./spread";

describe("pins on the tape", () => {
  it("stand at their moments while there is room, and side by side where there is none", () => {
    expect(spread([10, 50, 90], 100)).toEqual([0, 0, 0]);
    expect(spread([50, 50, 50], 100)).toEqual([0, 1, 2]);
    expect(spread([50.1, 10, 50], 100)).toEqual([1, 0, 0]);
  });
});
