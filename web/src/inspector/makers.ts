// Whose the worst places of a part are: tools and operations that made some of them, or nobody.

import type { Replay, Spot } from "../replay/replay";

export interface MakerChoice {
  value: string;
  label: string;
  has: (spot: Spot) => boolean;
}

/** What the places can be chosen by, each with how many there are. */
export function makersOf(replay: Replay, spots: Spot[]): MakerChoice[] {
  const operations = replay.description.operations ?? [];
  const toolOf = ({ motion }: Spot) => (motion >= 0 ? replay.column("tool")[motion] : -1);
  const operationOf = ({ motion }: Spot) => (motion >= 0 ? replay.operationOf(motion) : -1);
  const choices: MakerChoice[] = [];
  const add = (value: string, label: string, has: (spot: Spot) => boolean) => {
    const count = spots.filter(has).length;
    if (count) choices.push({ value, label: `${label} (${count})`, has });
  };
  for (const tool of [...new Set(spots.map(toolOf))].sort((a, b) => a - b)) if (tool >= 0) add(`tool ${tool}`, replay.called(tool), (spot) => toolOf(spot) === tool);
  operations.forEach(({ comment, line }, i) => add(`operation ${i}`, comment || `from line ${line}`, (spot) => operationOf(spot) === i));
  add("nobody", "no tool came there", ({ motion }) => motion < 0);
  return choices;
}
