// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";

import { api, type Job, type LibraryFile, type Route } from "../api/client";
import { Library } from "../library/Library";
import { shown } from "../tests/render";
import { Steps } from "../workspace/Steps";
import { Jobs } from "./Jobs";
import { worst } from "./route";

const rehearsal = (id: number, more: object) => ({ id, state: "done", verdict: "clear", share: 1, stops: 0, cautions: 0, seconds: 417.3, created: "2026-11-25T20:00:00Z", by: "ines", ...more });
const JOBS = [
  {
    id: 1, name: "Buoy lid", route: null, step: "",
    revisions: [
      { id: 12, number: 2, label: "flawed", machine: "VM-3 unit 17", rehearsals: [rehearsal(5, { verdict: "stop", stops: 4, cautions: 1 }), rehearsal(4, {})] },
      { id: 11, number: 1, label: "", machine: "VM-3 unit 17", rehearsals: [rehearsal(6, { state: "running", verdict: null, share: 0.42, seconds: null })] },
    ],
  },
  { id: 2, name: "Nose cone", route: null, step: "", revisions: [{ id: 21, number: 1, label: "", machine: "LA-2 unit 61", rehearsals: [] }] },
] as unknown as Job[]; // prettier-ignore

const step = (name: string, job: number, more: object = {}) => ({ name, job, revision: 10 * job, rehearsal: job + 40, state: "done", verdict: "clear", seconds: 60, stale: "", ...more });
const ROUTE = { id: 9, name: "Lid, both sides", steps: [step("op10", 3), step("op20", 4, { verdict: "caution" })] } as unknown as Route;
const STEPS = [
  { id: 4, name: "Lid, both sides, op20", route: 9, step: "op20", revisions: [{ id: 40, number: 1, label: "", machine: "VM-3", rehearsals: [rehearsal(44, { stale: "op10 has changed since" })] }] },
  { id: 3, name: "Lid, both sides, op10", route: 9, step: "op10", revisions: [{ id: 30, number: 2, label: "", machine: "VM-3", rehearsals: [rehearsal(43, {})] }] },
] as unknown as Job[]; // prettier-ignore

function open(jobs: Job[] = JOBS, routes: Route[] = []) {
  vi.spyOn(api, "jobs").mockResolvedValue(jobs);
  vi.spyOn(api, "routes").mockResolvedValue(routes);
  const calls = { onRehearsal: vi.fn(), onSetup: vi.fn(), onDesk: vi.fn() };
  return { ...shown(<Jobs me={{ name: "ines", organisation: "shop", role: "administers" }} {...calls} />), ...calls };
}

