import { expect, it } from "vitest";

import { longestChain, overlap } from "./chain";
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
