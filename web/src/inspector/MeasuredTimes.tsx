// What the job took on the floor: typed or pasted, held against what was worked out, and what it tells of the unit.

import { useMutation } from "@tanstack/react-query";
import { Alert, App, Button, Input, Modal } from "antd";
import { useState } from "react";

import { api, type Calibration, type RehearsalFull } from "../api/client";

const MOMENT = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium" });

/** Lines to be filled in: the whole and every tool that the job uses, once. */
export function linesFor(rehearsal: RehearsalFull): string {
  const tools = [...new Set((rehearsal.result?.times?.operations ?? []).filter((row) => row.tool > 0).map((row) => `T${row.tool}`))];
  return ["cycle", ...tools].map((what) => `${what}, `).join("\n");
}

/** Of what was typed the lines that have a time. */
export const filled = (text: string) =>
  text
    .split("\n")
    .filter((line) => !/[,;\t]\s*$/.test(line) && line.trim())
    .join("\n");

const WIDE = 0.1; // a share of a measured time: the half width of the plot holds at least so much

/** Each time as worked out, off what was measured: before as a ring, as learned as a dot. */
function Off({ told }: { told: Calibration }) {
  const off = (value: number, measured: number) => (value - measured) / measured;
  const half = Math.max(WIDE, ...told.residuals.flatMap((row) => [Math.abs(off(row.before, row.measured)), Math.abs(off(row.after, row.measured))]));
  const place = (value: number, measured: number) => `${50 + (48 * off(value, measured)) / half}%`;
  return (
    <table className="figures off-table">
      <thead>
        <tr>
          <th />
          <th>measured</th>
          <th>worked out</th>
          <th>as learned</th>
          <th>
            <span className="ends">
              <span>−{(100 * half).toFixed(0)} %</span> <span>off</span> <span>+{(100 * half).toFixed(0)} %</span>
            </span>
          </th>
        </tr>
      </thead>
      <tbody>
        {told.residuals.map((row) => (
          <tr key={`${row.job} ${row.what}`}>
            <th title={row.job}>{row.what}</th>
            <td>{row.measured.toFixed(1)} s</td>
            <td>{row.before.toFixed(1)} s</td>
            <td>{row.after.toFixed(1)} s</td>
            <td className="off">
              <i className="was" style={{ left: place(row.before, row.measured) }} />
              <i className="is" style={{ left: place(row.after, row.measured) }} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Constants({ told }: { told: Calibration }) {
  return (
    <ul className="constants">
      {told.constants.map((item) => (
        <li key={item.name} className={item.told ? undefined : "quiet"}>
          {item.said}:{" "}
          {item.told ? (
            <b>
              {item.before.toPrecision(3)} → {item.after.toPrecision(3)} ± {(item.unsure ?? 0).toPrecision(1)} {item.unit}
            </b>
          ) : (
            `stays ${item.before.toPrecision(3)} ${item.unit}; these times do not tell it`
          )}
        </li>
      ))}
    </ul>
  );
}

interface Props {
  rehearsal: RehearsalFull;
  open: boolean;
  onClose: () => void;
  onRehearsal: (id: number) => void;
}

export function MeasuredTimes({ rehearsal, open, onClose, onRehearsal }: Props) {
  const { message } = App.useApp();
  const [text, setText] = useState(() => linesFor(rehearsal));
  const [kept, setKept] = useState<{ id: number; name: string; number: number } | null>(null);
  const asked = useMutation({ mutationFn: () => api.measured(rehearsal.id, filled(text)) });
  const learn = useMutation({
    mutationFn: () => api.learnTimes(rehearsal.id, filled(text)),
    onSuccess: (made) => setKept(made),
    onError: (error: Error) => void message.error(error.message),
  });
  const put = useMutation({
    mutationFn: async (machine: number) => {
      const job = await api.swap(rehearsal.revision, machine);
      return api.rehearse(job.revisions[0]!.id);
    },
    onSuccess: (made) => {
      onClose();
      onRehearsal(made.id);
    },
    onError: (error: Error) => void message.error(error.message),
  });
  const told = asked.data;
  return (
    <Modal open={open} onCancel={onClose} title="Measured times" footer={null} width={720}>
      <p className="quiet">One a line: the whole cycle, a tool, or an operation by its name, and its seconds or minutes:seconds. Times of several jobs on one unit count together.</p>
      <Input.TextArea aria-label="Times, one a line" rows={6} value={text} onChange={(event) => setText(event.target.value)} spellCheck={false} className="mono" />
      <p>
        <Button type={told ? "default" : "primary"} onClick={() => asked.mutate()} loading={asked.isPending} disabled={!filled(text)}>
          What do they tell?
        </Button>
      </p>
      {asked.isError && <Alert type="warning" title={asked.error.message} />}
      {told && (
        <div data-testid="calibration">
          <Off told={told} />
          <p className="quiet">
            <i className="key was" /> worked out <i className="key is" /> as learned; left over {(100 * told.spread).toFixed(1)} % of each time, one standard deviation
          </p>
          <Constants told={told} />
          {kept ? (
            <p>
              {kept.name}, number {kept.number}, is in the library.{" "}
              <Button size="small" type="primary" onClick={() => put.mutate(kept.id)} loading={put.isPending}>
                Put it under this job
              </Button>
            </p>
          ) : (
            <p>
              <Button type="primary" onClick={() => learn.mutate()} loading={learn.isPending}>
                Keep for {told.unit}
              </Button>
            </p>
          )}
          {told.history.length > 0 && (
            <p className="quiet">
              Learned before: {told.history.map((row) => `number ${row.number}, ${MOMENT.format(new Date(row.at))} by ${row.by}, ${row.measured} times, ${(100 * (row.spread ?? 0)).toFixed(1)} % left over`).join("; ")}.
            </p>
          )}
        </div>
      )}
    </Modal>
  );
}
