import { describe, expect, it } from "vitest";

import { Replay, type Description } from "./replay";
import { toolTimes } from "./summary";

const KINDS = ["rapid", "feed", "arc", "thread", "dwell", "toolchange", "wait", "other"];

/** Motions as [kind, tool, seconds]. */
function replayOf(motions: [string, number, number][]): Replay {
  const binary = new ArrayBuffer(4096);
  const arrays: Description["arrays"] = {};
  let offset = 0;
  const put = (name: string, type: "float64" | "uint8" | "int32", values: number[]) => {
    const size = { float64: 8, uint8: 1, int32: 4 }[type];
    const view = { float64: Float64Array, uint8: Uint8Array, int32: Int32Array }[type];
    new view(binary, offset, values.length).set(values);
    arrays[name] = { type, count: values.length, offset };
    offset += Math.ceil((size * values.length) / 8) * 8;
  };
  let at = 0;
  put("motions/time", "float64", motions.map(([, , seconds]) => (at += seconds)));
  put("motions/kind", "uint8", motions.map(([kind]) => KINDS.indexOf(kind)));
  put("motions/tool", "int32", motions.map(([, tool]) => tool));
  return new Replay({ seconds: at, kinds: KINDS, axes: [], arrays } as unknown as Description, binary);
}

describe("where each tool's time goes", () => {
  it("sums by kind, in the order of first use", () => {
    const times = toolTimes(
      replayOf([["toolchange", 3, 4], ["rapid", 3, 1], ["feed", 3, 10], ["arc", 3, 2], ["dwell", 3, 0.5], ["toolchange", 1, 4], ["feed", 1, 6], ["rapid", 3, 1]]),
    );
    expect(times).toEqual([
      { tool: 3, rapid: 2, cutting: 12, change: 4, other: 0.5, first: 0 },
      { tool: 1, rapid: 0, cutting: 6, change: 4, other: 0, first: 5 },
    ]);
  });
  it("adds up to the whole program", () => {
    const replay = replayOf([["rapid", 0, 1.25], ["toolchange", 2, 4], ["thread", 2, 3]]);
    const sum = toolTimes(replay).reduce((all, t) => all + t.rapid + t.cutting + t.change + t.other, 0);
    expect(sum).toBeCloseTo(replay.seconds);
  });
  it("is empty for a program that does nothing", () => {
    expect(toolTimes(replayOf([]))).toEqual([]);
  });
});
