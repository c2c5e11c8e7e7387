import { expect, test } from "vitest";

import type { JobData } from "../api/client";
import { canGo, freeChannels, programsOf, programText, withCalled, withChannel, without } from "./programs";

const JOB = { programs: [{ main: "a.nc", library: ["sub.nc"], dialect: "iso-turn" }] } as unknown as JobData;

test("programs come under a channel, as a channel, and go", () => {
  expect(programsOf(JOB).map(({ name, main }) => [name, main])).toEqual([["a.nc", true], ["sub.nc", false]]);
  const called = withCalled(JOB, ["sub.nc", "O2.nc"], 1);
  expect(programsOf(called).map(({ name }) => name)).toEqual(["a.nc", "sub.nc", "O2.nc"]);
  const two = withChannel(called, "b.nc", 2, "iso-turn");
  expect(programsOf(two).at(-1)).toEqual({ name: "b.nc", channel: 2, main: true, dialect: "iso-turn" });
  expect(freeChannels(two, [1, 2, 3])).toEqual([3]);
  expect(programsOf(without(two, "a.nc")).map(({ name }) => name)).toEqual(["b.nc"]);
  expect(programsOf(without(two, "sub.nc")).map(({ name }) => name)).toEqual(["a.nc", "O2.nc", "b.nc"]);
  expect(canGo(JOB, programsOf(JOB)[0])).toBe(false);
  expect(canGo(two, programsOf(two)[0])).toBe(true);
});

test("a file's text comes with its line ends, or not at all", () => {
  const bytes = (text: string) => new TextEncoder().encode(text);
  expect(programText(bytes("G0\r\nM30\r\n"))).toEqual({ text: "G0\nM30\n", crlf: true });
  expect(programText(bytes("G0\nM30\n"))).toEqual({ text: "G0\nM30\n", crlf: false });
  expect(programText(new Uint8Array([40, 0xe4, 41]))).toContain("UTF-8");
  expect(programText(new Uint8Array([71, 0, 1]))).toContain("no program");
});
