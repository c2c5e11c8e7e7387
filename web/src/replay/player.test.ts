import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Player, SPEEDS } from "./player";

describe("player", () => {
  let frames: ((now: number) => void)[] = [];
  let now = 0;
  const step = (ms: number) => {
    now += ms;
    const due = frames;
    frames = [];
    for (const frame of due) frame(now);
  };
  beforeEach(() => {
    frames = [];
    now = 0;
    vi.stubGlobal("performance", { now: () => now });
    vi.stubGlobal("requestAnimationFrame", (frame: (now: number) => void) => frames.push(frame));
    vi.stubGlobal("cancelAnimationFrame", () => (frames = []));
  });
  afterEach(() => vi.unstubAllGlobals());

  it("runs forwards and backwards at its speed, and stops at both ends", () => {
    const player = new Player(10);
    player.setSpeed(2);
    player.play(1);
    step(1000);
    expect(player.time).toBeCloseTo(2);
    player.play(-1);
    step(500);
    expect(player.time).toBeCloseTo(1);
    step(5000);
    expect([player.time, player.playing, frames.length]).toEqual([0, 0, 0]);
    player.play(1);
    step(60_000);
    expect([player.time, player.playing]).toEqual([10, 0]);
  });
  it("stands still of itself at the first halt on its way, either way, and goes on from there", () => {
    const player = new Player(10);
    player.setHalts([1, 4, 4, 7]);
    player.play(1);
    step(800);
    expect([player.time, player.playing]).toEqual([0.8, 1]);
    step(9000); // one slow frame: not past the halt
    expect([player.time, player.playing]).toEqual([1, 0]);
    player.play(1);
    step(9000);
    player.play(1);
    step(9000);
    expect(player.time).toBe(7);
    player.play(-1);
    step(9000);
    expect([player.time, player.playing]).toEqual([4, 0]);
    player.setHalts([]);
    player.play(-1);
    step(9000);
    expect(player.time).toBe(0);
  });
  it("keeps to the program when it is sent somewhere", () => {
    const player = new Player(10);
    player.seek(-3);
    expect(player.time).toBe(0);
    player.seek(99);
    expect(player.time).toBe(10);
  });
  it("tells its listeners until they leave, and nobody once it is disposed of", () => {
    const player = new Player(10);
    const heard: number[] = [];
    const leave = player.subscribe(() => heard.push(player.time));
    player.seek(4);
    leave();
    player.seek(5);
    expect(heard).toEqual([4]);
    player.subscribe(() => heard.push(-1));
    player.dispose();
    player.seek(6);
    expect(heard).toEqual([4]);
  });
  it("goes through the speeds one by one and stays at the ends", () => {
    const player = new Player(10);
    for (let i = 0; i < SPEEDS.length; i++) player.faster();
    expect(player.speed).toBe(SPEEDS[SPEEDS.length - 1]);
    player.slower();
    expect(player.speed).toBe(SPEEDS[SPEEDS.length - 2]);
    for (let i = 0; i < SPEEDS.length; i++) player.slower();
    expect(player.speed).toBe(SPEEDS[0]);
  });
});
