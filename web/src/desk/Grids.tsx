import { Segmented } from "antd";

import type { Checked, JobData, ToolData, ToolsData } from "../api/client";
import { Grid, type Column, type Row } from "./Grid";
import { numberOf } from "./table";
import { offsetsOf, withOffsets, withoutOffset } from "../setup/offsets";

export type GridName = "tools" | "offsets" | "variables";

interface Props {
  which: GridName;
  chosen: string | null;
  job: JobData;
  channel: number; // whose offsets
  tools: ToolsData;
  /** Work offsets as they are worked out, for those given by a datum. */
  worked: Record<string, Record<string, number>>;
  axes: readonly string[];
  checked: Checked | undefined;
  onWhich: (which: GridName) => void;
  onJob: (job: JobData) => void;
  onTools: (tools: ToolsData) => void;
}

const shown = (value: number | null | undefined) => (value === null || value === undefined ? "" : String(Math.round(value * 1e6) / 1e6));

/** Tool table, offsets and variables beside the text, as spreadsheets. */
export function Grids(props: Props) {
  return (
    <>
      <Segmented<GridName>
        size="small"
        className="tabs"
        value={props.which}
        onChange={props.onWhich}
        options={[
          { value: "tools", label: "Tools" },
          { value: "offsets", label: "Offsets" },
          { value: "variables", label: "Variables" },
        ]}
      />
      {props.which === "tools" && <ToolGrid {...props} />}
      {props.which === "offsets" && <OffsetGrid {...props} />}
      {props.which === "variables" && <VariableGrid {...props} />}
    </>
  );
}

const TOOL_COLUMNS: Column[] = [
  { key: "number", label: "T", kind: "fixed", width: 16 },
  { key: "name", label: "name", kind: "text", width: 102 },
  { key: "diameter", label: "⌀", kind: "fixed", width: 24 },
  { key: "length", label: "length", kind: "number" },
  { key: "H", label: "H", kind: "number" },
  { key: "D", label: "D", kind: "number" },
  { key: "surface", label: "m/min", kind: "number" },
  { key: "tooth", label: "mm/tooth", kind: "number" },
  { key: "rate", label: "cm³/min", kind: "number" },
];

function ToolGrid({ tools, checked, chosen, onTools }: Props) {
  const rows: Row[] = tools.tools.map((tool) => ({
    id: String(tool.number),
    note: checked?.unused.includes(tool.number) ? "The program does not use it" : undefined,
    cells: {
      number: String(tool.number), name: tool.name ?? "", diameter: shown(tool.cutter.diameter), length: shown(tool.length),
      H: shown(tool.registers?.H ?? tool.length), D: shown(tool.registers?.D ?? (tool.cutter.diameter ? tool.cutter.diameter / 2 : null)),
      surface: shown(tool.limits?.surface_speed?.[1]), tooth: shown(tool.limits?.feed_per_tooth?.[1]),
      rate: shown(tool.limits?.removal_rate),
    },
  })); // prettier-ignore
  const changed = (tool: ToolData, key: string, value: string): ToolData => {
    const number = numberOf(value);
    if (key === "name") return { ...tool, name: value };
    if (key === "length") return number ? { ...tool, length: number } : tool;
    if (key === "rate") return { ...tool, limits: { ...tool.limits, removal_rate: number || null } };
    if (key === "surface" || key === "tooth") {
      const name = key === "surface" ? "surface_speed" : "feed_per_tooth";
      const least = tool.limits?.[name]?.[0] ?? 0;
      return { ...tool, limits: { ...tool.limits, [name]: number ? [Math.min(least, number), number] : null } };
    }
    const registers = { ...tool.registers };
    if (number === null) delete registers[key];
    else registers[key] = number;
    return { ...tool, registers };
  };
  return (
    <>
      {checked && checked.lacking.length > 0 && (
        <p className="failure padded">The program needs {checked.lacking.map((n) => `T${n}`).join(", ")}, which the table lacks.</p>
      )}
      <p className="quiet padded">m/min, mm/tooth and cm³/min: the most that the tool may be asked for.</p>
      {checked && checked.unused.length > 0 && <p className="quiet padded">Not used: {checked.unused.map((n) => `T${n}`).join(", ")}.</p>}
      <Grid
        name="tools"
        columns={TOOL_COLUMNS}
        rows={rows}
        chosen={chosen}
        json={() => tools}
        onJson={(data) => {
          if (!Array.isArray((data as ToolsData | null)?.tools)) return "That is no tool table: it has no list of tools.";
          onTools({ ...(data as ToolsData) });
          return "";
        }}
        onCells={(changes) =>
          onTools({ ...tools, tools: tools.tools.map((tool) => changes.filter(({ id }) => id === String(tool.number)).reduce((made, { key, value }) => changed(made, key, value), tool)) })
        }
      />
    </>
  );
}

