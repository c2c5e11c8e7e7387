// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import { api, type ControlOut, type LibraryFile } from "../api/client";
import { shown } from "../tests/render";
import { Control } from "./Control";

const TOLD: ControlOut = {
  units: "mm", axes: ["C", "X"], rotary: ["C"],
  control: {
    rapid: "straight", corner_seconds: 0.004, block_seconds: 0, change_seconds: 4, change_moves: false, keeps_spindle: false, change_at: { X: 0 },
    reference: { 1: { X: 0, C: 0 } }, gains: { "": null }, coolant_seconds: 0, wait_marks: [100, 199], since: "", work_offsets: {},
  },
}; // prettier-ignore

describe("the control", () => {
  it("is set, kept as a new number, and put back as it was", async () => {
    vi.spyOn(api, "machineControl").mockResolvedValue(TOLD);
    const kept = vi.spyOn(api, "setControl").mockRejectedValueOnce(new Error("coolant_seconds: too long")).mockResolvedValue({ id: 9, number: 3 } as LibraryFile);
    const onKept = vi.fn();
    const { user } = shown(<Control id={4} codes={[{ code: "M21", says: "sends TAIL to -280.0" }]} onKept={onKept} />);
    const keep = await screen.findByRole("button", { name: "Keep as a new number" });
    const field = (label: string) => screen.getByLabelText<HTMLInputElement>(label);
    expect(keep).toHaveProperty("disabled", true);

    expect(screen.getByText("sends TAIL to -280.0")).toBeTruthy();

    // An emptied axis is one that the place says nothing of, and a place of none is none.
    await user.clear(field("tool change place X"));
    await user.type(field("reference 2 C"), "90");
    await user.clear(field("reference 1 X"));
    await user.type(field("the spindle gains in a second"), "6000");
    await user.clear(field("First wait mark"));
    await user.click(keep);
    expect(kept).toHaveBeenCalledWith(4, { ...TOLD.control, change_at: {}, reference: { 1: { C: 0 }, 2: { C: 90 } }, gains: { "": 6000 }, wait_marks: null });
    expect(await screen.findByText("coolant_seconds: too long")).toBeTruthy();
    expect(onKept).not.toHaveBeenCalled();
    await user.click(keep);
    await waitFor(() => expect(onKept).toHaveBeenCalledWith(9));

    await user.click(screen.getByRole("button", { name: "As it was" }));
    expect([field("reference 1 X").value, field("First wait mark").value]).toEqual(["0", "100"]);
  });
});
