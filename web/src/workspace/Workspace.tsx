// One rehearsal: what it is of, what can be done with it, and its state: waiting, under way, done, failed.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Dropdown, Spin } from "antd";
import { useEffect, useState } from "react";

import { api, follow, type Progress } from "../api/client";
import { RehearseButton, type Run } from "../jobs/RehearseButton";
import { UNDER_WAY } from "../jobs/route";
import { ReleaseControl } from "../releases/Release";
import { Rehearsed } from "./Replaying";
import { Steps } from "./Steps";
import { UnderWay } from "./UnderWay";

const PAPERS = [
  ["A4", "Report, PDF on A4"],
  ["letter", "Report, PDF on Letter"],
] as const;
const FILES: [string, string][] = [
  ["report.html", "Report, one page"],
  ["setup.html", "Setup sheet, for the floor"],
  ["tools.csv", "Tool list, CSV"],
  ["labels.html", "Labels of its tools, to print"],
  ["verdict.json", "Verdict, JSON"],
  ["verdict.sarif", "Verdict, SARIF"],
  ["verdict.xml", "Verdict, JUnit"],
  ["trace.csv", "Every motion, CSV"],
  ["stock.stl", "Machined stock, STL"],
  ["control.csv", "Offsets and registers, CSV"],
];

/** Of each channel the program that writes its offsets and registers at the machine. */
function programsOfControl(artifacts: string[]): [string, string][] {
  const own = artifacts.filter((name) => /^control-\d+\.nc$/.test(name)).sort();
  return own.map((name) => [name, `Offsets and registers as a program${own.length > 1 ? `, channel ${name.replace(/\D/g, "")}` : ""}`]);
}

interface WorkspaceProps {
  id: number;
  onLeave: () => void;
  onRehearsal: (id: number) => void;
  onSetup: (revision: number) => void;
  onDesk: (revision: number) => void;
}

export function Workspace({ id, onLeave, onRehearsal, onSetup, onDesk }: WorkspaceProps) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const rehearsal = useQuery({
    queryKey: ["rehearsal", id],
    queryFn: () => api.rehearsal(id),
    // Other steps of its route may be under way.
    refetchInterval: ({ state: { data } }) => (data?.route?.steps.some((step) => UNDER_WAY.includes(step.state ?? "")) ? 2000 : false),
  });
  const [progress, setProgress] = useState<Progress | null>(null);
  const me = useQuery({ queryKey: ["me"], queryFn: api.me }).data;
  const state = rehearsal.data?.state;
  const running = state === "queued" || state === "running";

  useEffect(() => {
    if (!running) return;
    return follow(id, (event) => {
      setProgress(event);
      if (!["queued", "running"].includes(event.state)) {
        setProgress(null);
        void queries.invalidateQueries();
      }
    });
  }, [id, running, queries]);

  const again = async (run: Run) => {
    try {
      onRehearsal((await api.rehearse(rehearsal.data!.revision, run)).id);
    } catch (error) {
      message.error((error as Error).message);
    }
  };

  const back = async () => {
    try {
      onRehearsal((await api.back(rehearsal.data!.revision)).id);
    } catch (error) {
      message.error((error as Error).message);
    }
  };

  if (rehearsal.isPending) return <Spin className="middle" />;
  if (rehearsal.isError)
    return <Alert className="middle" type="error" title={rehearsal.error.message} action={<Button onClick={onLeave}>All jobs</Button>} />;
  const data = rehearsal.data;
  return (
    <div className="workspace">
      <header>
        <Button size="small" onClick={onLeave}>
          All jobs
        </Button>
        <b>{data.job_name}</b>
        <span className="quiet one-line" title={data.revision_label}>
          {data.machine} · revision {data.revision_number}
          {data.revision_label && ` ${data.revision_label}`} · {data.quick ? "quick look" : "rehearsal"} {data.id}
        </span>
        <span className="grow" />
        {running ? (
          <Button size="small" onClick={() => api.cancel(id)}>
            Cancel
          </Button>
        ) : (
          <>
            {data.made_from !== null && (
              <Button size="small" type="text" title={`Keep revision ${data.made_from}, from which this one was made, as the newest again`} onClick={() => void back()}>
                Back to revision {data.made_from}
              </Button>
            )}
            {state === "done" && me && <ReleaseControl rehearsal={data} me={me} />}
            <Dropdown
              menu={{
                items: [
                  ...PAPERS.map(([paper, label]) => ({
                    key: paper,
                    label: (
                      <a href={api.reportAddress(id, paper)} target="_blank">
                        {label}
                      </a>
                    ),
                  })),
                  ...[...FILES, ...programsOfControl(data.artifacts)].filter(([file]) => data.artifacts.includes(file)).map(([file, label]) => ({
                  key: file,
                  label: (
                    <a href={api.artifactAddress(id, file)} {...(file.endsWith(".html") ? { target: "_blank" } : { download: file })}>
                      {label}
                    </a>
                  ),
                  })),
                ],
              }}
              trigger={["click"]}
              disabled={!data.artifacts.length}
            >
              <Button size="small">Files</Button>
            </Dropdown>
            <Button size="small" onClick={() => onSetup(data.revision)}>
              Setup
            </Button>
            <Button size="small" onClick={() => onDesk(data.revision)}>
              Script
            </Button>
            <RehearseButton label={data.quick ? "Rehearse in full" : "Rehearse again"} onRun={(run) => void again(run)} />
          </>
        )}
      </header>
      {state === "done" ? (
        <Rehearsed id={id} onRehearsal={onRehearsal} />
      ) : (
        <div className="middle">
          {running && <UnderWay waiting={state === "queued" && !progress} stage={progress?.stage ?? data.stage} share={progress?.share ?? data.share} />}
          {state === "failed" && <Alert type="error" title="The rehearsal failed" description={data.error} />}
          {state === "cancelled" && <Alert type="info" title="The rehearsal was cancelled" />}
        </div>
      )}
      {data.route && <Steps route={data.route} current={id} onRehearsal={onRehearsal} />}
    </div>
  );
}