describe("the jobs", () => {
  it("show the latest rehearsal of every revision: done, under way or none", async () => {
    const { user, onRehearsal } = open();
    const rows = (await screen.findAllByRole("row")).slice(1);
    expect(rows.map((row) => within(row).getAllByRole("cell").slice(0, 6).map((cell) => cell.textContent!.trim()))).toEqual([
      ["Buoy lid", "2 flawed", "VM-3 unit 17", "Do not run", "4 1", "6:57.3"],
      ["", "1", "VM-3 unit 17", "under way 42 %", "", ""],
      ["Nose cone", "1", "LA-2 unit 61", "not rehearsed", "", ""],
    ]);
    await user.click(screen.getByText("Do not run"));
    expect(onRehearsal).toHaveBeenCalledWith(5);
    expect(screen.queryByText("a quick look")).toBeNull();
    await user.click(screen.getByText("under way 42 %"));
    expect(onRehearsal).toHaveBeenLastCalledWith(6);
  });

  it("are found by words and by how they stand, and told a few at a time", async () => {
    const many = Array.from({ length: 70 }, (_, i) => ({ ...JOBS[1], id: 100 + i, name: `Plate ${String(i).padStart(2, "0")}` })) as unknown as Job[];
    const { user } = open([...JOBS, ...STEPS, ...many], [ROUTE]);
    const names = () => screen.getAllByRole("row").slice(1).map((row) => within(row).getAllByRole("cell")[0].textContent); // prettier-ignore
    await screen.findByText("Buoy lid");
    expect(screen.queryByText("Plate 69")).toBeNull();
    await user.click(screen.getByRole("button", { name: "13 more" }));
    expect(screen.getByText("Plate 69")).toBeTruthy();

    const seek = (words: string) => fireEvent.change(screen.getByLabelText("Find a job"), { target: { value: words } });
    seek("unit LID flaw");
    expect(names()).toEqual(["Buoy lid", ""]);
    seek("both sides");
    expect(names()).toEqual(["Lid, both sides route: op10 → op20", "op10", "op20"]);
    seek("both sides nothing of the kind");
    expect(screen.getByText("No job is called so and stands so.")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Show all" }));
    await user.click(screen.getByRole("combobox", { name: "How they stand" }));
    await user.click(await screen.findByText("Do not run · 1"));
    expect(names()).toEqual(["Buoy lid", ""]);
    sessionStorage.clear();
  });

  it("are looked at quickly from their row, and say that it was no more than that", async () => {
    const looked = [{ ...JOBS[1], revisions: [{ ...JOBS[1].revisions[0], rehearsals: [rehearsal(9, { verdict: "caution", quick: true })] }] }] as unknown as Job[];
    const { user, onRehearsal } = open(looked);
    const start = vi.spyOn(api, "rehearse").mockResolvedValue({ id: 78 } as never);
    expect(await screen.findByText("a quick look")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "More for Nose cone revision 1" }));
    await user.click(await screen.findByText("Quick look"));
    await waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(78));
    expect(start).toHaveBeenCalledWith(21, "quick");
  });

  it("are rehearsed, opened and refused in words", async () => {
    const { user, onRehearsal, onSetup } = open();
    const start = vi.spyOn(api, "rehearse").mockRejectedValueOnce(new Error("the queue does not answer")).mockResolvedValue({ id: 77 } as never);
    const row = within((await screen.findAllByRole("row"))[3]);
    await user.click(row.getByRole("button", { name: "Rehearse" }));
    expect(await screen.findByText("the queue does not answer")).toBeTruthy();
    await user.click(row.getByRole("button", { name: "Rehearse" }));
    await waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(77));
    expect(start).toHaveBeenCalledWith(21, "full");
    await user.click(row.getByRole("button", { name: "Setup" }));
    expect(onSetup).toHaveBeenCalledWith(21);
  });

  it("of a route stand under it in its order, one click rehearses them all", async () => {
    const { user, onRehearsal } = open(STEPS, [ROUTE]);
    await screen.findByText("Lid, both sides");
    const rows = screen.getAllByRole("row").slice(1);
    expect(rows.map((row) => within(row).getAllByRole("cell")[0].textContent)).toEqual(["Lid, both sides route: op10 → op20", "op10", "op20"]);
    expect(within(rows[0]).getAllByRole("cell").map((cell) => cell.textContent!.trim()).slice(1, 4)).toEqual(["Look first", "", "2:00.0"]);
    expect(within(rows[2]).getByText("no longer holds: op10 has changed since")).toBeTruthy();
    const start = vi.spyOn(api, "rehearseRoute").mockResolvedValue(ROUTE);
    await user.click(screen.getByRole("button", { name: "Rehearse the route" }));
    expect(start).toHaveBeenCalledWith(9);
    await waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(44));
  });

  it("of a route are told by the worst that holds", () => {
    const of = (...more: object[]) => worst({ ...ROUTE, steps: more.map((one, i) => step(`op${i}`, i, one)) } as unknown as Route);
    expect(of({}, { verdict: "stop" }, { verdict: "caution" })).toBe("stop");
    expect(of({}, {})).toBe("clear");
    expect(of({ verdict: "stop" }, { stale: "op10 has changed since" })).toBe(null);
    expect(of({}, { state: "running", verdict: "" })).toBe(null);
  });

  it("of a route are steps on a tape of their own", async () => {
    const onRehearsal = vi.fn();
    const route = { ...ROUTE, steps: [step("op10", 3), step("op20", 4, { stale: "op10 has changed since" }), step("op30", 5, { rehearsal: null, state: null, verdict: "", seconds: null })] } as unknown as Route;
    const { user } = shown(<Steps route={route} current={44} onRehearsal={onRehearsal} />);
    const shownSteps = screen.getAllByRole("button").slice(0, 3);
    expect(shownSteps.map((one) => one.textContent!.trim())).toEqual(["op10 1:00.0", "op20  no longer holds: op10 has changed since", "op30  not rehearsed"]);
    expect(shownSteps[1].getAttribute("aria-current")).toBe("step");
    expect((shownSteps[2] as HTMLButtonElement).disabled).toBe(true);
    await user.click(shownSteps[0]);
    expect(onRehearsal).toHaveBeenCalledWith(43);
  });

  it("come in by a zip, or say why one was not taken", async () => {
    open([]);
    const upload = vi.spyOn(api, "upload").mockRejectedValue(new Error("lid.zip: the path '../x' leaves the job folder"));
    expect(await screen.findByText(/No job yet/)).toBeTruthy();
    const file = new File(["PK"], "lid.zip");
    fireEvent.change(document.querySelector("input[type=file]")!, { target: { files: [file] } });
    expect(await screen.findByText(/leaves the job folder/)).toBeTruthy();
    expect(upload).toHaveBeenCalledWith([{ file, name: "lid.zip" }]);
  });

  it("light up while something hovers over them", async () => {
    open([]);
    const page = await screen.findByRole("main");
    fireEvent.dragOver(page);
    expect(page.className).toBe("jobs over");
    fireEvent.dragLeave(page);
    expect(page.className).toBe("jobs");
  });
});

