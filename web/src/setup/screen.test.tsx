// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Job, type JobData, type Setup } from "../api/client";
import { readModel } from "../bench/model";
import { shown } from "../tests/render";
import { replayOf } from "../tests/replay";
import type { Pointed } from "../stage/scene";
import { SetupScreen } from "./SetupScreen";

// The stage needs a graphics context: here it is a button that points at a body.
vi.mock("../bench/ModelStage", () => ({
  ModelStage: ({ chosen, pointing, onPoint }: { chosen: string[]; pointing: string; onPoint: (where: Pointed) => void }) => (
    <div data-testid="stage" title={pointing}>
      {["vise", "table"].map((body) => (
        <button key={body} onClick={() => onPoint({ body, triangle: 4, point: [0, 0, 1] } as Pointed)}>
          point at {body}
        </button>
      ))}
      <i>{chosen.join()}</i>
    </div>
  ),
}));
vi.mock("../bench/model");

const SETUP = {
  job_id: 1, job_name: "lid", revision: 3, revision_number: 2, offsets: [], tolerated: null,
  job: { name: "lid", tools: "tools.json", work_offsets: {}, bodies: [{ name: "vise", role: "fixture", mount: "table", at: [0, 0, 40], turn: [0, 0, 0] }] },
  tools: { format: "blunt-mirror/tools@1", tools: [] },
} as unknown as Setup; // prettier-ignore
const SAVED = { id: 1, name: "lid", revisions: [{ id: 44, number: 3 }] } as unknown as Job;

function open() {
  const calls = { onLeave: vi.fn(), onRehearsal: vi.fn(), onRevision: vi.fn() };
  return { ...shown(<SetupScreen revision={3} {...calls} />), ...calls };
}
const bodies = () => within(screen.getByTestId("bodies")).getAllByRole("button").map((row) => row.textContent);

