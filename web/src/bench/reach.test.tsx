// @vitest-environment jsdom

import { screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import type { Reach } from "../api/client";
import { shown, shownAgain } from "../tests/render";
import { Hand } from "./hand";
import { colourOf, dotsOf, ReachRow } from "./ReachRow";

const told: Reach = { link: "stand", places: [[0, 0, 10], [5, 0, 10]], directions: [[0, 0, 1], [0, 0, 1]], count: [0, 6], least: 0, mean: 3 };

test("places are dots a little off the surface, the more postures the darker their blue", () => {
  expect(dotsOf(told)).toMatchObject([{ link: "stand", point: [0, 0, 13], colour: colourOf(0) }, { point: [5, 0, 13], colour: colourOf(8) }]);
  expect(new Set([0, 1, 3, 5].map(colourOf)).size).toBe(4);
  expect(colourOf(2)).toBe(colourOf(1));
});

test("the reach of a body is shown, and hidden again", async () => {
  const onDots = vi.fn();
  const ask = vi.fn().mockResolvedValue(told);
  const { user } = shown(<ReachRow bodies={["shell"]} stamp="" ask={ask} onDots={onDots} />);
  await user.click(screen.getByText("Show"));
  expect(ask).toHaveBeenCalledWith("shell");
  expect(await screen.findByText(/0 at least, 3.0 on average/)).toBeTruthy();
  expect(onDots.mock.lastCall?.[0]).toHaveLength(2);
  await user.click(screen.getByText("Hide"));
  expect(onDots.mock.lastCall?.[0]).toEqual([]);
});

test("while something moves the last place that was asked about is told, and no question waits behind another", async () => {
  const answers: ((reach: Reach) => void)[] = [];
  const ask = vi.fn(() => new Promise<Reach>((resolve) => answers.push(resolve)));
  const onDots = vi.fn();
  const row = (stamp: string) => <ReachRow bodies={["shell"]} stamp={stamp} ask={ask} onDots={onDots} />;
  const { user, rerender } = shownAgain(row("0"));
  await user.click(screen.getByText("Show"));
  for (const stamp of ["1", "2", "3"]) rerender(row(stamp));
  expect(ask).toHaveBeenCalledTimes(1);
  answers[0](told);
  await vi.waitFor(() => expect(ask).toHaveBeenCalledTimes(2));
  await user.click(screen.getByText("Hide"));
  answers[1](told);
  await Promise.resolve();
  expect(onDots.mock.lastCall?.[0]).toEqual([]);
  expect(screen.queryByText(/on average/)).toBeNull();
});

test("why a reach cannot be told is said", async () => {
  const { user } = shown(<ReachRow bodies={["shell"]} stamp="" ask={vi.fn().mockRejectedValue(new Error("this channel has no arm"))} onDots={vi.fn()} />);
  await user.click(screen.getByText("Show"));
  expect(await screen.findByText("this channel has no arm")).toBeTruthy();
});

test("a lead asks for one axis of one frame, and can be taken back", async () => {
  const lead = vi.fn().mockResolvedValue({ axes: ["J1"], values: [7], touching: [], near: [], over: [], said: [], told: [], path: [], held: [] });
  const hand = new Hand([0], { move: vi.fn(), block: vi.fn(), lead });
  expect(hand.leads).toBe(true);
  await hand.lead("tool", 2, -10, 0);
  expect(lead).toHaveBeenCalledWith(expect.objectContaining({ frame: "tool", shift: [0, 0, -10], turn: [0, 0, 0], values: [0] }));
  expect(hand.values).toEqual([7]);
  hand.undo();
  expect(hand.values).toEqual([0]);
});
