import { describe, expect, it } from "vitest";

import type { JobData } from "../api/client";
import { added, begin, bodyOf, changed, freeName, redone, standingAfter, undone, withBody, withoutBody } from "./history";

const job: JobData = { name: "j", machine: "m", tools: "t", bodies: [{ name: "vise", role: "fixture", mount: "table" }] };

describe("the setup's steps", () => {
  it("go back and forth, and a new step forgets what lay ahead", () => {
    let steps = begin(job);
    steps = changed(steps, withBody(steps.now, "vise", { at: [1, 2, 3] }));
    steps = changed(steps, added(steps.now, { name: "blank", role: "stock", mount: "table" }));
    expect(steps.now.bodies).toHaveLength(2);
    steps = undone(undone(steps));
    expect(steps.now).toBe(job);
    expect(undone(steps).now).toBe(job);
    steps = redone(steps);
    expect(bodyOf(steps.now, "vise")?.at).toEqual([1, 2, 3]);
    steps = changed(steps, withoutBody(steps.now, "vise"));
    expect(steps.future).toEqual([]);
    expect(steps.now.bodies).toEqual([]);
  });

  it("never change a job that was", () => {
    withBody(job, "vise", { at: [9, 9, 9] });
    added(job, { name: "x", role: "part", mount: "table" });
    expect(job.bodies).toEqual([{ name: "vise", role: "fixture", mount: "table" }]);
  });

  it("tell what stands on the machine after each programmed stop", () => {
    const at = (name: string, present: [number, number | null] | null) => ({ name, role: "fixture" as const, mount: "table", present });
    const clamped = { ...job, bodies: [at("vise", null), at("left", [0, 1]), at("right", [1, null]), at("rest", [1, 2])] };
    const names = (stop: number) => standingAfter(clamped, stop).bodies!.map((body) => body.name);
    expect([0, 1, 2].map(names)).toEqual([["vise", "left"], ["vise", "right", "rest"], ["vise", "right"]]);
    expect(standingAfter(job, 5)).toBe(job);
  });

  it("give each body a name of its own", () => {
    expect(freeName(job, "plate")).toBe("plate");
    const more = added(job, { name: "vise 2", role: "fixture", mount: "table" });
    expect(freeName(more, "vise")).toBe("vise 3");
  });
});
