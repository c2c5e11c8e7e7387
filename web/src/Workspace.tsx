import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Modal, Progress as Bar, Select, Spin } from "antd";
import { useCallback, useEffect, useMemo, useState, useSyncExternalStore } from "react";

import { api, follow, type Finding, type Judgement, type Progress } from "./api/client";
import { Docket } from "./inspector/Docket";
import { Readout } from "./inspector/Readout";
import { clock } from "./look";
import { Player } from "./replay/player";
import { Replay, type Description } from "./replay/replay";
import { Script } from "./script/Script";
import { Stage } from "./stage/Stage";
import { Tape } from "./tape/Tape";

const KEYS: [string, string][] = [
  ["Space", "play or pause"],
  ["J  K  L", "backwards, still, forwards"],
  [",  .", "one block back, one block on"],
  ["N  Shift-N", "next finding, finding before"],
  ["T", "next tool"],
  ["Home  End", "beginning, end"],
  ["Esc", "let the finding go"],
  ["?", "this list"],
];

async function loadReplay(id: number): Promise<Replay> {
  const [description, binary] = await Promise.all([
    api.artifact(id, "replay.json").then((r) => r.json() as Promise<Description>),
    api.artifact(id, "replay.bin").then((r) => r.arrayBuffer()),
  ]);
  return new Replay(description, binary);
}

export function Workspace({ id, onLeave, onRehearsal }: { id: number; onLeave: () => void; onRehearsal: (id: number) => void }) {
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
          revision {data.revision_number}, rehearsal {data.id}
        </span>
        <span className="grow" />
        {running ? (
          <>
            <span className="quiet">{progress?.stage || (state === "queued" ? "waiting for a worker" : "starting")}</span>
            <Bar percent={Math.round(100 * (progress?.share ?? data.share))} size={[200, 8]} data-testid="progress" />
            <Button size="small" onClick={() => api.cancel(id)}>
              Cancel
            </Button>
          </>
        ) : (
          <Button size="small" type="primary" onClick={again}>
            Rehearse again
          </Button>
        )}
      </header>
      {state === "done" ? (
        <Rehearsed id={id} />
      ) : (
        <div className="middle">
          {running && <p>The rehearsal is under way. You may leave this page; it goes on.</p>}
          {state === "failed" && <Alert type="error" title="The rehearsal failed" description={data.error} />}
          {state === "cancelled" && <Alert type="info" title="The rehearsal was cancelled" />}
        </div>
      )}
    </div>
  );
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

function Replaying({ id, replay, rehearsal, onTriage }: ReplayingProps) {
  const player = useMemo(() => new Player(replay.seconds), [replay]);
  useEffect(() => () => player.dispose(), [player]);
  const [chosen, setChosen] = useState<number | null>(null);
  const [help, setHelp] = useState(false);
  const findings = rehearsal.findings;
  const selected = findings.find((finding) => finding.id === chosen) ?? null;

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
      const found = findings.find((item) => item.id === finding);
      if (found) seek(found.data.time);
    },
    [findings, seek],
  );
  const toMotion = useCallback((to: number) => seek(replay.endOf(to)), [replay, seek]);

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if ((event.target as HTMLElement).closest("input, textarea, [contenteditable]") || event.ctrlKey || event.metaKey) return;
      const here = replay.motionAt(player.time);
      const pressed = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      const actions: Record<string, () => void> = {
        " ": () => player.play(player.playing ? 0 : 1),
        j: () => player.play(-1),
        k: () => player.play(0),
        l: () => player.play(1),
        ",": () => seek(replay.beginOf(Math.max(0, here - (player.time > replay.beginOf(here) ? 0 : 1)))),
        ".": () => seek(replay.endOf(here) + 1e-9),
        n: () => {
          const place = findings.findIndex((item) => item.id === chosen);
          const next = event.shiftKey ? (place < 0 ? findings.length : place) - 1 : place + 1;
          if (findings[next]) select(findings[next].id);
        },
        t: () => {
          const next = replay.description.operations?.find((operation) => operation.time > player.time + 1e-6);
          if (next) seek(next.time);
        },
        Home: () => seek(0),
        End: () => seek(replay.seconds),
        Escape: () => setChosen(null),
        "?": () => setHelp(true),
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
        <section className="pane-script" aria-label="Script">
          <h3>{name ?? "no program"}</h3>
          {text.data !== undefined && (
            <Script
              text={text.data}
              file={file}
              replay={replay}
              player={player}
              findings={findings.filter((finding) => finding.data.program === name)}
              onLine={(line) => {
                const to = replay.motionOfLine(file, line);
                if (to >= 0) toMotion(to);
              }}
            />
          )}
        </section>
        <Stage replay={replay} player={player} finding={selected} onMotion={toMotion} />
        <section className="pane-inspector" aria-label="Inspector">
          <Readout replay={replay} player={player} />
          <Docket rehearsal={rehearsal} selected={selected} onSelect={select} onTriage={onTriage} />
        </section>
      </div>
      <footer>
        <Transport player={player} onHelp={() => setHelp(true)} />
        <Tape replay={replay} player={player} findings={findings} selected={chosen} onFinding={select} />
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

function Transport({ player, onHelp }: { player: Player; onHelp: () => void }) {
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
        options={[0.1, 0.5, 1, 2, 5, 10, 30].map((speed) => ({ value: speed, label: `${speed}×` }))}
        aria-label="Speed"
      />
      <span className="clock" data-testid="clock">
        {clock(player.time)} / {clock(player.seconds)}
      </span>
      <Button size="small" type="text" onClick={onHelp} aria-label="Keys">
        ?
      </Button>
    </div>
  );
}
