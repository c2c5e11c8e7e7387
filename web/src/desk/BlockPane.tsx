import { Typography } from "antd";

import type { Explained, State, ToolData, ToolsData } from "../api/client";
import { feedPerTooth, links, surfaceSpeed } from "./text";

interface Props {
  line: number;
  text: string;
  explained: Explained | undefined;
  failure: string | null;
  tools: ToolsData;
  onLink: (grid: "tools" | "offsets", row: string) => void;
}

const figure = (value: number) => String(Math.round(value * 1000) / 1000);

/** A block in plain words, what the control holds before and after it, and what its words point to. */
export function BlockPane({ line, text, explained, failure, tools, onLink }: Props) {
  const found = links(text);
  const after = explained?.after ?? null;
  const before = explained?.before ?? null;
  const tool = after ? tools.tools.find((item) => item.number === after.tool) : undefined;
  return (
    <div className="padded block-pane" data-testid="block">
      <code className="block-line">
        {line} <b>{text.trim() || "(empty)"}</b>
      </code>
      {failure && <p className="failure">{failure}</p>}
      {explained && (
        <ul className="sentences" data-testid="said">
          {explained.said.map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </ul>
      )}
      {found.length > 0 && (
        <p>
          {found.map(({ grid, row, word }) => (
            <button key={word} className="link" onClick={() => onLink(grid, row)}>
              {word}
              {grid === "tools" && ` ${tools.tools.find((item) => String(item.number) === row)?.name ?? "not in the table"}`}
            </button>
          ))}
        </p>
      )}
      {after && tool && <CuttingData state={after} tool={tool} />}
      {before && after && <States before={before} after={after} />}
    </div>
  );
}

function CuttingData({ state, tool }: { state: State; tool: ToolData }) {
  const { diameter, flutes } = tool.cutter;
  if (!diameter || !state.speed) return null;
  const rows: [string, string][] = [["surface speed", `${surfaceSpeed(diameter, state.speed).toFixed(0)} m/min`]];
  if (state.feed && flutes) rows.push(["feed per tooth", `${feedPerTooth(state.modes["feed mode"] === "G95" ? state.feed * state.speed : state.feed, state.speed, flutes).toFixed(4)} mm`]);
  return (
    <table className="figures">
      <tbody>
        {rows.map(([name, value]) => (
          <tr key={name}>
            <th>{name}</th>
            <td>{value}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The two states side by side; what the block changed stands out. */
function States({ before, after }: { before: State; after: State }) {
  const rows: [string, string, string][] = [];
  const add = (name: string, a: string, b: string) => rows.push([name, a, b]);
  for (const axis of Object.keys(after.program)) add(`program ${axis}`, figure(before.program[axis]), figure(after.program[axis]));
  for (const axis of Object.keys(after.machine)) add(`machine ${axis}`, figure(before.machine[axis]), figure(after.machine[axis]));
  for (const axis of Object.keys(after.program)) {
    const way = after.program[axis] - before.program[axis];
    if (Math.abs(way) > 5e-4) add(`to go in ${axis}`, figure(way), "0");
  }
  add("codes", Object.values(before.modes).join(" "), Object.values(after.modes).join(" "));
  add("work offset", before.work_offset, after.work_offset);
  add("tool", String(before.tool), String(after.tool));
  for (const name of ["H", "D"]) add(name, before.registers[name].map(figure).join(": "), after.registers[name].map(figure).join(": "));
  add("spindle", `${before.spindle} ${figure(before.speed)}`, `${after.spindle} ${figure(after.speed)}`);
  add("feed", before.feed === null ? "none" : figure(before.feed), after.feed === null ? "none" : figure(after.feed));
  add("frames", before.frames.join(", "), after.frames.join(", "));
  add("calls", before.calls.map(([name, line]) => `${name}:${line}`).join(" › "), after.calls.map(([name, line]) => `${name}:${line}`).join(" › "));
  for (const name of new Set([...Object.keys(before.variables), ...Object.keys(after.variables)])) {
    const show = (state: State) => (name in state.variables ? figure(state.variables[name]) : "vacant");
    add(name, show(before), show(after));
  }
  return (
    <table className="figures states" data-testid="states">
      <thead>
        <tr>
          <th />
          <td>before</td>
          <td>after</td>
        </tr>
      </thead>
      <tbody>
        {rows
          .filter(([, a, b]) => a || b)
          .map(([name, a, b]) => (
            <tr key={name} className={a === b ? "quiet" : undefined}>
              <th>{name}</th>
              <td>{a}</td>
              <td>{a === b || name.startsWith("to go") ? b : <Typography.Text copyable={{ text: b, tooltips: ["Copy", "Copied"] }}>{b}</Typography.Text>}</td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}
