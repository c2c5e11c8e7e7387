// How an arm is to reach the poses of stretches of a program: a list that is edited with every step to be taken back.

import type { Arm } from "../api/client";

export interface Posture {
  program: string;
  first: number;
  last: number;
  spin?: number | null;
  shoulder?: "front" | "back" | null;
  elbow?: "up" | "down" | null;
  wrist?: "plus" | "minus" | null;
  rail?: Record<string, number>;
  blend?: number | null; // mm of the tip's way in which the spin turns where it changes within a cut
}

export interface Lines {
  program: string;
  first: number;
  last: number;
}

export type Wish = Pick<Posture, "spin" | "shoulder" | "elbow" | "wrist" | "rail" | "blend">;

export const CHOICES = {
  shoulder: ["front", "back"],
  elbow: ["up", "down"],
  wrist: ["plus", "minus"],
} as const;

const same = (a: Lines, b: Lines) => a.program === b.program && a.first === b.first && a.last === b.last;

/** What is asked of a stretch: of the lists that hold for all of it, the later one's words. */
export function askedOf(postures: Posture[], lines: Lines): Wish {
  const found: Wish = {};
  for (const posture of postures) {
    if (posture.program !== lines.program || posture.first > lines.first || posture.last < lines.last) continue;
    for (const key of ["spin", "shoulder", "elbow", "wrist"] as const) if (posture[key] != null) Object.assign(found, { [key]: posture[key] });
    if (posture.spin != null) found.blend = posture.blend ?? null;
    if (posture.rail && Object.keys(posture.rail).length) found.rail = { ...found.rail, ...posture.rail };
  }
  return found;
}

/** The list with a stretch's own entry changed; what asks for nothing is taken out. */
export function withWish(postures: Posture[], lines: Lines, wish: Wish): Posture[] {
  const own = postures.find((posture) => same(posture, lines)) ?? { ...lines };
  const next = tidy({ ...own, ...wish });
  const others = postures.filter((posture) => !same(posture, lines));
  return Object.keys(next).length > 3 ? [...others, next] : others;
}

function tidy(posture: Posture): Posture {
  const idle = (key: string, value: unknown) =>
    value == null || (key === "rail" && !Object.keys(value as object).length) || (key === "blend" && (value === 0 || posture.spin == null));
  const kept = Object.entries(posture).filter(([key, value]) => !idle(key, value));
  return Object.fromEntries(kept) as unknown as Posture;
}

/** The stretch under a moment; the last before it where none is under it. */
export function stretchAt(arm: Arm, time: number): Arm["stretches"][number] | undefined {
  return arm.stretches.find(({ begin, end }) => time >= begin && time <= end) ?? arm.stretches.filter(({ begin }) => begin <= time).at(-1) ?? arm.stretches[0];
}

/** Whether a program is a table, whose columns may not hold the joints: rows are put into it by hand. */
export const isTable = (program: string) => program.toLowerCase().endsWith(".csv");

/** A text with a block before a line (from 1). */
export function inserted(text: string, line: number, block: string): string {
  const lines = text.split("\n");
  lines.splice(Math.max(0, Math.min(line - 1, lines.length)), 0, block);
  return lines.join("\n");
}
