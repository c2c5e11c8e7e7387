// What the desk does with program text: changes offered by the check, block numbers, places to go to.

import type { Said } from "../api/client";

export type Edit = NonNullable<Said["fix"]>["edits"][number];

/** A program's lines with the edits of a fix made; null where a line is no longer what the fix was made for. */
export function withEdits(lines: string[], edits: readonly Edit[]): string[] | null {
  const made = [...lines];
  for (const edit of [...edits].sort((a, b) => b.line - a.line)) {
    const at = edit.line - 1;
    if (edit.old === null) made.splice(at, 0, ...(edit.new ?? "").split("\n"));
    else if (made[at] !== edit.old) return null;
    else made.splice(at, 1, ...(edit.new === null ? [] : edit.new.split("\n")));
  }
  return made;
}

/** How many lines a text has, without making them. */
export function linesOf(text: string): number {
  let count = 1;
  for (let at = text.indexOf("\n"); at >= 0; at = text.indexOf("\n", at + 1)) count++;
  return count;
}

/** One line (from 1) of a text, "" beyond its end. */
export function lineAt(text: string, line: number): string {
  let from = 0;
  for (let i = 1; i < line; i++) {
    from = text.indexOf("\n", from) + 1;
    if (!from) return "";
  }
  const to = text.indexOf("\n", from);
  return text.slice(from, to < 0 ? undefined : to);
}

const NUMBERED = /^(\s*\/?\d?\s*)N\s*\d+\s*/i;
const LEFT_ALONE = /^\s*(%|[O:]\s*\d|\(|;|$)/i;

/** Block numbers given anew, every `step`; jumps to old numbers follow. */
export function numbered(text: string, step: number): string {
  const renamed = new Map<number, number>();
  let next = 0;
  const lines = text.split("\n").map((line) => {
    if (LEFT_ALONE.test(line)) return line;
    next += step;
    const old = line.match(/^\s*\/?\d?\s*N\s*(\d+)/i);
    if (old && !renamed.has(Number(old[1]))) renamed.set(Number(old[1]), next);
    const bare = line.replace(NUMBERED, "$1");
    return bare.replace(/^(\s*\/?\d?\s*)/, `$1N${next} `);
  });
  const follow = (whole: string, word: string, number: string) => (renamed.has(Number(number)) ? `${word}${renamed.get(Number(number))}` : whole);
  return lines
    .map((line) => {
      const jumped = line.replace(/(GOTO\s*)(\d+)/gi, follow);
      return /G7[0-3](?!\d)/.test(line) ? jumped.replace(/([PQ]\s*)(\d+)(?![.\d])/gi, follow) : jumped;
    })
    .join("\n");
}

/** Block numbers taken out, but for those that a jump or a cycle's contour names. */
export function unnumbered(text: string): string {
  const named = new Set<number>();
  for (const found of text.matchAll(/GOTO\s*(\d+)/gi)) named.add(Number(found[1]));
  for (const line of text.split("\n")) if (/G7[0-3](?!\d)/.test(line)) for (const found of line.matchAll(/[PQ]\s*(\d+)(?![.\d])/gi)) named.add(Number(found[1]));
  return text
    .split("\n")
    .map((line) => {
      const number = line.match(/^\s*\/?\d?\s*N\s*(\d+)/i);
      return number && named.has(Number(number[1])) ? line : line.replace(NUMBERED, "$1");
    })
    .join("\n");
}

/** The line (from 1) that a person means: a line number, a block number N…, a tool T…, or −1. Looked for from `from` on, then round. */
export function placeOf(text: string, asked: string, from: number): number {
  const wanted = asked.trim().toUpperCase();
  if (/^\d+$/.test(wanted)) return Math.min(Math.max(1, Number(wanted)), linesOf(text));
  const word = wanted.match(/^([NTO])\s*0*(\d+)$/);
  if (!word) return -1;
  const lines = text.split("\n");
  const pattern = new RegExp(`(^|[^A-Z<#])${word[1]}\\s*0*${word[2]}(?!\\d)`, "i");
  for (let i = 0; i < lines.length; i++) {
    const at = (from + i) % lines.length;
    if (pattern.test(lines[at].replace(/\([^)]*\)|;.*/g, ""))) return at + 1;
  }
  return -1;
}

/** What is the same finding in two checks: its rule, program and words, wherever its line has moved to. */
export function same(a: Said, b: Said): boolean {
  return a.rule === b.rule && a.program === b.program && a.message === b.message;
}

/** What went away and what came, finding by finding; of several alike each counts once. */
export function changes(before: readonly Said[], after: readonly Said[]): { went: Said[]; came: Said[] } {
  const left = [...before];
  const came = after.filter((item) => {
    const at = left.findIndex((other) => same(item, other));
    if (at < 0) return true;
    left.splice(at, 1);
    return false;
  });
  return { went: left, came };
}

/** Words of a line that name a row of a grid: tools, registers, work offsets. */
export function links(line: string): { grid: "tools" | "offsets"; row: string; word: string }[] {
  const bare = line.replace(/\([^)]*\)|;.*/g, "").toUpperCase();
  const found: { grid: "tools" | "offsets"; row: string; word: string }[] = [];
  for (const [word, letter, digits] of bare.matchAll(/(?<![A-Z<#])([THD])\s*(\d+)/g)) {
    const number = letter === "T" && digits.length >= 3 ? Number(digits.slice(0, -2)) : Number(digits);
    found.push({ grid: "tools", row: String(number), word: word.replace(/\s/g, "") });
  }
  for (const [word, code, more] of bare.matchAll(/(?<![A-Z<#])G(5[4-9])(?:\.1\s*P\s*(\d+))?(?![\d.])/g)) {
    found.push({ grid: "offsets", row: more ? `G54.1 P${more}` : `G${code}`, word: word.replace(/\s/g, "") });
  }
  return found;
}

/** Surface speed (m/min) from the diameter and speed: v = π·d·n / 1000. */
export const surfaceSpeed = (diameter: number, rpm: number) => (Math.PI * diameter * rpm) / 1000;
/** Feed per tooth (mm) from feed, speed and teeth: f / (n·z). */
export const feedPerTooth = (feed: number, rpm: number, teeth: number) => (rpm && teeth ? feed / (rpm * teeth) : 0);
