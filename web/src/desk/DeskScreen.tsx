import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Dropdown, Input, InputNumber, Popconfirm, Spin } from "antd";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import { saveUnlessBehind } from "../jobs/whenBehind";
import { api, type Checked, type Desk, type Explained, type Held, type JobData, type Operation, type Said, type ToolsData } from "../api/client";
import { Mark } from "../inspector/Mark";
import { clock, VERDICT_WORDS } from "../look";
import { Divider, useWidth } from "../pane/Divider";
import { download } from "../pane/download";
import { Tabs } from "../pane/Tabs";
import { RehearseButton, type Run } from "../jobs/RehearseButton";
import { BlockPane } from "./BlockPane";
import { Channels } from "./Channels";
import { Compare } from "./Compare";
import { Editor, type EditorHandle } from "./Editor";
import { Findings } from "./Findings";
import { Grids, type GridName } from "./Grids";
import { Operations } from "./Operations";
import { PathPlot } from "./PathPlot";
import { offsetsOf } from "../setup/offsets";
import { Programs } from "./Programs";
import { programsOf, programText, textsOf, withCalled, withChannel, without, type Program } from "./programs";
import { lineAt, linesOf, links, numbered, placeOf, unnumbered, withEdits } from "./text";

interface Props {
  revision: number;
  onLeave: () => void;
  onRehearsal: (id: number) => void;
  onRevision: (id: number) => void;
  onSetup: (id: number) => void;
}

/** Longer programs are checked when asked, not with every pause in typing. */
const ON_THE_FLY_LINES = 20_000;
const PAUSE_MS = 350;

type Stretch = { program: string; first: number; last: number };
type Shift = Stretch & { by: Record<string, number> };
interface Switches {
  left_out?: Stretch[];
  shifts?: Shift[];
  air_cut?: number;
  [more: string]: unknown;
}

export function DeskScreen(props: Props) {
  const desk = useQuery({ queryKey: ["desk", props.revision], queryFn: () => api.desk(props.revision), staleTime: Infinity });
  if (desk.isError) return <Alert className="middle" type="error" title={desk.error.message} action={<Button onClick={props.onLeave}>All jobs</Button>} />;
  if (!desk.data) return <Spin className="middle" description="Opening the programs" />;
  return <OpenDesk key={props.revision} desk={desk.data} {...props} />;
}

type Tab = "check" | "block" | "grids" | "channels";

