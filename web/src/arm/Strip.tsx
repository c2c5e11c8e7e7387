// The arm's joints through time under the tape: the way of each within its travel, and how far it is from a singular pose.

import { useMemo, useRef, useState, useSyncExternalStore } from "react";

import type { Arm } from "../api/client";
import type { Player } from "../replay/player";
import type { ArmDesk } from "./useArm";

const ROW = 17; // px
const ENOUGH = 30; // degrees from a singular pose: more is drawn as this

interface Props {
  desk: ArmDesk;
  player: Player;
  seconds: number;
}

/** The way of a joint as an SVG path in a box of 1000 × 100. */
export function wayOf(arm: Arm, joint: number, seconds: number): string {
  const { travel } = arm.joints[joint];
  const values = arm.values.map((row) => row[joint]);
  const [low, high] = travel ?? [Math.min(...values), Math.max(...values, Math.min(...values) + 1)];
  return line(arm.time, values.map((value) => 100 - (100 * (value - low)) / Math.max(high - low, 1e-9)), seconds);
}

function line(times: number[], heights: number[], seconds: number): string {
  return times.map((time, i) => `${i ? "L" : "M"}${((1000 * time) / seconds).toFixed(1)} ${Math.max(-4, Math.min(104, heights[i])).toFixed(1)}`).join("");
}

export function Strip({ desk, player, seconds }: Props) {
  const time = useSyncExternalStore(player.subscribe, () => player.time);
  const rail = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const { was, now, chosen, turned } = desk;
  const total = Math.max(seconds, 1e-6);
  const ways = useMemo(() => was.joints.map((_, i) => wayOf(was, i, total)), [was, total]);
  const others = useMemo(() => (turned ? now.joints.map((_, i) => wayOf(now, i, now.seconds || total)) : []), [now, turned, total]);
  const singular = useMemo(() => line(now.time, now.singular.map((degrees) => 100 - (100 * Math.min(degrees, ENOUGH)) / ENOUGH), now.seconds || total), [now, total]);
  const moment = (event: React.PointerEvent) => {
    const box = rail.current!.getBoundingClientRect();
    return Math.max(0, Math.min(1, (event.clientX - box.left) / box.width)) * total;
  };
  const release = () => {
    if (!drag) return;
    const [from, to] = [Math.min(...drag), Math.max(...drag)];
    setDrag(null);
    if (to - from < 0.004 * total) {
      player.play(0);
      player.seek(to);
    }
    const met = was.stretches.filter(({ begin, end }) => end >= from && begin <= to);
    if (met.length) desk.onChoose({ program: met[0].program, first: met[0].first, last: Math.max(...met.filter(({ program }) => program === met[0].program).map(({ last }) => last)) });
  };
  const mark = chosen && span(was, chosen);
  return (
    <div className="strip" data-testid="strip">
      <div className="strip-names">
        {was.joints.map(({ name, travel }) => (
          <span key={name} title={travel ? `${name}: travel ${travel[0]} … ${travel[1]}` : name}>
            {name}
          </span>
        ))}
        <span title={`how far from a singular pose, up to ${ENOUGH}°`}>sing.</span>
      </div>
      <div
        className="strip-rail"
        ref={rail}
        style={{ height: ROW * (was.joints.length + 1) }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          const at = moment(event);
          setDrag([at, at]);
        }}
        onPointerMove={(event) => drag && setDrag([drag[0], moment(event)])}
        onPointerUp={release}
        onPointerCancel={() => setDrag(null)}
      >
        {ways.map((way, i) => (
          <svg key={was.joints[i].name} className="strip-row" viewBox="0 0 1000 100" preserveAspectRatio="none" style={{ top: ROW * i, height: ROW - 3 }} aria-hidden>
            <path d={way} className={turned ? "was" : "is"} />
            {others[i] && <path d={others[i]} className="is" />}
          </svg>
        ))}
        <svg className="strip-row" viewBox="0 0 1000 100" preserveAspectRatio="none" style={{ top: ROW * was.joints.length, height: ROW - 3 }} aria-hidden>
          <path d={`${singular}L1000 104L0 104Z`} className="free" />
        </svg>
        {mark && <div className="strip-chosen" style={{ left: `${(100 * mark[0]) / total}%`, width: `${(100 * (mark[1] - mark[0])) / total}%` }} />}
        {drag && <div className="strip-chosen" style={{ left: `${(100 * Math.min(...drag)) / total}%`, width: `${(100 * Math.abs(drag[1] - drag[0])) / total}%` }} />}
        <div className="tape-now" style={{ left: `${(100 * time) / total}%` }} />
      </div>
    </div>
  );
}

/** From when to when the stretches of some lines go. */
export function span(arm: Arm, lines: { program: string; first: number; last: number }): [number, number] | null {
  const met = arm.stretches.filter(({ program, first, last }) => program === lines.program && last >= lines.first && first <= lines.last);
  return met.length ? [met[0].begin, Math.max(...met.map(({ end }) => end))] : null;
}
