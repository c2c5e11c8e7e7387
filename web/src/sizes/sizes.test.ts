import { describe, expect, it } from "vitest";

import type { PartMeasure } from "../api/client";
import { askedFor, counted, freshName, promptFor, slip, told } from "./sizes";

function measure(kind: "diameter" | "angle", actual: number | null, within: boolean | null): PartMeasure {
  const asked = askedFor(kind, "one", "blank", [{ on: "axis", at: [0, 0, 0] }]);
  const read = { name: "one", stock: "blank", kind, nominal: null, actual, off: null, tolerance: null, within, parts: null, angle: null, form: null, facets: null, feet: [], motion: -1, points: 0, why: "" };
  return { asked, own: true, read } as PartMeasure;
}

describe("measures in words", () => {
  it("asks for one place after the other", () => {
    expect(promptFor("diameter", "axis", 0)).toBe("Point at the wall of a hole or boss, on the finished part");
    expect(promptFor("distance", "edge", 0)).toContain("first edge");
    expect(promptFor("distance", "face", 1)).toContain("second face");
  });

  it("tells values to the thousandth, with a true minus, and no minus nothing", () => {
    expect([told(-0.0104, true), told(0.2, true), told(6.6), told(-0.0001, true), told(null)]).toEqual(["−0.010", "+0.200", "6.600", "+0.000", "—"]);
  });

  it("writes a reading as it stands on the part", () => {
    expect([slip(measure("diameter", 6.6, null)), slip(measure("angle", 90, null)), slip(measure("diameter", null, null))]).toEqual(["⌀6.600", "90.000°", "⌀—"]);
  });

  it("finds a name that is free, and counts what is wrong", () => {
    expect(freshName("wall", ["Wall 1", "Wall 3"])).toBe("Wall 2");
    expect(counted([measure("diameter", 1, true), measure("diameter", 1, false), measure("diameter", null, null)])).toEqual({ all: 3, out: 1, lacking: 1 });
  });
});
