// The rows of the table of jobs: a job's revisions, and a route with its steps under it.

import { Button, Dropdown } from "antd";

import { api, type Job, type Rehearsal, type Revision, type Route, type Site } from "../api/client";
import { Mark } from "../inspector/Mark";
import { ReleaseMark } from "../releases/Release";
import { clock, VERDICT_WORDS } from "../look";
import type { Run } from "./RehearseButton";
import { worst } from "./route";
import { touchedRevision } from "./touched";

const MOMENT = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

const STATES: Record<string, string> = { queued: "waiting", running: "under way", done: "done", failed: "failed", cancelled: "cancelled" };

/** What can be done with a job from its row. */
export interface Acts {
  onRehearsal: (id: number) => void;
  onSetup: (revision: number) => void;
  onDesk: (revision: number) => void;
  onRun: (revision: Revision, run?: Run) => void;
  onPosted: (revision: Revision) => void;
  onControl: (revision: Revision) => void;
  onSwap: (revision: Revision) => void;
  onCompare: (job: Job) => void;
  onWithLibrary: (revision: Revision) => void;
  /** The sites that a job may be given to; empty for those who may not. */
  sites: Site[];
  onSite: (job: Job, site: number | null) => void;
  onThrow: (what: "jobs" | "routes", one: { id: number; name: string }) => void;
}

export function JobRows({ job, acts }: { job: Job; acts: Acts }) {
  return job.revisions.map((revision, i) => {
    const last = revision.rehearsals[0];
    return (
      <tr key={revision.id} className={i || job.step ? "" : "first"}>
        <td className={job.step && "step-name"}>
          {i === 0 && (job.step || <b>{job.name}</b>)}
          {i === 0 && job.site && <div className="quiet">{job.site}</div>}
        </td>
        <td>
          {revision.number} {revision.label && <span className="quiet revision-label" title={revision.label}>{revision.label}</span>}
          {revision.release && (
            <div>
              <ReleaseMark release={revision.release} />
              {revision.release.lapsed && <div className="stale">{revision.release.lapsed}</div>}
              {touchedRevision(job) === revision && (
                <button className="as-link" onClick={() => acts.onWithLibrary(revision)} title="A new revision with the library's newest machine and tools, rehearsed; what was released stays as it is">
                  Try it with that
                </button>
              )}
            </div>
          )}
        </td>
        <td>{revision.machine}</td>
        <td>{last ? <Last rehearsal={last} onRehearsal={acts.onRehearsal} /> : <span className="quiet">not rehearsed</span>}</td>
        <td>{last?.state === "done" && <Counts stops={last.stops} cautions={last.cautions} />}</td>
        <td>{last?.seconds != null && clock(last.seconds)}</td>
        <td className="quiet">{last && `${MOMENT.format(new Date(last.created))}, ${last.by}`}</td>
        <td>
          <span className="row-actions">
            <Button size="small" onClick={() => acts.onSetup(revision.id)}>
              Setup
            </Button>{" "}
            <Button size="small" onClick={() => acts.onDesk(revision.id)}>
              Script
            </Button>
            <Button size="small" onClick={() => acts.onRun(revision)}>
              Rehearse
            </Button>
            <Dropdown
              trigger={["click"]}
              menu={{
                items: [
                  { key: "quick", label: "Quick look", onClick: () => acts.onRun(revision, "quick") },
                  { key: "posted", label: "Programs posted again…", onClick: () => acts.onPosted(revision) },
                  { key: "control", label: "Offsets and registers read in…", onClick: () => acts.onControl(revision) },
                  { key: "out", label: <a href={api.archiveAddress(revision.id)} download>Folder as a zip</a> },
                  { key: "swap", label: "Another machine under it…", onClick: () => acts.onSwap(revision) },
                  { key: "compare", label: "Rehearsals side by side…", onClick: () => acts.onCompare(job) },
                  ...(acts.sites.length
                    ? [
                        {
                          key: "site",
                          label: job.step ? "The route belongs to" : "It belongs to",
                          children: [{ id: null, name: "all sites" }, ...acts.sites].map(({ id, name }) => ({ key: `site ${id}`, label: name, disabled: name === (job.site || "all sites"), onClick: () => acts.onSite(job, id) })),
                        },
                      ]
                    : []),
                  ...(job.step ? [] : [{ type: "divider" as const }, { key: "throw", label: "Throw the job away", onClick: () => acts.onThrow("jobs", job) }]),
                ],
              }}
            >
              <Button size="small" aria-label={`More for ${job.name} revision ${revision.number}`}>
                ⋯
              </Button>
            </Dropdown>
          </span>
        </td>
      </tr>
    );
  });
}

/** A route as one line, its steps' jobs under it in their order. */
export function RouteRows({ route, jobs, acts, onRoute }: { route: Route; jobs: Job[]; acts: Acts; onRoute: (route: Route) => void }) {
  const verdict = worst(route);
  const seconds = route.steps.map((step) => step.seconds);
  return (
    <>
      <tr className="first">
        <td colSpan={3}>
          <b>{route.name}</b> <span className="quiet">route: {route.steps.map((step) => step.name).join(" → ")}</span>
        </td>
        <td>{verdict ? <b className="said"><Mark severity={verdict} /> {VERDICT_WORDS[verdict]}</b> : <span className="quiet">not rehearsed as a whole</span>}</td>
        <td />
        <td>{verdict && seconds.every((s) => s !== null) && clock(seconds.reduce((sum, s) => sum + s!, 0))}</td>
        <td />
        <td>
          <span className="row-actions">
            <Button size="small" onClick={() => onRoute(route)}>
              Rehearse the route
            </Button>
            <Dropdown trigger={["click"]} menu={{ items: [{ key: "throw", label: "Throw the route away, with its steps", onClick: () => acts.onThrow("routes", route) }] }}>
              <Button size="small" aria-label={`More for route ${route.name}`}>
                ⋯
              </Button>
            </Dropdown>
          </span>
        </td>
      </tr>
      {route.steps.map((step) => jobs.filter((job) => job.id === step.job).map((job) => <JobRows key={job.id} job={job} acts={acts} />))}
    </>
  );
}

function Last({ rehearsal, onRehearsal }: { rehearsal: Rehearsal; onRehearsal: (id: number) => void }) {
  if (rehearsal.state !== "done" || !rehearsal.verdict)
    return (
      <button onClick={() => onRehearsal(rehearsal.id)} className="as-link">
        {STATES[rehearsal.state]}
        {rehearsal.state === "running" && ` ${Math.round(100 * rehearsal.share)} %`}
      </button>
    );
  return (
    <>
      <button onClick={() => onRehearsal(rehearsal.id)} className="as-link said">
        <Mark severity={rehearsal.verdict} /> {VERDICT_WORDS[rehearsal.verdict]}
      </button>
      {rehearsal.quick && <div className="quiet">a quick look</div>}
      {rehearsal.stale && <div className="stale">no longer holds: {rehearsal.stale}</div>}
    </>
  );
}

function Counts({ stops, cautions }: { stops: number; cautions: number }) {
  if (!stops && !cautions) return <span className="quiet">none</span>;
  return (
    <>
      {stops > 0 && (
        <span className="count">
          <Mark severity="stop" /> {stops}
        </span>
      )}
      {cautions > 0 && (
        <span className="count">
          <Mark severity="caution" /> {cautions}
        </span>
      )}
    </>
  );
}
