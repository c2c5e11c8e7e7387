// The clock of the replay. It lives outside React, so that sixty changes a second redraw only what shows the time.

import { above } from "./replay";

export const SPEEDS = [0.1, 0.5, 1, 2, 5, 10, 30, 100];

const HAIR = 1e-6; // s

export class Player {
  time = 0;
  speed = 1;
  playing = 0; // +1 forwards, −1 backwards, 0 still
  private halts: ArrayLike<number> = []; // ascending times at which it stands still of itself
  private listeners = new Set<() => void>();
  private frame = 0;
  private last = 0;

  constructor(readonly seconds: number) {}

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  private tell(): void {
    for (const listener of this.listeners) listener();
  }

  seek(time: number): void {
    this.time = Math.max(0, Math.min(this.seconds, time));
    this.tell();
  }

  play(direction: number): void {
    cancelAnimationFrame(this.frame);
    this.playing = direction;
    if (direction) {
      this.last = performance.now();
      this.frame = requestAnimationFrame(this.step);
    }
    this.tell();
  }

  setSpeed(speed: number): void {
    this.speed = speed;
    this.tell();
  }

  setHalts(times: ArrayLike<number>): void {
    this.halts = times;
  }

  faster(): void {
    this.setSpeed(SPEEDS.find((speed) => speed > this.speed) ?? this.speed);
  }

  slower(): void {
    this.setSpeed(SPEEDS.findLast((speed) => speed < this.speed) ?? this.speed);
  }

  private step = (now: number): void => {
    const time = this.time + (this.playing * this.speed * (now - this.last)) / 1000;
    this.last = now;
    const halt = this.haltBetween(this.time, time);
    if (halt !== null || time <= 0 || time >= this.seconds) this.playing = 0;
    this.seek(halt ?? time);
    if (this.playing) this.frame = requestAnimationFrame(this.step);
  };

  /** The halt that comes first on the way from one time to another; the one it stands at is none. */
  private haltBetween(from: number, to: number): number | null {
    if (to > from) {
      const next = this.halts[above(this.halts, from + HAIR)];
      return next !== undefined && next <= to ? next : null;
    }
    const before = this.halts[above(this.halts, from - HAIR) - 1];
    return before !== undefined && before >= to ? before : null;
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    this.listeners.clear();
  }
}