describe("the library", () => {
  it("keeps machines and tool tables apart, opens a machine, and says why a file was not taken", async () => {
    const file = (id: number, kind: LibraryFile["kind"], name: string): LibraryFile => ({ id, kind, name, number: 1, summary: "axes X Y Z", created: "2026-11-25T20:00:00Z", by: "ines", jobs: 0 });
    const glance = {
      kind: "mill, four axes: B turns the work", turns: [{ name: "spindle", most: 12000 }, { name: "sub", most: null }], accessories: [{ name: "probe", on: true }, { name: "lamp", on: false }],
      travels: [{ axis: "X", least: -610, most: 0, unit: "mm" }, { axis: "B", least: null, most: null, unit: "°" }],
    } as const; // prettier-ignore
    const machine = { ...file(1, "machine", "VM-3 unit 17"), glance, jobs: 3, number: 2 } as unknown as LibraryFile;
    vi.spyOn(api, "library").mockResolvedValue([machine, { ...machine, id: 9, number: 1 }, file(2, "tools", "Crib")]);
    const add = vi.spyOn(api, "addToLibrary").mockRejectedValue(new Error("machine.json: links: 'slide' is its own ancestor"));
    const onMachine = vi.fn();
    const { user } = shown(<Library onMachine={onMachine} />);
    await user.click((await screen.findAllByRole("button", { name: "VM-3 unit 17" }))[0]);
    // The newest number is shown whole; of those before it the kind.
    const rows = screen.getAllByRole("row").map((row) => [...row.querySelectorAll("td")].slice(1, 4).map((cell) => cell.textContent));
    expect(rows[1]).toEqual(["2", "mill, four axes: B turns the workX −610 … 0B without endspindle to 12\u2009000 /minwith probe, lamp (off)", "3"]);
    expect(rows[2]).toEqual(["1", "mill, four axes: B turns the work", ""]);
    expect(screen.getByRole("img").getAttribute("src")).toBe("/api/library/1/picture");
    expect(onMachine).toHaveBeenCalledWith(1);
    const [machines] = document.querySelectorAll<HTMLInputElement>("input[type=file]");
    const dropped = new File(["{}"], "machine.json");
    fireEvent.change(machines, { target: { files: [dropped] } });
    expect(await screen.findByText(/its own ancestor/)).toBeTruthy();
    expect(add).toHaveBeenCalledWith("machine", dropped);
  });
});
