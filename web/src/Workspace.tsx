import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Dropdown, Modal, Progress as Bar, Select, Spin } from "antd";
import { useCallback, useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";

import { api, follow, type Finding, type Judgement, type Progress } from "./api/client";
import { Docket, Verdict } from "./inspector/Docket";
import { Margins } from "./inspector/Margins";
import { PartList } from "./inspector/PartList";
import { Readout } from "./inspector/Readout";
import { ToolList } from "./inspector/ToolList";
import { clock } from "./look";
import { Divider, useWidth } from "./pane/Divider";
import { knock, passing, setSound, soundOn } from "./replay/alarm";
import { Player, SPEEDS } from "./replay/player";
import { Replay, type Description, type Spot } from "./replay/replay";
import { Script } from "./script/Script";
import type { Colouring, StageScene } from "./stage/scene";
import { Stage } from "./stage/Stage";
import { Tape } from "./tape/Tape";
import { Tabs } from "./pane/Tabs";

const KEYS: [string, string][] = [
  ["Space", "play or pause"],
  ["J  K  L", "backwards, still, forwards"],
  ["+  −", "faster, slower"],
  [",  .", "one block back, one block on"],
  ["B", "single block, or on"],
  ["N  Shift-N", "next finding, finding before"],
  ["T  Shift-T", "next tool, tool before"],
  ["Home  End", "beginning, end"],
  ["1 … 5", "views: work, machine, top, front, side"],
  ["Z", "zoom to the finding"],
  ["P", "tool paths"],
  ["D", "deviation of the finished part"],
  ["M", "machine: ghost, hidden, shown"],
  ["Ctrl-F  Ctrl-G", "in the script: find, go to a line"],
  ["Esc", "let the finding go"],
  ["?", "this list"],
];

type Halting = "on" | "block" | "finding" | "tool";
const HALTING: { value: Halting; label: string }[] = [
  { value: "on", label: "runs on" },
  { value: "block", label: "single block" },
  { value: "finding", label: "to the next finding" },
  { value: "tool", label: "to the next tool" },
];

const FILES: [string, string][] = [
  ["report.html", "Report, to read and print"],
  ["verdict.json", "Verdict, JSON"],
  ["verdict.sarif", "Verdict, SARIF"],
  ["verdict.xml", "Verdict, JUnit"],
  ["trace.csv", "Every motion, CSV"],
  ["stock.stl", "Machined stock, STL"],
];

async function loadReplay(id: number): Promise<Replay> {
  const [description, binary] = await Promise.all([
    api.artifact(id, "replay.json").then((r) => r.json() as Promise<Description>),
    api.artifact(id, "replay.bin").then((r) => r.arrayBuffer()),
  ]);
  return new Replay(description, binary);
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
  const rehearsal = useQuery({ queryKey: ["rehearsal", id], queryFn: () => api.rehearsal(id) });
  const [progress, setProgress] = useState<Progress | null>(null);
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

  const again = async () => {
    try {
      onRehearsal((await api.rehearse(rehearsal.data!.revision)).id);
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
        <span className="quiet">
          {data.machine} · revision {data.revision_number}
          {data.revision_label && ` ${data.revision_label}`} · rehearsal {data.id}
        </span>
        <span className="grow" />
        {running ? (
          <Button size="small" onClick={() => api.cancel(id)}>
            Cancel
          </Button>
        ) : (
          <>
            <Dropdown
              menu={{
                items: FILES.filter(([file]) => data.artifacts.includes(file)).map(([file, label]) => ({
                  key: file,
                  label: (
                    <a href={api.artifactAddress(id, file)} {...(file === "report.html" ? { target: "_blank" } : { download: file })}>
                      {label}
                    </a>
                  ),
                })),
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
            <Button size="small" type="primary" onClick={again}>
              Rehearse again
            </Button>
          </>
        )}
      </header>
      {state === "done" ? (
        <Rehearsed id={id} />
      ) : (
        <div className="middle">
          {running && <UnderWay waiting={state === "queued" && !progress} stage={progress?.stage ?? data.stage} share={progress?.share ?? data.share} />}
          {state === "failed" && <Alert type="error" title="The rehearsal failed" description={data.error} />}
          {state === "cancelled" && <Alert type="info" title="The rehearsal was cancelled" />}
        </div>
      )}
    </div>
  );
}

const STAGES: [string, string][] = [
  ["reading", "Reading the program"],
  ["contact", "Following every pair of bodies"],
  ["material", "Cutting the stock"],
  ["part", "Comparing the part"],
  ["saving", "Keeping the result"],
];

/** How far a rehearsal is, stage by stage. */
function UnderWay({ waiting, stage, share }: { waiting: boolean; stage: string; share: number }) {
  const now = STAGES.findIndex(([name]) => name === stage);
  return (
    <div className="under-way">
      <h2>{waiting ? "Waiting for a worker" : "The rehearsal is under way"}</h2>
      {STAGES.map(([name, label], i) => (
        <div key={name} className={i === now ? "stage-now" : i < now ? "" : "quiet"}>
          <span>{label}</span>
          <Bar
            percent={i < now ? 100 : i === now ? Math.round(100 * share) : 0}
            showInfo={false}
            size={[260, 6]}
            data-testid={i === now ? "progress" : undefined}
          />
          <span className="quiet">{i === now && <Remaining key={stage} share={share} />}</span>
        </div>
      ))}
      <p className="quiet">You may leave this page; it goes on.</p>
    </div>
  );
}

/** What is left of a stage, from how long its share has taken so far; silent until that means something. */
function Remaining({ share }: { share: number }) {
  const [begun] = useState(() => performance.now());
  const [now, setNow] = useState(begun);
  useEffect(() => {
    const timer = setInterval(() => setNow(performance.now()), 500);
    return () => clearInterval(timer);
  }, []);
  const seconds = (now - begun) / 1000;
  if (seconds < 2 || share < 0.03 || share >= 1) return null;
  return <>about {clock((seconds / share) * (1 - share)).replace(/\.\d$/, "")} left</>;
}

function Rehearsed({ id }: { id: number }) {
  const queries = useQueryClient();
  const rehearsal = useQuery({ queryKey: ["rehearsal", id], queryFn: () => api.rehearsal(id) }).data!;
  const replay = useQuery({ queryKey: ["replay", id], queryFn: () => loadReplay(id), staleTime: Infinity, gcTime: 0 });
  if (replay.isError) return <Alert className="middle" type="error" title={replay.error.message} />;
  if (!replay.data) return <Spin className="middle" description="Loading the replay" />;
  const triage = async (finding: Finding, judgement: Judgement | null, reason: string) => {
    await (judgement ? api.triage(finding.id, judgement, reason) : api.clearTriage(finding.id));
    await queries.invalidateQueries({ queryKey: ["rehearsal", id] });
  };
  return <Replaying key={id} id={id} replay={replay.data} rehearsal={rehearsal} onTriage={triage} />;
}

interface ReplayingProps {
  id: number;
  replay: Replay;
  rehearsal: Parameters<typeof Docket>[0]["rehearsal"];
  onTriage: Parameters<typeof Docket>[0]["onTriage"];
}

// Where keys are for typing; a chosen radio or switch keeps the focus but types nothing.
const TYPING = "input:not([type=radio], [type=checkbox]), textarea, [contenteditable='true'], .cm-panel, [role=dialog]";

type Tab = "docket" | "part" | "tools" | "margins";
const SCRIPT_WIDTH = 250;
const INSPECTOR_WIDTH = 316;

function Replaying({ id, replay, rehearsal, onTriage }: ReplayingProps) {
  const player = useMemo(() => new Player(replay.seconds), [replay]);
  useEffect(() => () => player.dispose(), [player]);
  const [chosen, setChosen] = useState<number | null>(null);
  const [help, setHelp] = useState(false);
  const [tab, setTab] = useState<Tab>("docket");
  const [colouring, setColouring] = useState<Colouring>("tool");
  const { gouge, excess } = replay.description.checks;
  const [reach, setReach] = useState(Math.max(gouge, excess) <= 0.1 ? 0.2 : 1);
  const [left, setLeft] = useWidth("script", SCRIPT_WIDTH, 140, 720);
  const [right, setRight] = useWidth("inspector", INSPECTOR_WIDTH, 260, 640);
  const scene = useRef<StageScene | null>(null);
  const findings = rehearsal.findings;
  const [halting, setHalting] = useState<Halting>("on");
  useEffect(() => {
    const times: Record<Halting, () => number[]> = {
      on: () => [],
      block: () => replay.blockEnds(),
      finding: () => findings.map((finding) => finding.data.time).sort((a, b) => a - b),
      tool: () => replay.description.operations?.map((operation) => operation.time) ?? [],
    };
    player.setHalts(times[halting]());
  }, [player, replay, findings, halting]);
  const selected = findings.find((finding) => finding.id === chosen) ?? null;

  const passed = useSyncExternalStore(player.subscribe, () => (player.playing > 0 ? passing(findings, player.time, player.speed) : null));
  const [sound, setSounding] = useState(soundOn);
  useEffect(() => {
    if (passed && sound) knock(passed.data.severity);
  }, [passed, sound]);

  const motion = useSyncExternalStore(player.subscribe, () => replay.motionAt(player.time));
  const file = replay.motionCount ? replay.column("file")[motion] : 0;
  const name = replay.description.files?.[file];
  const text = useQuery({ queryKey: ["text", id, name], queryFn: () => api.text(id, name!), enabled: !!name, staleTime: Infinity });
  const inFile = useMemo(() => findings.filter((finding) => finding.data.program === name), [findings, name]);

  const seek = useCallback(
    (time: number) => {
      player.play(0);
      player.seek(time);
    },
    [player],
  );
  const select = useCallback(
    (finding: number | null) => {
      setChosen(finding);
      setTab("docket");
      const found = findings.find((item) => item.id === finding);
      if (found) seek(found.data.time);
    },
    [findings, seek],
  );
  const toMotion = useCallback((to: number) => seek(replay.endOf(to)), [replay, seek]);
  const toLine = useCallback(
    (line: number) => {
      const to = replay.motionOfLine(file, line);
      if (to >= 0) toMotion(to);
    },
    [replay, file, toMotion],
  );
  const keepScene = useCallback((made: StageScene | null) => {
    scene.current = made;
  }, []);
  const pictureOf = useCallback(
    ({ data }: Finding) => (scene.current && data.point ? scene.current.picture(data.time, data.bodies, data.point) : null),
    [],
  );
  const showDeviation = useCallback(() => setColouring("deviation"), []);
  const toSpot = (stock: number, spot: Spot) => {
    seek(replay.seconds);
    setColouring("deviation");
    if (scene.current) scene.current.focus(scene.current.fromWork(stock, spot.point));
  };

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if ((event.target as HTMLElement).closest(TYPING)) return;
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const here = replay.motionAt(player.time);
      const operations = replay.description.operations ?? [];
      const pressed = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      const views = ["work", "machine", "top", "front", "side"] as const;
      const actions: Record<string, () => void> = {
        " ": () => player.play(player.playing ? 0 : 1),
        j: () => player.play(-1),
        k: () => player.play(0),
        l: () => player.play(1),
        "+": () => player.faster(),
        "-": () => player.slower(),
        ",": () => seek(replay.beginOf(Math.max(0, here - (player.time > replay.beginOf(here) ? 0 : 1)))),
        ".": () => seek(replay.endOf(here) + 1e-9),
        n: () => {
          const place = findings.findIndex((item) => item.id === chosen);
          const next = event.shiftKey ? (place < 0 ? findings.length : place) - 1 : place + 1;
          if (findings[next]) select(findings[next].id);
        },
        t: () => {
          const next = event.shiftKey
            ? operations.findLast((operation) => operation.time < player.time - 1e-6)
            : operations.find((operation) => operation.time > player.time + 1e-6);
          if (next) seek(next.time);
        },
        b: () => setHalting((now) => (now === "block" ? "on" : "block")),
        p: () => scene.current?.showPaths(!scene.current.pathsOn),
        d: () => scene.current?.hasDesign && setColouring((now) => (now === "tool" ? "deviation" : "tool")),
        m: () => scene.current?.turnMachine(),
        z: () => scene.current?.focusOnLit(),
        Home: () => seek(0),
        End: () => seek(replay.seconds),
        Escape: () => setChosen(null),
        "?": () => setHelp(true),
        ...Object.fromEntries(views.map((view, i) => [String(i + 1), () => scene.current?.view(view)])),
      };
      if (actions[pressed]) {
        event.preventDefault();
        actions[pressed]();
      }
    };
    addEventListener("keydown", key);
    return () => removeEventListener("keydown", key);
  }, [replay, player, findings, chosen, seek, select]);

  return (
    <>
      <div className="panes">
        <section className="pane-script" aria-label="Script" style={{ width: left }}>
          <h3>{name ?? "no program"}</h3>
          {text.isError && <Alert type="error" title={text.error.message} />}
          {text.data !== undefined && (
            <Script text={text.data} file={file} replay={replay} player={player} findings={inFile} onLine={toLine} />
          )}
        </section>
        <Divider label="Width of the script" width={left} side={1} initial={SCRIPT_WIDTH} onWidth={setLeft} />
        <Stage
          replay={replay}
          player={player}
          finding={selected}
          passing={passed}
          text={text.data}
          colouring={colouring}
          reach={reach}
          onColouring={setColouring}
          onReach={setReach}
          onMotion={toMotion}
          onScene={keepScene}
        />
        <Divider label="Width of the inspector" width={right} side={-1} initial={INSPECTOR_WIDTH} onWidth={setRight} />
        <section className="pane-inspector" aria-label="Inspector" style={{ width: right }}>
          <Readout replay={replay} player={player} />
          <Verdict rehearsal={rehearsal} />
          <Tabs
            value={tab}
            onChange={setTab}
            tabs={[
              ["docket", "Docket"],
              ["part", "Part"],
              ["tools", "Tools"],
              ["margins", "Margins"],
            ]}
          />
          <div className="inspector-body">
            {tab === "docket" && (
              <Docket rehearsal={rehearsal} selected={selected} onSelect={select} onTriage={onTriage} pictureOf={pictureOf} />
            )}
            {tab === "part" && <PartList rehearsal={rehearsal} replay={replay} onSpot={toSpot} onDeviation={showDeviation} />}
            {tab === "tools" && <ToolList rehearsal={rehearsal} replay={replay} onMotion={(to) => seek(replay.beginOf(to))} />}
            {tab === "margins" && <Margins rehearsal={rehearsal} onTime={seek} />}
          </div>
        </section>
      </div>
      <footer>
        <Transport
          player={player}
          halting={halting}
          onHalting={setHalting}
          sound={sound}
          onSound={(on) => {
            setSound(on);
            setSounding(on);
          }}
          onHelp={() => setHelp(true)}
        />
        <Tape replay={replay} player={player} findings={findings} selected={chosen} passing={passed?.id ?? null} onFinding={select} />
      </footer>
      <Modal open={help} title="Keys" footer={null} onCancel={() => setHelp(false)}>
        <table className="keys">
          <tbody>
            {KEYS.map(([keys, what]) => (
              <tr key={keys}>
                <th>{keys}</th>
                <td>{what}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Modal>
    </>
  );
}

interface TransportProps {
  player: Player;
  halting: Halting;
  onHalting: (halting: Halting) => void;
  sound: boolean;
  onSound: (on: boolean) => void;
  onHelp: () => void;
}

function Transport({ player, halting, onHalting, sound, onSound, onHelp }: TransportProps) {
  useSyncExternalStore(player.subscribe, () => player.time * 8 + player.playing + player.speed);
  return (
    <div className="transport">
      <Button size="small" onClick={() => player.play(-1)} aria-label="Play backwards" type={player.playing < 0 ? "primary" : "default"}>
        ◁
      </Button>
      <Button size="small" onClick={() => player.play(player.playing ? 0 : 1)} aria-label="Play or pause" type={player.playing > 0 ? "primary" : "default"}>
        {player.playing > 0 ? "❙❙" : "▷"}
      </Button>
      <Select
        size="small"
        value={player.speed}
        onChange={(speed) => player.setSpeed(speed)}
        options={SPEEDS.map((speed) => ({ value: speed, label: `${speed}×` }))}
        aria-label="Speed"
      />
      <Select<Halting> size="small" popupMatchSelectWidth={false} value={halting} onChange={onHalting} options={HALTING} aria-label="Where it halts" />
      <span className="clock" data-testid="clock">
        {clock(player.time)} / {clock(player.seconds)}
      </span>
      <Button size="small" type="text" onClick={() => onSound(!sound)} aria-pressed={sound} title="A knock when the replay runs past a finding">
        {sound ? "Sound" : "Silent"}
      </Button>
      <Button size="small" type="text" onClick={onHelp} aria-label="Keys">
        ?
      </Button>
    </div>
  );
}
