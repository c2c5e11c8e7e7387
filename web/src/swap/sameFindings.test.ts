import { describe, expect, it } from "vitest";

import { findingOf } from "../tests/rehearsal";
import { differing } from "./sameFindings";

describe("findings of two rehearsals", () => {
  it("are matched by cause, whatever their lines, and by place where causes read alike", () => {
    const before = [findingOf(1, { line: 20, cause: "c" }), findingOf(2, { line: 30, cause: "r", point: [0, 0, 0] }), findingOf(3, { line: 40, cause: "r", point: [90, 0, 0] })];
    const after = [findingOf(4, { line: 21, cause: "c" }), findingOf(5, { line: 31, cause: "r", point: [89, 0, 0] }), findingOf(6, { line: 9, cause: "n" })];
    const { gone, fresh } = differing(before, after);
    expect([[...gone].map((f) => f.id), [...fresh].map((f) => f.id)]).toEqual([[2], [6]]);
    expect(differing(before, before)).toEqual({ gone: new Set(), fresh: new Set() });
  });
});
