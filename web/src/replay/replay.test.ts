import { describe, expect, it } from "vitest";

import { above, FilmIndex, Replay, type Description } from "./replay";

// Two segments of one axis: 0 → 10 in 2 s, a dwell of 1 s, 10 → 4 in 3 s.
function small(): Replay {
  const binary = new ArrayBuffer(512);
  const arrays: Description["arrays"] = {};
  let offset = 0;
  const put = (name: string, type: "float64" | "uint32", values: number[]) => {
    const view = type === "float64" ? new Float64Array(binary, offset) : new Uint32Array(binary, offset);
    view.set(values);
    arrays[name] = { type, count: values.length, offset };
    offset += 8 * values.length;
  };
  put("motions/time", "float64", [2, 3, 6]);
  put("motions/line", "uint32", [4, 5, 9]);
  put("motions/file", "uint32", [0, 0, 0]);
  put("knots/at", "float64", [0, 10, 4]);
  put("knots/motion", "uint32", [0, 2]);
  put("knots/t0", "float64", [0, 3]);
  put("knots/t1", "float64", [2, 6]);
  const description = { seconds: 6, start: [0], axes: [{ name: "X", travel: null, type: "linear" }], arrays };
  return new Replay(description as unknown as Description, binary);
}

describe("replay", () => {
  it("finds axis values within moves, in a dwell and at the end", () => {
    const replay = small();
    expect([0, 1, 2.5, 4.5, 6, 9].map((t) => replay.axesAt(t)[0])).toEqual([0, 5, 10, 7, 4, 4]);
  });
  it("finds the motion under way and the motion of a line", () => {
    const replay = small();
    expect([0, 1.9, 2.5, 5, 6].map((t) => replay.motionAt(t))).toEqual([0, 0, 1, 2, 2]);
    expect([replay.motionOfLine(0, 5), replay.motionOfLine(0, 6), replay.motionOfLine(0, 10)]).toEqual([1, 2, -1]);
  });
  it("knows the operation of a motion", () => {
    const replay = small();
    replay.description.operations = [0, 2, 5].map((motion) => ({ motion, line: 0, tool: 0, comment: "", time: 0 }));
    expect([0, 1, 2, 4, 5, 99].map((motion) => replay.operationOf(motion))).toEqual([0, 0, 1, 1, 2, 2]);
    replay.description.operations = [];
    expect(replay.operationOf(3)).toBe(0);
  });
  it("shows the latest brick version that is not younger", () => {
    const film = new FilmIndex([7, 7, 8], [0, 4, 2]);
    expect([0, 3.9, 4, 99].map((t) => film.versionAt(7, t))).toEqual([0, 0, 1, 1]);
    expect(film.versionAt(8, 1)).toBe(-1);
  });
  it("searches like a linear scan", () => {
    const values = [1, 1, 2, 5];
    for (const x of [0, 1, 1.5, 2, 5, 6]) {
      const plain = values.findIndex((v) => v > x);
      expect(above(values, x)).toBe(plain < 0 ? values.length : plain);
    }
  });
});
