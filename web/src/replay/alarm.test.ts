import { describe, expect, it } from "vitest";

import { findingOf } from "../tests/rehearsal";
import { passing } from "./alarm";

describe("a finding that the replay runs past", () => {
  const findings = [findingOf(1, { time: 10 }), findingOf(2, { time: 12 }), findingOf(3, { time: 40 })];
  it("is the last one passed, for a moment of the person's own time", () => {
    expect([9, 10, 11, 12.5, 14, 41].map((time) => passing(findings, time, 1)?.id ?? 0)).toEqual([0, 1, 1, 2, 0, 3]);
    expect(passing(findings, 20, 10)?.id).toBe(2);
  });
});
