// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { api, type RehearsalFull, type Tolerance as Told } from "../api/client";
import { shown } from "../tests/render";
import { beyond, share, sharpest, Tolerance } from "./Tolerance";

const bound = (amount: number, by: string | null = null, line: number | null = null) => ({
  amount,
  by,
  bodies: by ? ["T2 holder", "clamp"] : [],
  program: by ? "O1.nc" : null,
  line,
  time: by ? 12.5 : null,
});
const result: NonNullable<Told["result"]> = {
  reach: 1,
  quantities: [
    { kind: "offset", name: "G54", axis: "X", channel: 1, tool: null, diameter: false, less: bound(0.31, "contact.body", 41), more: bound(1), not_followed: null },
    { kind: "fixture", name: "vise", axis: "Y", channel: 1, tool: null, diameter: false, less: bound(1), more: bound(1), not_followed: null },
    { kind: "radius", name: "D2", axis: null, channel: 1, tool: 2, diameter: false, less: null, more: null, not_followed: "the program does something else then" },
  ],
  not_checked: ["the head in the outline of the blank"],
};
const rehearsal = { id: 7, quick: false, stops: 0 } as RehearsalFull;

function told(state: Told, row = rehearsal, onTime = vi.fn()) {
  vi.spyOn(api, "tolerance").mockResolvedValue(state);
  shown(<Tolerance rehearsal={row} onTime={onTime} />);
  return onTime;
}

test("hundredths can be told from nothing beside whole millimetres, and nothing is drawn beyond the reach", () => {
  expect(share(0.01, 1)).toBeCloseTo(0.1);
  expect(share(4, 1)).toBe(1);
});

test("the sharpest is the least at which something happens, never one that was asked no farther", () => {
  expect(sharpest(result)?.quantity.name).toBe("G54");
  expect(sharpest({ ...result, quantities: result.quantities.slice(1) })).toBeNull();
  expect(beyond(bound(0.31, "contact.body", 41), 1)).toBe("T2 holder and clamp touch, O1.nc line 41");
  expect(beyond(bound(1), 1)).toBe("nothing up to 1 mm");
  expect(beyond(bound(0.4), 1)).toMatch(/what comes then is not known/);
});

test("a whisker leads to the moment, what is free is told in a line, and what was not followed says why", async () => {
  const onTime = told({ state: "done", share: 1, error: "", result });
  fireEvent.click(await screen.findByLabelText("−0.310 mm: T2 holder and clamp touch, O1.nc line 41"));
  expect(onTime).toHaveBeenCalledWith(12.5);
  expect(screen.getByText("Nothing up to 1 mm either way: vise Y.")).toBeTruthy();
  expect(screen.getByText(/not followed: the program does something else/)).toBeTruthy();
  expect(screen.getByText(/Not asked: the head in the outline/)).toBeTruthy();
});

test("asked for, stopped, failed", async () => {
  const ask = vi.spyOn(api, "askTolerance").mockResolvedValue({ state: "running", share: 0.4, error: "", result: null });
  const stop = vi.spyOn(api, "stopTolerance").mockResolvedValue({ state: "failed", share: 0.4, error: "The worker ended.", result: null });
  told({ state: "none", share: 0, error: "", result: null });
  fireEvent.click(await screen.findByText("How wrong may it be?"));
  expect(ask).toHaveBeenCalledWith(7, 1);
  fireEvent.click(await screen.findByText("Stop"));
  await waitFor(() => expect(stop).toHaveBeenCalledWith(7));
});

test("of a job that must not run nothing is asked", () => {
  told({ state: "none", share: 0, error: "", result: null }, { ...rehearsal, stops: 2 });
  expect(screen.getByText(/once nothing stops this job/)).toBeTruthy();
});
