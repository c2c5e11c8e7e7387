// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import { api, type BodyData, type JobData } from "../api/client";
import { Held, shown } from "../tests/render";
import { Clearances } from "./Clearances";
import { HolderForm } from "./HolderForm";
import { ImportModel } from "./ImportModel";
import { Mating, type MateChoice, type Pick } from "./Mating";
import { OffsetTable } from "./OffsetTable";
import { Repeat } from "./Repeat";
import { RunWith } from "./RunWith";
import { freshTool, type ToolsData } from "./tools";
import { ToolTable } from "./ToolTable";

const JOB = { name: "lid", bodies: [{ name: "lid", role: "design", mount: "table" }] } as unknown as JobData;

/** The last value that a component asked its screen to hold. */
function last<T>(seen: { mock: { calls: T[][] } }): T {
  return seen.mock.calls.at(-1)![0];
}

function type(label: string, value: string): void {
  const field = screen.getByLabelText(label);
  fireEvent.change(field, { target: { value } });
  fireEvent.blur(field);
}

describe("clearances", () => {
  function open(job: JobData = JOB) {
    const seen = vi.fn<(job: JobData) => void>();
    const page = shown(
      <Held initial={job} seen={seen}>
        {(now, set) => <Clearances job={now} description={undefined} onJob={set} />}
      </Held>,
    );
    return { ...page, checks: () => last(seen).checks as Record<string, unknown> };
  }

  it("shows what holds where the job says nothing, and writes only what was changed", () => {
    const { checks } = open();
    expect(screen.getByLabelText("gouge of the design beyond")).toHaveProperty("value", "0.05");
    type("two bodies stay apart by", "2.5");
    expect(checks()).toEqual({ near: 2.5 });
  });

  it("gives a pair a clearance of its own, turns it off, and takes it away again", async () => {
    const { checks, user } = open();
    await user.click(screen.getByRole("button", { name: "Add" }));
    type("Pair 1, clearance", "3");
    expect(checks().pairs).toEqual([{ between: ["holder", "fixture"], near: 3 }]);
    await user.click(screen.getByLabelText("Pair 1, asked"));
    expect(checks().pairs).toEqual([{ between: ["holder", "fixture"], near: 3, off: true }]);
    expect(screen.getByText(/not asked for contact at all/)).toBeTruthy();
    await user.click(screen.getByLabelText("Remove pair 1"));
    expect(checks().pairs).toEqual([]);
  });

  it("falls back to the clearance of all where a pair's own is cleared", () => {
    const { checks } = open({ ...JOB, checks: { near: 4, pairs: [{ between: ["T1 holder", "vise"], near: 3 }] } });
    type("Pair 1, clearance", "");
    expect(checks().pairs).toEqual([{ between: ["T1 holder", "vise"], near: null }]);
    expect(screen.getByLabelText("Pair 1, clearance")).toHaveProperty("placeholder", "4");
  });
});

describe("the operator's switches", () => {
  it("keep those that are set already", async () => {
    const seen = vi.fn<(job: JobData) => void>();
    const { user } = shown(
      <Held initial={{ ...JOB, switches: { optional_stop: true } } as JobData} seen={seen}>
        {(job, set) => <RunWith job={job} onJob={set} />}
      </Held>,
    );
    type("feed", "80");
    await user.click(screen.getAllByRole("switch")[0]);
    expect(last(seen).switches).toEqual({ optional_stop: true, feed_override: 80, dry_run: true });
  });
});

