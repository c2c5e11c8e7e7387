import { useQuery } from "@tanstack/react-query";
import { Alert, App, Button, Input, InputNumber, Select, Spin, Switch } from "antd";
import { useState } from "react";

import { api, type ControlData, type ControlOut } from "../api/client";
import type { Description } from "../replay/replay";

type Places = Record<string, Record<string, number>>;
const REFERENCES = ["1", "2", "3", "4"];
const OFFSETS = ["G54", "G55", "G56", "G57", "G58", "G59"];

interface Props {
  id: number;
  codes: NonNullable<Description["habits"]>["codes"];
  onKept: (id: number) => void;
}

/** The unit's control as a shop sets it like the one on the floor; kept as a new number, so that jobs keep what they were made with. */
export function Control({ id, ...rest }: Props) {
  const told = useQuery({ queryKey: ["control", id], queryFn: () => api.machineControl(id), staleTime: Infinity });
  if (told.isError) return <Alert type="error" title={told.error.message} action={<Button onClick={() => told.refetch()}>Try again</Button>} />;
  if (!told.data) return <Spin size="small" />;
  return <Settings id={id} told={told.data} {...rest} />;
}

function Settings({ id, told, codes, onKept }: Props & { told: ControlOut }) {
  const { message } = App.useApp();
  const [now, setNow] = useState(told.control);
  const [busy, setBusy] = useState(false);
  const [failure, setFailure] = useState("");
  const set = (part: Partial<ControlData>) => setNow({ ...now, ...part });
  const dirty = JSON.stringify(now) !== JSON.stringify(told.control);
  const turns = (axis: string) => Number(told.rotary.includes(axis));
  const axes = [...told.axes].sort((a, b) => turns(a) - turns(b) || a.localeCompare(b));
  const unit = told.units === "inch" ? "in" : "mm";
  const keep = async () => {
    setBusy(true);
    setFailure("");
    try {
      const made = await api.setControl(id, now);
      message.success(`Kept as number ${made.number}; jobs keep the machine they were made with.`);
      onKept(made.id);
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  const seconds = (label: string, key: "corner_seconds" | "block_seconds" | "change_seconds" | "coolant_seconds") => (
    <Row label={label}>
      <InputNumber size="small" min={0} controls={false} suffix="s" value={now[key]} aria-label={label} onChange={(value) => set({ [key]: value ?? told.control[key] })} />
    </Row>
  );
  const table = (rows: string[], places: Places, label: string, onPlaces: (places: Places) => void) => (
    <PlaceTable rows={rows} axes={axes} places={places} label={label} onPlaces={onPlaces} />
  );
  return (
    <div className="control-data">
      <h4>Motion</h4>
      <Row label="rapids">
        <Select
          size="small"
          value={now.rapid}
          aria-label="Rapids"
          popupMatchSelectWidth={false}
          options={[
            { value: "straight", label: "run straight" },
            { value: "dogleg", label: "bend: each axis at its rate" },
          ]}
          onChange={(rapid) => set({ rapid })}
        />
      </Row>
      {seconds("a corner takes", "corner_seconds")}
      {seconds("a block takes at least", "block_seconds")}
      <h4>Tool change</h4>
      {seconds("takes", "change_seconds")}
      <Row label="goes to its place by itself">
        <Switch size="small" checked={now.change_moves} aria-label="The change goes to its place by itself" onChange={(change_moves) => set({ change_moves })} />
      </Row>
      <Row label="the spindle turns on through it">
        <Switch size="small" checked={now.keeps_spindle} aria-label="The spindle turns on through the change" onChange={(keeps_spindle) => set({ keeps_spindle })} />
      </Row>
      {table(["place"], { place: now.change_at }, "tool change", ({ place }) => set({ change_at: place ?? {} }))}
      <h4>Reference points, {unit} or °</h4>
      {table(REFERENCES, now.reference, "reference", (reference) => set({ reference }))}
      <h4>Spindle, coolant, waits</h4>
      {Object.entries(now.gains).map(([name, gain]) => (
        <Row key={name} label={`${name || "the spindle"} gains in a second`}>
          <InputNumber
            size="small"
            min={1}
            controls={false}
            suffix="/min"
            placeholder="at once"
            value={gain}
            aria-label={`${name || "the spindle"} gains in a second`}
            onChange={(value) => set({ gains: { ...now.gains, [name]: value ?? null } })}
          />
        </Row>
      ))}
      {seconds("coolant, on or off", "coolant_seconds")}
      <Row label="wait marks">
        <span className="pair">
          {([0, 1] as const).map((end) => (
            <InputNumber
              key={end}
              size="small"
              controls={false}
              prefix="M"
              min={1}
              max={9999}
              placeholder="none"
              value={now.wait_marks?.[end] ?? null}
              aria-label={end ? "Last wait mark" : "First wait mark"}
              onChange={(value) => {
                const marks: [number, number] = [now.wait_marks?.[0] ?? value ?? 1, now.wait_marks?.[1] ?? value ?? 1];
                marks[end] = value ?? 0;
                set({ wait_marks: value ? marks : null });
              }}
            />
          ))}
        </span>
      </Row>
      <h4>What the control on the floor holds</h4>
      <p className="quiet">A setup tells how far its own offsets are from these.</p>
      {table(OFFSETS.concat(Object.keys(now.work_offsets).filter((name) => !OFFSETS.includes(name))), now.work_offsets, "floor", (work_offsets) => set({ work_offsets }))}
      <Row label="read off on">
        <Input size="small" value={now.since} placeholder="2026-11-30" aria-label="Read off on" onChange={(event) => set({ since: event.target.value })} />
      </Row>
      {codes.length > 0 && (
        <>
          <h4>Codes of its own</h4>
          <table className="figures">
            <tbody>
              {codes.map(({ code, says }) => (
                <tr key={code}>
                  <th>{code}</th>
                  <td>{says}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {failure && <Alert type="error" title={failure} />}
      <div className="hand-row control-keep">
        <Button size="small" type="primary" disabled={!dirty} loading={busy} onClick={() => void keep()}>
          Keep as a new number
        </Button>
        <Button size="small" disabled={!dirty} onClick={() => setNow(told.control)}>
          As it was
        </Button>
      </div>
    </div>
  );
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="control-row">
      <span>{label}</span>
      {children}
    </div>
  );
}

/** Axis values of named places; an empty field is an axis that the place says nothing of. */
function PlaceTable({ rows, axes, places, label, onPlaces }: { rows: string[]; axes: string[]; places: Places; label: string; onPlaces: (places: Places) => void }) {
  const put = (row: string, axis: string, value: number | null) => {
    const place = { ...places[row] };
    if (value === null) delete place[axis];
    else place[axis] = value;
    const next = { ...places, [row]: place };
    if (!Object.keys(place).length) delete next[row];
    onPlaces(next);
  };
  return (
    <div className="place-table">
      <table>
        <thead>
          <tr>
            <th />
            {axes.map((axis) => (
              <th key={axis}>{axis}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row}>
              <th>{row}</th>
              {axes.map((axis) => (
                <td key={axis}>
                  <InputNumber size="small" controls={false} value={places[row]?.[axis] ?? null} aria-label={`${label} ${row} ${axis}`} onChange={(value) => put(row, axis, value)} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
