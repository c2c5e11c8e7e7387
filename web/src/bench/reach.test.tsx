// @vitest-environment jsdom

import { screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import type { Reach } from "../api/client";
import { shown } from "../tests/render";
import { Hand } from "./hand";
import { colourOf, dotsOf, ReachRow } from "./ReachRow";

const told: Reach = {
  link: "stand", places: [[0, 0, 10], [5, 0, 10]], directions: [[0, 0, 1], [0, 0, 1]], count: [0, 6], least: 0, mean: 3,
  shift: [-100, 0, 0], shifted_least: 2, shifted_mean: 5.5,
};

test("places are dots a little off the surface, the more postures the darker their blue", () => {
  expect(dotsOf(told)).toMatchObject([{ link: "stand", point: [0, 0, 13], colour: colourOf(0) }, { point: [5, 0, 13], colour: colourOf(8) }]);
  expect(new Set([0, 1, 3, 5].map(colourOf)).size).toBe(4);
  expect(colourOf(2)).toBe(colourOf(1));
});

test("the reach of a body is shown, with where it would stand better, and hidden again", async () => {
  const onDots = vi.fn();
  const ask = vi.fn().mockResolvedValue(told);
  const { user } = shown(<ReachRow bodies={["shell"]} ask={ask} onDots={onDots} />);
  await user.click(screen.getByText("Show"));
  expect(ask).toHaveBeenCalledWith("shell");
  expect(await screen.findByText(/0 at least, 3.0 on average. Moved by X -100 Y 0: 2 and 5.5/)).toBeTruthy();
  expect(onDots.mock.lastCall?.[0]).toHaveLength(2);
  await user.click(screen.getByText("Hide"));
  expect(onDots.mock.lastCall?.[0]).toEqual([]);
});

test("why a reach cannot be told is said", async () => {
  const { user } = shown(<ReachRow bodies={["shell"]} ask={vi.fn().mockRejectedValue(new Error("this channel has no arm"))} onDots={vi.fn()} />);
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
