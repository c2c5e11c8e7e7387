import { describe, expect, it } from "vitest";

import type { Said } from "../api/client";
import { changes, feedPerTooth, lineAt, linesOf, links, numbered, placeOf, surfaceSpeed, unnumbered, withEdits } from "./text";

const said = (rule: string, message: string, line: number) => ({ rule, message, line, program: "O1.nc" }) as Said;

describe("program text", () => {
  it("takes a fix's edits from the last line up, and none where the text has moved on", () => {
    const lines = ["G0 X1", "M6", "G1 X2"];
    const edit = (line: number, old: string | null, made: string | null) => ({ program: "O1.nc", line, old, new: made });
    expect(withEdits(lines, [edit(2, null, "G91 G28 Z0.\nG90"), edit(3, "G1 X2", "G1 X2 F200")])).toEqual(["G0 X1", "G91 G28 Z0.", "G90", "M6", "G1 X2 F200"]);
    expect(withEdits(lines, [edit(1, "G0 X1", null)])).toEqual(["M6", "G1 X2"]);
    expect(withEdits(lines, [edit(1, "G0 X9", "G0")])).toBeNull();
  });

  it("numbers blocks anew and takes jumps and contours along", () => {
    const text = "%\nO1 (A)\nN7 G0 X1\nIF [#1 GT 2] GOTO 7\nG71 P7 Q9 U0.5\n/N9 G1 X2";
    expect(numbered(text, 10)).toBe("%\nO1 (A)\nN10 G0 X1\nN20 IF [#1 GT 2] GOTO 10\nN30 G71 P10 Q40 U0.5\n/N40 G1 X2");
    expect(unnumbered("N1 G0 X1\nN2 GOTO 2\nN3 G71 P5 Q6\nN5 X2\nN6 X3")).toBe("G0 X1\nN2 GOTO 2\nG71 P5 Q6\nN5 X2\nN6 X3");
  });

  it("finds lines, block numbers and tools, on from where one is", () => {
    const text = "N10 T1 M6\nG0 X10 (T3)\nN100 T3\nT1";
    expect(placeOf(text, "3", 1)).toBe(3);
    expect(placeOf(text, "99", 1)).toBe(4);
    expect(placeOf(text, "n10", 2)).toBe(1);
    expect(placeOf(text, "T3", 0)).toBe(3);
    expect(placeOf(text, "T1", 1)).toBe(4);
    expect(placeOf(text, "T4", 0)).toBe(-1);
    expect(placeOf(text, "what", 0)).toBe(-1);
  });

  it("tells what went and what came, wherever the lines have moved to", () => {
    const before = [said("a", "x", 1), said("a", "x", 5), said("b", "y", 7)];
    const after = [said("a", "x", 2), said("c", "z", 9)];
    expect(changes(before, after)).toEqual({ went: [before[1], before[2]], came: [after[1]] });
    expect(changes(before, before)).toEqual({ went: [], came: [] });
  });

  it("counts and takes lines as splitting would", () => {
    for (const text of ["", "a", "a\nb", "\n\n", "a\n\nc\n"]) {
      const lines = text.split("\n");
      expect(linesOf(text)).toBe(lines.length);
      expect([1, 2, 3, 4, 5].map((line) => lineAt(text, line))).toEqual([0, 1, 2, 3, 4].map((i) => lines[i] ?? ""));
    }
  });

  it("links words to their rows", () => {
    expect(links("N10 T3 M6 (T9) G54 H12 D2")).toEqual([
      { grid: "tools", row: "3", word: "T3" },
      { grid: "tools", row: "12", word: "H12" },
      { grid: "tools", row: "2", word: "D2" },
      { grid: "offsets", row: "G54", word: "G54" },
    ]);
    expect(links("T0402 G54.1 P3")).toEqual([
      { grid: "tools", row: "4", word: "T0402" },
      { grid: "offsets", row: "G54.1 P3", word: "G54.1P3" },
    ]);
  });

  it("works out surface speed and feed per tooth from their definitions", () => {
    expect(surfaceSpeed(10, 1000 / Math.PI)).toBeCloseTo(10);
    expect(feedPerTooth(800, 4000, 4)).toBeCloseTo(0.05);
    expect(feedPerTooth(800, 0, 4)).toBe(0);
  });
});
