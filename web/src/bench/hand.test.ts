import { describe, expect, it } from "vitest";

import type { Moved } from "../api/client";
import { Hand, type Panel } from "./hand";

const answer = (values: number[], more: Partial<Moved> = {}): Moved => ({ axes: ["X", "Z"], values, touching: [], near: [], over: [], said: [], path: [], told: [], held: [], ...more });
const settled = () => new Promise((done) => setTimeout(done, 5));

/** A panel that stops Z at −10, as a table would. */
function floor(): { panel: Panel; asked: number[][] } {
  const asked: number[][] = [];
  return {
    asked,
    panel: {
      move: async (_begin, end) => {
        asked.push(end);
        return end[1] < -10 ? answer([end[0], -10], { touching: [{ a: "T1 cutter", b: "table", clearance: 0, point: [0, 0, 0], share: 1 }] }) : answer(end);
      },
      block: async (values, _tool, block) => (block === "G28" ? answer([0, 0]) : answer(values, { said: ["not a block"] })),
    },
  };
}

describe("the hand on the machine", () => {
  it("stands where the contact stopped it, and comes back", async () => {
    const hand = new Hand([0, 0], floor().panel);
    hand.mark();
    hand.send(1, -50);
    await settled();
    expect(hand.values).toEqual([0, -10]);
    expect(hand.answer?.touching[0].b).toBe("table");
    hand.undo();
    expect(hand.values).toEqual([0, 0]);
    expect(hand.canUndo).toBe(false);
  });

  it("asks for the latest wish only while an answer is on its way", async () => {
    const { panel, asked } = floor();
    const hand = new Hand([0, 0], panel);
    for (let x = 1; x <= 40; x++) hand.send(0, x);
    await settled();
    expect(hand.values).toEqual([40, 0]);
    expect(asked.length).toBeLessThan(4);
  });

  it("has pieces in the hands that grips put them in, takes that back too, and forgets it when the setup is another", async () => {
    const held = (grip: string) => [{ piece: "bar", grips: [grip], link: grip, matrix: [] as never }];
    const sent: unknown[] = [];
    const panel: Panel = {
      move: async (_from, to, _tool, _stop, now) => (sent.push(now), answer(to)),
      block: async (values, _tool, block) => answer(values, { held: held(block) }),
    };
    const hand = new Hand([0, 0], panel);
    await hand.run("M210");
    hand.mark();
    hand.send(0, 5);
    await settled();
    await hand.run("M10");
    hand.send(0, 6);
    await settled();
    expect(sent).toEqual([held("M210"), held("M10")]);
    hand.undo();
    expect(hand.held).toEqual(held("M210"));
    hand.letGo();
    hand.undo();
    expect(hand.held).toBe(null);
  });

  it("keeps what the control says of a typed block", async () => {
    const hand = new Hand([5, 5], floor().panel);
    await hand.run("rubbish");
    expect(hand.answer?.said).toEqual(["not a block"]);
    await hand.run("G28");
    expect(hand.values).toEqual([0, 0]);
  });

  it("says when the server does not answer, and stays where it is", async () => {
    const hand = new Hand([1, 2], { ...floor().panel, move: () => Promise.reject(new Error("gone")) });
    hand.send(0, 9);
    await settled();
    expect(hand.failure).toBe("gone");
    expect(hand.values).toEqual([1, 2]);
  });
});
