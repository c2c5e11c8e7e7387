// What the replay's columns add up to: where each tool's time goes.

import type { Replay } from "./replay";

export interface ToolTime {
  tool: number;
  rapid: number;
  cutting: number;
  change: number;
  other: number;
  first: number; // motion of the tool's first use
}

/** Seconds of each tool by kind of motion, in the order of first use. */
export function toolTimes(replay: Replay): ToolTime[] {
  const kinds = replay.column("kind");
  const tools = replay.column("tool");
  const names = replay.description.kinds;
  const found = new Map<number, ToolTime>();
  for (let i = 0; i < replay.motionCount; i++) {
    const tool = tools[i];
    const entry = found.get(tool) ?? { tool, rapid: 0, cutting: 0, change: 0, other: 0, first: i };
    found.set(tool, entry);
    const seconds = replay.endOf(i) - replay.beginOf(i);
    const name = names[kinds[i]];
    if (name === "rapid") entry.rapid += seconds;
    else if (name === "feed" || name === "arc" || name === "thread") entry.cutting += seconds;
    else if (name === "toolchange") entry.change += seconds;
    else entry.other += seconds;
  }
  return [...found.values()];
}
