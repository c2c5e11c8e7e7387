// @vitest-environment jsdom

import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Checked, type JobData, type Said, type ToolsData } from "../api/client";
import { shown } from "../tests/render";
import { Findings } from "./Findings";
import { Grids } from "./Grids";
import { Operations } from "./Operations";
import { Rules } from "../rules/Rules";

const said = (more: Partial<Said>): Said => ({
  kind: "program.length", severity: "stop", channel: 1, program: "O1.nc", line: 12, time: 0, tool: 5, bodies: [], axis: "", amount: 0, point: null, count: 1,
  message: "T5 moves into the work with no length offset active", remedy: "Add G43 H5 to the approach of T5.", rule: "length.none", fix: null, also: [], cause: "length", accepted: null, ...more,
}); // prettier-ignore
const checkedOf = (findings: Said[], more: Partial<Checked> = {}): Checked => ({
  verdict: "stop", findings, operations: [], seconds: 1, blocks: 1, rules: { ran: ["syntax"], off: [], changed: {} }, lacking: [], unused: [], waits: [], path: null, ...more,
}); // prettier-ignore
const TOOLS: ToolsData = { tools: [{ number: 5, name: "D8 end mill", length: 106, cutter: { type: "end-mill", diameter: 8, flutes: 3 } }] };
const JOB: JobData = { name: "clip", machine: "m", tools: "t", work_offsets: { G54: { datum: [0, 0, 72], mount: "table" } }, variables: { "500": 2 } };

describe("findings of the check", () => {
  const calls = () => ({ onGo: vi.fn(), onFix: vi.fn(), onRule: vi.fn() });

  it("shows a fix as a difference, and makes it when asked", async () => {
    const fix = { title: "Add G43 H5 in line 10", edits: [{ program: "O1.nc", line: 10, old: "Z20. M8", new: "G43 H5 Z20. M8" }] };
    const on = calls();
    shown(<Findings checked={checkedOf([said({ fix })])} base={undefined} revision={2} rules={[]} jobRules={{}} {...on} />);
    await userEvent.click(screen.getByText(/no length offset/));
    expect(on.onGo).toHaveBeenCalledWith(expect.objectContaining({ line: 12 }));
    expect(screen.getByTestId("difference").textContent).toContain("G43 H5 Z20. M8");
    await userEvent.click(screen.getByRole("button", { name: "Add G43 H5 in line 10" }));
    expect(on.onFix).toHaveBeenCalledOnce();
  });

  it("tells what went and came since the revision was opened, and which rules are off", () => {
    const before = checkedOf([said({}), said({ rule: "feed.none", message: "no feed" })]);
    const after = checkedOf([said({ line: 13 }), said({ rule: "syntax", message: "unreadable" })], { rules: { ran: ["syntax"], off: ["word.idle"], changed: {} } });
    shown(<Findings checked={after} base={before} revision={2} rules={[]} jobRules={{}} {...calls()} />);
    expect(within(screen.getByTestId("since")).getByText("no feed")).toBeTruthy();
    expect(screen.getByTestId("since").textContent).toContain("unreadable came, line 12");
    expect(screen.getByText(/1 rules ran, 1 off: word.idle/)).toBeTruthy();
  });

  it("says plainly that an empty check is no verdict", () => {
    shown(<Findings checked={checkedOf([])} base={undefined} revision={2} rules={[]} jobRules={{}} {...calls()} />);
    expect(screen.getByText(/Only a rehearsal tells what they meet/)).toBeTruthy();
  });
});

