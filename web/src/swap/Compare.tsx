import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Modal, Select, Spin } from "antd";
import { lazy, Suspense, useMemo, useState } from "react";

import { api, type Job, type RehearsalFull } from "../api/client";
import { Mark } from "../inspector/Mark";
import { clock, cssOf, deviationColour, VERDICT_WORDS } from "../look";
import { differing } from "./sameFindings";

const PartStage = lazy(() => import("./PartStage"));

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
      {a.data && b.data && pair[0] !== pair[1] && (
        <section data-testid="beside">
          <h4>Part</h4>
          <Parts a={a.data.id} b={b.data.id} />
        </section>
      )}
    </Modal>
  );
}

const useSide = (id: number | null) => useQuery({ queryKey: ["rehearsal", id], queryFn: () => api.rehearsal(id!), enabled: id !== null });

/** How far apart two readings must be to be shown: clearances in mm (they are found to 5 %), operations in s. */
const APART_MM = 0.05;
const APART_SHARE = 0.05;
const APART_S = 0.1;
const MOST_ROWS = 8;

type Reading = (side: RehearsalFull) => number | null;

/** The pairs of bodies that come nearer in one of two rehearsals than in the other, the nearest first. */
export function pairsApart(a: RehearsalFull, b: RehearsalFull): { bodies: string; of: Reading }[] {
  const tables = new Map([a, b].map((side) => [side, new Map((side.result?.checked.margins ?? []).map((margin) => [margin.bodies.join(" · "), margin.clearance]))]));
  const names = [...new Set([...tables.values()].flatMap((table) => [...table.keys()]))];
  return names
    .map((bodies) => ({ bodies, of: (side: RehearsalFull) => tables.get(side)!.get(bodies) ?? null }))
    .filter(({ of }) => {
      const [one, other] = [of(a) ?? Infinity, of(b) ?? Infinity];
      return Math.abs(one - other) > Math.max(APART_MM, APART_SHARE * Math.min(one, other)) && Math.min(one, other) < 20;
    })
    .sort((one, other) => Math.min(one.of(a) ?? Infinity, one.of(b) ?? Infinity) - Math.min(other.of(a) ?? Infinity, other.of(b) ?? Infinity))
    .slice(0, MOST_ROWS);
}

const KINDS = ["cutting", "air", "rapid", "dwell", "change", "waiting", "spindle", "coolant", "other"] as const;

/** The operations, by tool and name, that take another time in one of two rehearsals. */
export function operationsApart(a: RehearsalFull, b: RehearsalFull): { name: string; of: Reading }[] {
  if (!a.result?.times || !b.result?.times) return []; // one of an older build does not know
  const tables = new Map(
    [a, b].map((side) => {
      const table = new Map<string, number>();
      for (const row of side.result?.times?.operations ?? []) {
        const name = row.tool > 0 ? `T${row.tool} ${row.name.toLowerCase()}` : row.name.toLowerCase() || "without a tool";
        table.set(name, (table.get(name) ?? 0) + KINDS.reduce((sum, kind) => sum + row[kind], 0));
      }
      return [side, table];
    }),
  );
  const names = [...new Set([...tables.values()].flatMap((table) => [...table.keys()]))];
  return names
    .map((name) => ({ name, of: (side: RehearsalFull) => tables.get(side)!.get(name) ?? null }))
    .filter(({ of }) => Math.abs((of(a) ?? 0) - (of(b) ?? 0)) > APART_S)
    .slice(0, MOST_ROWS);
}

/** As the part that is turned about has them at their fullest; the pictures have others. */
const [deeper, more] = [-1, 1].map((away) => ({ background: cssOf(deviationColour(away, { gouge: 0, excess: 0, reach: 1, steps: 0 })) }));
const FULL = { deeper, more };

/** The right part as it differs from the left one. */
function Parts({ a, b }: { a: number; b: number }) {
  const [turned, setTurned] = useState(false);
  const beside = useQuery({ queryKey: ["beside", a, b], queryFn: () => api.beside(a, b), staleTime: Infinity, retry: false });
  if (beside.isError) return <p className="quiet">{beside.error.message}</p>;
  if (!beside.data) return <Spin />;
  const { more, less, volume, pictures } = beside.data;
  if (more < 0.02 && less < 0.02) return <p className="quiet">The two parts are the same, to 0.02 mm.</p>;
  return (
    <>
      <p>
        The right part is cut up to <b>{less.toFixed(2)} mm</b> deeper <i className="swatch deeper" style={turned ? FULL.deeper : undefined} />, leaves up to <b>{more.toFixed(2)} mm</b> more <i className="swatch more" style={turned ? FULL.more : undefined} />, and holds{" "}
        <b>{Math.abs(volume / 1000).toFixed(2)} cm³</b> {volume < 0 ? "less" : "more"}.
      </p>
      {turned ? (
        <Suspense fallback={<Spin />}>
          <PartStage a={a} b={b} />
        </Suspense>
      ) : (
        <>
          <div className="beside">
            {pictures.map((picture, at) => (
              <img key={picture} src={picture} alt={at ? "the right part from below" : "the right part from above"} />
            ))}
          </div>
          <Button size="small" onClick={() => setTurned(true)}>
            Turn it about
          </Button>
        </>
      )}
    </>
  );
}

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
      {pairsApart(a, b).map(({ bodies, of }) => both(bodies, (side) => (of(side) === null ? <span className="quiet">never near</span> : `${of(side)!.toFixed(2)} mm`)))}
      {operationsApart(a, b).map(({ name, of }) => both(name, (side) => (of(side) === null ? <span className="quiet">none</span> : clock(of(side)!))))}
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
