import { describe, expect, it } from "vitest";

import { poseOf, programPlace, standOf } from "./kinematics";
import type { Description, Joint, Snapshot } from "./replay";

const SLANT = Math.PI / 6;
const linear = (axis: string, direction: [number, number, number], more: Partial<Joint> = {}): Joint => ({ axis, type: "linear", direction, at: [0, 0, 0], ...more });
const rotary = (axis: string, direction: [number, number, number], at: [number, number, number]): Joint => ({ axis, type: "rotary", direction, at });
const axes = (...names: string[]) => names.map((name) => ({ name, travel: null, type: "ABC".includes(name) ? ("rotary" as const) : ("linear" as const), diameter: false }));
const still = [
  [1, 0, 0, 0],
  [0, 1, 0, 0],
  [0, 0, 1, 0],
  [0, 0, 0, 1],
];
const place = (chain: Pick<Description, "links" | "axes">, link: string, values: number[]) => {
  const e = poseOf(chain, link, values).elements;
  return [e[12], e[13], e[14]];
};
const near = (found: number[], wanted: number[]) => wanted.forEach((value, i) => expect(found[i]).toBeCloseTo(value, 9));

describe("the chain in the browser", () => {
  it("moves a link as the joints before it do, turned about their own axes", () => {
    const links = [
      { name: "bed", parent: null, joint: null },
      { name: "slide", parent: "bed", joint: linear("X", [-2, 0, 0]) }, // a direction of any length
      { name: "table", parent: "slide", joint: rotary("C", [0, 0, 1], [10, 0, 5]) },
      { name: "post", parent: "table", joint: linear("Z", [0, 0, 1], { at: [4, 0, 0] }) },
    ];
    const chain = { links, axes: axes("X", "Z", "C") };
    near(place(chain, "table", [7, 0, 90]), [3, 0, 5]);
    // A quarter turn takes the post from +x of the table to +y of it.
    near(place(chain, "post", [7, 2, 90]), [3, 4, 7]);
    near(place(chain, "nobody", [7, 2, 90]), [0, 0, 0]);
  });

  it("makes a square Y of a wedge at 30° and the slide under it", () => {
    const links = [
      { name: "slide", parent: null, joint: linear("X", [1, 0, 0], { moved_by: { X: 1, Y: -Math.tan(SLANT) } }) },
      { name: "wedge", parent: "slide", joint: linear("Y", [Math.sin(SLANT), Math.cos(SLANT), 0], { moved_by: { Y: 1 / Math.cos(SLANT) } }) },
    ];
    near(place({ links, axes: axes("X", "Y") }, "wedge", [-12, 40]), [-12, 40, 0]);
    expect(standOf(links[0].joint, (axis) => ({ X: -12, Y: 40 })[axis]!)).toBeCloseTo(-12 - 40 * Math.tan(SLANT), 9);
    expect(standOf(linear("X", [1, 0, 0]), () => 5)).toBe(5);
  });
});

describe("program coordinates", () => {
  // The tool moves along X Y Z; the work turns on C about the machine's origin.
  const description = {
    links: [
      { name: "bed", parent: null, joint: null },
      { name: "x", parent: "bed", joint: linear("X", [1, 0, 0]) },
      { name: "y", parent: "x", joint: linear("Y", [0, 1, 0]) },
      { name: "head", parent: "y", joint: linear("Z", [0, 0, 1]) },
      { name: "plate", parent: "bed", joint: rotary("C", [0, 0, -1], [0, 0, 0]) },
    ],
    axes: axes("X", "Y", "Z", "C"),
    toolMount: { link: "head", matrix: still },
    workMount: { link: "plate", matrix: still },
  } as unknown as Description;
  const snapshot = (frame: Snapshot["frame"]): Snapshot => ({ codes: [], workOffset: "G54", lengthNumber: 1, length: 100, offset: [10, 20, 130, 0], tool: 1, coolant: 0, frame });

  it("are machine less offset while no frame is on", () => {
    expect(programPlace(description, [15, 20, 150, 30], snapshot(null))).toEqual([5, 0, 20, 30]);
  });

  it("are the tip's place on the turned work while one is", () => {
    // Offset (10, 20, 30), a tool of 100. C positive turns the tool, seen from the work, by +C: the work turns by −C.
    const rows = [1, 0, 0, 10, 0, 1, 0, 20, 0, 0, 1, 30];
    const program = programPlace(description, [0, -5, 137, 90], snapshot({ rows, length: 100, workOnly: false }));
    // The tip stands at (0, −5, 37). The work was turned by −90°, so on it that is R(+90°)·(0, −5) = (5, 0).
    near(program, [5 - 10, 0 - 20, 37 - 30, 90]);
  });
});
