// Replays made by hand: columns in one binary, and a description with what a test does not say left plain.

import { Replay, type Description } from "../replay/replay";

type Column = ["float64" | "float32" | "uint32" | "int32" | "uint16" | "uint8", number[]];
const SIZES = { float64: 8, float32: 4, uint32: 4, int32: 4, uint16: 2, uint8: 1 };
const VIEWS = { float64: Float64Array, float32: Float32Array, uint32: Uint32Array, int32: Int32Array, uint16: Uint16Array, uint8: Uint8Array };

const PLAIN: Description = {
  job: "job",
  machine: "VM-3 unit 17",
  seconds: 0,
  links: [{ name: "bed", parent: null, joint: null }],
  bodies: [],
  kinds: ["rapid", "feed", "arc", "thread", "dwell", "toolchange", "wait", "other"],
  tools: [],
  toolMount: { link: "bed", matrix: [] },
  workMount: { link: "bed", matrix: [] },
  turret: false,
  stocks: [],
  checks: { gouge: 0.05, excess: 0.3 },
  arrays: {},
};

export function replayOf(description: Partial<Description>, columns: Record<string, Column> = {}): Replay {
  const arrays: Description["arrays"] = {};
  let size = 0;
  for (const [name, [type, values]] of Object.entries(columns)) {
    arrays[name] = { type, count: values.length, offset: size };
    size += 8 * Math.ceil((SIZES[type] * values.length) / 8);
  }
  const binary = new ArrayBuffer(size);
  for (const [name, [type, values]] of Object.entries(columns)) new VIEWS[type](binary, arrays[name].offset, values.length).set(values);
  return new Replay({ ...PLAIN, ...description, arrays }, binary);
}
