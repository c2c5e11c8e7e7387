import { expect, it } from "vitest";

import { spacesOf } from "./spaces";

it("puts marks that meet on one row, and goes on from there", () => {
  const meetings = [
    { mark: 100, at: [{ lane: 0, line: 3, program: "A" }, { lane: 1, line: 7, program: "B" }] },
    { mark: 101, at: [{ lane: 0, line: 10, program: "A" }, { lane: 1, line: 8, program: "B" }] },
    { mark: 101, at: [{ lane: 0, line: 10, program: "A" }, { lane: 1, line: 8, program: "B" }] },
    { mark: 102, at: [{ lane: 0, line: 2, program: "SUB" }, { lane: 1, line: 9, program: "B" }] },
  ];
  const [a, b] = spacesOf(meetings, ["A", "B"]);
  expect([...a]).toEqual([[3, 4], [10, 0]]);
  expect([...b]).toEqual([[7, 0], [8, 6]]);
  // Line 10 of A stands on row 14, as line 8 of B does.
  expect(10 + 4).toBe(8 + 6);
});
