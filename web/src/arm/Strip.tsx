// The arm's joints through time under the tape: the way of each, its travel's ends where they are near, and how far it is from a singular pose.

import { useMemo, useRef, useState, useSyncExternalStore } from "react";

import type { Arm } from "../api/client";
import type { Player } from "../replay/player";
import type { ArmDesk } from "./useArm";

const ROW = 17; // px
const LEAST = 5; // degrees or mm that a row shows beyond the way
const ENOUGH = 30; // degrees from a singular pose: more is drawn as this

interface Props {
  desk: ArmDesk;
  player: Player;
  seconds: number;
}

type Range = [number, number];

/** What a joint's row shows, over all ways drawn in it: as far as it goes, and a little more, so that its travel's ends come into
 * sight as it comes near them. */
export function rangeOf(arms: Arm[], joint: number): Range {
  const values = arms.flatMap((arm) => arm.values.map((row) => row[joint]));
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const more = Math.max(0.1 * (high - low), LEAST);
  return [low - more, high + more];
}

/** Heights of the travel's ends that a row shows, 0 at its top and 100 at its bottom. */
export function endsIn({ travel }: Arm["joints"][number], range: Range): number[] {
  return (travel ?? []).map((end) => height(end, range)).filter((at) => at > 0 && at < 100);
}

const height = (value: number, [low, high]: Range) => 100 - (100 * (value - low)) / (high - low);

/** The way of a joint as an SVG path in a box of 1000 × 100. */
export function wayOf(arm: Arm, joint: number, seconds: number, range: Range): string {
  return line(arm.time, arm.values.map((row) => height(row[joint], range)), seconds);
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
  const ranges = useMemo(() => was.joints.map((_, i) => rangeOf(turned ? [was, now] : [was], i)), [was, now, turned]);
  const ways = useMemo(() => ranges.map((range, i) => wayOf(was, i, total, range)), [was, ranges, total]);
  const others = useMemo(() => (turned ? ranges.map((range, i) => wayOf(now, i, now.seconds || total, range)) : []), [now, ranges, turned, total]);
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
        {was.joints.map(({ name, travel }, i) => (
          <span key={name} title={`${name}: the row shows ${ranges[i].map((end) => end.toFixed(0)).join(" … ")}${travel ? `, its travel is ${travel[0]} … ${travel[1]}` : ""}`}>
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
            {endsIn(was.joints[i], ranges[i]).map((at) => (
              <path key={at} d={`M0 ${at}H1000`} className="end" />
            ))}
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