function OpenDesk({ desk, revision, onLeave, onRehearsal, onRevision, onSetup }: Props & { desk: Desk }) {
  const { message, modal } = App.useApp();
  const queries = useQueryClient();
  const [name, setName] = useState(desk.programs[0].name);
  const opened = useMemo(() => textsOf(desk), [desk]);
  const [texts, setTexts] = useState(opened);
  const [counts, setCounts] = useState<Record<string, number>>(() => Object.fromEntries(desk.programs.map((program) => [program.name, linesOf(program.text)])));
  const [job, setJob] = useState(desk.job as unknown as JobData);
  const [tools, setTools] = useState(desk.tools as unknown as ToolsData);
  const [crlf, setCrlf] = useState<ReadonlySet<string>>(new Set()); // programs brought in whose lines end so
  const [line, setLine] = useState(1);
  const [tab, setTab] = useState<Tab>("check");
  const [grid, setGrid] = useState<{ which: GridName; row: string | null }>({ which: "tools", row: null });
  const [comparing, setComparing] = useState(false);
  const [label, setLabel] = useState("");
  const [busy, setBusy] = useState(false);
  const [left, setLeft] = useWidth("operations", 196, 120, 420);
  const [right, setRight] = useWidth("desk", 470, 300, 900);
  const editor = useRef<EditorHandle>(null);

  const programs = useMemo(() => programsOf(job), [job]);
  const changedTexts = useMemo(
    () =>
      Object.fromEntries(
        programs.filter((item) => texts[item.name] !== opened[item.name]).map(({ name: of }) => [of, crlf.has(of) && !(of in opened) ? texts[of].replace(/\n/g, "\r\n") : texts[of]]),
      ),
    [programs, texts, opened, crlf],
  );
  const dirty = Object.keys(changedTexts).length > 0 || job !== (desk.job as unknown) || tools !== (desk.tools as unknown);
  const held = useMemo<Held>(
    () => ({ programs: changedTexts, job: job === (desk.job as unknown) ? null : job, tools: tools === (desk.tools as unknown) ? null : tools }),
    [changedTexts, job, tools, desk],
  );
  const program = programs.find((item) => item.name === name)!;
  const { checked, checking, failure, took, check, stale } = useCheck(revision, held, program.channel, Object.values(counts).reduce((sum, lines) => sum + lines, 0));
  const base = useQuery({ queryKey: ["check", revision], queryFn: () => api.check(revision, { programs: {}, job: null, tools: null }, false), staleTime: Infinity });
  const rules = useQuery({ queryKey: ["rules"], queryFn: api.rules, staleTime: 60_000 });
  const worked = useQuery({ queryKey: ["offsets", revision, job.work_offsets, job.programs], queryFn: () => api.setupOffsets(revision, job), placeholderData: (before) => before, retry: false });
  const explained = useExplained(revision, held, name, line, tab === "block");

  const text = texts[name];
  const onMain = program.main;
  const switches = (job.switches ?? {}) as Switches;
  const leftOut = useMemo(() => (switches.left_out ?? []).filter((stretch) => stretch.program === name), [switches.left_out, name]);
  const marks = useMemo(
    () => (checked?.findings ?? []).filter((item) => item.program === name).map((item) => ({ line: item.line, severity: item.severity, title: `${item.message}\n→ ${item.remedy}` })),
    [checked, name],
  );
  const operations = useMemo(() => (checked?.operations ?? []).filter((item) => item.program === name), [checked, name]);
  const owner = offsetsOf(job, program.channel).owner;
  const offsets = useMemo(() => Object.fromEntries((worked.data ?? []).filter((row) => row.channel === owner).map((row) => [row.name, row.values])), [worked.data, owner]);
  const axes = useMemo(() => {
    const named = new Set<string>(["X", "Y", "Z"]);
    for (const values of Object.values(offsets)) for (const axis of Object.keys(values)) named.add(axis);
    return [...named].filter((axis) => Object.values(offsets).some((values) => axis in values) || ["X", "Z"].includes(axis));
  }, [offsets]);

  const goTo = useCallback(
    (to: string, at: number) => {
      setName(to);
      // The editor shows another program only after this is drawn.
      requestAnimationFrame(() => requestAnimationFrame(() => editor.current?.goTo(at)));
    },
    [setName],
  );
  const setSwitches = (changes: Partial<Switches>) => setJob({ ...job, switches: { ...switches, ...changes } });
  const leaveOut = (item: Operation, out: boolean) => {
    const others = (switches.left_out ?? []).filter((stretch) => !(stretch.program === name && stretch.first <= item.last && stretch.last >= item.first));
    setSwitches({ left_out: out ? [...others, { program: name, first: item.first, last: item.last }] : others });
  };
  const shiftOf = (item: Operation) => (switches.shifts ?? []).find((stretch) => stretch.program === name && stretch.first === item.first)?.by.Z ?? null;
  const shift = (item: Operation, z: number | null) => {
    const others = (switches.shifts ?? []).filter((stretch) => !(stretch.program === name && stretch.first === item.first));
    setSwitches({ shifts: z ? [...others, { program: name, first: item.first, last: item.last, by: { Z: z } }] : others });
  };
  const fix = (finding: Said) => {
    const edits = finding.fix!.edits;
    const of = edits[0].program;
    const made = withEdits(texts[of].split("\n"), edits);
    if (!made) {
      message.warning("The lines have changed since; check again.");
      return;
    }
    if (of !== name) goTo(of, edits[0].line);
    requestAnimationFrame(() =>
      requestAnimationFrame(() => {
        editor.current?.replace(made.join("\n"));
        editor.current?.goTo(edits[0].line);
      }),
    );
  };
  const bring = async (files: File[]) => {
    const made: Record<string, string> = {};
    const ends = new Set(crlf);
    for (const file of files) {
      const read = programText(new Uint8Array(await file.arrayBuffer()));
      if (typeof read === "string") message.error(`${file.name}: ${read}`);
      else {
        made[file.name] = read.text;
        if (read.crlf) ends.add(file.name);
      }
    }
    const names = Object.keys(made);
    if (!names.length) return;
    put(made);
    setCrlf(ends);
    setJob(withCalled(job, names, program.channel));
    setName(names[0]);
    const fresh = names.filter((item) => !programs.some((known) => known.name === item)).length;
    message.success(`${fresh} brought in, ${names.length - fresh} in the place of one of the same name. Keep a revision to keep them.`);
  };
  const begin = (made: string, channel: number, dialect: string | null) => {
    put({ [made]: dialect === null ? `${made.replace(/\.[^.]*$/, "").toUpperCase()}\nM99\n` : "M30\n" });
    setJob(dialect === null ? withCalled(job, [made], channel) : withChannel(job, made, channel, dialect));
    setName(made);
  };
  const put = (made: Record<string, string>) => {
    setTexts((before) => ({ ...before, ...made }));
    setCounts((before) => ({ ...before, ...Object.fromEntries(Object.entries(made).map(([key, value]) => [key, linesOf(value)])) }));
  };
  const take = (gone: Program) => {
    const left = without(job, gone.name);
    setName(programsOf(left)[0].name);
    setJob(left);
    const key = `gone ${gone.name}`;
    const back = () => {
      setJob(job);
      setName(gone.name);
      message.destroy(key);
    };
    message.open({ key, type: "info", duration: 12, content: <>{gone.name} is taken out. <Button size="small" type="link" onClick={back}>Put it back</Button></> });
  };
  const saveFile = async () => {
    try {
      download(await api.programFile(revision, held, name), name);
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const link = (which: "tools" | "offsets", row: string) => {
    setTab("grids");
    setGrid({ which, row });
  };
  const save = async (then: "stay" | Run) => {
    setBusy(true);
    try {
      const target = dirty ? await saveUnlessBehind((anyway) => api.saveDesk(revision, held, label, anyway), modal.confirm) : { id: revision, number: desk.revision_number };
      if (!target) return;
      void queries.invalidateQueries({ queryKey: ["jobs"] });
      if (then !== "stay") onRehearsal((await api.rehearse(target.id, then)).id);
      else {
        message.success(`Kept as revision ${target.number}.`);
        onRevision(target.id);
      }
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };

  const mains = programs.filter((item) => item.main);
  const lines = counts[name];
  return (
    <div className="workspace desk">
      <header>
        <Popconfirm title="Leave without keeping what was changed?" disabled={!dirty} onConfirm={onLeave} okText="Leave" cancelText="Stay">
          <Button size="small" onClick={() => !dirty && onLeave()}>
            All jobs
          </Button>
        </Popconfirm>
        <b>{desk.job_name}</b>
        <span className="quiet">script of revision {desk.revision_number}</span>
        <span className="grow" />
        <Button size="small" onClick={() => setComparing(true)}>
          Compare
        </Button>
        <Button size="small" onClick={() => onSetup(revision)} disabled={dirty} title={dirty ? "Keep what was changed first" : undefined}>
          Setup
        </Button>
        <Input size="small" value={label} placeholder="what changed" aria-label="What changed" className="label-input" onChange={(event) => setLabel(event.target.value)} />
        <Button size="small" loading={busy} disabled={!dirty} onClick={() => void save("stay")}>
          Keep as revision
        </Button>
        <RehearseButton busy={busy} onRun={(run) => void save(run)} />
      </header>
      <div className="panes">
        <section className="pane-left" aria-label="Operations" style={{ width: left }}>
          <label className="hand-row padded-row">
            <span className="quiet">air cut</span>
            <InputNumber size="small" min={0} value={switches.air_cut ?? 0} suffix="mm" aria-label="Air cut" onChange={(value) => setSwitches({ air_cut: value ?? 0 })} />
          </label>
          <Operations operations={operations} called={!onMain} line={line} out={(item) => leftOut.some((stretch) => stretch.first <= item.first && stretch.last >= item.first)} shifted={shiftOf} onGo={(item) => goTo(name, item.first)} onLeaveOut={leaveOut} onShift={shift} />
        </section>
        <Divider label="Width of the operations" width={left} side={1} initial={196} onWidth={setLeft} />
        <section className="desk-middle" aria-label="Script">
          <div className="desk-bar">
            <Programs job={job} name={name} channels={desk.channels} dialects={desk.dialects} onName={setName} onBring={(files) => void bring(files)} onBegin={begin} onTake={take} onSave={() => void saveFile()} />
            <span className="quiet">{program.dialect}</span>
            <span className="grow" />
            <GoTo onGo={(asked) => {
              const found = placeOf(text, asked, line);
              if (found < 0) message.info(`There is no ${asked} in this program.`);
              else editor.current?.goTo(found);
            }} />
            <Dropdown
              trigger={["click"]}
              menu={{
                items: [
                  { key: "10", label: "Number the blocks by 10" },
                  { key: "5", label: "Number the blocks by 5" },
                  { key: "none", label: "Take the block numbers out" },
                ],
                onClick: ({ key }) => editor.current?.replace(key === "none" ? unnumbered(text) : numbered(text, Number(key))),
              }}
            >
              <Button size="small">N</Button>
            </Dropdown>
          </div>
          <Editor
            name={name}
            text={text}
            marks={marks}
            operations={operations}
            leftOut={leftOut}
            handle={editor}
            onText={(made, count) => {
              setTexts((before) => (before[name] === made ? before : { ...before, [name]: made }));
              setCounts((before) => (before[name] === count ? before : { ...before, [name]: count }));
            }}
            onLine={setLine}
            onWord={(word) => {
              const [found] = links(word);
              if (found) link(found.grid, found.row);
            }}
          />
          <div className="desk-foot">
            <span>
              line {line} of {lines.toLocaleString("en")}
            </span>
            <span className="grow" />
            <Told checked={checked} checking={checking} stale={stale} failure={failure} took={took} onCheck={check} />
          </div>
        </section>
        <Divider label="Width of the desk's right side" width={right} side={-1} initial={470} onWidth={setRight} />
        <section className="pane-inspector" aria-label="Inspector" style={{ width: right }}>
          <PathPlot path={checked?.path} program={name} line={line} turning={program.dialect.startsWith("iso-turn")} />
          <Tabs
            value={tab}
            onChange={setTab}
            tabs={[["check", `Check${checked?.findings.length ? ` ${checked.findings.length}` : ""}`], ["block", "Read-back"], ["grids", "Tables"], ...(mains.length > 1 ? [["channels", "Channels"] as [Tab, string]] : [])]}
          />
          <div className="inspector-body">
            {tab === "check" && checked && (
              <Findings
                checked={checked}
                base={base.data}
                revision={desk.revision_number}
                rules={rules.data}
                jobRules={((job.checks as { rules?: Record<string, string> } | undefined)?.rules ?? {})}
                onGo={(item) => item.line > 0 && goTo(item.program, item.line)}
                onFix={fix}
                onRule={(rule, setting) => {
                  const checks = (job.checks ?? {}) as { rules?: Record<string, string> };
                  const made = { ...checks.rules };
                  if (setting) made[rule] = setting;
                  else delete made[rule];
                  setJob({ ...job, checks: { ...checks, rules: made } });
                }}
              />
            )}
            {tab === "block" && <BlockPane line={line} text={lineAt(text, line)} explained={explained.data} failure={explained.failure} tools={tools} onLink={link} />}
            {tab === "grids" && (
              <Grids which={grid.which} chosen={grid.row} job={job} channel={program.channel} tools={tools} worked={offsets} axes={axes} checked={checked} onWhich={(which) => setGrid({ which, row: null })} onJob={setJob} onTools={setTools} />
            )}
            {tab === "channels" && <Channels mains={mains} texts={texts} waits={checked?.waits ?? []} onGo={goTo} />}
          </div>
        </section>
      </div>
      {comparing && <Compare desk={desk} program={name} text={text} onClose={() => setComparing(false)} />}
    </div>
  );
}

function GoTo({ onGo }: { onGo: (asked: string) => void }) {
  return (
    <Input
      size="small"
      className="go-to"
      placeholder="line, N70, T3"
      aria-label="Go to"
      title="Go to a line, a block number or a tool (Ctrl-G)"
      id="desk-go-to"
      onKeyDown={(event) => {
        if (event.key !== "Enter") return;
        event.preventDefault(); // the editor takes the focus, and must not take the key
        const asked = event.currentTarget.value;
        if (asked.trim()) onGo(asked);
      }}
    />
  );
}

interface ToldProps {
  checked: Checked | undefined;
  checking: boolean;
  stale: boolean;
  failure: string | null;
  took: number;
  onCheck: () => void;
}

/** How the check stands, in one line. */
function Told({ checked, checking, stale, failure, took, onCheck }: ToldProps) {
  if (failure) return <span className="failure">{failure}</span>;
  if (!checked) return <span className="quiet">checking…</span>;
  return (
    <>
      {stale && !checking && (
        <Button size="small" onClick={onCheck}>
          Check
        </Button>
      )}
      <span className="quiet">
        {checking ? "checking…" : `${checked.blocks.toLocaleString("en")} blocks in ${Math.round(took)} ms`} · {clock(checked.seconds)}
      </span>
      <span className={`verdict-small ${checked.verdict}`} data-testid="told">
        <Mark severity={checked.verdict} /> {checked.verdict === "clear" ? "no finding" : VERDICT_WORDS[checked.verdict]}
      </span>
    </>
  );
}

/** The check of what is held: with every pause in typing, or when asked where the programs are long. */
function useCheck(revision: number, held: Held, channel: number, lines: number) {
  const [checked, setChecked] = useState<Checked>();
  const [failure, setFailure] = useState<string | null>(null);
  const [checking, setChecking] = useState(false);
  const [took, setTook] = useState(0);
  const [done, setDone] = useState<Held | null>(null);
  const running = useRef(0);
  const check = useCallback(async () => {
    const turn = ++running.current;
    setChecking(true);
    const begun = performance.now();
    try {
      const made = await api.check(revision, held, true, channel);
      if (turn !== running.current) return;
      setChecked(made);
      setFailure(null);
      setTook(performance.now() - begun);
      setDone(held);
    } catch (error) {
      if (turn === running.current) setFailure((error as Error).message);
    } finally {
      if (turn === running.current) setChecking(false);
    }
  }, [revision, held, channel]);
  const first = checked === undefined;
  useEffect(() => {
    if (!first && lines > ON_THE_FLY_LINES) return;
    const timer = setTimeout(() => void check(), first ? 0 : PAUSE_MS);
    return () => clearTimeout(timer);
    // The first check is of what was opened; `first` itself is no reason for another.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [check]);
  return { checked, checking, failure, took, check: () => void check(), stale: done !== held };
}

/** The block under the cursor in words, asked for once the cursor rests. */
function useExplained(revision: number, held: Held, program: string, line: number, wanted: boolean) {
  const [data, setData] = useState<Explained>();
  const [failure, setFailure] = useState<string | null>(null);
  useEffect(() => {
    if (!wanted) return;
    let late = false;
    const timer = setTimeout(() => {
      api.explain(revision, held, program, line).then(
        (made) => {
          if (late) return;
          setData(made);
          setFailure(null);
        },
        (error: Error) => !late && setFailure(error.message),
      );
    }, 150);
    return () => {
      late = true;
      clearTimeout(timer);
    };
  }, [revision, held, program, line, wanted]);
  return { data, failure };
}
