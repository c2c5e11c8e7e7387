// What the keys do while a rehearsal is replayed.

import type { Finding } from "../api/client";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import type { StageScene } from "../stage/scene";
import type { Key } from "./keys";

interface Acts {
  replay: Replay;
  player: Player;
  findings: Finding[];
  chosen: number | null;
  scene: () => StageScene | null;
  seek: (time: number) => void;
  select: (finding: number | null) => void;
  turnBlocks: () => void;
  turnDeviation: () => void;
  help: () => void;
}

const VIEWS = ["work", "machine", "top", "front", "side"] as const;

export function replayKeys({ replay, player, findings, chosen, scene, seek, select, turnBlocks, turnDeviation, help }: Acts): Key[] {
  const operations = replay.description.operations ?? [];
  const toFinding = ({ shiftKey }: KeyboardEvent) => {
    const place = findings.findIndex((item) => item.id === chosen);
    const next = shiftKey ? (place < 0 ? findings.length : place) - 1 : place + 1;
    if (findings[next]) select(findings[next].id);
  };
  const toTool = ({ shiftKey }: KeyboardEvent) => {
    const next = shiftKey
      ? operations.findLast((operation) => operation.time < player.time - 1e-6)
      : operations.find((operation) => operation.time > player.time + 1e-6);
    if (next) seek(next.time);
  };
  const blockBack = () => {
    const here = replay.motionAt(player.time);
    seek(replay.beginOf(Math.max(0, here - (player.time > replay.beginOf(here) ? 0 : 1))));
  };
  return [
    { shown: "Space", what: "play or pause", does: { " ": () => player.play(player.playing ? 0 : 1) } },
    { shown: "J  K  L", what: "backwards, still, forwards", does: { j: () => player.play(-1), k: () => player.play(0), l: () => player.play(1) } },
    { shown: "+  −", what: "faster, slower", does: { "+": () => player.faster(), "-": () => player.slower() } },
    { shown: ",  .", what: "one block back, one block on", does: { ",": blockBack, ".": () => seek(replay.endOf(replay.motionAt(player.time)) + 1e-9) } },
    { shown: "B", what: "single block, or on", does: { b: turnBlocks } },
    { shown: "N  Shift-N", what: "next finding, finding before", does: { n: toFinding } },
    { shown: "T  Shift-T", what: "next tool, tool before", does: { t: toTool } },
    { shown: "Home  End", what: "beginning, end", does: { Home: () => seek(0), End: () => seek(replay.seconds) } },
    {
      shown: "1 … 5",
      what: `views: ${VIEWS.join(", ")}`,
      does: Object.fromEntries(VIEWS.map((view, i) => [String(i + 1), () => scene()?.view(view)])),
    },
    { shown: "Z", what: "zoom to the finding", does: { z: () => scene()?.focusOnLit() } },
    { shown: "P", what: "tool paths", does: { p: () => scene()?.showPaths(!scene()?.pathsOn) } },
    { shown: "D", what: "deviation of the finished part", does: { d: () => scene()?.hasDesign && turnDeviation() } },
    { shown: "M", what: "machine: ghost, hidden, shown", does: { m: () => scene()?.turnMachine() } },
    { shown: "Ctrl-F  Ctrl-G", what: "in the script: find, go to a line", does: {} },
    { shown: "Esc", what: "let the finding go", does: { Escape: () => select(null) } },
    { shown: "?", what: "this list", does: { "?": help } },
  ];
}
