import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Dropdown, Empty, Spin } from "antd";
import { useEffect, useRef, useState } from "react";

import { api, type Job, type Revision } from "../api/client";
import { Mark } from "../inspector/Mark";
import { clock, VERDICT_WORDS } from "../look";
import { Compare } from "../swap/Compare";
import { Swap } from "../swap/Swap";
import { ComposeJob } from "./ComposeJob";
import { filesOf } from "./dropped";
import { useDrop } from "./useDrop";

const MOMENT = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

const STATES: Record<string, string> = { queued: "waiting", running: "under way", done: "done", failed: "failed", cancelled: "cancelled" };

interface Props {
  onRehearsal: (id: number) => void;
  onSetup: (revision: number) => void;
  onDesk: (revision: number) => void;
}

export function Jobs({ onRehearsal, onSetup, onDesk }: Props) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const jobs = useQuery({ queryKey: ["jobs"], queryFn: api.jobs, refetchInterval: 4000 });
  const [sending, setSending] = useState(false);
  const [failure, setFailure] = useState("");
  const [composing, setComposing] = useState(false);
  const [swapping, setSwapping] = useState<Revision | null>(null);
  const [comparing, setComparing] = useState<Job | null>(null);
  const [posting, setPosting] = useState<Revision | null>(null);
  const picker = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (posting) picker.current?.click();
  }, [posting]);

  const send = async (files: { file: File; name: string }[]) => {
    setSending(true);
    setFailure("");
    try {
      const job = await api.upload(files);
      message.success(`${job.name} is in.`);
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setSending(false);
    }
  };
  /** The commonest act of all: the post has been run again, and its programs take the place of those of the same name. */
  const put = async (revision: Revision, files: File[]) => {
    setSending(true);
    setFailure("");
    try {
      const job = await api.putPrograms(revision.id, files);
      message.success(`${job.name}: kept as revision ${job.revisions[0].number}.`);
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setSending(false);
      setPosting(null);
    }
  };
  const run = (revision: Revision) =>
    api.rehearse(revision.id).then(
      (rehearsal) => onRehearsal(rehearsal.id),
      (error: Error) => message.error(error.message),
    );

  const drop = useDrop((data) => void filesOf(data.items).then(send));
  return (
    <main
      className={drop.over ? "jobs over" : "jobs"}
      {...drop.handlers}
    >
      <div className="jobs-head">
        <h2>Jobs</h2>
        <span className="quiet">Drop a job folder or a zip of one anywhere on this page, or</span>
        <label className="choose">
          <input
            type="file"
            accept=".zip"
            hidden
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) void send([{ file, name: file.name }]);
              event.target.value = "";
            }}
          />
          choose a zip
        </label>
        {sending && <Spin size="small" />}
        <span className="grow" />
        <Button size="small" type="primary" onClick={() => setComposing(true)}>
          New job
        </Button>
      </div>
      <ComposeJob
        open={composing}
        onClose={() => setComposing(false)}
        onDone={(job) => {
          setComposing(false);
          message.success(`${job.name} is in.`);
          void queries.invalidateQueries({ queryKey: ["jobs"] });
          onSetup(job.revisions[0].id);
        }}
      />
      <input
        ref={picker}
        type="file"
        multiple
        hidden
        aria-label="Programs posted again"
        onChange={(event) => {
          const files = [...(event.target.files ?? [])];
          event.target.value = "";
          if (posting && files.length) void put(posting, files);
        }}
      />
      <Swap key={swapping?.id} revision={swapping} onClose={() => setSwapping(null)} onRehearsal={onRehearsal} />
      <Compare key={comparing?.id} job={comparing} onClose={() => setComparing(null)} onRehearsal={onRehearsal} />
      {failure && <Alert type="error" closable title="The job was not taken in" description={failure} />}
      {jobs.isError && <Alert type="error" title={jobs.error.message} />}
      {jobs.isPending && <Spin className="middle" />}
      {jobs.data?.length === 0 && <Empty description="No job yet. Drop the first one here." />}
      {!!jobs.data?.length && (
        <table className="job-table">
          <thead>
            <tr>
              <th>Job</th>
              <th>Revision</th>
              <th>Machine</th>
              <th>Last rehearsal</th>
              <th>Findings</th>
              <th>Cycle time</th>
              <th>When, by whom</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {jobs.data.flatMap((job) =>
              job.revisions.map((revision, i) => {
                const last = revision.rehearsals[0];
                return (
                  <tr key={revision.id} className={i ? "" : "first"}>
                    <td>{i === 0 && <b>{job.name}</b>}</td>
                    <td>
                      {revision.number} {revision.label && <span className="quiet">{revision.label}</span>}
                    </td>
                    <td>{revision.machine}</td>
                    <td>
                      {!last && <span className="quiet">not rehearsed</span>}
                      {last?.state === "done" && last.verdict && (
                        <button onClick={() => onRehearsal(last.id)} className="as-link said">
                          <Mark severity={last.verdict} /> {VERDICT_WORDS[last.verdict]}
                        </button>
                      )}
                      {last && last.state !== "done" && (
                        <button onClick={() => onRehearsal(last.id)} className="as-link">
                          {STATES[last.state]}
                          {last.state === "running" && ` ${Math.round(100 * last.share)} %`}
                        </button>
                      )}
                    </td>
                    <td>
                      {last?.state === "done" && (
                        <>
                          {last.stops > 0 && (
                            <span className="count">
                              <Mark severity="stop" /> {last.stops}
                            </span>
                          )}
                          {last.cautions > 0 && (
                            <span className="count">
                              <Mark severity="caution" /> {last.cautions}
                            </span>
                          )}
                          {!last.stops && !last.cautions && <span className="quiet">none</span>}
                        </>
                      )}
                    </td>
                    <td>{last?.seconds != null && clock(last.seconds)}</td>
                    <td className="quiet">{last && `${MOMENT.format(new Date(last.created))}, ${last.by}`}</td>
                    <td>
                      <span className="row-actions">
                        <Button size="small" onClick={() => onSetup(revision.id)}>
                          Setup
                        </Button>{" "}
                        <Button size="small" onClick={() => onDesk(revision.id)}>
                          Script
                        </Button>
                        <Button size="small" onClick={() => run(revision)}>
                          Rehearse
                        </Button>
                        <Dropdown
                          trigger={["click"]}
                          menu={{
                            items: [
                              { key: "posted", label: "Programs posted again…", onClick: () => setPosting({ ...revision }) },
                              { key: "out", label: <a href={api.archiveAddress(revision.id)} download>Folder as a zip</a> },
                              { key: "swap", label: "Another machine under it…", onClick: () => setSwapping(revision) },
                              { key: "compare", label: "Rehearsals side by side…", onClick: () => setComparing(job) },
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
              }),
            )}
          </tbody>
        </table>
      )}
    </main>
  );
}
