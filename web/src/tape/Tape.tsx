import { useMemo, useRef, useSyncExternalStore } from "react";

import type { Finding } from "../api/client";
import { clock, toolColour } from "../look";
import { longestChain } from "../replay/chain";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { Mark } from "../inspector/Mark";
import { spread } from "./spread";

interface Props {
  replay: Replay;
  player: Player;
  findings: Finding[];
  selected: number | null;
  passing: number | null;
  onFinding: (id: number) => void;
}

const LANE = 22; // px: a channel's row
const NEAR = 0.03; // of the whole: so long a wait hides what is written under it
const LAST_LABEL = 0.96; // a tick beyond this share has no room for its label

function stepFor(seconds: number): number {
  return [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600].find((step) => seconds / step <= 12) ?? 7200;
}

/** The time ruler: operations by tool, findings pinned on it, drag anywhere. */
export function Tape({ replay, player, findings, selected, passing, onFinding }: Props) {
  const time = useSyncExternalStore(player.subscribe, () => player.time);
  const rail = useRef<HTMLDivElement>(null);
  const total = Math.max(replay.seconds, 1e-6);
  const share = (t: number) => `${(100 * t) / total}%`;
  const shift = useMemo(() => spread(findings.map((finding) => finding.data.time), total), [findings, total]);
  const operations = replay.description.operations ?? [];
  const step = stepFor(total);
  const chain = useMemo(() => (replay.lanes.length > 1 ? longestChain(replay.lanes) : []), [replay]);
  const drag = (event: React.PointerEvent) => {
    if (event.buttons !== 1) return;
    const box = rail.current!.getBoundingClientRect();
    player.play(0);
    player.seek(((event.clientX - box.left) / box.width) * total);
  };
  return (
    <div className="tape">
      <div
        className="tape-rail"
        ref={rail}
        style={{ height: 18 + LANE * replay.lanes.length }}
        data-testid="tape"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          drag(event);
        }}
        onPointerMove={drag}
      >
        {Array.from({ length: Math.floor(total / step) + 1 }, (_, i) => (
          <span key={i} className="tape-tick" style={{ left: share(i * step) }}>
            {i * step < LAST_LABEL * total && clock(i * step).replace(/\.0$/, "")}
          </span>
        ))}
        {replay.lanes.map((lane, number) => {
          const own = operations.filter((operation) => (operation.lane ?? 0) === number);
          return (
            <div key={lane.channel} className="tape-lane" data-channel={lane.channel} style={{ top: 16 + LANE * number }}>
              {replay.lanes.length > 1 && <b className="tape-channel">{lane.channel}</b>}
              {own.map((operation, i) => {
                const end = own[i + 1]?.time ?? lane.seconds;
                // What is written stands behind a wait that the operation begins with.
                const wait = lane.waits.find(({ begin, end: until }) => until > operation.time && until < end && begin < operation.time + NEAR * total);
                const from = wait && wait.end - wait.begin > NEAR * total ? (100 * (wait.end - operation.time)) / (end - operation.time) : 0;
                return (
                  <div
                    key={operation.motion}
                    className="tape-operation"
                    style={{ left: share(operation.time), width: share(end - operation.time), background: toolColour(operation.tool), ...(from ? { paddingLeft: `calc(${from}% + 5px)` } : {}) }}
                    title={`${replay.called(operation.tool)} ${operation.comment} · ${clock(end - operation.time)}`}
                  >
                    {replay.called(operation.tool)} {operation.comment.toLowerCase()}
                  </div>
                );
              })}
              {chain.filter((link) => link.lane === number).map((link) => (
                <div key={link.begin} className="tape-chain" style={{ left: share(link.begin), width: share(link.end - link.begin) }} title="fixes the cycle: shorter here is shorter in all" />
              ))}
              {lane.waits.map((wait) => (
                <div
                  key={`${wait.begin} ${wait.mark}`}
                  className={wait.end - wait.begin > 1e-6 ? "tape-wait" : "tape-wait met"}
                  style={{ left: share(wait.begin), width: share(wait.end - wait.begin) }}
                  title={wait.end - wait.begin > 1e-6 ? `channel ${lane.channel} waits at M${wait.mark} for ${clock(wait.end - wait.begin)}` : `M${wait.mark}: channel ${lane.channel} comes last`}
                />
              ))}
            </div>
          );
        })}
        <div className="tape-now" style={{ left: share(time) }} />
      </div>
      <div className="tape-pins">
        {findings.map((finding, i) => (
          <button
            key={finding.id}
            className={`pin${finding.id === selected ? " chosen" : ""}${finding.id === passing ? " passing" : ""}`}
            style={{ left: `calc(${share(finding.data.time)} + ${13 * shift[i]}px)` }}
            title={`${finding.title}, line ${finding.data.line}, at ${clock(finding.data.time)}`}
            onClick={() => onFinding(finding.id)}
          >
            <Mark severity={finding.data.severity} />
          </button>
        ))}
      </div>
    </div>
  );
}