function OffsetGrid({ job, channel, worked, axes, chosen, onJob }: Props) {
  const columns: Column[] = [{ key: "name", label: "offset", kind: "fixed", width: 86 }, ...axes.map((axis) => ({ key: axis, label: axis, kind: "number" as const }))];
  const { owner, offsets: held } = offsetsOf(job, channel);
  const rows: Row[] = Object.entries(held).map(([name, value]) => {
    const datum = "datum" in value;
    const values = datum ? (worked[name.replace(/\s/g, "")] ?? {}) : (value as Record<string, number>);
    return { id: name, note: datum ? "Worked out from a datum on the work; a number typed here takes its place" : undefined, cells: { name: datum ? `${name} ◇` : name, ...Object.fromEntries(axes.map((axis) => [axis, shown(values[axis])])) } };
  });
  return (
    <>
      <Grid
        name="offsets"
        columns={columns}
        rows={rows}
        chosen={chosen}
        newBy="name"
        json={() => held}
        onJson={(data) => {
          if (!data || typeof data !== "object" || !Object.keys(data).every((name) => /^G5[4-9]$|^G54\.1 ?P\d+$/.test(name))) return "Those are no work offsets: names must be G54 to G59 or G54.1 P…";
          onJob(withOffsets(job, owner, data as NonNullable<JobData["work_offsets"]>));
          return "";
        }}
        onRemove={(id) => onJob(withoutOffset(job, { channel: owner, name: id }))}
        onCells={(changes) => {
          const made: Record<string, Record<string, number> | { datum: [number, number, number]; mount: string }> = { ...held };
          for (const { id, key, value } of changes) {
            const name = id.replace(/\s*◇$/, "").trim().toUpperCase();
            if (!/^G5[4-9]$|^G54\.1 ?P\d+$/.test(name)) continue;
            const before = made[name];
            const values: Record<string, number> = before && !("datum" in before) ? { ...before } : { ...(worked[name.replace(/\s/g, "")] ?? {}) };
            if (key !== "name") {
              const number = numberOf(value);
              if (number === null) delete values[key];
              else values[key] = number;
            }
            made[name] = values;
          }
          onJob(withOffsets(job, owner, made));
        }}
      />
      {owner > 0 && <p className="quiet padded">Channel {owner} has offsets of its own.</p>}
      <p className="quiet padded">Rows from a spreadsheet: the offset's name first, then one column an axis. ◇ is worked out from a datum.</p>
    </>
  );
}

function VariableGrid({ job, chosen, onJob }: Props) {
  const held = (job.variables ?? {}) as Record<string, number>;
  return (
    <Grid
      name="variables"
      columns={[
        { key: "name", label: "variable", kind: "fixed", width: 90 },
        { key: "value", label: "value", kind: "number" },
      ]}
      rows={Object.entries(held).map(([name, value]) => ({ id: `#${name}`, cells: { name: `#${name}`, value: shown(value) } }))}
      chosen={chosen}
      newBy="name"
      json={() => held}
      onJson={(data) => {
        if (!data || typeof data !== "object" || !Object.values(data).every((value) => typeof value === "number")) return "Those are no variables: every name needs a number.";
        onJob({ ...job, variables: data as Record<string, number> });
        return "";
      }}
      onRemove={(id) => onJob({ ...job, variables: Object.fromEntries(Object.entries(held).filter(([name]) => `#${name}` !== id)) })}
      onCells={(changes) => {
        const made = { ...held };
        for (const { id, key, value } of changes) {
          const name = id.replace(/^#/, "");
          if (!/^\d+$|^<.+>$/.test(name)) continue;
          made[name] = key === "value" ? (numberOf(value) ?? 0) : (made[name] ?? 0);
        }
        onJob({ ...job, variables: made });
      }}
    />
  );
}
