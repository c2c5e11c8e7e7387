// @vitest-environment jsdom
import { cleanup, renderHook } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";

import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { useKeys } from "./keys";
import { replayKeys } from "./replayKeys";

afterEach(cleanup);

function pressed(key: string, more: KeyboardEventInit = {}, on: Element = document.body): void {
  on.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, ...more }));
}

function acts() {
  const player = { time: 5, playing: 0, play: vi.fn(), faster: vi.fn(), slower: vi.fn() };
  const replay = {
    seconds: 9, motionAt: () => 3, beginOf: (motion: number) => motion, endOf: (motion: number) => motion + 1,
    description: { operations: [{ time: 2 }, { time: 7 }] },
  };
  const scene = { focusOnLit: vi.fn(), showPaths: vi.fn(), turnMachine: vi.fn(), view: vi.fn(), pathsOn: false, hasDesign: true };
  const asked = { seek: vi.fn(), select: vi.fn(), turnBlocks: vi.fn(), turnDeviation: vi.fn(), help: vi.fn() };
  const findings = [{ id: 10 }, { id: 11 }, { id: 12 }] as never;
  const keys = replayKeys({ replay: replay as unknown as Replay, player: player as unknown as Player, findings, chosen: 11, scene: () => scene as never, ...asked });
  return { keys, player, scene, asked };
}

test("every key on the list does what it says", () => {
  const { keys, player, scene, asked } = acts();
  renderHook(() => useKeys(keys));
  pressed(" ");
  expect(player.play).toHaveBeenLastCalledWith(1);
  pressed("n");
  expect(asked.select).toHaveBeenLastCalledWith(12);
  pressed("N", { shiftKey: true });
  expect(asked.select).toHaveBeenLastCalledWith(10);
  pressed("t");
  expect(asked.seek).toHaveBeenLastCalledWith(7);
  pressed("T", { shiftKey: true });
  expect(asked.seek).toHaveBeenLastCalledWith(2);
  pressed(",");
  expect(asked.seek).toHaveBeenLastCalledWith(3);
  pressed("End");
  expect(asked.seek).toHaveBeenLastCalledWith(9);
  pressed("Escape");
  expect(asked.select).toHaveBeenLastCalledWith(null);
  for (const [key, act] of [["b", asked.turnBlocks], ["d", asked.turnDeviation], ["?", asked.help], ["z", scene.focusOnLit], ["p", scene.showPaths], ["m", scene.turnMachine], ["3", scene.view]] as const) {
    pressed(key);
    expect(act, key).toHaveBeenCalledOnce();
  }
  for (const { shown, does } of keys) expect(Object.keys(does).length > 0 || shown.startsWith("Ctrl"), shown).toBe(true);
});

test("keys that are typed, or meant for the browser, do nothing", () => {
  const { keys, asked } = acts();
  renderHook(() => useKeys(keys));
  const field = document.body.appendChild(document.createElement("input"));
  pressed("b", {}, field);
  pressed("b", { ctrlKey: true });
  expect(asked.turnBlocks).not.toHaveBeenCalled();
  field.remove();
});
