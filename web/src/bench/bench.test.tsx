// @vitest-environment jsdom
import { act, fireEvent, screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import type { Moved } from "../api/client";
import { Contacts } from "../machines/Contacts";
import { Numbers } from "../machines/Numbers";
import type { Description } from "../replay/replay";
import { shown } from "../tests/render";
import { replayOf } from "../tests/replay";
import { Hand } from "./hand";
import { HandPanel } from "./HandPanel";

const AXES: Description["axes"] = [
  { name: "X", travel: [-165, 40], type: "linear", diameter: true },
  { name: "C", travel: null, type: "rotary", diameter: false },
];
const nothing: Omit<Moved, "values"> = { axes: ["X", "C"], touching: [], near: [], over: [], said: [], path: [], told: [], held: [] };

/** A panel whose machine goes wherever it is sent, unless `met` says what it meets. */
function panel(met: (end: number[]) => Partial<Moved> = () => ({})) {
  const move = vi.fn(async (_begin: number[], end: number[]): Promise<Moved> => ({ ...nothing, values: end, ...met(end) }));
  const block = vi.fn(async (values: number[], _tool: number, typed: string): Promise<Moved> => ({ ...nothing, values, said: typed === "G99" ? ["G99 is not a code of this dialect"] : [] }));
  const hand = new Hand([0, 0], { move, block });
  const onLight = vi.fn();
  const onKeep = vi.fn();
  const replay = replayOf({ axes: AXES, start: [0, 0], tools: [{ number: 3, name: "groove", diameter: 0, length: 50, reach: 0, flute_length: 0, link: "turret", matrix: [], outline: [] }] });
  return { ...shown(<HandPanel replay={replay} hand={hand} onLight={onLight} onKeep={onKeep} />), hand, move, block, onLight, onKeep };
}
const settled = () => act(() => new Promise((done) => setTimeout(done, 0)));

describe("the hand panel", () => {
  it("shows and takes diameters, and moves the slide half as far", async () => {
    const { hand, move } = panel();
    const field = screen.getByLabelText("X to");
    fireEvent.change(field, { target: { value: "-60" } });
    fireEvent.keyDown(field, { key: "Enter", code: "Enter", keyCode: 13 });
    await settled();
    expect(move.mock.lastCall!.slice(0, 2)).toEqual([[0, 0], [-30, 0]]);
    expect(hand.values).toEqual([-30, 0]);
    expect(field).toHaveProperty("value", "-60");
  });

  it("jogs by the step chosen, from the keyboard ten steps at a time too, and goes back", async () => {
    const { user, hand } = panel();
    await user.click(screen.getByText("1", { selector: ".ant-segmented-item-label" }));
    fireEvent.pointerDown(screen.getByLabelText("C plus"));
    fireEvent.pointerUp(screen.getByLabelText("C plus"));
    await settled();
    expect(hand.values).toEqual([0, 1]);
    fireEvent.keyDown(screen.getByLabelText("C travel"), { key: "PageDown" });
    await settled();
    expect(hand.values).toEqual([0, -9]);
    await user.click(screen.getByRole("button", { name: "Back" }));
    expect(hand.values).toEqual([0, 1]);
    await user.click(screen.getByRole("button", { name: "Home" }));
    await settled();
    expect(hand.values).toEqual([0, 0]);
  });

  it("names what was met, lights it on request, and tells overtravel at its axis", async () => {
    const touch = { a: "T3 holder", b: "jaws", clearance: 0, point: [1, 2, 3] as [number, number, number], share: 0.4 };
    const { user, hand, onLight } = panel((end) => ({ touching: [touch], near: [{ ...touch, b: "bar", clearance: 0.62 }], over: [["X", end[0] + 165]] }));
    act(() => hand.send(0, -170));
    await settled();
    expect(screen.getByText("X -5.000 past its travel", { exact: false })).toBeTruthy();
    expect(document.querySelector("[data-axis=X]")!.className).toContain("over");
    expect(document.querySelector("[data-axis=C]")!.className).not.toContain("over");
    expect(screen.getByText(/comes within 0.62 mm of bar/)).toBeTruthy();
    await user.click(screen.getByText(/T3 holder touches jaws/));
    expect(onLight).toHaveBeenCalledWith(["T3 holder", "jaws"], [1, 2, 3]);
  });

  it("works grips by the machine's own codes, in the words of the channel chosen, and leaves jaws out of the axes", async () => {
    const jaw = { name: "JS1", travel: null, type: "linear" as const, diameter: false, jaw: true };
    const block = vi.fn(async (values: number[]): Promise<Moved> => ({ ...nothing, values, told: ["chuck holds bar: ⌀50.00 over 22.00 mm"] }));
    const hand = new Hand([0, 0, 5], { move: vi.fn(), block });
    const replay = replayOf({ axes: [...AXES!, jaw], start: [0, 0, 5], channels: [1, 2], grips: [{ name: "chuck", close: "M68", open: null }] });
    const { user } = shown(<HandPanel replay={replay} hand={hand} onLight={vi.fn()} />);
    expect(document.querySelector("[data-axis=JS1]")).toBeNull();
    expect(screen.getByRole("button", { name: "Open chuck" })).toHaveProperty("disabled", true);
    act(() => hand.set({ channel: 2 }));
    await user.click(screen.getByRole("button", { name: "Close chuck" }));
    expect(block.mock.lastCall).toEqual([[0, 0, 5], 0, "M68", true, 2, null]);
    expect(await screen.findByText(/chuck holds bar/)).toBeTruthy();
  });

  it("runs a typed block and says what the control says of it", async () => {
    const { user, block } = panel();
    expect(screen.getByRole("button", { name: "Run" })).toHaveProperty("disabled", true);
    await user.type(screen.getByLabelText("Block"), "G99{Enter}");
    await settled();
    expect(block).toHaveBeenCalledWith([0, 0], 0, "G99", true, 0, null);
    expect(screen.getByText("G99 is not a code of this dialect")).toBeTruthy();
    await user.clear(screen.getByLabelText("Block"));
    await user.type(screen.getByLabelText("Block"), "G0 X1.");
    await user.click(screen.getByRole("button", { name: "Run" }));
    await settled();
    expect(screen.getByText(/nothing touched/)).toBeTruthy();
  });

  it("keeps its place, and says why the machine does not answer", async () => {
    const { hand, move, user, onKeep } = panel();
    move.mockRejectedValueOnce(new Error("the server does not answer"));
    act(() => hand.send(1, 45));
    await settled();
    expect(screen.getByText("the server does not answer")).toBeTruthy();
    expect(hand.values).toEqual([0, 0]);
    await user.click(screen.getByRole("button", { name: /Keep as offset/ }));
    expect(onKeep).toHaveBeenCalledOnce();
  });
});

describe("a machine's numbers", () => {
  const description: Description = {
    ...replayOf({ axes: [...AXES!, { name: "Y", travel: [-46, 46], type: "linear", diameter: false }] }).description,
    habits: {
      joints: {
        X: { rapid: 20000, accel: 5000, step: null, factors: { X: 1, Y: -0.57735 } },
        C: { rapid: 36000, accel: 3600, step: 5, factors: {} },
        Y: { rapid: 12000, accel: 3000, step: null, factors: { Y: 1.1547 } },
      },
      places: [{ name: "reference 1", values: { X: 0, C: 0 } }, { name: "tool change", values: { X: -20 } }],
      rpm: 4000,
      codes: [{ code: "M21", says: "sends TAIL to -280.0" }],
      ignored: [["quill", "cover"] as [string, string]],
    },
    contacts: [["bed", "turret"], ["chuck", "slide"], ["chuck", "turret"]] as [string, string][],
  };

  it("tell slides that several axes move and axes that index, and send the machine to a place it knows", async () => {
    const onSend = vi.fn();
    const { user } = shown(<Numbers description={description} onSend={onSend} />);
    expect(screen.getByText("The slide of X stands at X − 0.5774 · Y.", { exact: false })).toBeTruthy();
    expect(screen.getByText("The slide of Y stands at 1.1547 · Y.", { exact: false })).toBeTruthy();
    expect(screen.getByText("C indexes by 5°.", { exact: false })).toBeTruthy();
    expect(screen.getByText("The spindle reaches 4,000 rev/min.")).toBeTruthy();
    await user.click(screen.getAllByRole("button", { name: "Send there" })[1]);
    expect(onSend).toHaveBeenCalledWith({ X: -20 });
  });

  it("list every watched pair once, found by either of its bodies", async () => {
    const onChoose = vi.fn();
    const { user } = shown(<Contacts description={description} chosen={[]} onChoose={onChoose} />);
    expect(document.querySelectorAll(".contacts button")).toHaveLength(3);
    await user.type(screen.getByLabelText("Pairs with this body"), "slide");
    await user.click(screen.getByRole("button", { name: "slide" }));
    expect(onChoose).toHaveBeenCalledWith(["chuck", "slide"]);
    await user.type(screen.getByLabelText("Pairs with this body"), "x");
    expect(screen.getByText("No pair with slidex is watched.")).toBeTruthy();
    expect(screen.getByText("quill and cover")).toBeTruthy();
  });
});
