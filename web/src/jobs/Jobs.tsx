import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Empty, Input, Select, Spin } from "antd";
import { useEffect, useRef, useState } from "react";

import { api, type Job, type Me, type Revision, type Route } from "../api/client";
import { Compare } from "../swap/Compare";
import { VERDICT_WORDS } from "../look";
import { useKept } from "../pane/useKept";
import { Swap } from "../swap/Swap";
import { Basket } from "./Basket";
import { ComposeJob } from "./ComposeJob";
import { filesOf } from "./dropped";
import { found, standing, STANDINGS, type Standing } from "./find";
import type { Run } from "./RehearseButton";
import { listed } from "./route";
import { JobRows, RouteRows } from "./Rows";
import { touchedRevision } from "./touched";
import { useDrop } from "./useDrop";

const AT_ONCE = 60; // rows of the list that are drawn before somebody asks for more
const STANDS: Record<Standing, string> = { all: "however they stand", ...VERDICT_WORDS, none: "not rehearsed" };

interface Props {
  me: Me;
  onRehearsal: (id: number) => void;
  onSetup: (revision: number) => void;
  onDesk: (revision: number) => void;
}

export function Jobs({ me, onRehearsal, onSetup, onDesk }: Props) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const jobs = useQuery({ queryKey: ["jobs"], queryFn: api.jobs, refetchInterval: 4000 });
  const routes = useQuery({ queryKey: ["routes"], queryFn: api.routes, refetchInterval: 4000 });
  const people = useQuery({ queryKey: ["people"], queryFn: api.people, enabled: me.role === "administers" });
  const [sending, setSending] = useState(false);
  const [failure, setFailure] = useState("");
  const [emptying, setEmptying] = useState(false);
  const [composing, setComposing] = useState(false);
  const [swapping, setSwapping] = useState<Revision | null>(null);
  const [comparing, setComparing] = useState<Job | null>(null);
  const [posting, setPosting] = useState<Revision | null>(null);
  const [words, setWords] = useKept<string>("jobs words", "");
  const [wanted, setWanted] = useKept<Standing>("jobs standing", "all");
  const [shown, setShown] = useState(AT_ONCE);
  const sought = found(jobs.data ?? [], words, wanted);
  const entries = listed(sought, (routes.data ?? []).filter(({ id }) => sought.some(({ route }) => route === id))); // a step bears its route's name
  const touched = (jobs.data ?? []).filter(touchedRevision).length;
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
  const readControl = (revision: Revision) => {
    const field = document.createElement("input");
    field.type = "file";
    field.accept = ".csv,.nc,.txt,.tap,.mpf";
    field.onchange = () => {
      const file = field.files?.[0];
      if (!file) return;
      api.putControl(revision.id, file).then(
        () => {
          void queries.invalidateQueries({ queryKey: ["jobs"] });
          message.success(`${file.name} is read in: a new revision`);
        },
        (error: Error) => message.error(error.message),
      );
    };
    field.click();
  };
  const run = (revision: Revision, how: Run = "full") =>
    api.rehearse(revision.id, how).then(
      (rehearsal) => onRehearsal(rehearsal.id),
      (error: Error) => message.error(error.message),
    );

  const throwAway = (what: "jobs" | "routes", one: { id: number; name: string }) =>
    api.throwAway(what, one.id).then(
      () => {
        void queries.invalidateQueries();
        message.success(`${one.name} is in the basket; it can be brought back for 30 days.`);
      },
      (error: Error) => message.error(error.message),
    );
  const giveTo = (job: Job, site: number | null) =>
    api.setJobSite(job.id, site).then(
      () => void queries.invalidateQueries({ queryKey: ["jobs"] }),
      (error: Error) => message.error(error.message),
    );
  const withLibrary = (revision: Revision) =>
    api.withLibrary(revision.id).then(
      (rehearsal) => {
        void queries.invalidateQueries({ queryKey: ["jobs"] });
        onRehearsal(rehearsal.id);
      },
      (error: Error) => message.error(error.message),
    );

  const runRoute = (route: Route) =>
    api.rehearseRoute(route.id).then(
      ({ steps }) => {
        void queries.invalidateQueries();
        onRehearsal(steps[steps.length - 1].rehearsal!);
      },
      (error: Error) => message.error(error.message),
    );
  const acts = { onRehearsal, onSetup, onDesk, onRun: run, onPosted: (revision: Revision) => setPosting({ ...revision }), onControl: readControl, onSwap: setSwapping, onCompare: setComparing, onWithLibrary: withLibrary, onThrow: throwAway, sites: people.data?.sites ?? [], onSite: giveTo };

  const tryTouched = () =>
    api.rehearseTouched().then(
      (made) => {
        void queries.invalidateQueries({ queryKey: ["jobs"] });
        message.success(made.length === 1 ? "One job is tried with what the library holds now." : `${made.length} jobs are tried with what the library holds now.`);
      },
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
        <span className="quiet">Drop a job's or a route's folder or zip anywhere here, or</span>
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
        <Input size="small" className="jobs-find" allowClear value={words} placeholder="Find" aria-label="Find a job" onChange={(event) => setWords(event.target.value)} />
        <Select
          size="small"
          value={wanted}
          aria-label="How they stand"
          popupMatchSelectWidth={false}
          onChange={setWanted}
          options={STANDINGS.map((value) => ({ value, label: value === "all" ? STANDS.all : `${STANDS[value]} · ${(jobs.data ?? []).filter((job) => standing(job) === value).length}` }))}
        />
        {touched > 0 && (
          <Button size="small" onClick={() => void tryTouched()} title="Each with the library's newest machine and tools as a new revision, in the background">
            {touched === 1 ? "Try the one that the library touched" : `Try the ${touched} that the library touched`}
          </Button>
        )}
        <Button size="small" onClick={() => setEmptying(true)}>
          Basket
        </Button>
        <Button size="small" type="primary" onClick={() => setComposing(true)}>
          New job
        </Button>
      </div>
      <Basket open={emptying} me={me} onClose={() => setEmptying(false)} />
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
      {entries.length > 0 && jobs.data && (
        <table className="job-table jobs-of">
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
            {entries.slice(0, shown).map((entry) =>
              "steps" in entry ? (
                <RouteRows key={`route ${entry.id}`} route={entry} jobs={jobs.data.filter((job) => job.route === entry.id)} acts={acts} onRoute={runRoute} />
              ) : (
                <JobRows key={entry.id} job={entry} acts={acts} />
              ),
            )}
          </tbody>
        </table>
      )}
      {entries.length > shown && (
        <Button size="small" onClick={() => setShown(shown + AT_ONCE)}>
          {entries.length - shown} more
        </Button>
      )}
      {!!jobs.data?.length && !entries.length && (
        <Empty image={Empty.PRESENTED_IMAGE_SIMPLE} description="No job is called so and stands so.">
          <Button
            size="small"
            onClick={() => {
              setWords("");
              setWanted("all");
            }}
          >
            Show all
          </Button>
        </Empty>
      )}
    </main>
  );
}
