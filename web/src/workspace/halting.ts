// Where a replay halts by itself.

import { useEffect, useState } from "react";

import type { Finding } from "../api/client";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";

export type Halting = "on" | "block" | "finding" | "tool";

/** What is chosen, and the player kept to it. */
export function useHalting(player: Player, replay: Replay, findings: Finding[]) {
  const [halting, setHalting] = useState<Halting>("on");
  useEffect(() => {
    const times: Record<Halting, () => number[]> = {
      on: () => [],
      block: () => replay.blockEnds(),
      finding: () => findings.map((finding) => finding.data.time).sort((a, b) => a - b),
      tool: () => replay.description.operations?.map((operation) => operation.time) ?? [],
    };
    player.setHalts(times[halting]());
  }, [player, replay, findings, halting]);
  return [halting, setHalting] as const;
}
