import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Alert, App, Button, Empty, Input, InputNumber, Popconfirm, Select, Spin, Switch, Tooltip } from "antd";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import { saveUnlessBehind } from "../jobs/whenBehind";
import { api, type BodyData, type Setup, type Shift } from "../api/client";
import { Hand } from "../bench/hand";
import { HandPanel } from "../bench/HandPanel";
import { readModel } from "../bench/model";
import { ModelStage } from "../bench/ModelStage";
import type { Gripped } from "../replay/replay";
import type { Carried, Dot, Pointed, Triad, Whisker } from "../stage/scene";
import { RehearseButton, type Run } from "../jobs/RehearseButton";
import { AddBody } from "./AddBody";
import { BestStandPanel } from "./BestStandPanel";
import { Clearances } from "./Clearances";
import { added, begin, bodyOf, changed, freeName, redone, standingAfter, undone, withBody, withoutBody, type History } from "./history";
import { FromLibrary } from "./FromLibrary";
import { ImportModel } from "./ImportModel";
import { KeepInLibrary } from "./KeepInLibrary";
import { Mating, type MateChoice, type Pick } from "./Mating";
import { called, firstOffset, owners, withOffset } from "./offsets";
import { OffsetTable } from "./OffsetTable";
import { Repeat } from "./Repeat";
import { RunWith } from "./RunWith";
import type { ToolsData } from "./tools";
import { ToolTable } from "./ToolTable";
import { Tabs } from "../pane/Tabs";
import { useBestStand } from "./useBestStand";
import { whiskersOf } from "./whiskers";

interface Props {
  revision: number;
  onLeave: () => void;
  onRehearsal: (id: number) => void;
  onRevision: (id: number) => void;
}

/** What is clamped on the machine: bodies placed by pointing or by numbers, offsets, and the machine under the hand. */
export function SetupScreen({ revision, ...rest }: Props) {
  const setup = useQuery({ queryKey: ["setup", revision], queryFn: () => api.setup(revision), staleTime: Infinity });
  if (setup.isError) return <Alert className="middle" type="error" title={setup.error.message} action={<Button onClick={rest.onLeave}>All jobs</Button>} />;
  if (!setup.data) return <Spin className="middle" description="Opening the setup" />;
  return <Opened key={revision} setup={setup.data} {...rest} />;
}

type Tab = "place" | "offsets" | "tools" | "run" | "hand";
const NO_WHISKERS: Whisker[] = [];
const NOTHING: Lit = { bodies: [], point: null };
type Lit = { bodies: string[]; point: [number, number, number] | null };

