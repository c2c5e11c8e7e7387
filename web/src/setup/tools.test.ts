import { describe, expect, it } from "vitest";

import { asKind, faultOf, freshTool, inShort, KINDS, madeInto } from "./tools";

describe("a tool as one types", () => {
  it("gets the next free number and is sound", () => {
    const first = freshTool([]);
    expect(first.number).toBe(1);
    const second = freshTool([first]);
    expect(second.number).toBe(2);
    expect(faultOf(second, [first, second])).toBe("");
  });

  it("says what is wrong with it beside the others", () => {
    const tool = freshTool([]);
    expect(faultOf({ ...tool, length: 30 }, [])).toMatch(/gauge point/);
    expect(faultOf(tool, [freshTool([])])).toMatch(/there already/);
  });

  it("keeps what both kinds have when it becomes another kind", () => {
    const mill = { ...freshTool([]).cutter, diameter: 12, corner_radius: 2, hand: "left" };
    expect(madeInto(mill, "drill")).toEqual({ type: "drill", diameter: 12, flute_length: 24, reach: 40, shank_diameter: 10, flutes: 3, point_angle: 118, hand: "left" });
    const insert = madeInto(mill, "insert");
    expect(insert).toMatchObject({ type: "insert", shape: "C", nose_radius: 0.8 });
    expect(insert).not.toHaveProperty("diameter");
    expect(madeInto({ ...insert, hand: "neutral" }, "end-mill")).not.toHaveProperty("hand");
  });

  it("sits in a block when it turns work, in turned segments when it does not", () => {
    const turning = { ...freshTool([]), ...asKind(freshTool([]), "insert") };
    expect(turning).toMatchObject({ name: "turning insert", holder: { shapes: [{ type: "box", size: [20, 20, 96] }] } });
    expect(turning.holder).not.toHaveProperty("segments");
    expect(asKind({ ...turning, name: "my own" }, "drill")).toMatchObject({ holder: { segments: [{ diameter: 28 }, { diameter: 36 }] } });
    expect(asKind({ ...turning, name: "my own" }, "drill")).not.toHaveProperty("name");
  });

  it("is told in one line, whatever its kind", () => {
    for (const type of Object.keys(KINDS)) expect(inShort({ ...freshTool([]), cutter: madeInto(freshTool([]).cutter, type) })).not.toMatch(/undefined/);
  });
});
