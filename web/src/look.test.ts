import { describe, expect, it } from "vitest";

import { clock, deviationColour, timeColour, toolColour } from "./look";

const SCALE = { gouge: 0.05, excess: 0.3, reach: 1, steps: 0 };

const far = (a: number[], b: number[]) => Math.hypot(...a.map((c, i) => c - b[i]));

describe("the look", () => {
  it("says a time in minutes and seconds", () => {
    expect([0, 59.94, 60, 61.25, 3599.9, -2].map(clock)).toEqual(["0:00.0", "0:59.9", "1:00.0", "1:01.3", "59:59.9", "0:00.0"]);
  });
  it("never says sixty seconds", () => {
    for (let t = 0; t < 200; t += 0.013) expect(clock(t)).not.toContain(":60");
  });
  it("gives neighbouring tools different colours, and the untouched blank its own", () => {
    for (let tool = 1; tool < 8; tool++) expect(toolColour(tool)).not.toBe(toolColour(tool + 1));
    expect(toolColour(0)).toBe(toolColour(-1));
  });
  it("grows darker evenly from the first cut to the last", () => {
    const shades = [-1, 0, 0.25, 0.5, 0.75, 1, 2].map((share) => timeColour(share).reduce((sum, c) => sum + c, 0));
    expect(shades[0]).toBe(shades[1]);
    expect(shades[5]).toBe(shades[6]);
    for (let i = 1; i < 5; i++) expect(shades[i] - shades[i + 1]).toBeCloseTo(shades[1] - shades[2], 9);
  });
  it("leaves what is within tolerance uncoloured and makes what is beyond it stand out at once", () => {
    const within = deviationColour(0, SCALE);
    expect(deviationColour(-0.05, SCALE)).toEqual(within);
    expect(deviationColour(0.3, SCALE)).toEqual(within);
    expect(far(deviationColour(-0.06, SCALE), within)).toBeGreaterThan(0.2);
    expect(far(deviationColour(0.31, SCALE), within)).toBeGreaterThan(0.2);
  });
  it("grows stronger with depth up to its reach and no farther", () => {
    const within = deviationColour(0, SCALE);
    const strength = [-0.1, -0.4, -0.8, -1, -3].map((d) => far(deviationColour(d, SCALE), within));
    expect(strength).toEqual([...strength].sort((a, b) => a - b));
    expect(strength[3]).toBeCloseTo(strength[4]);
  });
  it("takes so many steps where it is asked to, the last of them in full colour", () => {
    const shades = new Set(Array.from({ length: 200 }, (_, i) => deviationColour(0.3 + (0.75 * (i + 1)) / 200, { ...SCALE, steps: 3 }).join()));
    expect(shades.size).toBe(3);
    expect(deviationColour(1.2, { ...SCALE, steps: 3 })).toEqual(deviationColour(1.2, SCALE));
  });
});
