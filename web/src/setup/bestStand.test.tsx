// @vitest-environment jsdom

import { screen, within } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { api, type JobData, type Shift, type Stand } from "../api/client";
import { shown, shownAgain } from "../tests/render";
import { BestStandPanel } from "./BestStandPanel";
import { better, useBestStand } from "./useBestStand";

const JOB = { bodies: [] } as unknown as JobData;
const stand = (place: Shift, missed: number, ease: number): Stand => ({
  place, missed, ease, lacking: missed ? ["HOLES AT -X"] : [],
  least: { reach: { amount: 200 * ease, axis: null, operation: "TRIM" }, limit: { amount: 20, axis: "J5", operation: "HOLES AT -X" } },
});
const ANSWERS: Record<string, Stand> = { "0 0": stand([0, 0], 3, 0), "-150 0": stand([-150, 0], 0, 0.9), "150 0": stand([150, 0], 7, 0), "-150 50": stand([-150, 50], 0, 0.6) };

function Held({ onTake, job = JOB }: { onTake: (place: Shift) => void; job?: JobData }) {
  return <BestStandPanel job={job} search={useBestStand(7)} onTake={onTake} />;
}

function answering() {
  return vi.spyOn(api, "stand").mockImplementation(async (_, __, places, tried, touch) => {
    if (touch) return { mount: "stand", stands: [], next: [], touched: places.map(([x, y]) => (x === -150 && y === 0 ? ["TRIM"] : [])) };
    const known = new Set([...tried.map(({ place }) => place.join(" ")), ...places.map((place) => place.join(" "))]);
    const next = Object.values(ANSWERS).map(({ place }) => place).filter((place) => !known.has(place.join(" ")));
    return { mount: "stand", stands: places.map((place) => ANSWERS[place.join(" ")]), next: next as [number, number][], touched: [] };
  });
}

test("places are judged two by two until none is left, then the best are asked what they touch", async () => {
  const asked = answering();
  const onTake = vi.fn();
  const { user } = shown(<Held onTake={onTake} />);
  await user.click(screen.getByText("Look for a place"));
  expect(await screen.findByText("4 places judged")).toBeTruthy();
  expect(asked.mock.calls.map(([, , places, , touch]) => [places.length, !!touch])).toEqual([[1, false], [2, false], [1, false], [1, true], [1, true]]);
  const panel = within(screen.getByTestId("best-stand"));
  expect(panel.getByLabelText("Place X −150, Y 0").textContent).toContain("90 %, touches in trim");
  expect(panel.getByLabelText("Place X −150, Y +50").textContent).toContain("60 %, touches nothing");
  expect(panel.getByLabelText("Place as it stands").textContent).toContain("lacks holes at -x");
  // What touches nothing comes before what has more left.
  await user.click(screen.getByText("Put it there: X −150, Y +50"));
  expect(onTake).toHaveBeenCalledWith([-150, 50]);
  await user.click(panel.getByLabelText("Place X −150, Y 0"));
  await user.click(screen.getByText("Put it there: X −150, Y 0"));
  expect(onTake).toHaveBeenLastCalledWith([-150, 0]);
});

test("a search that is stopped asks no more, and shows what it has", async () => {
  let answer: () => void = () => {};
  const asked = vi.spyOn(api, "stand").mockImplementation(
    (_, __, places) => new Promise((resolve) => (answer = () => resolve({ mount: "stand", stands: places.map(() => stand([0, 0], 0, 0.4)), next: [[150, 0]], touched: [] }))),
  );
  const { user } = shown(<Held onTake={vi.fn()} />);
  await user.click(screen.getByText("Look for a place"));
  answer();
  await screen.findByText("1 place judged …");
  await user.click(screen.getByText("Stop"));
  answer();
  expect(await screen.findByText("stopped after 1 place")).toBeTruthy();
  expect(asked).toHaveBeenCalledTimes(2);
});

test("a place of a setup that has changed since cannot be taken; why there is none is said", async () => {
  answering();
  const { user, rerender } = shownAgain(<Held onTake={vi.fn()} />);
  await user.click(screen.getByText("Look for a place"));
  await screen.findByText("4 places judged");
  expect(screen.getByText(/Put it there/)).toBeTruthy();
  rerender(<Held onTake={vi.fn()} job={{ ...JOB }} />);
  expect(screen.queryByText(/Put it there/)).toBeNull();
  expect(screen.getByText(/changed since/)).toBeTruthy();
  vi.spyOn(api, "stand").mockRejectedValue(new Error("the arm carries the work"));
  await user.click(screen.getByText("Look again"));
  expect(await screen.findByText("the arm carries the work")).toBeTruthy();
});

test("what is missed counts before what is left, and that before how far it is", () => {
  const told = [stand([0, 0], 1, 0.9), stand([300, 0], 0, 0.5), stand([150, 0], 0, 0.5001), stand([150, 150], 0, 0.7)];
  expect([...told].sort(better).map(({ place }) => place.join(" "))).toEqual(["150 150", "150 0", "300 0", "0 0"]);
});