function Opened({ setup, onLeave, onRehearsal, onRevision }: { setup: Setup } & Omit<Props, "revision">) {
  const { message, modal } = App.useApp();
  const queries = useQueryClient();
  const { revision } = setup;
  const [history, setHistory] = useState<History>(() => begin(setup.job as unknown as History["now"]));
  const job = history.now;
  const [chosen, setChosen] = useState("");
  const [tab, setTab] = useState<Tab>("place");
  const [adding, setAdding] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const [picks, setPicks] = useState<Pick[]>([]);
  const [choice, setChoice] = useState<MateChoice>({ kind: "face", way: "onto", gap: 0, turn: 0, centre: false });
  const [failure, setFailure] = useState("");
  const [label, setLabel] = useState("");
  const [busy, setBusy] = useState(false);
  const [coming, setComing] = useState<File | null>(null);
  const [tools, setTools] = useState<ToolsData>(() => setup.tools as unknown as ToolsData);
  const toolsChanged = tools !== (setup.tools as unknown as ToolsData);
  const [offset, setOffset] = useState(() => firstOffset(job));

  const [after, setAfter] = useState(0);
  const stops = Math.max(0, ...(job.bodies ?? []).flatMap((entry) => entry.present ?? []).map((stop) => stop ?? 0));
  const now = useMemo(() => standingAfter(job, Math.min(after, stops)), [job, after, stops]);
  const model = useQuery({
    queryKey: ["setup model", revision, now],
    queryFn: async () => readModel(await api.setupModel(revision, now)),
    staleTime: Infinity,
    placeholderData: (before) => before,
    retry: false,
  });
  const replay = model.data;
  const latest = useRef(now); // what stands on the machine: the hand meets nothing that is not there yet
  useEffect(() => {
    latest.current = now;
  }, [now]);
  const start = replay?.description.start;
  const leads = !!replay?.description.arms?.length;
  const hand = useMemo(
    () =>
      start
        ? new Hand(start, {
            move: (from, to, tool, stop, held) => api.move(revision, latest.current, from, to, tool, stop, held),
            lead: leads ? (how) => api.lead(revision, latest.current, how) : undefined,
            block: (values, tool, block, stop, channel, held) => api.block(revision, latest.current, values, tool, block, stop, channel, held),
          })
        : null,
    // One hand for the screen: an edit of the setup does not put the machine back home.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [revision, !!start],
  );
  useEffect(() => hand?.letGo(), [hand, now]); // an edit of the setup puts every piece back where it is clamped
  const mounts = useMemo(() => replay?.description.mounts?.filter((mount) => mount.takes === "work") ?? [], [replay]);
  const worked = useMemo(() => [chosen], [chosen]);
  const body = bodyOf(job, chosen);
  const mount = body?.mount ?? mounts[0]?.name ?? "";

  const change = useCallback((next: typeof job) => {
    setHistory((old) => changed(old, next));
    setFailure("");
  }, []);
  const bring = (entry: BodyData) => {
    change(added(job, entry));
    setChosen(entry.name);
  };
  const step = useCallback((go: (old: History) => History) => {
    setHistory(go);
    setPicks([]);
    setFailure("");
  }, []);

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if ((event.target as HTMLElement).closest("input, textarea, [role=dialog]") || !(event.ctrlKey || event.metaKey)) return;
      if (event.key === "z") step(event.shiftKey ? redone : undone);
      else if (event.key === "y") step(redone);
      else return;
      event.preventDefault();
    };
    addEventListener("keydown", key);
    return () => removeEventListener("keydown", key);
  }, [step]);

  const pointed = async (where: Pointed) => {
    setFailure("");
    try {
      const feature = await api.pick(revision, job, where, choice.kind, mount);
      const pick = { body: where.body, feature };
      if (picks.length !== 1 && bodyOf(job, where.body)) setChosen(where.body);
      setPicks(picks.length === 1 ? [picks[0], pick] : [pick]);
    } catch (error) {
      setFailure((error as Error).message);
    }
  };
  const mate = async () => {
    try {
      const place = await api.mate(revision, job, chosen, picks[0].feature, picks[1].feature, choice.way, choice.gap, choice.turn, choice.centre);
      change(withBody(job, chosen, { at: place.at, turn: place.turn }));
      setPicks([]);
    } catch (error) {
      setFailure((error as Error).message);
    }
  };
  const datum = (point: [number, number, number]) => {
    change(withOffset(job, offset, { datum: point, mount }));
    message.success(`${called(offset)} is worked out from there.`);
    setPicks([]);
  };
  const save = async (then: "stay" | Run) => {
    setBusy(true);
    try {
      const saved = await saveUnlessBehind((anyway) => api.saveSetup(revision, job, label || "setup", toolsChanged ? tools : null, anyway), modal.confirm);
      if (!saved) return;
      await queries.invalidateQueries({ queryKey: ["jobs"] });
      const newest = saved.revisions[0];
      if (then !== "stay") onRehearsal((await api.rehearse(newest.id, then)).id);
      else {
        message.success(`Kept as revision ${newest.number}.`);
        onRevision(newest.id);
      }
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setBusy(false);
    }
  };

  const triads = useMemo<Triad[]>(() => {
    const found: Triad[] = [];
    for (const { channel, offsets } of owners(job)) {
      for (const [name, value] of Object.entries(offsets)) {
        if (!("datum" in value)) continue;
        const at = value as { datum: [number, number, number]; mount: string };
        const own = mounts.find((entry) => entry.name === at.mount);
        if (!own) continue;
        const made = { name: channel ? `${channel} ${name}` : name, link: own.link, matrix: shifted(own.matrix, at.datum) };
        const there = found.find((known) => known.link === made.link && String(known.matrix) === String(made.matrix));
        if (there) there.name += `, ${made.name}`; // two channels' own of one place
        else found.push(made);
      }
    }
    return found;
  }, [job, mounts]);
  // Of the setup as it was kept: gone as soon as something is moved.
  const tolerated = job === (setup.job as unknown as History["now"]) ? setup.tolerated : null;
  const [whiskersOn, setWhiskersOn] = useState(true);
  const whiskers = useMemo(() => (tolerated && replay && whiskersOn ? whiskersOf(tolerated.result, job, replay, triads, chosen) : NO_WHISKERS), [tolerated, replay, whiskersOn, job, triads, chosen]);
  const dots = useMemo<Dot[]>(() => {
    const own = mounts.find((entry) => entry.name === mount);
    return own ? picks.map(({ feature }) => ({ link: own.link, matrix: own.matrix, point: feature.point, direction: feature.direction ?? null })) : [];
  }, [picks, mounts, mount]);
  const [field, setField] = useState<Dot[]>([]);

  // What is carried over the stage: the chosen body, or all on its mount and the offsets there, as an arm's work is moved whole.
  const [whole, setWhole] = useState(true);
  const [carried, setCarried] = useState<Carried | null>(null);
  const together = leads && whole;
  const carries = (name: string) => {
    if (!body) return [];
    if (!together) return name === body.name ? [name] : [];
    const beside = (job.bodies ?? []).filter((entry) => entry.mount === body.mount).map((entry) => entry.name);
    return beside.includes(name) ? beside : [];
  };
  const putWork = async (place: Shift) => {
    try {
      change(await api.standThere(revision, job, place));
      return true;
    } catch (error) {
      setFailure((error as Error).message);
      return false;
    }
  };
  const onCarry = (now: Carried) => {
    setCarried(now.letGo ? null : now);
    if (!now.letGo || !now.way.some((mm) => mm !== 0)) return;
    if (together) return putWork([now.way[0], now.way[1]]);
    if (body) change(withBody(job, body.name, { at: carriedTo(body, now, mounts.find((entry) => entry.name === body.mount)?.matrix) }));
  };
  const best = useBestStand(revision);
  const [touched, setTouched] = useState<Lit | null>(null);
  const lit = touched ?? NOTHING;
  const pointing = tab !== "place" ? "" : picks.length === 1 ? `Point at the ${choice.kind} it goes to` : `Point at a ${choice.kind}`;
  const dirty = history.past.length > 0 || toolsChanged;

  return (
    <div className="workspace">
      <header>
        <Popconfirm title="Leave without keeping what was changed?" disabled={!dirty} onConfirm={onLeave} okText="Leave" cancelText="Stay">
          <Button size="small" onClick={() => !dirty && onLeave()}>
            All jobs
          </Button>
        </Popconfirm>
        <b>{setup.job_name}</b>
        <span className="quiet">
          setup of revision {setup.revision_number}, {replay?.description.machine}
        </span>
        <span className="grow" />
        <Tooltip title="Undo (Ctrl-Z)">
          <Button size="small" disabled={!history.past.length} onClick={() => step(undone)}>
            Undo
          </Button>
        </Tooltip>
        <Tooltip title="Redo (Ctrl-Y)">
          <Button size="small" disabled={!history.future.length} onClick={() => step(redone)}>
            Redo
          </Button>
        </Tooltip>
        <Input size="small" value={label} placeholder="what changed" aria-label="What changed" className="label-input" onChange={(event) => setLabel(event.target.value)} />
        <Button size="small" loading={busy} disabled={!dirty} onClick={() => void save("stay")}>
          Keep as revision
        </Button>
        <RehearseButton busy={busy} onRun={(run) => void save(run)} />
      </header>
      <div className="panes">
        <section className="pane-left" aria-label="Bodies">
          <div className="hand-row padded-row">
            <b>Bodies</b>
            <span className="grow" />
            <Button size="small" onClick={() => setAdding(true)}>
              Add…
            </Button>
            <Button size="small" onClick={() => setChoosing(true)}>
              Library…
            </Button>
            <label className="choose">
              <input
                type="file"
                accept=".stl,.3mf,.glb,.step,.stp,.dxf"
                hidden
                aria-label="Import a model"
                onChange={(event) => {
                  setComing(event.target.files?.[0] ?? null);
                  event.target.value = "";
                }}
              />
              import
            </label>
          </div>
          {stops > 0 && (
            <div className="hand-row padded-row">
              <span className="quiet">as it stands</span>
              <Select
                size="small"
                value={Math.min(after, stops)}
                aria-label="Shown as it stands"
                options={Array.from({ length: stops + 1 }, (_, stop) => ({ value: stop, label: stop ? `after stop ${stop}` : "until the first stop" }))}
                onChange={setAfter}
              />
            </div>
          )}
          {!job.bodies?.length && <Empty image={Empty.PRESENTED_IMAGE_SIMPLE} description="Nothing is clamped yet. Add a blank and a vise." />}
          <ul className="body-list" data-testid="bodies">
            {job.bodies?.map((entry) => (
              <li key={entry.name} className={`${entry.name === chosen ? "chosen" : ""} ${now.bodies?.includes(entry) ? "" : "away"}`}>
                <button
                  onClick={() => {
                    setChosen(entry.name === chosen ? "" : entry.name);
                    setTouched(null);
                    setPicks([]);
                  }}
                >
                  <i className={`role-dot ${entry.role}`} />
                  <span>{entry.name}</span>
                  <em>{entry.role}</em>
                </button>
              </li>
            ))}
          </ul>
          {body && (
            <Placed
              body={body}
              revision={revision}
              mounts={mounts.map((entry) => entry.name)}
              carried={setup.carried}
              gripped={replay?.description.gripped?.find((entry) => entry.body === body.name)}
              onChange={(part) => change(withBody(job, body.name, part))}
              onRemove={() => {
                change(withoutBody(job, body.name));
                setChosen("");
              }}
              onCopy={() => change(added(job, { ...body, name: freeName(job, body.name.replace(/ \d+$/, "")) }))}
            />
          )}
          {body && (
            <div className="hand-row padded-row">
              <span className="quiet">{carried ? `X ${carried.way[0]}  Y ${carried.way[1]}  Z ${carried.way[2]} mm` : together ? "Drag it on the stage to move" : "Drag it on the stage; Shift: up and down"}</span>
              {leads && !carried && (
                <Select
                  size="small"
                  value={whole ? "whole" : "one"}
                  aria-label="What a drag moves"
                  onChange={(value) => setWhole(value === "whole")}
                  options={[
                    { value: "whole", label: "all on its mount, with offsets" },
                    { value: "one", label: "this body alone" },
                  ]}
                />
              )}
            </div>
          )}
          {tolerated && (
            <label className="hand-row padded-row" title={`How far an offset, or the fixture chosen, may be off before something happens, asked up to ${tolerated.result.reach} mm: ink where bodies touch, red where the part is gouged, blue at the end of a travel`}>
              <Switch size="small" checked={whiskersOn} aria-label="Whiskers" onChange={setWhiskersOn} />
              <span>
                how wrong it may be:{" "}
                <a href={`/rehearsals/${tolerated.rehearsal}`} onClick={(event) => (event.preventDefault(), onRehearsal(tolerated.rehearsal))}>
                  rehearsal {tolerated.rehearsal}
                </a>
              </span>
            </label>
          )}
          {body && (
            <Repeat
              onRepeat={async (count, stride, direction, about) => {
                try {
                  const places = await api.repeat(revision, job, body.name, count, stride, direction, about);
                  let next = job;
                  for (const place of places.slice(1)) next = added(next, { ...body, ...place, name: freeName(next, body.name.replace(/ \d+$/, "")) });
                  change(next);
                } catch (error) {
                  setFailure((error as Error).message);
                }
              }}
            />
          )}
        </section>
        {replay ? (
          <ModelStage replay={replay} hand={hand} lit={lit} chosen={worked} triads={triads} whiskers={whiskers} dots={tab === "hand" && field.length ? field : dots} pointing={pointing} onPoint={(where) => void pointed(where)} carries={carries} level={together} onCarry={onCarry} />
        ) : (
          <div className="stage">{model.isError ? <Alert className="middle" type="error" title={model.error.message} /> : <Spin className="middle" />}</div>
        )}
        <section className="pane-inspector" aria-label="Inspector" style={{ width: 330 }}>
          <Tabs
            value={tab}
            onChange={setTab}
            tabs={[
              ["place", "Place"],
              ["offsets", "Offsets"],
              ["tools", "Tools"],
              ["run", "Run"],
              ["hand", "By hand"],
            ]}
          />
          <div className="inspector-body">
            {model.isError && <Alert type="error" title={model.error.message} action={<Button onClick={() => step(undone)}>Undo</Button>} />}
            {tab === "place" && (
              <Mating picks={picks} choice={choice} moving={chosen} failure={failure} onChoice={setChoice} onMate={() => void mate()} onClear={() => setPicks([])} onDatum={datum} />
            )}
            {tab === "place" && leads && <BestStandPanel job={job} search={best} onTake={(place) => void putWork(place)} />}
            {tab === "tools" && <ToolTable revision={revision} tools={tools} onTools={setTools} />}
            {tab === "offsets" && <OffsetTable revision={revision} job={job} active={offset} onActive={setOffset} onJob={change} mounts={mounts.map((entry) => entry.name)} />}
            {tab === "run" && (
              <>
                <RunWith job={job} onJob={change} />
                <Clearances job={job} description={replay?.description} onJob={change} />
              </>
            )}
            {tab === "hand" && hand && replay && (
              <HandPanel
                replay={replay}
                hand={hand}
                onLight={(bodies, point) => setTouched({ bodies, point })}
                reaching={
                  leads
                    ? {
                        bodies: (job.bodies ?? []).filter(({ role }) => role === "design" || role === "stock").map(({ name }) => name),
                        stamp: `${JSON.stringify(job.bodies)} ${carried?.way.join() ?? ""}`,
                        ask: (wanted) => api.reach(revision, job, hand.values, hand.tool, wanted, hand.channel, carried?.taken.includes(wanted) ? carried.way : [0, 0, 0]),
                        onDots: setField,
                      }
                    : undefined
                }
                onKeep={async () => {
                  try {
                    change(withOffset(job, offset, await api.offsetHere(revision, job, hand.values, hand.tool, offset.channel || hand.channel)));
                    message.success(`${called(offset)} holds where the tip stands.`);
                  } catch (error) {
                    setFailure((error as Error).message);
                  }
                }}
              />
            )}
            {failure && tab !== "place" && <Alert type="error" title={failure} />}
          </div>
        </section>
      </div>
      <ImportModel
        file={coming}
        revision={revision}
        job={job}
        mounts={mounts.map((entry) => entry.name)}
        onClose={() => setComing(null)}
        onAdd={bring}
      />
      <FromLibrary
        open={choosing}
        kind="fixture"
        revision={revision}
        onClose={() => setChoosing(false)}
        onBring={(data) => {
          const kept = data as BodyData;
          bring({ ...kept, name: freeName(job, kept.name), mount: mounts[0]?.name ?? "", at: [0, 0, 0], turn: [0, 0, 0] });
        }}
      />
      <AddBody
        open={adding}
        revision={revision}
        job={job}
        mounts={mounts.map((entry) => entry.name)}
        onClose={() => setAdding(false)}
        onAdd={bring}
      />
    </div>
  );
}

