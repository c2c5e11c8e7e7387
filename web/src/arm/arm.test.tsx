// @vitest-environment jsdom

import { screen, within } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";

import { api, type Arm, type RehearsalFull } from "../api/client";
import { Player } from "../replay/player";
import { shown } from "../tests/render";
import { replayOf } from "../tests/replay";
import { ArmTab } from "./ArmTab";
import { askedOf, inserted, stretchAt, withWish, type Posture } from "./postures";
import { endsIn, rangeOf, span, Strip, wayOf } from "./Strip";
import { useArm } from "./useArm";

afterEach(() => vi.restoreAllMocks());

const lines = { program: "P.nc", first: 4, last: 6 };
const least = (amount: number) => ({ amount, axis: null, line: 5, time: 3 });
const arm = (more: Partial<Arm> = {}): Arm => ({
  channel: 1,
  seconds: 10,
  joints: [{ name: "J1", travel: [-100, 100], rail: false }, { name: "R", travel: null, rail: true }],
  time: [0, 5, 10],
  values: [[-100, 0], [0, 0], [100, 50]],
  singular: [60, 0, 15],
  stretches: [{ ...lines, begin: 2, end: 5 }, { program: "P.nc", first: 8, last: 9, begin: 6, end: 9 }],
  operations: [{ name: "TRIM", tool: 1, program: "P.nc", line: 3, last: 9, reachable: true, least: { reach: least(300), limit: { ...least(12), axis: "J1" }, singular: least(40) } }],
  said: [],
  postures: [],
  poses: [],
  ...more,
});

test("a stretch's wish is one entry, gone when it asks for nothing", () => {
  const asked = withWish([], lines, { spin: 30 });
  expect(asked).toEqual([{ ...lines, spin: 30 }]);
  const more = withWish(asked, lines, { wrist: "minus", rail: { R: 600 } });
  expect(more).toEqual([{ ...lines, spin: 30, wrist: "minus", rail: { R: 600 } }]);
  expect(withWish(more, lines, { spin: null, wrist: null, rail: {} })).toEqual([]);
});

test("over how far a spin turns goes with the spin, and not without it", () => {
  const asked = withWish([{ ...lines, spin: 30 }], lines, { blend: 25 });
  expect(asked).toEqual([{ ...lines, spin: 30, blend: 25 }]);
  expect(askedOf(asked, lines)).toEqual({ spin: 30, blend: 25 });
  expect(withWish(asked, lines, { blend: null })).toEqual([{ ...lines, spin: 30 }]);
  expect(withWish(asked, lines, { spin: null })).toEqual([]);
  expect(withWish([], lines, { blend: 25 })).toEqual([]);
});

test("of two that hold the later one's words count, and only what holds for all of it", () => {
  const list: Posture[] = [{ program: "P.nc", first: 1, last: 99, elbow: "up", rail: { R: 1 } }, { ...lines, first: 5, spin: 9 }, { ...lines, elbow: "down" }];
  expect(askedOf(list, lines)).toEqual({ elbow: "down", rail: { R: 1 } });
});

test("a block goes before its line", () => {
  expect(inserted("a\nb\nc", 2, "G0 R=-600")).toBe("a\nG0 R=-600\nb\nc");
});

test("the stretch under a moment, else the last before it", () => {
  expect([0, 3, 5.5, 7].map((time) => stretchAt(arm(), time)?.first)).toEqual([4, 4, 4, 8]);
});

test("a row shows a joint's way and a little more, and its travel's ends where they come into sight", () => {
  expect(rangeOf([arm()], 0)).toEqual([-120, 120]); // a tenth of the way more
  expect(rangeOf([arm(), arm({ values: [[0, -10], [0, 0], [300, 0]] })], 0)).toEqual([-140, 340]); // one scale for what was and what would be
  expect(wayOf(arm(), 0, 10, [-100, 100])).toBe("M0.0 100.0L500.0 50.0L1000.0 0.0");
  expect(endsIn(arm().joints[0], [-300, 100.5])).toHaveLength(2);
  expect(endsIn(arm().joints[0], [-50, 150])).toEqual([25]);
  expect(endsIn(arm().joints[1], [-5, 55])).toEqual([]);
  expect(span(arm(), { program: "P.nc", first: 5, last: 8 })).toEqual([2, 9]);
  expect(span(arm(), { program: "Q.nc", first: 5, last: 8 })).toBeNull();
});

const rehearsal = { id: 7, revision: 3, result: { operations: [{ name: "TRIM", program: "P.nc", line: 3, contact: true, least: { clearance: { amount: 6.04, bodies: ["T1 holder", "rack"], line: 4, time: 2.5 } } }] } } as unknown as RehearsalFull;
const replay = replayOf(
  { seconds: 10, files: ["P.nc"], axes: [{ name: "J1", travel: [-100, 100], type: "rotary", diameter: false }, { name: "R", travel: null, type: "linear", diameter: false }], start: [12.5, 600] },
  { "motions/line": ["uint32", [4]], "motions/file": ["uint16", [0]], "motions/time": ["float64", [10]], "motions/tool": ["int32", [1]] },
);