describe("tables beside the text", () => {
  const open = (which: "tools" | "offsets" | "variables", more = {}) => {
    const on = { onWhich: vi.fn(), onJob: vi.fn(), onTools: vi.fn() };
    shown(<Grids which={which} chosen={null} job={JOB} channel={1} tools={TOOLS} worked={{ G54: { X: -305, Y: -205, Z: -528 } }} axes={["X", "Y", "Z"]} checked={checkedOf([], { lacking: [40] })} {...on} {...more} />);
    return on;
  };
  const type = async (label: string, text: string) => {
    const field = screen.getByLabelText(label);
    await userEvent.clear(field);
    await userEvent.type(field, text);
    await userEvent.tab();
  };

  it("takes registers and limits, and says which tools are lacking", async () => {
    const on = open("tools");
    expect(screen.getByText(/needs T40, which the table lacks/)).toBeTruthy();
    await type("5 H", "105,5");
    expect(on.onTools.mock.calls[0][0].tools[0].registers).toEqual({ H: 105.5 });
    await type("5 m/min", "180");
    expect(on.onTools.mock.calls[1][0].tools[0].limits.surface_speed).toEqual([0, 180]);
    await type("5 length", "long");
    expect(screen.getByText("'long' is not a number.")).toBeTruthy();
    expect(on.onTools).toHaveBeenCalledTimes(2);
  });

  it("shows a datum's offset worked out; a number typed there takes its place", async () => {
    const on = open("offsets");
    await type("G54 X", "-300");
    expect(on.onJob.mock.calls[0][0].work_offsets).toEqual({ G54: { X: -300, Y: -205, Z: -528 } });
  });

  it("brings in JSON as it was given out, and refuses what is something else", async () => {
    const on = open("variables");
    await userEvent.upload(screen.getByLabelText("Bring in variables"), new File(['{"501": 3.5}'], "v.json"));
    await waitFor(() => expect(on.onJob.mock.calls[0][0].variables).toEqual({ "501": 3.5 }));
    await userEvent.upload(screen.getByLabelText("Bring in variables"), new File(['{"501": "x"}'], "v.json"));
    await screen.findByText(/every name needs a number/);
  });
});

describe("operations", () => {
  it("go to their lines, are left out, and are raised", async () => {
    const on = { onGo: vi.fn(), onLeaveOut: vi.fn(), onShift: vi.fn() };
    const operation = { number: 1, name: "SLOT", tool: 5, first: 7, last: 21, motions: [0, 9] as [number, number], seconds: 41, feeds: [300, 700] as [number, number], depths: [-6, -3] as [number, number], cycles: [], left_out: false, program: "O7000.nc" };
    shown(<Operations operations={[operation]} called={false} line={9} out={() => false} shifted={() => null} {...on} />);
    await userEvent.click(screen.getByText("SLOT"));
    expect(on.onGo).toHaveBeenCalledWith(operation);
    await userEvent.click(screen.getByLabelText("Rehearse SLOT"));
    expect(on.onLeaveOut).toHaveBeenCalledWith(operation, true);
    await userEvent.click(screen.getByLabelText("Raise SLOT"));
    await userEvent.click(await screen.findByRole("button", { name: "Raise" }));
    expect(on.onShift).toHaveBeenCalledWith(operation, 20);
  });
});

describe("rules of the house", () => {
  const rule = { id: "word.idle", kind: "program.word", severity: "caution" as const, title: "Word without a meaning here", meaning: "A word that nothing gives a meaning to.", remedy: "Remove it.", example: "G0 X5. Q2.", better: "G0 X5.", fixed: false, setting: "" as const };
  beforeEach(() => {
    vi.spyOn(api, "rules").mockResolvedValue([rule, { ...rule, id: "arc.radii", title: "Arc that does not close", fixed: true }]);
  });

  it("are found by their words, show their example, and keep what cannot be milder", async () => {
    shown(<Rules />);
    await userEvent.click(await screen.findByText("Word without a meaning here"));
    expect(screen.getByLabelText("Breaks the rule").textContent).toBe("G0 X5. Q2.");
    expect(screen.getByText("always on")).toBeTruthy();
    await userEvent.type(screen.getByLabelText("Find a rule"), "arc");
    expect(screen.queryByText("Word without a meaning here")).toBeNull();
  });
});