/** Where a stock that an earlier step of the route left comes from. */
function CarriedFrom({ step, body, carried }: { step: string; body: string; carried: Setup["carried"] }) {
  const says = carried.find((item) => item.step === step)?.says;
  return (
    <p className={says ? "stale" : "quiet"}>
      {says === "uncut" ? `${step} was never rehearsed: '${body}' is shown uncut.` : `What ${step} left of '${body}'${says ? `; ${step} has changed since` : ""}.`}
    </p>
  );
}

function Placed({ body, revision, mounts, carried, gripped, onChange, onRemove, onCopy }: { body: BodyData; revision: number; mounts: string[]; carried: Setup["carried"]; gripped?: Gripped; onChange: (part: Partial<BodyData>) => void; onRemove: () => void; onCopy: () => void }) {
  const triple = (name: "at" | "turn", unit: string) => (
    <div className="triple">
      <span className="quiet">{name === "at" ? "stands at" : "turned"}</span>
      {[0, 1, 2].map((i) => (
        <InputNumber
          key={i}
          size="small"
          controls={false}
          aria-label={`${name} ${"XYZ"[i]}`}
          value={(body[name] ?? [0, 0, 0])[i]}
          suffix={unit}
          onChange={(value) => {
            const next = [...(body[name] ?? [0, 0, 0])] as [number, number, number];
            next[i] = value ?? 0;
            onChange({ [name]: next });
          }}
        />
      ))}
    </div>
  );
  const standOut = (text: string) => {
    const out = Number(text);
    const [x, y, z] = body.at ?? [0, 0, 0];
    if (gripped && text.trim() && Number.isFinite(out) && Math.abs(out - gripped.out) > 1e-6) onChange({ at: [x, y, Number((z + out - gripped.out).toFixed(6))] });
  };
  return (
    <div className="placed">
      <div className="hand-row">
        <Select size="small" value={body.role} aria-label="Role" options={["stock", "fixture", "design", "part", "access"].map((role) => ({ value: role, label: role }))} onChange={(role) => onChange({ role })} />
        <Select size="small" value={body.mount} aria-label="Mount" options={mounts.map((name) => ({ value: name, label: `on ${name}` }))} onChange={(mount) => onChange({ mount })} />
      </div>
      {body.shape?.type === "carried" && <CarriedFrom step={String(body.shape.step)} body={String(body.shape.body)} carried={carried} />}
      {gripped && (
        <div className="hand-row">
          <span className="quiet">out of {gripped.grip}</span>
          <InputNumber
            key={gripped.out.toFixed(4)}
            size="small"
            controls={false}
            aria-label={`Stick-out from ${gripped.grip}`}
            defaultValue={Number(gripped.out.toFixed(4))}
            onPressEnter={(event) => standOut((event.target as HTMLInputElement).value)}
            onBlur={(event) => standOut(event.target.value)}
          />
          <span className={gripped.within < gripped.least ? "stale" : "quiet"}>
            {gripped.within.toFixed(2)} mm held{gripped.within < gripped.least ? `; ${gripped.least} are needed` : ""}
          </span>
        </div>
      )}
      {triple("at", "")}
      {triple("turn", "°")}
      <div className="hand-row">
        <span className="quiet">there</span>
        <Select
          size="small"
          value={body.present ? body.present.join() : ""}
          aria-label="When it is there"
          onChange={(value) => onChange({ present: value ? (value.split(",").map((n) => (n ? Number(n) : null)) as [number, number | null]) : null })}
          options={[
            { value: "", label: "always" },
            { value: "0,1", label: "to stop 1" },
            { value: "1,", label: "from stop 1" },
            { value: "1,2", label: "stop 1 to 2" },
            { value: "2,", label: "from stop 2" },
          ]}
        />
        <span className="grow" />
      </div>
      <div className="hand-row">
        {(body.role === "fixture" || body.role === "access") && <KeepInLibrary revision={revision} kind="fixture" data={body} />}
        <span className="grow" />
        <Button size="small" onClick={onCopy}>
          Copy
        </Button>
        <Button size="small" danger onClick={onRemove}>
          Remove
        </Button>
      </div>
    </div>
  );
}

/** Where a body stands on its mount after it was carried. `matrix`: of the mount in its link. */
function carriedTo(body: BodyData, { onLink }: Carried, matrix: number[][] | undefined): [number, number, number] {
  const at = body.at ?? [0, 0, 0];
  const along = (i: number) => (matrix ? onLink.reduce((sum, mm, k) => sum + mm * matrix[k][i], 0) : onLink[i]);
  return [0, 1, 2].map((i) => Number((at[i] + along(i)).toFixed(3))) as [number, number, number];
}

/** A matrix with a point of its own frame as its new origin. */
function shifted(rows: number[][], point: number[]): number[][] {
  return rows.map((row, i) => (i < 3 ? [...row.slice(0, 3), row[0] * point[0] + row[1] * point[1] + row[2] * point[2] + row[3]] : row));
}
