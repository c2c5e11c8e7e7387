import { Alert, Button, InputNumber, Input, Select } from "antd";
import { useState } from "react";

import { faultOf, freshTool, isMill, MILLS, outlines, type ToolData, type ToolsData } from "./tools";

const MEASURES: [keyof ToolData["cutter"] & string, string][] = [
  ["diameter", "diameter"],
  ["corner_radius", "corner radius"],
  ["flute_length", "flutes, long"],
  ["reach", "reach out of the holder"],
  ["shank_diameter", "shank"],
  ["flutes", "flutes, number"],
];
const INK = { cutter: "#5d7f8c", shank: "#b9b19c", holder: "#8a8577" };

/** The job's tools: a form for one, with its picture drawn as one types; the stick-out is tip to holder face. */
export function ToolTable({ tools, onTools }: { tools: ToolsData; onTools: (tools: ToolsData) => void }) {
  const [open, setOpen] = useState<number | null>(null);
  const chosen = tools.tools.find((tool) => tool.number === open);
  const change = (tool: ToolData, part: Partial<ToolData>) => onTools({ ...tools, tools: tools.tools.map((entry) => (entry === tool ? { ...entry, ...part } : entry)) });
  const cutter = (tool: ToolData, part: Partial<ToolData["cutter"]>) => change(tool, { cutter: { ...tool.cutter, ...part } });
  return (
    <div className="padded" data-testid="tool-table">
      <ul className="body-list tool-list">
        {tools.tools.map((tool) => (
          <li key={tool.number} className={tool.number === open ? "chosen" : ""}>
            <button onClick={() => setOpen(tool.number === open ? null : tool.number)}>
              <b>T{tool.number}</b>
              <span>{tool.name}</span>
              <em>{isMill(tool) ? `⌀ ${tool.cutter.diameter}, out ${tool.cutter.reach}` : tool.cutter.type}</em>
            </button>
          </li>
        ))}
      </ul>
      <Button
        size="small"
        onClick={() => {
          const made = freshTool(tools.tools);
          onTools({ ...tools, tools: [...tools.tools, made] });
          setOpen(made.number);
        }}
      >
        New tool
      </Button>
      {chosen && (
        <div className="tool-form">
          <Picture tool={chosen} />
          <div className="tool-fields">
            <label>
              name
              <Input size="small" value={chosen.name} aria-label="Tool name" onChange={(event) => change(chosen, { name: event.target.value })} />
            </label>
            {isMill(chosen) && (
              <label>
                kind
                <Select size="small" value={chosen.cutter.type} aria-label="Kind of cutter" options={MILLS.map((type) => ({ value: type, label: type.replace("-", " ") }))} onChange={(type) => cutter(chosen, { type, ...(type === "end-mill" ? {} : { corner_radius: undefined }) })} />
              </label>
            )}
            {isMill(chosen) &&
              MEASURES.filter(([key]) => key !== "corner_radius" || chosen.cutter.type === "end-mill").map(([key, label]) => (
                <label key={key}>
                  {label}
                  <InputNumber size="small" controls={false} value={chosen.cutter[key] as number} aria-label={label} onChange={(value) => cutter(chosen, { [key]: value ?? undefined })} />
                </label>
              ))}
            <label>
              tip to gauge point
              <InputNumber size="small" controls={false} value={chosen.length} aria-label="tip to gauge point" onChange={(value) => change(chosen, { length: value ?? chosen.length })} />
            </label>
            <label>
              register H
              <InputNumber size="small" controls={false} value={chosen.registers?.H ?? chosen.length} aria-label="register H" onChange={(value) => change(chosen, { registers: { ...chosen.registers, H: value ?? chosen.length } })} />
            </label>
          </div>
          {faultOf(chosen, tools.tools) && <Alert type="error" title={faultOf(chosen, tools.tools)} />}
          {chosen.registers?.H !== undefined && Math.abs(chosen.registers.H - chosen.length) > 1e-6 && (
            <p className="quiet">The control holds {chosen.registers.H}, the tool is {chosen.length}: {Math.abs(chosen.registers.H - chosen.length).toFixed(3)} apart.</p>
          )}
          <Button
            size="small"
            danger
            onClick={() => {
              onTools({ ...tools, tools: tools.tools.filter((tool) => tool !== chosen) });
              setOpen(null);
            }}
          >
            Remove T{chosen.number}
          </Button>
        </div>
      )}
    </div>
  );
}

function Picture({ tool }: { tool: ToolData }) {
  const parts = outlines(tool);
  if (!parts.length) return <p className="quiet">A {tool.cutter.type}: its numbers are kept as the table has them.</p>;
  const all = parts.flatMap(({ points }) => points);
  const wide = Math.max(...all.map(([r]) => r));
  const high = Math.max(...all.map(([, h]) => h), tool.length);
  return (
    <svg className="tool-picture" viewBox={`${-wide - 4} -4 ${2 * wide + 8} ${high + 8}`} role="img" aria-label={`T${tool.number} as it hangs in the spindle`}>
      {parts.map(({ part, points }) => (
        <path
          key={part}
          fill={INK[part]}
          d={`M${[...points, ...[...points].reverse().map(([r, h]) => [-r, h])].map(([r, h]) => `${r} ${high - h}`).join("L")}Z`}
        />
      ))}
      <path d={`M${-wide - 3} ${high - tool.length}H${wide + 3}`} stroke="#1f5a73" strokeDasharray="3 2" strokeWidth="0.7" />
    </svg>
  );
}
