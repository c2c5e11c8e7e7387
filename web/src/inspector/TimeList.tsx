// Where the time goes: every operation as a bar of its kinds, and where some of it could be saved.

import { Button } from "antd";
import { useState } from "react";

import type { RehearsalFull, Result } from "../api/client";
import { clock } from "../look";
import type { Replay } from "../replay/replay";
import { ChannelTimes } from "./ChannelTimes";
import { MeasuredTimes } from "./MeasuredTimes";

type Operation = NonNullable<Result["times"]>["operations"][number];
type Saving = NonNullable<Result["times"]>["savings"][number];

const KINDS = [
  ["cutting", "cuts", "bar-cutting"],
  ["air", "feed in air", "bar-air"],
  ["rapid", "rapid", "bar-rapid"],
  ["change", "changes", "bar-change"],
  ["dwell", "dwells", "bar-change"],
  ["waiting", "waits", "bar-wait"],
  ["spindle", "spindle", "bar-change"],
  ["coolant", "coolant", "bar-change"],
  ["other", "other", "bar-change"],
] as const;
const SHORT_S = 0.05;

const total = (row: Operation) => KINDS.reduce((sum, [kind]) => sum + row[kind], 0);

function said(saving: Saving, called: (tool: number) => string): string {
  const where = saving.last_line > saving.line ? `lines ${saving.line} to ${saving.last_line}` : `line ${saving.line}`;
  if (saving.kind === "air") return `${called(saving.tool)} cuts nothing at feed, ${where}`;
  return `${called(saving.tool)}: ${saving.count === 1 ? "a retract" : `${saving.count} retracts`} ${saving.amount.toFixed(0)} mm higher than anything needs, ${where}`;
}

function Kinds({ row }: { row: Operation }) {
  return (
    <span className="bar" aria-hidden>
      {KINDS.map(([kind, , bar]) => (
        <i key={kind} className={bar} style={{ flex: row[kind] }} />
      ))}
    </span>
  );
}

interface Props {
  rehearsal: RehearsalFull;
  replay: Replay;
  onTime: (time: number) => void;
  onRehearsal: (id: number) => void;
}

export function TimeList({ rehearsal, replay, onTime, onRehearsal }: Props) {
  const [measuring, setMeasuring] = useState(false);
  const times = rehearsal.result?.times;
  const several = replay.lanes.length > 1;
  if (!times) return several ? <ChannelTimes rehearsal={rehearsal} replay={replay} onTime={onTime} /> : <p className="padded">Rehearse again to see where the time goes.</p>;
  const rows = times.operations;
  const longest = Math.max(...rows.map(total), 1e-9);
  const sums = KINDS.map(([kind, word, bar]) => ({ word, bar, seconds: rows.reduce((sum, row) => sum + row[kind], 0) })).filter((sum) => sum.seconds > SHORT_S);
  const late = rows.reduce((sum, row) => sum + row.late, 0);
  const called = (tool: number) => replay.called(tool) || `T${tool}`;
  return (
    <>
      <div className="padded" data-testid="times">
        <p className="cycle">
          Cycle <b>{clock(rehearsal.result?.time ?? 0)}</b>
          {rehearsal.result?.time_off != null && <span title="one standard deviation, from the times that were measured on this unit"> ± {clock(rehearsal.result.time_off)}</span>}
          <Button size="small" onClick={() => setMeasuring(true)}>
            Measured times…
          </Button>
        </p>
        {measuring && <MeasuredTimes rehearsal={rehearsal} open onClose={() => setMeasuring(false)} onRehearsal={onRehearsal} />}
        <ul className="time-key">
          {sums.map(({ word, bar, seconds }) => (
            <li key={word}>
              <i className={bar} /> {word} <b>{clock(seconds)}</b>
            </li>
          ))}
        </ul>
        <ul className="rows time-rows">
          {rows.map((row) => (
            <li key={`${row.channel} ${row.begin}`}>
              <button
                onClick={() => onTime(row.begin)}
                title={KINDS.filter(([kind]) => row[kind] > SHORT_S).map(([kind, word]) => `${word} ${clock(row[kind])}`).join(" · ")}
              >
                <span className="time-head">
                  <span>
                    {several && <b className="channel">{row.channel}</b>}
                    {row.tool > 0 ? `T${row.tool} ${row.name.toLowerCase()}` : row.name.toLowerCase() || "without a tool"}
                  </span>
                  <b>{clock(total(row))}</b>
                </span>
                <span style={{ display: "block", width: `${(100 * total(row)) / longest}%` }}>
                  <Kinds row={row} />
                </span>
              </button>
            </li>
          ))}
        </ul>
        {late > SHORT_S && <p className="quiet">At feed {clock(late)} more than length over feed: corners, accelerations and axes that cannot follow.</p>}
        <h4>Could be saved</h4>
        {!times.savings.length && <p className="quiet">Nothing stands out: no long way in the air at feed, no retract far above the work.</p>}
        <ul className="rows">
          {times.savings.map((saving) => (
            <li key={`${saving.kind} ${saving.channel} ${saving.time}`}>
              <button onClick={() => onTime(saving.time)}>
                <b>{saving.seconds.toFixed(1)} s</b>
                <span>{said(saving, called)}</span>
              </button>
            </li>
          ))}
        </ul>
        {times.savings.length > 0 && <p className="quiet">To be looked at, not tried. Spindles and coolant take the time that the machine file says.</p>}
      </div>
      {several && <ChannelTimes rehearsal={rehearsal} replay={replay} onTime={onTime} />}
    </>
  );
}
