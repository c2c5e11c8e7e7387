// What is under way and what waits, in the order in which it is taken up: by turns of people, so that nobody's hundred keep another waiting.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Spin } from "antd";

import { api, type Queued } from "../api/client";
import { useAct } from "../pane/useAct";

const MOMENT = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** How one stands, in words. */
export function standsHow(row: Queued): string {
  if (row.state === "running") return `${row.stage || "begins"}, ${Math.round(100 * row.share)} %`;
  return row.place === 1 ? "the next" : `${row.place}th`.replace(/(^|[^1])1th$/, "$11st").replace(/(^|[^1])2th$/, "$12nd").replace(/(^|[^1])3th$/, "$13rd");
}

export function Queue({ onRehearsal }: { onRehearsal: (id: number) => void }) {
  const told = useQuery({ queryKey: ["queue"], queryFn: api.queue, refetchInterval: 2000 });
  const cancel = useAct(["queue"], (id: number) => api.cancel(id));
  if (told.isError) return <Alert className="middle" type="error" title={told.error.message} />;
  if (!told.data) return <Spin className="middle" />;
  const { rehearsals, others } = told.data;
  return (
    <main className="jobs">
      <div className="jobs-head">
        <h2>Queue</h2>
        <span className="quiet">
          people take turns; a quick look comes before one's own others, what was begun for many jobs at once after them
          {others > 0 && `. ${others} of other organisations ${others === 1 ? "is" : "are"} under way or waiting, too`}
        </span>
      </div>
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
              <th>Since</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rehearsals.map((row) => (
              <tr key={row.id} className="first">
                <td>{row.state === "running" ? <b>{standsHow(row)}</b> : standsHow(row)}</td>
                <td className="queue-share">
                  {row.state === "running" && (
                    <div role="progressbar" aria-label={`${row.job}: how far`} aria-valuenow={Math.round(100 * row.share)}>
                      <div style={{ width: `${100 * row.share}%` }} />
                    </div>
                  )}
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
