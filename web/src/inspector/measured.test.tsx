// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { api, type Calibration, type Job } from "../api/client";
import { rehearsalOf } from "../tests/rehearsal";
import { shown } from "../tests/render";
import { filled, linesFor, MeasuredTimes } from "./MeasuredTimes";

const operation = (tool: number, name: string) => ({ channel: 1, tool, program: "O1.nc", line: 3, name, begin: 0, cutting: 5, air: 1, rapid: 1, dwell: 0, change: 3, waiting: 0, spindle: 0, coolant: 0, other: 0, late: 0 });
const rehearsal = rehearsalOf([], { times: { operations: [operation(0, ""), operation(1, "FACE"), operation(2, "DRILL"), operation(1, "CHAMFER")], savings: [] } });
const told: Calibration = {
  unit: "VM-3 unit 17",
  spread: 0.012,
  history: [],
  constants: [
    { name: "accel", said: "acceleration", unit: "×", before: 1, after: 0.71, unsure: 0.04, told: true },
    { name: "block", said: "least time of a block", unit: "s", before: 0, after: 0, unsure: null, told: false },
  ],
  residuals: [{ job: "lid", what: "T1", measured: 100, before: 110, after: 100.5 }],
};

test("there is a line for the whole and for every tool once, and what is left empty is not sent", () => {
  expect(linesFor(rehearsal)).toBe("cycle, \nT1, \nT2, ");
  expect(filled("cycle, 417.3\nT1, \n\nT2\t3:20\nT3;")).toBe("cycle, 417.3\nT2\t3:20");
});

test("asked, kept for the unit, and put under the job", async () => {
  const asked = vi.spyOn(api, "measured").mockResolvedValue(told);
  const learn = vi.spyOn(api, "learnTimes").mockResolvedValue({ id: 31, kind: "machine", name: "VM-3 unit 17", number: 4, summary: "", created: "", by: "ines", jobs: 0 });
  const swap = vi.spyOn(api, "swap").mockResolvedValue({ revisions: [{ id: 77 }] } as unknown as Job);
  vi.spyOn(api, "rehearse").mockResolvedValue({ id: 99 } as never);
  const onRehearsal = vi.fn();
  const { user } = shown(<MeasuredTimes rehearsal={rehearsal} open onClose={() => {}} onRehearsal={onRehearsal} />);
  const lines = screen.getByLabelText("Times, one a line");
  await user.clear(lines);
  await user.type(lines, "T1, 100");
  await user.click(screen.getByRole("button", { name: /What do they tell/ }));
  expect(asked).toHaveBeenCalledWith(rehearsal.id, "T1, 100");
  expect(await screen.findByText(/1.00 → 0.710 ± 0.04/)).toBeTruthy();
  expect(screen.getByText(/least time of a block: stays/)).toBeTruthy();
  // 10 % too long before: drawn at the right end of the half of the plot.
  expect(document.querySelector<HTMLElement>(".off .was")!.style.left).toBe("98%");
  await user.click(screen.getByRole("button", { name: /Keep for VM-3 unit 17/ }));
  expect(learn).toHaveBeenCalledOnce();
  await user.click(await screen.findByRole("button", { name: /Put it under this job/ }));
  expect(swap).toHaveBeenCalledWith(rehearsal.revision, 31);
  await waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(99));
});

test("what cannot be read is said", async () => {
  vi.spyOn(api, "measured").mockRejectedValue(new Error("line 2: give what it is and its seconds"));
  const { user } = shown(<MeasuredTimes rehearsal={rehearsal} open onClose={() => {}} onRehearsal={() => {}} />);
  await user.type(screen.getByLabelText("Times, one a line"), "x");
  await user.click(screen.getByRole("button", { name: /What do they tell/ }));
  expect(await screen.findByText(/line 2: give what it is/)).toBeTruthy();
});
