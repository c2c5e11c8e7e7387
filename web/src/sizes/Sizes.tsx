// The measures of the finished part: taken by pointing, kept with the job, read again on every rehearsal.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { App, Button, Input, InputNumber, Segmented, Spin, Typography } from "antd";
import { useCallback, useEffect, useMemo, useState } from "react";

import { api, type Asked, type PartMeasure } from "../api/client";
import { Mark } from "../inspector/Mark";
import type { Replay } from "../replay/replay";
import type { StageScene, Touched } from "../stage/scene";
import { askedFor, counted, freshName, promptFor, slip, told, unitOf, WAYS, wayOf, type Kind, type On } from "./sizes";

interface Props {
  id: number;
  replay: Replay;
  scene: () => StageScene | null;
  onPrompt: (words: string) => void; // what the stage asks for; empty when it asks for nothing
  onEnd: () => void; // to the finished part
  onMotion: (motion: number) => void;
}

interface Pointing {
  kind: Kind;
  on: On;
  stock: number;
  places: { on: On; at: [number, number, number] }[];
}

const COPIES = { tooltips: ["Copy", "Copied"] as [string, string] };

export function Sizes({ id, replay, scene, onPrompt, onEnd, onMotion }: Props) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const list = useQuery({ queryKey: ["measures", id], queryFn: () => api.measures(id), retry: false });
  const measures = useMemo(() => list.data ?? [], [list.data]);
  const [pointing, setPointing] = useState<Pointing | null>(null);
  const [pending, setPending] = useState<PartMeasure | null>(null);
  const [reading, setReading] = useState(false);
  const [chosen, setChosen] = useState<string | null>(null);
  const refresh = useCallback(() => queries.invalidateQueries({ queryKey: ["measures", id] }), [queries, id]);

  const begin = (kind: Kind, on: On = wayOf(kind).choices[0]) => {
    onEnd();
    setPending(null);
    setChosen(null);
    setPointing({ kind, on, stock: -1, places: [] });
  };

  const touch = useCallback(
    async ({ stock, point }: Touched) => {
      if (!pointing) return;
      if (pointing.places.length && stock !== pointing.stock) {
        message.warning("Both places must be on one piece of stock.");
        return;
      }
      const places = [...pointing.places, { on: pointing.on, at: point }];
      if (places.length < wayOf(pointing.kind).ask.length) {
        setPointing({ ...pointing, stock, places });
        return;
      }
      setPointing(null);
      setReading(true);
      const name = freshName(pointing.kind, measures.map(({ asked }) => asked.name));
      try {
        setPending(await api.tryMeasure(id, askedFor(pointing.kind, name, replay.description.stocks[stock].name, places)));
      } catch (error) {
        message.error((error as Error).message);
      } finally {
        setReading(false);
      }
    },
    [id, measures, message, pointing, replay],
  );

  useEffect(() => {
    const made = scene();
    if (!made || !pointing) return;
    made.onTouch = (touched) => void touch(touched);
    onPrompt(promptFor(pointing.kind, pointing.on, pointing.places.length));
    const leave = (event: KeyboardEvent) => {
      if (event.key !== "Escape") return;
      event.stopPropagation();
      setPointing(null);
    };
    window.addEventListener("keydown", leave, true);
    return () => {
      made.onTouch = null;
      onPrompt("");
      window.removeEventListener("keydown", leave, true);
    };
  }, [pointing, scene, touch, onPrompt]);

  // What is drawn on the part: all that is kept, the one that is looked at bold.
  useEffect(() => {
    const stocks = replay.description.stocks.map(({ name }) => name);
    const drawn = [...measures, ...(pending ? [pending] : [])].filter(({ read }) => read.feet.length && stocks.includes(read.stock));
    scene()?.dimension(
      drawn.map((measure) => ({
        stock: stocks.indexOf(measure.read.stock),
        feet: measure.read.feet as [number, number, number][],
        text: slip(measure),
        out: measure.read.within === false,
        bold: measure === pending || measure.read.name === chosen,
      })),
    );
  }, [measures, pending, chosen, replay, scene]);
  useEffect(() => () => scene()?.dimension([]), [scene]);

  const keep = async (asked: Asked, insteadOf: string) => {
    try {
      await api.putMeasure(id, asked, insteadOf);
    } catch (error) {
      message.error((error as Error).message);
      return;
    }
    setPending(null);
    setChosen(asked.name);
    await refresh();
  };
  const drop = async ({ asked }: PartMeasure) => {
    try {
      await api.dropMeasure(id, asked.name);
    } catch (error) {
      message.error((error as Error).message);
    }
    setChosen(null);
    await refresh();
    const undo = () => {
      message.destroy(asked.name);
      void keep(asked, "");
    };
    message.info({ key: asked.name, duration: 8, content: <>“{asked.name}” taken away <Button size="small" type="link" onClick={undo}>Undo</Button></> });
  };
  const look = (measure: PartMeasure) => {
    const { name, stock, feet } = measure.read;
    setChosen(chosen === name ? null : name);
    const at = replay.description.stocks.findIndex((entry) => entry.name === stock);
    if (chosen === name || at < 0 || !feet.length) return;
    onEnd();
    const middle = [0, 1, 2].map((i) => feet.reduce((sum, foot) => sum + foot[i], 0) / feet.length) as [number, number, number];
    const made = scene();
    const reach = feet.length > 1 ? Math.hypot(...[0, 1, 2].map((i) => feet[1][i] - feet[0][i])) : 20;
    made?.focus(made.fromWork(at, middle), Math.max(20, 1.6 * reach));
  };

  if (!replay.description.stocks.length) return <p className="padded quiet">This job has no stock, so there is no part to measure.</p>;
  const count = counted(measures);
  return (
    <div className="padded sizes" data-testid="sizes">
      <div className="sizes-ways" role="group" aria-label="Take a measure">
        {WAYS.map(({ kind, label }) => (
          <Button key={kind} size="small" disabled={list.isError} type={pointing?.kind === kind ? "primary" : "default"} onClick={() => (pointing?.kind === kind ? setPointing(null) : begin(kind))}>
            {label}
          </Button>
        ))}
      </div>
      {pointing && wayOf(pointing.kind).choices.length > 1 && (
        <Segmented<On> size="small" block value={pointing.on} aria-label="What is pointed at" options={wayOf(pointing.kind).choices} onChange={(on) => setPointing({ ...pointing, on })} />
      )}
      {pointing && (
        <p className="quiet">
          {promptFor(pointing.kind, pointing.on, pointing.places.length)}. Esc leaves off.
        </p>
      )}
      {reading && <Spin size="small" />}
      {pending && <Editor key={pending.asked.name + pending.read.actual} measure={pending} isNew onKeep={(asked) => keep(asked, "")} onDrop={() => setPending(null)} onMotion={onMotion} replay={replay} />}
      {list.isError && <p className="remedy">{sentence(list.error.message)}</p>}
      {list.isPending && <Spin size="small" />}
      {list.isSuccess && !measures.length && !pending && !pointing && (
        <p className="quiet">
          Nothing is measured yet. Choose what to measure and point at the part: the reading stands beside what the design has there, is kept with the job and is taken again on every rehearsal.
        </p>
      )}
      {measures.length > 0 && (
        <>
          <h4>
            {count.all === 1 ? "1 measure" : `${count.all} measures`}
            <span className="quiet">
              {count.out > 0 && `, ${count.out} out of tolerance`}
              {count.lacking > 0 && `, ${count.lacking} not taken`}
            </span>
            <a className="sizes-table" href={api.measuresAddress(id)} download={`${replay.description.job} measures.csv`.replaceAll("/", "-")}>
              CSV
            </a>
          </h4>
          <ul className="rows">
            {measures.map((measure) => (
              <li key={measure.asked.name}>
                <button onClick={() => look(measure)} data-testid="measure" aria-expanded={chosen === measure.asked.name}>
                  <State within={measure.read.within} />
                  <span className="sizes-name">{measure.asked.name}</span>
                  <b>{slip(measure)}</b>
                  <span className="sizes-off">{measure.read.off === null ? "" : told(measure.read.off, true)}</span>
                </button>
                {chosen === measure.asked.name && (
                  <Editor measure={measure} onKeep={(asked) => keep(asked, measure.asked.name)} onDrop={() => void drop(measure)} onMotion={onMotion} replay={replay} />
                )}
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}

/** Within tolerance, out of it, or nothing to judge by. */
function State({ within }: { within: boolean | null | undefined }) {
  return <span className="sizes-state">{within == null ? null : <Mark severity={within ? "clear" : "caution"} />}</span>;
}

interface EditorProps {
  measure: PartMeasure;
  replay: Replay;
  isNew?: boolean;
  onKeep: (asked: Asked) => void;
  onDrop: () => void;
  onMotion: (motion: number) => void;
}

/** One measure in full: what was read, what is asked of it, and the cut that made it. */
function Editor({ measure, replay, isNew, onKeep, onDrop, onMotion }: EditorProps) {
  const { read, own } = measure;
  const [asked, setAsked] = useState(measure.asked);
  const [low, high] = asked.tolerance ?? [null, null];
  const unit = unitOf(asked.kind);
  const bound = (lower: number | null, upper: number | null) => {
    if (lower === null && upper === null) setAsked({ ...asked, tolerance: null });
    else setAsked({ ...asked, tolerance: [lower ?? Math.min(0, upper ?? 0), upper ?? Math.max(0, lower ?? 0)] });
  };
  const wrong = low !== null && high !== null && low > high;
  const changed = isNew || JSON.stringify(asked) !== JSON.stringify(measure.asked);
  const keepable = changed && !wrong && asked.name.trim() !== "" && (read.actual !== null || !isNew);
  return (
    <form
      className="sizes-editor"
      onSubmit={(event) => {
        event.preventDefault();
        if (keepable) onKeep({ ...asked, name: asked.name.trim() });
      }}
    >
      {read.why && <p className="remedy">{sentence(read.why)}</p>}
      <table className="figures">
        <tbody>
          {read.actual !== null && (
            <tr>
              <th>Actual</th>
              <td>
                <Typography.Text copyable={{ text: String(read.actual), ...COPIES }}>{told(read.actual)} {unit}</Typography.Text>
              </td>
            </tr>
          )}
          <tr>
            <th>Nominal</th>
            <td>{read.nominal === null ? "no design there" : `${told(read.nominal)} ${unit}`}</td>
          </tr>
          {(read.facets ?? 0) >= 0.001 && (
            <tr>
              <th title="The design is a mesh: its corners lie on the circle, its facets cut it short">Across its facets</th>
              <td>{told(read.facets! * -1, true)} mm</td>
            </tr>
          )}
          {read.off !== null && (
            <tr>
              <th>Off</th>
              <td>{told(read.off, true)} {unit}</td>
            </tr>
          )}
          {read.parts && (
            <tr>
              <th>X Y Z</th>
              <td>
                <Typography.Text copyable={{ text: read.parts.join(" "), ...COPIES }}>{read.parts.map((part) => told(part)).join("  ")}</Typography.Text>
              </td>
            </tr>
          )}
          {read.angle !== null && read.angle !== undefined && (
            <tr>
              <th>Angle between</th>
              <td>{told(read.angle)}°</td>
            </tr>
          )}
          {read.form !== null && read.form !== undefined && (
            <tr>
              <th title="The wall's farthest point from its least-squares cylinder less its nearest">Form</th>
              <td>{told(read.form)} mm</td>
            </tr>
          )}
          <tr>
            <th>Rests on</th>
            <td>{read.points > 1 ? `${read.points} points` : "the place itself"}</td>
          </tr>
        </tbody>
      </table>
      {own && (
        <div className="sizes-fields">
          <label>
            Name
            <Input size="small" value={asked.name} maxLength={60} onChange={({ target }) => setAsked({ ...asked, name: target.value })} />
          </label>
          <label>
            Nominal
            <InputNumber size="small" value={asked.nominal} precision={3} placeholder={told(read.nominal)} onChange={(nominal) => setAsked({ ...asked, nominal })} />
          </label>
          <label>
            From
            <InputNumber size="small" value={low} step={0.01} placeholder="lower" status={wrong ? "error" : ""} onChange={(value) => bound(value, high)} />
          </label>
          <label>
            To
            <InputNumber size="small" value={high} step={0.01} placeholder="upper" status={wrong ? "error" : ""} onChange={(value) => bound(low, value)} />
          </label>
        </div>
      )}
      <div className="sizes-acts">
        {own && (
          <Button size="small" type="primary" htmlType="submit" disabled={!keepable}>
            {isNew ? "Keep" : "Save"}
          </Button>
        )}
        {own && (
          <Button size="small" onClick={onDrop}>
            {isNew ? "Discard" : "Take away"}
          </Button>
        )}
        {!own && <span className="quiet">in the job file</span>}
        <span className="grow" />
        {read.motion >= 0 && (
          <Button size="small" type="link" onClick={() => onMotion(read.motion)}>
            T{replay.column("tool")[read.motion]}, line {replay.column("line")[read.motion]}
          </Button>
        )}
      </div>
    </form>
  );
}

function sentence(words: string): string {
  return `${words.slice(0, 1).toUpperCase()}${words.slice(1)}${/[.?]$/.test(words) ? "" : "."}`;
}
