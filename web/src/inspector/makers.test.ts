import { describe, expect, it } from "vitest";

import { replayOf } from "../tests/replay";
import { makersOf } from "./makers";

describe("whose the worst places are", () => {
  it("offers each tool, each operation and nobody, with how many", () => {
    const operations = [{ motion: 0, line: 3, tool: 1, comment: "FACE", time: 0 }, { motion: 2, line: 9, tool: 2, comment: "", time: 4 }];
    const replay = replayOf({ operations }, { "motions/tool": ["uint32", [1, 1, 2, 2]] });
    const spot = (motion: number) => ({ kind: "excess" as const, amount: 1, point: [0, 0, 0] as [number, number, number], motion });
    const spots = [spot(0), spot(3), spot(2), spot(-1)];
    const choices = makersOf(replay, spots);
    expect(choices.map(({ label }) => label)).toEqual(["T1 (1)", "T2 (2)", "FACE (1)", "from line 9 (2)", "no tool came there (1)"]);
    expect(spots.filter(choices[3].has).map(({ motion }) => motion)).toEqual([3, 2]);
    expect(makersOf(replay, [])).toEqual([]);
  });
});
