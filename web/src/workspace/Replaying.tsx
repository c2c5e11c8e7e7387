// A rehearsal that is done: script, stage, inspector and tape over one player.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Spin } from "antd";
import { useCallback, useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";

import { ArmTab } from "../arm/ArmTab";
import { Strip } from "../arm/Strip";
import { useArm } from "../arm/useArm";
import { api, type Finding, type Judgement } from "../api/client";
import { Docket, Verdict } from "../inspector/Docket";
import { Margins } from "../inspector/Margins";
import { PartList } from "../inspector/PartList";
import { Readout } from "../inspector/Readout";
import { Sizes } from "../sizes/Sizes";
import { TimeList } from "../inspector/TimeList";
import { ToolList } from "../inspector/ToolList";
import { Divider, useWidth } from "../pane/Divider";
import { download } from "../pane/download";
import { Tabs } from "../pane/Tabs";
import { knock, passing, setSound, soundOn } from "../replay/alarm";
import { useMending } from "../remedies/useMending";
import { Player } from "../replay/player";
import { asKeptNow, Replay, type Description, type Spot } from "../replay/replay";
import { Scripts } from "./Scripts";
import type { Scale } from "../look";
import type { Colouring, StageScene } from "../stage/scene";
import type { StockFormat } from "../stage/stockFile";
import { Stage } from "../stage/Stage";
import { Tape } from "../tape/Tape";
import { useHalting } from "./halting";
import { KeyList, useKeys } from "./keys";
import { replayKeys } from "./replayKeys";
import { Transport } from "./Transport";

async function loadReplay(id: number): Promise<Replay> {
  const [description, binary] = await Promise.all([
    api.artifact(id, "replay.json").then((r) => r.json() as Promise<Description>),
    api.artifact(id, "replay.bin").then((r) => r.arrayBuffer()),
  ]);
  for (const stock of description.stocks) asKeptNow(stock);
  return new Replay(description, binary, (ranges) => api.film(id, ranges));
}

export function Rehearsed({ id, onRehearsal }: { id: number; onRehearsal: (id: number) => void }) {
  const queries = useQueryClient();
  const rehearsal = useQuery({ queryKey: ["rehearsal", id], queryFn: () => api.rehearsal(id) }).data!;
  const replay = useQuery({ queryKey: ["replay", id], queryFn: () => loadReplay(id), staleTime: Infinity, gcTime: 0 });
  if (replay.isError) return <Alert className="middle" type="error" title={replay.error.message} />;
  if (!replay.data) return <Spin className="middle" description="Loading the replay" />;
  const triage = async (finding: Finding, judgement: Judgement | null, reason: string) => {
    await (judgement ? api.triage(finding.id, judgement, reason) : api.clearTriage(finding.id));
    await queries.invalidateQueries({ queryKey: ["rehearsal", id] });
  };
  return <Replaying key={id} id={id} replay={replay.data} rehearsal={rehearsal} onTriage={triage} onRehearsal={onRehearsal} />;
}

interface ReplayingProps {
  id: number;
  replay: Replay;
  rehearsal: Parameters<typeof Docket>[0]["rehearsal"];
  onTriage: Parameters<typeof Docket>[0]["onTriage"];
  onRehearsal: (id: number) => void;
}

type Tab = "arm" | "docket" | "part" | "sizes" | "tools" | "margins" | "time";
const SCRIPT_WIDTH = 250;
const SCRIPTS_WIDTH = 400; // of several channels
const INSPECTOR_WIDTH = 316;

function Replaying({ id, replay, rehearsal, onTriage, onRehearsal }: ReplayingProps) {
  const { message } = App.useApp();
  const arm = useArm(rehearsal, onRehearsal);
  const player = useMemo(() => new Player(replay.seconds), [replay]);
  useEffect(() => () => player.dispose(), [player]);
  useEffect(() => () => replay.film.dispose(), [replay]);
  const [chosen, setChosen] = useState<number | null>(null);
  const mending = useMending(rehearsal, chosen, onRehearsal);
  const [help, setHelp] = useState(false);
  const [prompt, setPrompt] = useState("");
  const [tab, setTab] = useState<Tab>("docket");
  const [colouring, setColouring] = useState<Colouring>("tool");
  const { gouge, excess } = replay.description.checks;
  const [scale, setScale] = useState<Scale>({ gouge, excess, reach: Math.max(gouge, excess) <= 0.1 ? 0.2 : 1, steps: 0 });
  const several = replay.lanes.length > 1;
  const [left, setLeft] = useWidth(several ? "scripts" : "script", several ? SCRIPTS_WIDTH : SCRIPT_WIDTH, 140, 720);
  const [right, setRight] = useWidth("inspector", INSPECTOR_WIDTH, 260, 640);
  const scene = useRef<StageScene | null>(null);
  const findings = rehearsal.findings;
  const [halting, setHalting] = useHalting(player, replay, findings);
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
      if (finding !== null) setTab("docket");
      const found = findings.find((item) => item.id === finding);
      if (found) seek(found.data.time);
    },
    [findings, seek],
  );
  const toMotion = useCallback((to: number) => seek(replay.endOf(to)), [replay, seek]);
  const sceneNow = useCallback(() => scene.current, []);
  const toEnd = useCallback(() => seek(replay.seconds), [replay, seek]);
  const keepScene = useCallback((made: StageScene | null) => {
    scene.current = made;
  }, []);
  const pictureOf = useCallback(
    async ({ data }: Finding) => {
      await scene.current?.whole();
      return (data.point && scene.current?.picture(data.time, data.bodies, data.point)) ?? null;
    },
    [],
  );
  const besideOf = useCallback(
    ({ data }: Finding) => {
      const lines = replay.column("line");
      const told = replay.lanes.map(({ channel, seconds, count }, lane) =>
        channel === data.channel || !count ? "" : data.time > seconds + 1e-6 ? `channel ${channel} has ended` : `channel ${channel} at line ${lines[replay.motionAt(data.time, lane)]}`,
      );
      return [`channel ${data.channel}`, ...told.filter(Boolean)].join("; ");
    },
    [replay],
  );
  // Stood by a kept pose, the arm stays there until the replay is moved.
  const stand = useCallback(
    (values: number[] | null) => {
      player.play(0);
      scene.current?.stand(values && { values, tool: replay.toolsAt(player.time)[0], held: null });
    },
    [player, replay],
  );
  useEffect(() => player.subscribe(() => scene.current?.stand(null)), [player]);
  const showDeviation = useCallback(() => setColouring("deviation"), []);
  const toFile = async (stock: number, format: StockFormat) => {
    if (!scene.current) return;
    const called = `${replay.description.job} ${replay.description.stocks[stock].name} ${player.time.toFixed(1)} s.${format}`;
    try {
      download(await scene.current.fileOf(stock, format), called.replaceAll("/", "-"));
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const toSpot = (stock: number, spot: Spot) => {
    seek(replay.seconds);
    setColouring("deviation");
    if (scene.current) scene.current.focus(scene.current.fromWork(stock, spot.point));
  };

  const keys = useMemo(
    () =>
      replayKeys({
        replay,
        player,
        findings,
        chosen,
        scene: () => scene.current,
        seek,
        select,
        turnBlocks: () => setHalting((now) => (now === "block" ? "on" : "block")),
        turnDeviation: () => setColouring((now) => (now === "tool" ? "deviation" : "tool")),
        help: () => setHelp(true),
      }),
    [replay, player, findings, chosen, seek, select, setHalting],
  );
  useKeys(keys);

  return (
    <>
      <div className="panes">
        <Scripts id={id} replay={replay} player={player} findings={findings} width={left} offer={mending?.shown} reveal={mending?.asked} onMotion={toMotion} />
        <Divider label="Width of the script" width={left} side={1} initial={several ? SCRIPTS_WIDTH : SCRIPT_WIDTH} onWidth={setLeft} />
        <Stage
          replay={replay}
          player={player}
          finding={selected}
          passing={passed}
          text={text.data}
          prompt={prompt}
          moved={mending?.shown?.moved}
          colouring={colouring}
          scale={scale}
          onColouring={setColouring}
          onScale={setScale}
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
              ["sizes", "Sizes"],
              ["tools", "Tools"],
              ["margins", "Margins"],
              ["time", "Time"],
              ...(arm ? [["arm", "Arm"] as [Tab, string]] : []),
            ]}
          />
          <div className="inspector-body">
            {tab === "docket" && (
              <Docket rehearsal={rehearsal} selected={selected} onSelect={select} onTriage={onTriage} pictureOf={pictureOf} besideOf={several ? besideOf : undefined} mending={mending} />
            )}
            {tab === "part" && <PartList rehearsal={rehearsal} replay={replay} scale={scale} onSpot={toSpot} onDeviation={showDeviation} onFile={toFile} />}
            {tab === "sizes" && <Sizes id={id} replay={replay} scene={sceneNow} onPrompt={setPrompt} onEnd={toEnd} onMotion={toMotion} />}
            {tab === "tools" && <ToolList rehearsal={rehearsal} replay={replay} onMotion={(to) => seek(replay.beginOf(to))} />}
            {tab === "time" && <TimeList rehearsal={rehearsal} replay={replay} onTime={seek} onRehearsal={onRehearsal} />}
            {tab === "arm" && arm && <ArmTab rehearsal={rehearsal} replay={replay} player={player} desk={arm} onTime={seek} onStand={stand} />}
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
        <div className="tapes">
          <Tape replay={replay} player={player} findings={findings} selected={chosen} passing={passed?.id ?? null} onFinding={select} />
          {arm && tab === "arm" && <Strip desk={arm} player={player} seconds={replay.seconds} />}
        </div>
      </footer>
      <KeyList keys={keys} open={help} onClose={() => setHelp(false)} />
    </>
  );
}
