// @vitest-environment jsdom
import { act, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import { api, type Job, type RehearsalFull, type Revision, type Search } from "../api/client";
import { Player } from "../replay/player";
import { Compare } from "../swap/Compare";
import { Swap } from "../swap/Swap";
import { findingOf, rehearsalOf } from "../tests/rehearsal";
import { shown, shownAgain } from "../tests/render";
import { replayOf } from "../tests/replay";
import { Docket, Verdict } from "./Docket";
import { Margins } from "./Margins";
import { PartList } from "./PartList";
import { Readout } from "./Readout";
import { TimeList } from "./TimeList";
import { ToolList } from "./ToolList";

// Two motions of a lathe: a rapid of 2 s to X ⌀ 60 Z 5, a cut of 4 s to Z −40; then the slide past its travel.
const REPLAY = replayOf(
  {
    seconds: 6,
    start: [0, 0],
    axes: [
      { name: "X", travel: [-20, 165], type: "linear", diameter: true },
      { name: "Z", travel: [-30, 30], type: "linear", diameter: false },
    ],
    links: [
      { name: "carriage", parent: null, joint: { axis: "Z", type: "linear", direction: [1, 0, 0], at: [0, 0, 0] } },
      { name: "slide", parent: "carriage", joint: { axis: "X", type: "linear", direction: [0, 0, 1], at: [0, 0, 0] } },
    ],
    snapshots: [{ codes: ["G1", "G18"], workOffset: "G54", lengthNumber: 0, length: 0, offset: [0, 5], tool: 3, coolant: 8, frame: null }],
    tools: [{ number: 3, name: "rougher", diameter: 0, length: 50, reach: 50, flute_length: 0, link: "slide", matrix: [], outline: [] }, { number: 9, name: "groove", diameter: 0, length: 50, reach: 50, flute_length: 0, link: "slide", matrix: [], outline: [] }],
    stocks: [{ name: "bar", link: "slide", matrix: [], mount: [], brick: "", time: "", bytes: "", quadEnd: "", film: 0, grid: { origin: [0, 0, 0], step: [1, 1, 1], bricks: [1, 1, 1], cells: 16, quanta: 2048, margin: 4 }, part: { design: "cone", final: "", deviation: "film0/deviation", spots: [{ kind: "excess", amount: 0.4, point: [0, 0, 0], motion: -1 }, { kind: "gouge", amount: 3.41, point: [1, 0, 0], motion: 1 }] } }],
  },
  {
    "motions/time": ["float64", [2, 6]],
    "motions/kind": ["uint8", [0, 1]],
    "motions/file": ["uint16", [0, 0]],
    "motions/line": ["uint32", [64, 65]],
    "motions/end": ["float64", [30, 5, 30, -40]],
    "motions/feed": ["float32", [0, 250]],
    "motions/rpm": ["float32", [1200, -1200]],
    "motions/tool": ["int32", [3, 3]],
    "motions/snapshot": ["uint32", [0, 0]],
    "knots/at": ["float64", [0, 0, 30, 5, 30, -40]],
    "knots/motion": ["uint32", [0, 1]],
    "knots/t0": ["float64", [0, 2]],
    "knots/t1": ["float64", [2, 6]],
    "film0/deviation": ["float32", [-0.2, 0, 0.1, 0.4]],
  },
);

describe("the readout", () => {
  const rows = () => screen.getAllByRole("row").slice(1).map((row) => within(row).getAllByRole("cell").map((cell) => cell.textContent));

  it("gives machine, program and distance to go, X in diameters", () => {
    const player = new Player(6);
    shown(<Readout replay={REPLAY} player={player} />);
    act(() => player.seek(1)); // half of the rapid
    expect(rows()).toEqual([["30.000", "30.000", "30.000"], ["2.500", "-2.500", "2.500"]]);
    expect(screen.getByText("F —")).toBeTruthy();
    act(() => player.seek(4)); // half of the cut
    expect(rows()[1]).toEqual(["-17.500", "-22.500", "-22.500"]);
    expect(screen.getByText("F 250")).toBeTruthy();
    expect(screen.getByText("S 1200 M4")).toBeTruthy();
    expect(screen.getByText("T3 rougher")).toBeTruthy();
  });

  it("marks an axis past its travel, and only then", () => {
    const player = new Player(6);
    shown(<Readout replay={REPLAY} player={player} />);
    const over = () => [...document.querySelectorAll(".travel-bar")].map((bar) => bar.classList.contains("over"));
    act(() => player.seek(4));
    expect(over()).toEqual([false, false]);
    act(() => player.seek(6)); // Z −40, past −30
    expect(over()).toEqual([false, true]);
    expect(screen.getByTitle("Z -30 … 30, -10.0 left")).toBeTruthy();
  });
});

describe("the docket", () => {
  const open = (...findings: ReturnType<typeof findingOf>[]) => {
    const calls = { onSelect: vi.fn(), onTriage: vi.fn(async () => {}), pictureOf: vi.fn(async () => "data:image/png;base64,") };
    return { ...shown(<Docket rehearsal={rehearsalOf(findings)} selected={findings[0] ?? null} {...calls} />), ...calls };
  };

  it("says what was checked and what was not, also where nothing was found", () => {
    open();
    expect(screen.getByText(/Nothing was found/)).toBeTruthy();
    expect(screen.getByText(/87 pairs of bodies/)).toBeTruthy();
    expect(screen.getByText("chatter")).toBeTruthy();
  });

  it("counts an amount in what it is measured in", () => {
    for (const [kind, axis, said] of [["contact.body", "", "3.007 mm"], ["travel.over", "A", "3.007 °"], ["travel.speed", "C", "3.007 °/min"], ["program.speed", "", "3.007 rev/min"]]) {
      const page = open(findingOf(1, { kind, axis }));
      expect(screen.getByText(said)).toBeTruthy();
      page.unmount();
    }
  });

  it("takes a judgement with its reason, takes it back, and says why it could not", async () => {
    const judged = findingOf(1, {}, { triage: { judgement: "accepted", reason: "seen at the machine", by: "ines", at: "2026-11-25T20:00:00Z", reopened: true, doubt: false, again: "it is 3.007 now, and was 1.000 when it was judged" } });
    const { user, onTriage } = open(judged);
    expect(screen.getByText("worse than accepted")).toBeTruthy();
    expect(screen.getByText("Look again: it is 3.007 now, and was 1.000 when it was judged.")).toBeTruthy();
    await user.type(screen.getByLabelText("Reason"), " twice");
    await user.click(screen.getByRole("button", { name: "Real" }));
    expect(onTriage).toHaveBeenLastCalledWith(judged, "real", "seen at the machine twice");
    onTriage.mockRejectedValueOnce(new Error("another person has judged it"));
    await user.click(screen.getByRole("button", { name: "Undo" }));
    expect(onTriage).toHaveBeenLastCalledWith(judged, null, "seen at the machine twice");
    expect(await screen.findByText("another person has judged it")).toBeTruthy();
  });

  it("offers what was tried, alone or with others, and says what it costs and brings", async () => {
    const found = findingOf(1, {});
    const square = (high: number) => [{ part: "cutter", points: [[-3, 0], [3, 0], [3, high], [-3, high]] }]; // prettier-ignore
    const offer = {
      id: 5, finding: 1, title: "Line 36: Z 0.5 → 4.5", said: "", touches: "line", amount: 4, seconds: 0.3, clear_by: 1.08, uncovers: [], cures: true,
      edits: [{ program: "O1.nc", line: 36, old: "G0 Z0.5", new: "G0 Z4.5" }, { program: "O1.nc", line: 37, old: null, new: "M5" }], values: [], brings: [], tools: [], moved: [],
    } as const; // prettier-ignore
    const away = { ...offer, id: 6, title: "Elsewhere", cures: false, edits: [], values: [{ file: "tools", path: ["tools", 0, "cutter", "reach"], old: 22, new: 26 }], brings: [{ kind: "material.gouge", severity: "stop", channel: 1, program: "O1.nc", line: 9, message: "T1 gouges lid" }],
                   tools: [{ number: 1, name: "slot cutter", before: square(20), after: square(24) }] } as const; // prettier-ignore
    const calls = { onTry: vi.fn(), onStop: vi.fn(), onChoose: vi.fn(), onMake: vi.fn(), onShow: vi.fn() };
    const docket = (search: object, chosen: number[] = []) => (
      <Docket rehearsal={rehearsalOf([found])} selected={found} onSelect={vi.fn()} onTriage={vi.fn()} pictureOf={async () => null}
              mending={{ search: { state: "none", wanted: [], looked: [], error: "", offers: [], ...search } as Search, chosen, shown: null, asked: false, ...calls }} />
    ); // prettier-ignore
    const { user, rerender } = shownAgain(docket({}));
    await user.click(screen.getByRole("button", { name: "What would clear this?" }));
    expect(calls.onTry).toHaveBeenLastCalledWith(1);
    await user.click(screen.getByRole("button", { name: "What would clear all?" }));
    expect(calls.onTry).toHaveBeenLastCalledWith(null);

    rerender(docket({ state: "running", wanted: [1], offers: [] }));
    expect(screen.getByText(/Trying changes: 0 of 1 findings/)).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Stop trying" }));
    expect(calls.onStop).toHaveBeenCalledOnce();

    rerender(docket({ state: "done", wanted: [1], looked: [1], offers: [offer, away] }, [5]));
    const [cure, none] = screen.getAllByTestId("offer");
    expect([...cure.querySelectorAll("del, ins")].map((part) => part.textContent)).toEqual(["G0 Z0.5", "G0 Z4.5", "M5"]);
    expect(within(cure).getByText("Tried: the finding goes · 1.08 mm clear · 0.3 s longer")).toBeTruthy();
    expect(none.textContent).toContain("cutter reach2226");
    expect(within(none).getByText("It brings: T1 gouges lid, line 9")).toBeTruthy();
    expect(within(none).queryByRole("button")).toBeNull(); // nothing of it is a line or a body, and it clears nothing
    const drawing = within(none).getByRole("img", { name: "T1 as it would be, and dashed as it is" });
    expect([...drawing.querySelectorAll("path")].map((path) => path.getAttribute("d"))).toEqual(["M-3 0L3 0L3 -24L-3 -24Z", "M-3 0L3 0L3 -20L-3 -20Z"]);
    await user.click(within(cure).getByRole("button", { name: "In place" }));
    expect(calls.onShow).toHaveBeenLastCalledWith(offer, true);
    await user.click(within(cure).getByRole("button", { name: "Make this change" }));
    expect(calls.onMake).toHaveBeenLastCalledWith([5]);
    await user.click(within(cure).getByRole("checkbox"));
    expect(calls.onChoose).toHaveBeenLastCalledWith(offer, false);
    await user.click(screen.getByRole("button", { name: "Make the change" }));
    expect(calls.onMake).toHaveBeenLastCalledWith([5]);

    rerender(docket({ state: "failed", error: "the worker ended", wanted: [1], looked: [1] }));
    expect(screen.getByText("No change that was tried clears this.")).toBeTruthy();
    expect(screen.getByText("the worker ended")).toBeTruthy();
  });

  it("has a picture once the stage has gone there", async () => {
    const { pictureOf } = open(findingOf(1, {}));
    expect(screen.queryByRole("img", { name: /Picture of the finding/ })).toBeNull();
    await waitFor(() => expect(screen.getByRole("img", { name: /Picture of the finding/ })).toBeTruthy());
    expect(pictureOf).toHaveBeenCalledOnce();
  });

  it("tells since when a finding is there, and what has gone since", () => {
    const at = (rehearsal: number, revision: number) => ({ rehearsal, revision });
    const lives = [[{ first: null, gone: null }, "for the first time"], [{ first: at(4, 1), gone: null }, "since revision 1, rehearsal 4"], [{ first: at(4, 1), gone: at(6, 2) }, "since revision 1, rehearsal 4; gone in revision 2, and back"]] as const; // prettier-ignore
    for (const [life, said] of lives) {
      const page = open(findingOf(1, {}, { life }));
      expect(screen.getByText(said)).toBeTruthy();
      page.unmount();
    }
    const gone = { ...at(6, 2), findings: [{ kind: "contact.rapid", severity: "stop" as const, program: "O1.nc", line: 9, message: "T2 goes through blank at rapid" }] };
    shown(<Docket rehearsal={rehearsalOf([], {}, { gone })} selected={null} onSelect={vi.fn()} onTriage={vi.fn()} pictureOf={async () => null} />);
    expect(screen.getByTestId("gone").textContent).toBe("Gone since revision 2, rehearsal 6T2 goes through blank at rapid, line 9");
  });

  it("opens with one blunt answer", () => {
    shown(<Verdict rehearsal={rehearsalOf([findingOf(1, {})])} />);
    expect(screen.getByTestId("verdict").textContent).toBe("Do not run1 stop · 0 caution");
  });
});

describe("the time", () => {
  const none = { cutting: 0, air: 0, rapid: 0, dwell: 0, change: 0, waiting: 0, spindle: 0, coolant: 0, other: 0, late: 0 };
  const operations = [
    { channel: 1, tool: 3, program: "O1.nc", line: 5, name: "ROUGH", begin: 0, ...none, cutting: 60, air: 30, rapid: 10, late: 2 },
    { channel: 1, tool: 9, program: "O1.nc", line: 50, name: "", begin: 100, ...none, cutting: 50 },
  ];
  const savings = [
    { kind: "air" as const, channel: 1, tool: 3, program: "O1.nc", line: 17, last_line: 19, time: 12, seconds: 4.2, count: 1, amount: 0 },
    { kind: "high" as const, channel: 1, tool: 9, program: "O1.nc", line: 60, last_line: 60, time: 110, seconds: 1, count: 5, amount: 30 },
  ];

  it("goes by operation and kind, and flies to where some could be saved", async () => {
    const onTime = vi.fn();
    const { user } = shown(<TimeList rehearsal={rehearsalOf([], { times: { operations, savings } })} replay={REPLAY} onTime={onTime} onRehearsal={vi.fn()} />);
    const times = screen.getByTestId("times");
    expect([...times.querySelectorAll(".time-key b")].map((sum) => sum.textContent)).toEqual(["1:50.0", "0:30.0", "0:10.0"]);
    expect(within(times).getByText(/0:02.0 more than length over feed/)).toBeTruthy();
    await user.click(within(times).getByText("T3 rough"));
    expect(onTime).toHaveBeenLastCalledWith(0);
    await user.click(within(times).getByText(/cuts nothing at feed, lines 17 to 19/));
    expect(onTime).toHaveBeenLastCalledWith(12);
    expect(within(times).getByText(/5 retracts 30 mm higher than anything needs, line 60/)).toBeTruthy();
  });

  it("says where there is nothing to save, and where nothing is known", () => {
    const page = shown(<TimeList rehearsal={rehearsalOf([], { times: { operations, savings: [] } })} replay={REPLAY} onTime={vi.fn()} onRehearsal={vi.fn()} />);
    expect(screen.getByText(/Nothing stands out/)).toBeTruthy();
    page.unmount();
    shown(<TimeList rehearsal={rehearsalOf([])} replay={REPLAY} onTime={vi.fn()} onRehearsal={vi.fn()} />);
    expect(screen.getByText(/Rehearse again/)).toBeTruthy();
  });
});

describe("margins, tools and the part", () => {
  it("show the room left on every axis, none where it has run out, and fly to the least clearance", async () => {
    const onTime = vi.fn();
    const axes = [{ axis: "X", min: -617, max: 0, travel: [-610, 0] as [number, number] }, { axis: "C", min: 0, max: 450, travel: null }];
    const margins = [{ bodies: ["T1 cutter", "arm"] as [string, string], clearance: 0, motion: 3, time: 47.3 }, { bodies: ["T4 holder", "vise"] as [string, string], clearance: 5.69, motion: 8, time: 90 }];
    const { user } = shown(<Margins rehearsal={rehearsalOf([], { axes, checked: { ...rehearsalOf([]).result!.checked, margins } })} onTime={onTime} />);
    expect(screen.getByText("room −0.0 +0.0")).toBeTruthy();
    expect(screen.getByTitle(/left -7.000 and 0.000/).querySelector("i")!.className).toBe("over");
    expect(screen.getByText("0.000 … 450.000")).toBeTruthy();
    expect(screen.getByText("touch")).toBeTruthy();
    await user.click(screen.getByText("T4 holder · vise"));
    expect(onTime).toHaveBeenCalledWith(90);
  });

  it("list tools by first use with the stick-out they need, then those never called", () => {
    shown(<ToolList rehearsal={rehearsalOf([], { tools: [{ number: 3, time_in_cut: 3.5, metres_in_cut: 0.04, reach_needed: 31.24 }] })} replay={REPLAY} onMotion={() => {}} />);
    expect(screen.getByText(/reach 50, 31.2 needed at most/)).toBeTruthy();
    expect(screen.getByText("0:06.0, in cut 0:03.5 over 0.04 m")).toBeTruthy();
    expect(screen.getByText("Never called: T9 groove")).toBeTruthy();
    expect(screen.queryByText(/cm³ off/)).toBeNull();
  });

  it("tell what a tool took off, each greatest figure going to its moment", async () => {
    const onMotion = vi.fn();
    const at = (most: number, motion: number) => ({ most, program: "O1.nc", line: 40 + motion, motion });
    const use = { number: 3, time_in_cut: 3.5, metres_in_cut: 0.04, removed: 16500, removal_rate: at(25.773, 4), depth_of_cut: at(1, 5), width_of_cut: null, chip: at(0.0749, 6) };
    const { user } = shown(<ToolList rehearsal={rehearsalOf([], { tools: [use] })} replay={REPLAY} onMotion={onMotion} />);
    expect(screen.getByText("16.50 cm³ off, at most")).toBeTruthy();
    expect(screen.getAllByTitle(/^The .* line/).map((figure) => figure.textContent)).toEqual(["25.8 cm³/min", "1.00 deep", "0.075 chip"]);
    await user.click(screen.getByTitle("The thickest chip at that width, mm: O1.nc line 46"));
    expect(onMotion).toHaveBeenCalledWith(6);
  });

  it("put the worst place of the part first, with what made it", () => {
    const onSpot = vi.fn();
    const stock = [{ name: "bar", volume_before: 424115, volume_after: 300000, gouge_max: 3.41, excess_max: 0.4 }];
    const onFile = vi.fn();
    shown(<PartList rehearsal={rehearsalOf([], { stock })} replay={REPLAY} scale={{ gouge: 0.05, excess: 0.3, reach: 1, steps: 0 }} onSpot={onSpot} onDeviation={() => {}} onFile={onFile} />);
    screen.getByRole("button", { name: "GLB" }).click();
    expect(onFile).toHaveBeenCalledWith(0, "glb");
    expect(screen.getAllByTestId("spot").map((spot) => spot.textContent)).toEqual(["too deep3.410 mm T3, line 65", "left on0.400 mmno tool came there"]);
    screen.getAllByTestId("spot")[0].click();
    expect(onSpot).toHaveBeenCalledWith(0, expect.objectContaining({ kind: "gouge", point: [1, 0, 0] }));
    expect(screen.getByText("424.12 cm³")).toBeTruthy();
    expect(screen.getByTestId("spread").textContent).toContain("50.0 % of the surface within tolerance");
    expect(screen.getByTestId("spread").textContent).toContain("25.0 % too deep, 25.0 % left on");
  });
});

describe("two rehearsals side by side", () => {
  const job = {
    id: 1, name: "lid",
    revisions: [2, 1].map((number) => ({ id: number, number, machine: `VM-${number}`, rehearsals: [{ id: 10 * number, state: "done" }, { id: 10 * number + 1, state: "failed" }] })),
  } as unknown as Job; // prettier-ignore

  it("tell what went away and what came", async () => {
    const stays = findingOf(1, {});
    const sides: Record<number, RehearsalFull> = {
      10: rehearsalOf([stays, findingOf(2, { line: 30, cause: "travel", message: "X would pass its − limit" })], { axes: [{ axis: "X", min: -5, max: 0, travel: [-610, 0] }] }, { id: 10 }),
      20: rehearsalOf([{ ...stays, id: 9 }, findingOf(3, { kind: "material.gouge", cause: "gouge", message: "T2 gouges lid" })], {}, { id: 20 }),
    };
    vi.spyOn(api, "rehearsal").mockImplementation(async (id) => sides[id]);
    shown(<Compare job={job} onClose={() => {}} onRehearsal={() => {}} />);
    await waitFor(() => expect(document.querySelectorAll("li.only")).toHaveLength(2));
    expect([...document.querySelectorAll("li.only")].map((li) => li.textContent!.trim())).toEqual([expect.stringMatching(/− limit gone$/), expect.stringMatching(/gouges lid new$/)]);
    expect(screen.getByText("no such axis")).toBeTruthy();
    expect(screen.getByText("-5.0 … 0.0, 0.0 left")).toBeTruthy();
  });

  it("need two that have finished", () => {
    shown(<Compare job={{ ...job, revisions: job.revisions.slice(1) }} onClose={() => {}} onRehearsal={() => {}} />);
    expect(screen.getByText(/this job has 1/)).toBeTruthy();
  });
});

describe("another machine under a job", () => {
  it("says what fits before it is put there, rehearses the new revision, and stays open where that fails", async () => {
    vi.spyOn(api, "library").mockResolvedValue([{ id: 5, kind: "machine", name: "VM-5 unit 22", number: 1, summary: "axes X Y Z", created: "", by: "", jobs: 0 }, { id: 6, kind: "tools", name: "crib", number: 1, summary: "", created: "", by: "", jobs: 0 }]);
    vi.spyOn(api, "fits").mockResolvedValue([{ what: "axes", fits: false, said: "it lacks B" }]);
    const swap = vi.spyOn(api, "swap").mockRejectedValueOnce(new Error("offset G54: the linear axes cannot bring the gauge point there")).mockResolvedValue({ id: 1, name: "lid", revisions: [{ id: 44 }] } as unknown as Job);
    const rehearse = vi.spyOn(api, "rehearse").mockResolvedValue({ id: 99 } as never);
    const onRehearsal = vi.fn();
    const { user } = shown(<Swap revision={{ id: 3, number: 2 } as Revision} onClose={() => {}} onRehearsal={onRehearsal} />);
    const go = screen.getByRole("button", { name: /Put it under the job/ });
    expect(go).toHaveProperty("disabled", true);
    await user.click(screen.getByLabelText("Machine"));
    expect(screen.queryByText(/crib/)).toBeNull();
    await user.click(await screen.findByText(/VM-5 unit 22 \(1\), axes X Y Z/));
    expect(await screen.findByText("it lacks B")).toBeTruthy();
    await user.click(go);
    expect(await screen.findByText(/cannot bring the gauge point/)).toBeTruthy();
    expect(onRehearsal).not.toHaveBeenCalled();
    await user.click(go);
    await waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(99));
    expect([swap.mock.lastCall, rehearse.mock.lastCall]).toEqual([[3, 5], [44]]);
  });
});