describe("placing by pointing", () => {
  const pick = (body: string, point: [number, number, number], radius: number | null = null): Pick => ({ body, feature: { kind: radius === null ? "face" : "axis", point, direction: [0, 0, 1], radius, size: null } });
  const choice: MateChoice = { kind: "face", way: "onto", gap: 0, turn: 0, centre: false };
  const open = (picks: Pick[], moving: string) => {
    const calls = { onChoice: vi.fn(), onMate: vi.fn(), onClear: vi.fn(), onDatum: vi.fn() };
    return { ...shown(<Mating picks={picks} choice={choice} moving={moving} failure="" {...calls} />), ...calls };
  };

  it("measures between two picks, with its parts", () => {
    open([pick("vise", [10, 20, 30]), pick("table", [13, 16, 30])], "vise");
    const between = screen.getByTestId("between");
    expect(between.textContent).toContain("5.000");
    expect(between.textContent).toContain("3.000  -4.000  0.000");
  });

  it("tells a hole by its diameter", () => {
    open([pick("plate", [0, 0, 0], 4.25)], "plate");
    expect(screen.getByTestId("mating").textContent).toContain("⌀ 8.500");
  });

  it("places only a body that can move, and says why it does not", async () => {
    const page = open([pick("table", [0, 0, 0]), pick("vise", [0, 0, 5])], "vise");
    expect(screen.getByRole("button", { name: "Place vise" })).toHaveProperty("disabled", true);
    expect(screen.getByText(/table belongs to the machine/)).toBeTruthy();
    page.unmount();
    const { user, onMate } = open([pick("vise", [0, 0, 0]), pick("table", [0, 0, 5])], "vise");
    await user.click(screen.getByRole("button", { name: "Place vise" }));
    expect(onMate).toHaveBeenCalledOnce();
  });

  it("takes the place pointed at last for program zero", async () => {
    const { user, onDatum } = open([pick("blank", [1, 2, 3]), pick("blank", [4, 5, 6])], "blank");
    await user.click(screen.getByRole("button", { name: "Program zero here" }));
    expect(onDatum).toHaveBeenCalledWith([4, 5, 6]);
  });
});

describe("repeating a body", () => {
  it("asks for a row along an axis, or for sides around one", async () => {
    const onRepeat = vi.fn();
    const { user } = shown(<Repeat onRepeat={onRepeat} />);
    await user.click(screen.getByRole("button", { name: /Repeat it/ }));
    await user.click(screen.getByText("Y"));
    type("Times", "4");
    type("Apart", "62.5");
    await user.click(screen.getByRole("button", { name: "Repeat" }));
    expect(onRepeat).toHaveBeenLastCalledWith(4, 62.5, [0, 1, 0], null);
    await user.click(screen.getByText("around"));
    await user.click(screen.getByRole("button", { name: "Repeat" }));
    expect(onRepeat).toHaveBeenLastCalledWith(4, 62.5, [0, 1, 0], [0, 0, 0]);
  });
});

describe("work offsets", () => {
  const job = { ...JOB, work_offsets: { G54: { datum: [0, 0, 10], mount: "table" }, "G54.1 P2": { X: -300 } } } as unknown as JobData;
  const open = () => {
    const onJob = vi.fn<(job: JobData) => void>();
    const onActive = vi.fn();
    vi.spyOn(api, "setupOffsets").mockResolvedValue([
      { name: "G54", channel: 0, values: { Z: -524, X: -305 }, held: { X: -305, Z: -524.02 }, apart: { X: 0, Z: 0.02 } },
      { name: "G54.1P2", channel: 0, values: { X: -300 }, held: null, apart: null },
    ]);
    return { ...shown(<OffsetTable revision={1} job={job} active={{ channel: 0, name: "G54" }} mounts={["table"]} onActive={onActive} onJob={onJob} />), onJob, onActive };
  };

  it("stand beside what the control was read to hold, the difference marked where there is one", async () => {
    open();
    const held = await screen.findByText("-524.020 held, +0.020");
    expect(held.className).toBe("apart");
    expect(screen.getByText("-305.000 held, +0.000").className).toBe("quiet");
    expect(screen.getByText("as typed at the control")).toBeTruthy();
  });

  it("move their datum one number at a time, and go away", async () => {
    const { user, onJob } = open();
    type("G54 datum Y", "12.5");
    expect(last(onJob).work_offsets!.G54).toEqual({ datum: [0, 12.5, 10], mount: "table" });
    await user.click(screen.getAllByRole("button", { name: "remove" })[1]);
    expect(Object.keys(last(onJob).work_offsets!)).toEqual(["G54"]);
  });

  it("of a channel stand by themselves, and a channel that shares the whole job's may get its own", async () => {
    const two = { ...job, programs: [{ channel: 1, main: "P1.nc" }, { channel: 2, main: "P2.nc", work_offsets: { G55: { datum: [0, 0, 76], mount: "second" } } }] } as unknown as JobData;
    const onJob = vi.fn<(job: JobData) => void>();
    const onActive = vi.fn();
    vi.spyOn(api, "setupOffsets").mockResolvedValue([{ name: "G55", channel: 2, values: { Z: 530 }, held: null, apart: null }]);
    const { user } = shown(<OffsetTable revision={1} job={two} active={{ channel: 2, name: "G55" }} mounts={["main", "second"]} onActive={onActive} onJob={onJob} />);
    expect(screen.getAllByRole("heading").map((head) => head.textContent)).toEqual(["Whole job P1.nc", "Channel 2 P2.nc"]);
    expect(await screen.findByText("530.000")).toBeTruthy();
    type("2 G55 datum X", "1.5");
    const programs = () => last(onJob).programs as { work_offsets?: object }[];
    expect(programs()[1].work_offsets).toEqual({ G55: { datum: [1.5, 0, 76], mount: "second" } });
    expect(last(onJob).work_offsets).toEqual(job.work_offsets);
    await user.click(screen.getByRole("button", { name: "Offsets of its own for channel 1" }));
    expect(programs()[0].work_offsets).toEqual(job.work_offsets);
    await user.click(screen.getAllByRole("button", { name: "remove" })[2]);
    expect(programs()[1].work_offsets).toEqual({});
  });
});

