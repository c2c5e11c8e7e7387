// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { api, type Me, type Queued, type Sweep, type Thrown } from "../api/client";
import { Basket, sized } from "../jobs/Basket";
import { shown } from "../tests/render";
import { cameTo, Queue, standsHow } from "./Queue";

const row: Queued = { id: 7, job: "Lid", revision: 2, machine: "VM-3", by: "ines", state: "queued", stage: "", share: 0, quick: false, background: false, worker: "main", created: "2026-11-02T08:00:00Z", begun: null, place: 1 };

const sweep: Sweep = { id: 3, why: "what the library touched", by: "ines", created: "2026-11-02T08:00:00Z", whole: 16, waiting: 4, running: 2, done: 10, failed: 0, cancelled: 0, stopped: 1, share: 0.7 };

test("places are told in words", () => {
  expect(standsHow({ ...row, state: "running", stage: "cutting", share: 0.413 })).toBe("cutting, 41 %");
  expect([1, 2, 3, 4, 11, 12, 13, 21, 22, 33, 101, 111].map((place) => standsHow({ ...row, place }))).toEqual(["the next", "2nd", "3rd", "4th", "11th", "12th", "13th", "21st", "22nd", "33rd", "101st", "111th"]);
});

test("what a sweep came to is told in words", () => {
  expect(cameTo({ ...sweep, done: 3, stopped: 2, running: 0, waiting: 0, failed: 1, cancelled: 1 })).toBe("1 without a stop, 2 must not run as they are, 1 failed, 1 stopped");
});

test("sizes are told in three digits", () => {
  expect([0, 900, 1024 ** 2, 123.4 * 1024 ** 2, 1024 ** 3 - 1, 5 * 1024 ** 4].map(sized)).toEqual(["0 kB", "0.879 kB", "1 MB", "123 MB", "1020 MB", "5 TB"]);
});

test("one is opened, another stopped, and others are only counted", async () => {
  vi.spyOn(api, "queue").mockResolvedValue({ sweeps: [sweep], rehearsals: [{ ...row, worker: "mill-hall-3f2a", state: "running", stage: "cutting", share: 0.4, place: null }, { ...row, id: 8, job: "Hub", quick: true, place: 2 }], others: 1 });
  const cancel = vi.spyOn(api, "cancel").mockResolvedValue({} as never);
  const opened = vi.fn();
  const { user } = shown(<Queue onRehearsal={opened} />);
  await user.click(await screen.findByRole("button", { name: "Lid" }));
  expect(opened).toHaveBeenCalledWith(7);
  await user.click(screen.getByRole("button", { name: "Stop Hub, revision 2" }));
  expect(cancel).toHaveBeenCalledWith(8);
  expect(screen.getByText(/1 of other organisations is under way/)).toBeTruthy();
  expect(screen.getByRole("progressbar", { name: "Lid: how far" }).getAttribute("aria-valuenow")).toBe("40");
  expect(screen.getByText("mill-hall-3f2a")).toBeTruthy();
  expect(screen.getByText("9 without a stop, 1 must not run as it is, 2 under way, 4 waiting")).toBeTruthy();
  const end = vi.spyOn(api, "cancelSweep").mockResolvedValue({} as never);
  await user.click(screen.getByRole("button", { name: "Stop all of what the library touched" }));
  expect(end).toHaveBeenCalledWith(3);
});

test("out of the basket: brought back by anybody who sees it, deleted by those who administer", async () => {
  const thrown: Thrown = { kind: "job", id: 3, name: "Lid", at: "2026-11-02T08:00:00Z", by: "ines", ends: "2026-12-02T08:00:00Z" };
  vi.spyOn(api, "basket").mockResolvedValue([thrown]);
  vi.spyOn(api, "room").mockResolvedValue({ kept: 1.9 * 1024 ** 3, most_kept: 2 * 1024 ** 3, waiting: 0, most_waiting: 0 });
  const out = vi.spyOn(api, "outOfBasket").mockResolvedValue(new Response());
  const page = shown(<Basket open me={{ name: "joost", organisation: "shop", role: "works" } as Me} onClose={() => {}} />);
  await page.user.click(await screen.findByRole("button", { name: "Bring back Lid" }));
  expect(out).toHaveBeenCalledWith(thrown, "bring-back");
  expect(screen.queryByRole("button", { name: "Delete Lid for good" })).toBeNull();
  expect(await screen.findByText(/shop keeps 1.9 GB here of the 2 GB that it may keep/)).toBeTruthy();
  page.unmount();
  const { user } = shown(<Basket open me={{ name: "ines", organisation: "shop", role: "administers" } as Me} onClose={() => {}} />);
  await user.click(await screen.findByRole("button", { name: "Delete Lid for good" }));
  await user.click(await screen.findByRole("button", { name: "Delete" }));
  expect(out).toHaveBeenCalledWith(thrown, "delete");
});
