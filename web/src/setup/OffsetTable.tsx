import { useQuery } from "@tanstack/react-query";
import { Alert, Button, InputNumber, Select, Typography } from "antd";

import { api, type JobData } from "../api/client";

interface Props {
  revision: number;
  job: JobData;
  active: string;
  mounts: string[];
  onActive: (name: string) => void;
  onJob: (job: JobData) => void;
}

const signed = (value: number) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(3)}`;
const NAMES = ["G54", "G55", "G56", "G57", "G58", "G59", ...Array.from({ length: 12 }, (_, i) => `G54.1 P${i + 1}`)];

/** Work offsets: from a datum on the work or as typed at the control; beside what the unit's control was read to hold. */
export function OffsetTable({ revision, job, active, mounts, onActive, onJob }: Props) {
  const worked = useQuery({ queryKey: ["offsets", revision, job.work_offsets], queryFn: () => api.setupOffsets(revision, job), placeholderData: (before) => before, retry: false });
  const entries = Object.entries(job.work_offsets ?? {});
  const set = (name: string, value: NonNullable<JobData["work_offsets"]>[string]) => onJob({ ...job, work_offsets: { ...job.work_offsets, [name]: value } });
  const without = (name: string) => onJob({ ...job, work_offsets: Object.fromEntries(entries.filter(([key]) => key !== name)) });
  return (
    <div className="padded" data-testid="offsets">
      {worked.isError && <Alert type="error" title={worked.error.message} />}
      {!entries.length && <p className="quiet">No offset yet. Point at program zero on the stage, or set one here.</p>}
      {entries.map(([name, value]) => {
        const result = worked.data?.find((row) => row.name === name.replace(" ", ""));
        const isDatum = "datum" in value;
        const own = isDatum ? (value as { datum: [number, number, number]; mount: string }) : null;
        return (
          <div key={name} className={name === active ? "offset chosen" : "offset"} onClick={() => onActive(name)}>
            <div className="hand-row">
              <b>{name}</b>
              <span className="quiet">{own ? `datum on ${own.mount}` : "as typed at the control"}</span>
              <span className="grow" />
              <Button size="small" type="text" onClick={() => without(name)}>
                remove
              </Button>
            </div>
            {own && (
              <div className="triple">
                {[0, 1, 2].map((i) => (
                  <InputNumber
                    key={i}
                    size="small"
                    controls={false}
                    aria-label={`${name} datum ${"XYZ"[i]}`}
                    value={own.datum[i]}
                    onChange={(number) => {
                      const next = [...own.datum] as [number, number, number];
                      next[i] = number ?? 0;
                      set(name, { ...own, datum: next });
                    }}
                  />
                ))}
              </div>
            )}
            <table className="figures">
              <tbody>
                {Object.entries(result?.values ?? {}).sort(([a], [b]) => a.localeCompare(b)).map(([axis, number]) => (
                  <tr key={axis}>
                    <th>{axis}</th>
                    <td>
                      <Typography.Text copyable={{ text: String(number), tooltips: ["Copy", "Copied"] }}>{number.toFixed(3)}</Typography.Text>
                    </td>
                    <td className={Math.abs(result?.apart?.[axis] ?? 0) > 0.001 ? "apart" : "quiet"}>
                      {result?.held && axis in result.held ? `${result.held[axis].toFixed(3)} held, ${signed(result.apart![axis] ?? 0)}` : ""}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        );
      })}
      <Select
        size="small"
        value={null}
        placeholder="another offset"
        aria-label="Another offset"
        options={NAMES.filter((name) => !(name in (job.work_offsets ?? {}))).map((name) => ({ value: name, label: name }))}
        onChange={(name: string | null) => {
          if (!name) return;
          set(name, { datum: [0, 0, 0], mount: mounts[0] });
          onActive(name);
        }}
      />
    </div>
  );
}