describe("tools", () => {
  const open = (tools: ToolsData = { tools: [freshTool([])] }) => {
    const seen = vi.fn<(tools: ToolsData) => void>();
    const picture = vi.spyOn(api, "toolPicture").mockImplementation(async (_revision, tool) => {
      const cutter = (tool as ToolsData["tools"][number]).cutter;
      const fault = Number(cutter.flute_length) > Number(cutter.reach) ? "flute_length must not exceed reach" : "";
      return { parts: fault ? [] : [{ part: "cutter", points: [[0, 0], [5, 0], [5, 24], [0, 24]] }, { part: "holder", points: [[0, 40], [20, 40], [0, 104]] }], fault };
    });
    const page = shown(
      <Held initial={tools} seen={seen}>
        {(now, set) => <ToolTable revision={3} tools={now} onTools={set} />}
      </Held>,
    );
    return { ...page, picture, tools: () => last(seen).tools };
  };

  it("are opened one at a time, drawn by the core once typing has stood still", async () => {
    const { user, picture } = open();
    await user.click(screen.getByRole("button", { name: /T1/ }));
    await waitFor(() => expect(screen.getByRole("img", { name: /as it hangs/ }).querySelectorAll("path")).toHaveLength(3)); // two parts and the gauge line
    const asked = picture.mock.calls.length;
    for (const value of ["1", "12", "12.", "12.5"]) fireEvent.change(screen.getByLabelText("diameter"), { target: { value } });
    await waitFor(() => expect(picture.mock.calls.length).toBeGreaterThan(asked));
    expect(picture.mock.calls.length).toBe(asked + 1);
    expect(picture.mock.lastCall![1]).toMatchObject({ cutter: { diameter: 12.5 } });
  });

  it("say what is wrong with them, the table's own rule first", async () => {
    const { user } = open({ tools: [freshTool([]), { ...freshTool([]), number: 2 }] });
    await user.click(screen.getByRole("button", { name: /T2/ }));
    type("flutes, long", "60");
    expect((await screen.findByRole("alert")).textContent).toContain("must not exceed reach");
    type("number", "1");
    expect((await screen.findByRole("alert")).textContent).toContain("T1 is there already");
  });

  it("leave out of the table what is left empty", async () => {
    const { user, tools } = open();
    await user.click(screen.getByRole("button", { name: /T1/ }));
    type("shank or neck", "");
    type("register H", "103.5");
    expect(tools()[0].cutter).not.toHaveProperty("shank_diameter");
    expect(tools()[0].registers).toEqual({ H: 103.5 });
    expect(screen.getByText(/0\.500 apart/)).toBeTruthy();
  });

  it("come and go", async () => {
    const { user, tools } = open();
    await user.click(screen.getByRole("button", { name: "New tool" }));
    expect(tools().map((tool) => tool.number)).toEqual([1, 2]);
    await user.click(screen.getByRole("button", { name: "Remove T2" }));
    expect(tools().map((tool) => tool.number)).toEqual([1]);
  });
});

