import { describe, expect, it } from "vitest";

import { faultOf, freshTool, outlines } from "./tools";

describe("a tool as one types", () => {
  it("gets the next free number and is sound", () => {
    const first = freshTool([]);
    expect(first.number).toBe(1);
    const second = freshTool([first]);
    expect(second.number).toBe(2);
    expect(faultOf(second, [first, second])).toBe("");
  });

  it("says what is wrong with it", () => {
    const tool = freshTool([]);
    expect(faultOf({ ...tool, cutter: { ...tool.cutter, flute_length: 60 } }, [])).toMatch(/longer than the tool reaches/);
    expect(faultOf({ ...tool, length: 30 }, [])).toMatch(/gauge point/);
    expect(faultOf({ ...tool, cutter: { ...tool.cutter, corner_radius: 6 } }, [])).toMatch(/half the diameter/);
    expect(faultOf(tool, [freshTool([])])).toMatch(/there already/);
  });

  it("is drawn with its tip at zero and its holder up to where it ends", () => {
    const parts = outlines(freshTool([]));
    expect(parts.map(({ part }) => part)).toEqual(["cutter", "shank", "holder"]);
    expect(parts[0].points[0]).toEqual([0, 0]);
    expect(Math.max(...parts[2].points.map(([, h]) => h))).toBe(104);
    const drill = outlines({ ...freshTool([]), cutter: { type: "drill", diameter: 10, flute_length: 30, reach: 40, point_angle: 118 } });
    expect(drill[0].points[1][1]).toBeCloseTo(3.004, 3); // 0.3004 · D, handbooks
  });
});
