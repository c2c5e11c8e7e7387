// What can be measured on a part, how it is asked for, and how a reading is said.

import type { Asked, PartMeasure } from "../api/client";

export type Kind = Asked["kind"];
export type On = Asked["places"][number]["on"];
type Triple = [number, number, number];

/** `choices`: what its places may be on; `ask`: what a person is to point at, place by place. */
interface Way {
  kind: Kind;
  label: string;
  choices: On[];
  ask: string[];
}

export const WAYS: Way[] = [
  { kind: "diameter", label: "Diameter", choices: ["axis"], ask: ["Point at the wall of a hole or boss"] },
  { kind: "distance", label: "Distance", choices: ["face", "axis", "edge", "corner", "point"], ask: ["Point at the first", "Point at the second"] },
  { kind: "wall", label: "Wall", choices: ["face"], ask: ["Point at one side of the wall"] },
  { kind: "angle", label: "Angle", choices: ["face", "axis", "edge"], ask: ["Point at the first", "Point at the second"] },
  { kind: "flatness", label: "Flatness", choices: ["face"], ask: ["Point at the face"] },
];

export function wayOf(kind: Kind): Way {
  return WAYS.find((way) => way.kind === kind)!;
}

/** The words that ask for the next place. */
export function promptFor(kind: Kind, on: On, taken: number): string {
  const { ask, choices } = wayOf(kind);
  const what = choices.length > 1 ? ` ${on}` : "";
  return `${ask[Math.min(taken, ask.length - 1)]}${what}, on the finished part`;
}

/** What is asked of the core. */
export function askedFor(kind: Kind, name: string, stock: string, places: { on: On; at: Triple }[]): Asked {
  return { name, stock, kind, places, nominal: null, tolerance: null } as Asked;
}

/** A name that no other measure has. */
export function freshName(kind: Kind, taken: string[]): string {
  for (let n = 1; ; n++) {
    const name = `${wayOf(kind).label} ${n}`;
    if (!taken.includes(name)) return name;
  }
}

export function unitOf(kind: Kind): string {
  return kind === "angle" ? "°" : "mm";
}

/** A value to the thousandth; a signed one with its sign. */
export function told(value: number | null | undefined, signed = false): string {
  if (value == null) return "—";
  const text = Math.abs(value).toFixed(3);
  const sign = value < 0 && Number(text) !== 0 ? "−" : signed ? "+" : "";
  return `${sign}${text}`;
}

/** The reading as it stands on the part. */
export function slip({ asked, read }: PartMeasure): string {
  const before = asked.kind === "diameter" ? "⌀" : "";
  return `${before}${told(read.actual)}${asked.kind === "angle" ? "°" : ""}`;
}

export interface Count {
  all: number;
  out: number;
  lacking: number; // that could not be taken
}

export function counted(measures: PartMeasure[]): Count {
  return {
    all: measures.length,
    out: measures.filter(({ read }) => read.within === false).length,
    lacking: measures.filter(({ read }) => read.actual === null).length,
  };
}
