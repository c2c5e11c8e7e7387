import { describe, expect, it } from "vitest";

import { csv, numberOf, rowsOf, tabbed } from "./table";

describe("rows to and from a spreadsheet", () => {
  it("reads tabs, semicolons and commas, with quotes around what holds them", () => {
    expect(rowsOf("G54\t-300\t1,5\r\nG55\t0\t2\n")).toEqual([["G54", "-300", "1,5"], ["G55", "0", "2"]]); // prettier-ignore
    expect(rowsOf("a;1,5;b")).toEqual([["a", "1,5", "b"]]);
    expect(rowsOf('1,"D10, long","say ""no"""')).toEqual([["1", "D10, long", 'say "no"']]);
  });

  it("writes what it reads", () => {
    const rows = [["T", "name"], ["1", 'D10, "long"']]; // prettier-ignore
    expect(rowsOf(csv(rows))).toEqual(rows);
    expect(rowsOf(tabbed([["1", "2"]]))).toEqual([["1", "2"]]);
  });

  it("takes numbers as people type them", () => {
    expect(["-310,5", "−2.5", " 4 ", "1e2"].map(numberOf)).toEqual([-310.5, -2.5, 4, 100]);
    expect(["", "x", "1,2,3", "Infinity"].map(numberOf)).toEqual([null, null, null, null]);
  });
});
