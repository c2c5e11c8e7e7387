import { useQuery } from "@tanstack/react-query";
import { Alert, Modal, Select, Spin } from "antd";
import { useMemo, useState } from "react";

import { api, type Job, type RehearsalFull } from "../api/client";
import { Mark } from "../inspector/Mark";
import { clock, VERDICT_WORDS } from "../look";
import { differing } from "./sameFindings";

/** Two rehearsals of a job side by side: verdict, what went away and what came, time, travel, margins. */
export function Compare({ job, onClose, onRehearsal }: { job: Job | null; onClose: () => void; onRehearsal: (id: number) => void }) {
  const done = useMemo(
    () => (job?.revisions ?? []).flatMap((revision) => revision.rehearsals.filter((r) => r.state === "done").map((r) => ({ id: r.id, label: `revision ${revision.number} on ${revision.machine}, rehearsal ${r.id}` }))),
    [job],
  );
  const [chosen, setChosen] = useState<[number | null, number | null]>([null, null]);
  const pair = [chosen[0] ?? done[1]?.id ?? null, chosen[1] ?? done[0]?.id ?? null] as const;
  const [a, b] = [useSide(pair[0]), useSide(pair[1])];
  return (
    <Modal open={!!job} title={`${job?.name ?? ""}: side by side`} footer={null} onCancel={onClose} width={900}>
      {done.length < 2 ? (
        <p className="quiet">Two finished rehearsals are needed; this job has {done.length}.</p>
      ) : (
        <table className="compare" data-testid="compare">
          <thead>
            <tr>
              <th />
              {[0, 1].map((side) => (
                <th key={side}>
                  <Select
                    size="small"
                    value={pair[side]}
                    aria-label={side ? "Right" : "Left"}
                    options={done.map(({ id, label }) => ({ value: id, label }))}
                    onChange={(id) => setChosen(side ? [pair[0], id] : [id, pair[1]])}
                  />
                </th>
              ))}
            </tr>
          </thead>
          {a.data && b.data ? <Rows a={a.data} b={b.data} onOpen={onRehearsal} /> : <tbody><tr><td colSpan={3}>{a.isError || b.isError ? <Alert type="error" title="One of the two cannot be read." /> : <Spin />}</td></tr></tbody>}
        </table>
      )}
    </Modal>
  );
}

const useSide = (id: number | null) => useQuery({ queryKey: ["rehearsal", id], queryFn: () => api.rehearsal(id!), enabled: id !== null });

function Rows({ a, b, onOpen }: { a: RehearsalFull; b: RehearsalFull; onOpen: (id: number) => void }) {
  const { gone, fresh } = useMemo(() => differing(a.findings, b.findings), [a, b]);
  const axes = [...new Set([...(a.result?.axes ?? []), ...(b.result?.axes ?? [])].map((axis) => axis.axis))];
  const least = (side: RehearsalFull) => side.result?.checked.margins[0];
  const both = (name: string, of: (side: RehearsalFull) => React.ReactNode) => (
    <tr key={name}>
      <th>{name}</th>
      <td>{of(a)}</td>
      <td>{of(b)}</td>
    </tr>
  );
  return (
    <tbody>
      {both("Verdict", (side) => (
        <button className="as-link" onClick={() => onOpen(side.id)}>{side.verdict && <><Mark severity={side.verdict} /> {VERDICT_WORDS[side.verdict]}</>}</button>
      ))}
      {both("Cycle time", (side) => clock(side.seconds ?? 0))}
      {both("Findings", (side) => (
        <ul>
          {side.findings.map((finding) => {
            const only = (side === a ? gone : fresh).has(finding);
            return (
              <li key={finding.id} className={only ? "only" : "quiet"}>
                <Mark severity={finding.data.severity} /> {finding.data.message}
                {only && <em> {side === a ? "gone" : "new"}</em>}
              </li>
            );
          })}
          {!side.findings.length && <li className="quiet">none</li>}
        </ul>
      ))}
      {both("Least clearance", (side) => {
        const margin = least(side);
        return margin ? `${margin.clearance.toFixed(2)} mm, ${margin.bodies.join(" · ")}` : "";
      })}
      {axes.map((name) =>
        both(`${name} used`, (side) => {
          const axis = side.result?.axes.find((entry) => entry.axis === name);
          if (!axis) return <span className="quiet">no such axis</span>;
          const left = axis.travel ? Math.min(axis.min - axis.travel[0], axis.travel[1] - axis.max) : null;
          return `${axis.min.toFixed(1)} … ${axis.max.toFixed(1)}${left === null ? "" : `, ${left.toFixed(1)} left`}`;
        }),
      )}
    </tbody>
  );
}
