import { expect, it } from "vitest";

import { longestChain, movable, overlap } from "./chain";
import type { Lane } from "./replay";

const lane = (channel: number, seconds: number, waits: Lane["waits"]): Lane => ({ channel, first: 0, count: 1, seconds, program: "", axes: [], words: [], waits });

it("goes back from the end to what was waited for", () => {
  // Channel 1 works 4 s and waits till 10; channel 2 works 10 s, then both meet; 2 waits from 12 to 15 for 1; 1 ends at 20.
  const lanes = [
    lane(1, 20, [{ begin: 4, end: 10, mark: 100, line: 2 }, { begin: 15, end: 15, mark: 101, line: 5 }]),
    lane(2, 17, [{ begin: 10, end: 10, mark: 100, line: 3 }, { begin: 12, end: 15, mark: 101, line: 6 }]),
  ];
  expect(longestChain(lanes)).toEqual([
    { lane: 1, begin: 0, end: 10 },
    { lane: 0, begin: 10, end: 20 },
  ]);
  // Work: 14 s and 14 s, 28 in turn; done in 20, so 8 of the 14 that could run beside do.
  expect(overlap(lanes, 20)).toEqual({ inTurn: 28, used: 8 / 14 });
});

it("is the one channel where there is one", () => {
  expect(longestChain([lane(1, 5, [])])).toEqual([{ lane: 0, begin: 0, end: 5 }]);
});

it("names work on it that another channel has the time for, between the same marks and with a tool of the kind", () => {
  // Channel 1 turns 8 s, mills 6 s, turns 3 s, then both meet at 17; channel 2 works 5 s and stands; after it 1 drills 2 s alone.
  const lanes = [lane(1, 19, [{ begin: 17, end: 17, mark: 100, line: 9 }]), lane(2, 17, [{ begin: 5, end: 17, mark: 100, line: 4 }])];
  const turning = { outline: [{ part: "insert", points: [] }] };
  const tools = [{ number: 1, ...turning }, { number: 2, outline: [{ part: "cutter", points: [] }] }, { number: 3, ...turning }, { number: 9, ...turning }] as never;
  const at = (time: number, tool: number, own = 0) => ({ motion: 0, line: 1, time, tool, comment: `T${tool}`, lane: own });
  const told = movable(lanes, { operations: [at(0, 1), at(8, 2), at(14, 3), at(17, 2), at(0, 9, 1)], tools }, 19);
  expect(told.map(({ operation, seconds, to, stands, mark }) => [operation.tool, seconds, to, stands, mark])).toEqual([[1, 8, 1, 12, 100], [3, 3, 1, 12, 100]]);
});
