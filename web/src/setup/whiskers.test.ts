// @vitest-environment jsdom
import { describe, expect, it } from "vitest";

import type { JobData } from "../api/client";
import type { Result } from "../inspector/Tolerance";
import type { Replay } from "../replay/replay";
import { wayOf, whiskersOf } from "./whiskers";

// A table that goes along X under a head that goes along Z; the work's mount is turned by a quarter about Z.
const joint = (axis: string, direction: number[], type = "linear") => ({ axis, direction, at: [0, 0, 0], type });
const MOUNT = [[0, -1, 0, 10], [1, 0, 0, 20], [0, 0, 1, 0], [0, 0, 0, 1]]; // prettier-ignore
const description = {
  links: [
    { name: "bed", parent: null, joint: null },
    { name: "table", parent: "bed", joint: joint("X", [-1, 0, 0]) },
    { name: "head", parent: "bed", joint: joint("Z", [0, 0, 1]) },
    { name: "platter", parent: "table", joint: joint("C", [0, 0, 1], "rotary") },
  ],
  mounts: [{ name: "plate", link: "platter", matrix: MOUNT }],
  bodies: [{ name: "jaw", mesh: { positions: "p" } }],
} as unknown as Replay["description"];
const replay = { description, array: () => Float32Array.from([10, 20, 0, 14, 20, 8]) } as unknown as Replay;
const job = { bodies: [{ name: "jaw", role: "fixture", mount: "plate" }] } as unknown as JobData;
const triads = [{ name: "G54, 2 G54", link: "platter", matrix: MOUNT }];
const bound = (amount: number, by = "contact.body") => ({ amount, by, bodies: ["a", "b"], line: 3, program: "O1", time: 1 });
const row = (kind: string, name: string, axis: string, less: object | null, more: object | null) => ({ kind, name, axis, number: 0, channel: 1, less, more });
const drawn = (chosen: string, ...quantities: object[]) => whiskersOf({ reach: 1, quantities } as unknown as Result, job, replay, triads, chosen);

describe("whiskers", () => {
  it("run as the tool goes beside the work: against a joint that carries it", () => {
    expect(wayOf(description, "platter", "X")!.map(Math.abs)).toEqual([1, 0, 0]);
    expect(wayOf(description, "platter", "X")![0]).toBe(1);
    expect(wayOf(description, "platter", "Z")).toEqual([0, 0, 1]);
    expect(wayOf(description, "platter", "C")).toBeNull();
    // In the mount's frame, which is turned, X runs against its own Y.
    const [whisker] = drawn("", row("offset", "G54", "X", bound(0.25), bound(0.25)));
    expect(whisker.direction.map(Math.round).map((part) => part + 0)).toEqual([0, -1, 0]);
    expect([whisker.says, whisker.ends.map(({ sign, length }) => sign * length)]).toEqual(["±0.25", [-15, 15]]); // the square root of a quarter of 30
  });

  it("leave out what nothing is known of, and end openly where it goes on", () => {
    const free = bound(1, "");
    expect(drawn("", row("offset", "G54", "Z", free, free), row("offset", "G55", "Z", bound(0.1), free))).toEqual([]);
    const [whisker] = drawn("", row("offset", "G54", "Z", free, bound(0.04)));
    expect([whisker.says, whisker.ends.length]).toEqual(["+0.040", 1]);
    const [open] = drawn("", row("offset", "G54", "Z", bound(0.5, ""), bound(0.04, "material.gouge")));
    expect([open.says, open.ends.map((end) => end.open)]).toEqual(["−0.5… +0.040", [true, false]]);
  });

  it("stand beside the fixture that is chosen", () => {
    const told = row("fixture", "jaw", "Y", bound(0.09), bound(0.01));
    expect(drawn("", told)).toEqual([]);
    const [whisker] = drawn("jaw", told);
    // In the mount's frame the jaw goes from y −4 to 0 and from z 0 to 8.
    expect([whisker.point.map(Math.round).map((part) => part + 0), whisker.direction]).toEqual([[0, 36, 4], [0, 1, 0]]);
  });
});
