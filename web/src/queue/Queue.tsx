// What is under way and what waits, in the order in which it is taken up: by turns of people, so that nobody's hundred keep another waiting.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Spin } from "antd";

import { api, type Queued, type Sweep } from "../api/client";
import { useAct } from "../pane/useAct";

const MOMENT = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** How one stands, in words. */
export function standsHow(row: Queued): string {
  if (row.state === "running") return `${row.stage || "begins"}, ${Math.round(100 * row.share)} %`;
  return row.place === 1 ? "the next" : `${row.place}th`.replace(/(^|[^1])1th$/, "$11st").replace(/(^|[^1])2th$/, "$12nd").replace(/(^|[^1])3th$/, "$13rd");
}

/** What a sweep has come to so far, in words. */
export function cameTo(sweep: Sweep): string {
  const told = [
    sweep.done - sweep.stopped > 0 && `${sweep.done - sweep.stopped} without a stop`,
    sweep.stopped > 0 && `${sweep.stopped} must not run as ${sweep.stopped === 1 ? "it is" : "they are"}`,
    sweep.failed > 0 && `${sweep.failed} failed`,
    sweep.cancelled > 0 && `${sweep.cancelled} stopped`,
    sweep.running > 0 && `${sweep.running} under way`,
    sweep.waiting > 0 && `${sweep.waiting} waiting`,
  ].filter(Boolean);
  return told.join(", ");
}

function Share({ name, share }: { name: string; share: number }) {
  return (
    <div role="progressbar" aria-label={`${name}: how far`} aria-valuenow={Math.round(100 * share)}>
      <div style={{ width: `${100 * share}%` }} />
    </div>
  );
}

function Sweeps({ sweeps, onEnd }: { sweeps: Sweep[]; onEnd: (id: number) => void }) {
  return (
    <table className="job-table" aria-label="Many jobs at once">
      <thead>
        <tr>
          <th>Many at once</th>
          <th />
          <th>Rehearsed</th>
          <th>Came to</th>
          <th>Asked by</th>
          <th>Since</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {sweeps.map((sweep) => (
          <tr key={sweep.id} className="first">
            <td>{sweep.waiting + sweep.running > 0 ? <b>{Math.round(100 * sweep.share)} %</b> : "over"}</td>
            <td className="queue-share">{sweep.waiting + sweep.running > 0 && <Share name={sweep.why} share={sweep.share} />}</td>
            <td>
              {sweep.why} <span className="quiet">{sweep.whole === 1 ? "1 job" : `${sweep.whole} jobs`}</span>
            </td>
            <td>{cameTo(sweep)}</td>
            <td>{sweep.by}</td>
            <td className="quiet">{MOMENT.format(new Date(sweep.created))}</td>
            <td>
              {sweep.waiting + sweep.running > 0 && (
                <Button size="small" onClick={() => onEnd(sweep.id)} aria-label={`Stop all of ${sweep.why}`}>
                  Stop all
                </Button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function Queue({ onRehearsal }: { onRehearsal: (id: number) => void }) {
  const told = useQuery({ queryKey: ["queue"], queryFn: api.queue, refetchInterval: 2000 });
  const cancel = useAct(["queue"], (id: number) => api.cancel(id));
  const end = useAct(["queue"], (id: number) => api.cancelSweep(id));
  if (told.isError) return <Alert className="middle" type="error" title={told.error.message} />;
  if (!told.data) return <Spin className="middle" />;
  const { rehearsals, sweeps, others } = told.data;
  const several = rehearsals.some((row) => row.worker && row.worker !== "main"); // else where each is carried out is no news
  return (
    <main className="jobs">
      <div className="jobs-head">
        <h2>Queue</h2>
        <span className="quiet">
          people take turns; a quick look comes before one's own others, what was begun for many jobs at once after them
          {others > 0 && `. ${others} of other organisations ${others === 1 ? "is" : "are"} under way or waiting, too`}
        </span>
      </div>
      {!!sweeps.length && <Sweeps sweeps={sweeps} onEnd={(id) => end.mutate(id)} />}
      {!rehearsals.length && <p className="padded">Nothing is under way and nothing waits.</p>}
      {!!rehearsals.length && (
        <table className="job-table">
          <thead>
            <tr>
              <th>Stands</th>
              <th />
              <th>Job</th>
              <th>Revision</th>
              <th>Machine</th>
              <th>Asked by</th>
              {several && <th>Worked out by</th>}
              <th>Since</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rehearsals.map((row) => (
              <tr key={row.id} className="first">
                <td>{row.state === "running" ? <b>{standsHow(row)}</b> : standsHow(row)}</td>
                <td className="queue-share">
                  {row.state === "running" && <Share name={row.job} share={row.share} />}
                </td>
                <td>
                  <button className="as-link" onClick={() => onRehearsal(row.id)}>
                    {row.job}
                  </button>{" "}
                  <span className="quiet">{[row.quick && "quick look", row.background && "in the background"].filter(Boolean).join(", ")}</span>
                </td>
                <td>{row.revision}</td>
                <td>{row.machine}</td>
                <td>{row.by}</td>
                {several && <td>{row.worker}</td>}
                <td className="quiet">{MOMENT.format(new Date(row.begun ?? row.created))}</td>
                <td>
                  <Button size="small" onClick={() => cancel.mutate(row.id)} aria-label={`Stop ${row.job}, revision ${row.revision}`}>
                    Stop
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </main>
  );
}