describe("the setup", () => {
  beforeEach(() => {
    vi.spyOn(api, "setup").mockResolvedValue(SETUP);
    vi.spyOn(api, "setupModel").mockResolvedValue(new ArrayBuffer(0));
    vi.spyOn(api, "setupOffsets").mockResolvedValue([]);
    vi.mocked(readModel).mockReturnValue(replayOf({ axes: [{ name: "X", travel: [0, 1], type: "linear", diameter: false }], start: [0], mounts: [{ name: "table", link: "bed", takes: "work", matrix: [[1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]], station: null }] }));
  });

  it("keeps a fixture in the library, and brings another from there", async () => {
    const kept = vi.spyOn(api, "keepFromSetup").mockResolvedValue({ name: "vise", number: 2 } as Awaited<ReturnType<typeof api.keepFromSetup>>);
    const found = vi.spyOn(api, "libraryFound").mockResolvedValue({ count: 80, found: [{ item: 7, entry: null, name: "soft jaws", summary: "mesh", table: "" }] });
    vi.spyOn(api, "bring").mockResolvedValue({ name: "vise", role: "fixture", shapes: [] });
    const { user } = open();
    await user.click(await screen.findByRole("button", { name: /^vise/ }));
    await user.click(screen.getByRole("button", { name: "Keep in the library" }));
    expect(kept).toHaveBeenCalledWith(3, "fixture", expect.objectContaining({ name: "vise" }));

    await user.click(screen.getByRole("button", { name: "Library…" }));
    await screen.findByText("soft jaws");
    await user.type(screen.getByLabelText("Find a fixture"), "jaws");
    await waitFor(() => expect(found).toHaveBeenCalledWith("fixture", "jaws"));
    expect(await screen.findByText("1 of 80 shown: one word more finds fewer.")).toBeTruthy();
    await user.click(screen.getByText("soft jaws"));
    await waitFor(() => expect(bodies()).toEqual(["visefixture", "vise 2fixture"])); // its own name is taken
  });

  it("brings a tool of the library's tables to its own number", async () => {
    vi.spyOn(api, "libraryFound").mockResolvedValue({ count: 1, found: [{ item: 7, entry: 3, name: "D6 ball", summary: "ball mill", table: "crib" }] });
    const bring = vi.spyOn(api, "bring").mockResolvedValue({ number: 4, name: "D6", length: 80, cutter: { type: "ball-mill", diameter: 6 } });
    vi.spyOn(api, "toolPicture").mockResolvedValue({ parts: [], fault: "" });
    const { user } = open();
    await user.click(await screen.findByText("Tools"));
    await user.click(await screen.findByRole("button", { name: "From the library…" }));
    await user.click(await screen.findByText("D6 ball"));
    expect(bring).toHaveBeenLastCalledWith(3, 7, 3);
    expect(await screen.findByRole("button", { name: /T4.*D6/ })).toBeTruthy();
  });

  it("takes every change back and forth, from the keyboard too", async () => {
    const { user } = open();
    await user.click(await screen.findByRole("button", { name: /^vise/ }));
    await user.click(screen.getByRole("button", { name: "Copy" }));
    expect(bodies()).toEqual(["visefixture", "vise 2fixture"]);
    fireEvent.change(screen.getByLabelText("at Z"), { target: { value: "12" } });
    await user.click(screen.getByRole("button", { name: "Remove" }));
    expect(bodies()).toEqual(["vise 2fixture"]);
    await user.keyboard("{Control>}z{/Control}");
    await user.click(await screen.findByRole("button", { name: /^vise ?fixture/ }));
    expect(screen.getByLabelText("at Z")).toHaveProperty("value", "12");
    await user.click(screen.getByRole("button", { name: "Undo" }));
    expect(screen.getByLabelText("at Z")).toHaveProperty("value", "40");
    await user.keyboard("{Control>}y{/Control}");
    expect(screen.getByLabelText("at Z")).toHaveProperty("value", "12");
  });

  it("places by two picks, the first being the body that moves", async () => {
    vi.spyOn(api, "pick").mockImplementation(async (_revision, _job, where) => ({ kind: "face", point: where.body === "vise" ? [0, 0, 94] : [0, 0, 0], direction: [0, 0, 1], radius: null, size: null }));
    const mate = vi.spyOn(api, "mate").mockResolvedValue({ at: [0, 0, -54], turn: [0, 0, 90] });
    const { user } = open();
    await user.click(await screen.findByText("point at vise"));
    await waitFor(() => expect(screen.getByTestId("stage").title).toBe("Point at the face it goes to"));
    expect(screen.getByTestId("stage").querySelector("i")!.textContent).toBe("vise");
    await user.click(screen.getByText("point at table"));
    await user.click(await screen.findByRole("button", { name: "Place vise" }));
    await waitFor(() => expect(screen.getByLabelText("at Z")).toHaveProperty("value", "-54"));
    expect(screen.getByLabelText("turn Z")).toHaveProperty("value", "90");
    expect(mate.mock.lastCall!.slice(2, 6)).toMatchObject(["vise", { point: [0, 0, 94] }, { point: [0, 0, 0] }, "onto"]);
    expect(screen.getByTestId("stage").title).toBe("Point at a face");
  });

  it("says why a pick or a mate cannot be, and changes nothing", async () => {
    vi.spyOn(api, "pick").mockRejectedValue(new Error("there is no axis here: this face is flat"));
    const { user } = open();
    await user.click(await screen.findByText("point at vise"));
    expect((await screen.findByRole("alert")).textContent).toContain("this face is flat");
    expect(screen.getByRole("button", { name: "Undo" })).toHaveProperty("disabled", true);
  });

  it("keeps a revision with its tools only where they were changed, and rehearses it", async () => {
    const save = vi.spyOn(api, "saveSetup").mockResolvedValue(SAVED);
    vi.spyOn(api, "rehearse").mockResolvedValue({ id: 99 } as never);
    vi.spyOn(api, "toolPicture").mockResolvedValue({ parts: [], fault: "" });
    const { user, onRevision, onRehearsal } = open();
    expect(await screen.findByRole("button", { name: "Keep as revision" })).toHaveProperty("disabled", true);
    await user.click(screen.getByText("Tools"));
    await user.click(screen.getByRole("button", { name: "New tool" }));
    await user.type(screen.getByLabelText("What changed"), "one more tool");
    await user.click(screen.getByRole("button", { name: "Keep as revision" }));
    await waitFor(() => expect(onRevision).toHaveBeenCalledWith(44));
    expect(save.mock.lastCall).toMatchObject([3, { name: "lid" }, "one more tool", { tools: [{ number: 1 }] }, false]);
    await user.click(screen.getByRole("button", { name: "Remove T1" }));
    await user.click(screen.getByRole("button", { name: /Rehearse$/ }));
    await waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(99));
  });

  it("leaves at once where nothing was changed, and asks where something was", async () => {
    const { user, onLeave } = open();
    await user.click(await screen.findByRole("button", { name: "All jobs" }));
    expect(onLeave).toHaveBeenCalledOnce();
    await user.click(screen.getByRole("button", { name: /^vise/ }));
    await user.click(screen.getByRole("button", { name: "Remove" }));
    await user.click(screen.getByRole("button", { name: "All jobs" }));
    expect(await screen.findByText("Leave without keeping what was changed?")).toBeTruthy();
    expect(onLeave).toHaveBeenCalledOnce();
    await user.click(screen.getByRole("button", { name: "Leave" }));
    expect(onLeave).toHaveBeenCalledTimes(2);
  });

  it("has a bar stand out of its grip as far as is asked, and says how much of it is held", async () => {
    const bar = { name: "bar", role: "stock", mount: "main", at: [0, 0, 36], turn: [0, 0, 0] };
    vi.spyOn(api, "setup").mockResolvedValue({ ...SETUP, job: { ...SETUP.job, bodies: [bar] } } as unknown as Setup);
    vi.mocked(readModel).mockReturnValue(replayOf({ start: [0], mounts: [], gripped: [{ body: "bar", grip: "main chuck", within: 10, least: 15, out: 112 }] }));
    const { user } = open();
    await user.click(await screen.findByRole("button", { name: /^bar/ }));
    expect(await screen.findByText("10.00 mm held; 15 are needed")).toBeTruthy();
    const field = screen.getByLabelText("Stick-out from main chuck");
    fireEvent.change(field, { target: { value: "100.5" } });
    fireEvent.blur(field);
    expect(screen.getByLabelText("at Z")).toHaveProperty("value", "24.5");
  });

  it("keeps where the tip stands as the offset that is chosen", async () => {
    const here = vi.spyOn(api, "offsetHere").mockResolvedValue({ X: -305, Z: -535 });
    const save = vi.spyOn(api, "saveSetup").mockResolvedValue(SAVED);
    const { user } = open();
    await user.click(await screen.findByText("By hand"));
    await user.click(screen.getByRole("button", { name: /Keep as offset/ }));
    await screen.findByText("G54 holds where the tip stands.");
    expect(here.mock.lastCall!.slice(2)).toEqual([[0], 0, 0]);
    await user.click(screen.getByRole("button", { name: "Keep as revision" }));
    await waitFor(() => expect((save.mock.lastCall![1] as JobData).work_offsets).toEqual({ G54: { X: -305, Z: -535 } }));
  });

  it("offers a way back where the setup cannot be drawn, and where it cannot be opened", async () => {
    vi.mocked(api.setupModel).mockRejectedValue(new Error("bodies.vise: the mesh is open"));
    const page = open();
    expect((await screen.findAllByText("bodies.vise: the mesh is open")).length).toBeGreaterThan(0);
    page.unmount();
    vi.mocked(api.setup).mockRejectedValue(new Error("there is no such revision"));
    const { user, onLeave } = open();
    expect(await screen.findByText("there is no such revision")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "All jobs" }));
    expect(onLeave).toHaveBeenCalled();
  });
});