describe("a holder", () => {
  const dropped = (...shapes: ("mesh" | "revolve" | "extrude")[]) => ({ file: "chuck-1a2b.dxf", stem: "chuck", shapes: shapes.map((type) => ({ type, size: [60, 60, 70] as [number, number, number], closed: true })) });
  const open = (turning = false) => {
    const seen = vi.fn();
    const page = shown(
      <Held initial={{ segments: [{ diameter: 30, to_diameter: 40, length: 12 }] }} seen={seen}>
        {(holder, set) => <HolderForm revision={1} holder={holder} turning={turning} onHolder={set as never} />}
      </Held>,
    );
    return { ...page, seen };
  };
  const bring = (name: string) => fireEvent.change(screen.getByLabelText("Import a holder"), { target: { files: [new File(["x"], name)] } });

  it("grows by segments as wide as the last one ends", async () => {
    const { user, seen } = open();
    await user.click(screen.getByRole("button", { name: "Segment" }));
    expect(last(seen)).toEqual({ segments: [{ diameter: 30, to_diameter: 40, length: 12 }, { diameter: 40, length: 20 }] });
    await user.click(screen.getByLabelText("Remove segment 1"));
    expect(last(seen)).toEqual({ segments: [{ diameter: 40, length: 20 }] });
  });

  it("is turned out of a drawing; a model is taken as it is; what is only an outline is refused", async () => {
    const { seen } = open();
    const drop = vi.spyOn(api, "dropFile").mockResolvedValue(dropped("revolve", "extrude"));
    bring("chuck.dxf");
    await waitFor(() => expect(last(seen)).toMatchObject({ shapes: [{ type: "revolve", file: "chuck-1a2b.dxf", at: [0, 0, 0] }] }));
    drop.mockResolvedValue(dropped("extrude"));
    bring("plate.dxf");
    expect((await screen.findByRole("alert")).textContent).toContain("plate.dxf: a holder's drawing");
    drop.mockRejectedValue(new Error("chuck.stl: the file holds no triangles"));
    bring("chuck.stl");
    expect((await screen.findByRole("alert")).textContent).toContain("no triangles");
    expect(last(seen)).toMatchObject({ shapes: [{ type: "revolve" }] });
  });

  it("of a turning tool has shapes only", () => {
    open(true);
    expect(screen.queryByRole("button", { name: "Segment" })).toBeNull();
  });
});

describe("importing a model", () => {
  const open = (file: File) => {
    const onAdd = vi.fn<(body: BodyData) => void>();
    return { ...shown(<ImportModel file={file} revision={1} job={JOB} mounts={["table", "tombstone"]} onClose={() => {}} onAdd={onAdd} />), onAdd };
  };
  const answer = { file: "lid-00ff.stl", stem: "lid", shapes: [{ type: "mesh" as const, size: [2, 3, 4] as [number, number, number], closed: true }] };

  it("gives it a free name, and is a fixture where the job has its design", async () => {
    vi.spyOn(api, "dropFile").mockResolvedValue(answer);
    const { user, onAdd } = open(new File(["x"], "lid.stl"));
    const dialog = within(await screen.findByRole("dialog"));
    expect(await dialog.findByText("2.00 × 3.00 × 4.00")).toBeTruthy();
    await user.click(dialog.getByRole("button", { name: "Add" }));
    expect(onAdd).toHaveBeenCalledWith({ name: "lid 2", role: "fixture", mount: "table", at: [0, 0, 0], turn: [0, 0, 0], shape: { type: "mesh", file: "lid-00ff.stl" } });
  });

  it("asks again in inches, and refuses a name that is taken", async () => {
    const drop = vi.spyOn(api, "dropFile").mockImplementation(async (_revision, _file, inches) => (inches ? { ...answer, shapes: [{ ...answer.shapes[0], size: [50.8, 76.2, 101.6] }] } : answer));
    const { user } = open(new File(["x"], "lid.stl"));
    const dialog = within(await screen.findByRole("dialog"));
    await user.click(await dialog.findByText("the file is in inches"));
    expect(await dialog.findByText("50.80 × 76.20 × 101.60")).toBeTruthy();
    expect(drop).toHaveBeenCalledTimes(2);
    type("Name of the body", "lid");
    expect(dialog.getByText(/There is a body called lid already/)).toBeTruthy();
    expect(dialog.getByRole("button", { name: "Add" })).toHaveProperty("disabled", true);
  });

  it("warns of an open surface, and says why a file cannot be read", async () => {
    const drop = vi.spyOn(api, "dropFile").mockResolvedValue({ ...answer, shapes: [{ ...answer.shapes[0], closed: false }] });
    const page = open(new File(["x"], "lid.step"));
    expect(await screen.findByText(/Its surface is open/)).toBeTruthy();
    expect(screen.queryByText("the file is in inches")).toBeNull(); // such a file says its unit
    page.unmount();
    drop.mockRejectedValue(new Error("lid.step: the file cannot be read as STEP"));
    open(new File(["x"], "lid.step"));
    expect((await screen.findByRole("alert")).textContent).toContain("cannot be read as STEP");
    expect(screen.getByRole("button", { name: "Add" })).toHaveProperty("disabled", true);
  });
});