function Page({ onTime, onStand, onRehearsal }: { onTime: (time: number) => void; onStand: (values: number[] | null) => void; onRehearsal: (id: number) => void }) {
  const desk = useArm(rehearsal, onRehearsal);
  const player = PLAYER;
  return desk ? (
    <>
      <ArmTab rehearsal={rehearsal} replay={replay} player={player} desk={desk} onTime={onTime} onStand={onStand} />
      <Strip desk={desk} player={player} seconds={10} />
    </>
  ) : null;
}
const PLAYER = new Player(10);

function page() {
  vi.spyOn(api, "setup").mockResolvedValue({ job: { name: "j", machine: "m", tools: "t", postures: [] } } as never);
  const asked = vi.spyOn(api, "arm").mockImplementation(async (_, held) => (held.job ? arm({ operations: [{ ...arm().operations[0], least: { ...arm().operations[0].least, limit: { ...least(50), axis: "J1" } } }] }) : arm()));
  const calls = { onTime: vi.fn(), onStand: vi.fn(), onRehearsal: vi.fn() };
  return { ...shown(<Page {...calls} />), asked, ...calls };
}

test("a margin leads to its worst place; another posture is tried at once and kept with a rehearsal", async () => {
  const { user, asked, onTime, onRehearsal } = page();
  const row = within(await screen.findByText("trim").then((name) => name.closest("li")!));
  await user.click(row.getByLabelText(/nearest joint limit: 12/));
  expect(onTime).toHaveBeenCalledWith(3);
  await user.click(screen.getByLabelText(/^clearance: 6.04 mm between T1 holder and rack at line 4/));
  expect(onTime).toHaveBeenLastCalledWith(2.5);
  expect(row.getByText("6.0")).toBeTruthy();
  await user.click(screen.getByText(/Take the one shown \(lines 4 to 6\)/));
  await user.type(screen.getByLabelText("Spin"), "30");
  expect(await screen.findByLabelText(/nearest joint limit: 50.00 ° of J1 at line 5; was 12/)).toBeTruthy();
  expect(asked.mock.lastCall?.[1].job?.postures).toEqual([{ ...lines, spin: 30 }]);
  const save = vi.spyOn(api, "saveSetup").mockResolvedValue({ revisions: [{ id: 44 }] } as never);
  const rehearse = vi.spyOn(api, "rehearse").mockResolvedValue({ id: 99 } as never);
  await user.click(screen.getByText("Keep, and rehearse"));
  await vi.waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(99));
  expect(save.mock.lastCall?.[1]).toMatchObject({ postures: [{ ...lines, spin: 30 }] });
  expect(rehearse).toHaveBeenCalledWith(44);
});

test("what is typed is one step, taken back and done again", async () => {
  const { user } = page();
  await user.click(await screen.findByText(/Take the one shown/));
  await user.type(screen.getByLabelText("Spin"), "45");
  await user.click(await screen.findByText("Undo"));
  expect((screen.getByLabelText("Spin") as HTMLInputElement).value).toBe("");
  await user.click(screen.getByText("Redo"));
  expect((screen.getByLabelText("Spin") as HTMLInputElement).value).toBe("45");
});

test("a pose is kept, stood on the stage, and put before a line, by its joints or straight", async () => {
  const { user, onStand, onRehearsal } = page();
  const asked = vi.spyOn(api, "armBlock").mockImplementation(async (_, __, ___, ____, _____, feed) => {
    if (feed === null) return "G0 J1=12.5 R=600";
    throw new Error("only a move of the joints can come first");
  });
  await user.type(await screen.findByLabelText("Name of the pose"), "home{Enter}");
  await user.click(screen.getByText("home"));
  expect(onStand).toHaveBeenCalledWith([12.5, 600]);
  vi.spyOn(api, "text").mockResolvedValue("a\nb\nc\nd");
  const save = vi.spyOn(api, "saveDesk").mockResolvedValue({ id: 45 } as never);
  vi.spyOn(api, "rehearse").mockResolvedValue({ id: 98 } as never);
  await user.click(screen.getByText("straight"));
  await user.click(screen.getByLabelText("Put home into the program"));
  expect(await screen.findByText("only a move of the joints can come first")).toBeTruthy();
  expect(asked.mock.lastCall?.slice(2)).toEqual(["P.nc", 4, { J1: 12.5, R: 600 }, 3000]);
  await user.click(screen.getByText("Not now"));
  await user.click(screen.getByText("by its joints"));
  await user.click(screen.getByLabelText("Put home into the program"));
  await screen.findByText("G0 J1=12.5 R=600");
  await user.click(screen.getByText("Put it in, and rehearse"));
  await vi.waitFor(() => expect(onRehearsal).toHaveBeenCalledWith(98));
  expect(save.mock.lastCall?.[1].programs).toEqual({ "P.nc": "a\nb\nc\nG0 J1=12.5 R=600\nd" });
  expect(save.mock.lastCall?.[1].job).toMatchObject({ poses: [{ name: "home", at: { J1: 12.5, R: 600 } }] });
});
