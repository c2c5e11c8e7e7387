import { InputNumber, Select, Switch } from "antd";

import type { JobData } from "../api/client";

interface Switches {
  block_skip?: number[];
  optional_stop?: boolean;
  feed_override?: number;
  rapid_override?: number;
  dry_run?: boolean;
  air_cut?: number;
}

/** How the program is to be run: the switches of the operator's panel. The verdict names those that are on. */
export function RunWith({ job, onJob }: { job: JobData; onJob: (job: JobData) => void }) {
  const now = (job.switches ?? {}) as Switches;
  const set = (change: Switches) => onJob({ ...job, switches: { ...now, ...change } });
  const number = (label: string, key: "feed_override" | "rapid_override" | "air_cut", usual: number, most: number, unit: string) => (
    <label>
      {label}
      <InputNumber size="small" min={key === "air_cut" ? 0 : 1} max={most} value={now[key] ?? usual} suffix={unit} controls={false} aria-label={label} onChange={(value) => set({ [key]: value ?? usual })} />
    </label>
  );
  return (
    <div className="run-with">
      <h4>Run with</h4>
      <div className="measures">
        {number("feed", "feed_override", 100, 200, "%")}
        {number("rapid", "rapid_override", 100, 100, "%")}
        {number("raised for an air cut", "air_cut", 0, 10_000, "mm")}
        <label>
          dry run
          <Switch size="small" checked={now.dry_run ?? false} onChange={(on) => set({ dry_run: on })} />
        </label>
        <label>
          optional stop
          <Switch size="small" checked={now.optional_stop ?? false} onChange={(on) => set({ optional_stop: on })} />
        </label>
        <label>
          block skip
          <Select
            mode="multiple"
            size="small"
            value={now.block_skip ?? []}
            aria-label="Block skip"
            options={Array.from({ length: 9 }, (_, i) => ({ value: i + 1, label: `/${i ? i + 1 : ""}` }))}
            onChange={(skipped: number[]) => set({ block_skip: skipped })}
          />
        </label>
      </div>
    </div>
  );
}
