import { describe, expect, it } from "vitest";

import { aligned, type Column } from "./waits";

/** Lines with their wait marks as numbers; a line of 0 has none. */
function column(...marks: number[]): Column {
  return {
    lines: marks.map((mark, i) => (mark ? `M${mark}` : `G1 X${i}`)),
    waits: marks.flatMap((mark, i) => (mark ? [{ channel: 1, mark, program: "a", line: i + 1 }] : [])),
  };
}
const shape = (columns: Column[]) => aligned(columns).map((row) => `${row.mark ?? "·"}${row.alone ? "!" : ""} ${row.cells.map((cell) => cell?.line ?? "–").join(" ")}`);

describe("programs side by side", () => {
  it("puts marks that meet on one line; who is there first waits", () => {
    expect(shape([column(0, 100, 0), column(0, 0, 0, 100)])).toEqual(["· 1 1", "· – 2", "· – 3", "100 2 4", "· 3 –"]);
  });

  it("keeps every line once, in its order", () => {
    const rows = aligned([column(0, 101, 0, 102), column(101, 0, 102, 0)]);
    for (const i of [0, 1]) expect(rows.flatMap((row) => (row.cells[i] ? [row.cells[i].line] : []))).toEqual([1, 2, 3, 4]);
  });

  it("marks a wait that nobody answers, and goes on", () => {
    expect(shape([column(100, 105), column(100)])).toEqual(["100 1 1", "105! 2 –"]);
    expect(shape([column(100, 101), column(101, 100)]).filter((row) => row.includes("!")).length).toBe(2);
  });
});
