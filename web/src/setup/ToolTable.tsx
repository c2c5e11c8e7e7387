import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Alert, Button, Input, InputNumber, Select } from "antd";
import { useState } from "react";

import { api } from "../api/client";
import { useSettled } from "../pane/useSettled";
import { FromLibrary } from "./FromLibrary";
import { HolderForm } from "./HolderForm";
import { KeepInLibrary } from "./KeepInLibrary";
import { ToolDrawing } from "./ToolDrawing";
import { asKind, faultOf, freshTool, inShort, KINDS, turns, type Measure, type ToolData, type ToolsData } from "./tools";

/** The job's tools: a form for one, with its picture drawn as one types; the stick-out is tip to holder face. */
export function ToolTable({ revision, tools, onTools }: { revision: number; tools: ToolsData; onTools: (tools: ToolsData) => void }) {
  const [open, setOpen] = useState(-1);
  const [choosing, setChoosing] = useState(false);
  const set = (next: ToolData[]) => onTools({ ...tools, tools: next });
  const bring = (tool: Partial<ToolData>) => {
    const fresh = freshTool(tools.tools);
    const number = tools.tools.some((own) => own.number === tool.number) ? fresh.number : (tool.number ?? fresh.number);
    set([...tools.tools, tool.cutter ? ({ ...tool, number } as ToolData) : fresh]);
    setOpen(tools.tools.length);
  };
  return (
    <div className="padded" data-testid="tool-table">
      <ul className="body-list tool-list">
        {tools.tools.map((tool, i) => (
          <li key={i}>
            <button className={i === open ? "chosen" : ""} aria-expanded={i === open} onClick={() => setOpen(i === open ? -1 : i)}>
              <b>T{tool.number}</b>
              <span>{tool.name}</span>
              <em>{inShort(tool)}</em>
            </button>
            {i === open && (
              <div className="padded">
                <ToolForm revision={revision} tool={tool} others={tools.tools} onChange={(part) => set(tools.tools.map((entry, k) => (k === i ? { ...entry, ...part } : entry)))} />
                <div className="hand-row">
                  <KeepInLibrary revision={revision} kind="tool" data={tool} />
                  <span className="grow" />
                  <Button
                    size="small"
                    danger
                    onClick={() => {
                      set(tools.tools.filter((_tool, k) => k !== i));
                      setOpen(-1);
                    }}
                  >
                    Remove T{tool.number}
                  </Button>
                </div>
              </div>
            )}
          </li>
        ))}
      </ul>
      <div className="hand-row">
        <Button size="small" onClick={() => bring({})}>
          New tool
        </Button>
        <Button size="small" onClick={() => setChoosing(true)}>
          From the library…
        </Button>
      </div>
      <FromLibrary open={choosing} kind="tool" revision={revision} onClose={() => setChoosing(false)} onBring={(tool) => bring(tool as Partial<ToolData>)} />
    </div>
  );
}

function ToolForm({ revision, tool, others, onChange }: { revision: number; tool: ToolData; others: ToolData[]; onChange: (part: Partial<ToolData>) => void }) {
  const settled = useSettled(tool);
  const picture = useQuery({ queryKey: ["tool picture", revision, settled], queryFn: () => api.toolPicture(revision, settled), placeholderData: keepPreviousData, staleTime: Infinity, retry: false });
  const kind = KINDS[tool.cutter.type];
  const fault = faultOf(tool, others) || picture.data?.fault || (picture.isError ? picture.error.message : "");
  const register = (name: string, usual: number | undefined) => (
    <Figure key={name} label={`register ${name}`} value={tool.registers?.[name] ?? usual} onValue={(value) => onChange({ registers: without({ ...tool.registers, [name]: value }) })} />
  );
  const held = tool.registers?.H;
  return (
    <div className="tool-form">
      <ToolDrawing number={tool.number} parts={picture.data?.parts ?? []} gauge={tool.length} />
      <div className="tool-fields">
        <Figure label="number" value={tool.number} onValue={(value) => value !== undefined && onChange({ number: Math.round(value) })} />
        <label>
          name
          <Input size="small" value={tool.name} aria-label="Tool name" onChange={(event) => onChange({ name: event.target.value })} />
        </label>
        {kind ? (
          <>
            <label>
              kind
              <Select
                size="small"
                virtual={false}
                popupMatchSelectWidth={false}
                value={tool.cutter.type}
                aria-label="Kind of cutter"
                options={Object.entries(KINDS).map(([value, { says }]) => ({ value, label: says }))}
                onChange={(type) => onChange(asKind(tool, type))}
              />
            </label>
            {kind.measures.map((measure) => (
              <MeasureField key={measure.key} measure={measure} value={tool.cutter[measure.key]} onValue={(value) => onChange({ cutter: without({ ...tool.cutter, [measure.key]: value }) as ToolData["cutter"] })} />
            ))}
          </>
        ) : (
          <p className="quiet">A {tool.cutter.type}: its outline is kept as the table has it.</p>
        )}
        <Figure label="tip to gauge point" value={tool.length} onValue={(value) => value !== undefined && onChange({ length: value })} />
        <Figure label="station" value={tool.station ?? undefined} onValue={(value) => onChange({ station: value ?? null })} />
        {turns(tool.cutter.type) && (
          <>
            <Figure label="tip beside the gauge point" value={tool.offset?.[0] ?? 0} onValue={(value) => onChange({ offset: [value ?? 0, tool.offset?.[1] ?? 0] })} />
            {["X", "Z"].map((name) => register(name, undefined))}
          </>
        )}
        {!turns(tool.cutter.type) && register("H", tool.length)}
      </div>
      <HolderForm revision={revision} holder={tool.holder ?? {}} turning={turns(tool.cutter.type)} onHolder={(holder) => onChange({ holder })} />
      {fault && <Alert type="error" title={fault} />}
      {held !== undefined && Math.abs(held - tool.length) > 1e-6 && (
        <p className="quiet">
          The control holds {held}, the tool is {tool.length}: {Math.abs(held - tool.length).toFixed(3)} apart.
        </p>
      )}
    </div>
  );
}

function MeasureField({ measure, value, onValue }: { measure: Measure; value: unknown; onValue: (value: unknown) => void }) {
  if (!measure.options) return <Figure label={measure.label} value={value as number | undefined} onValue={onValue} />;
  return (
    <label>
      {measure.label}
      <Select
        size="small"
        virtual={false}
        value={(value as string | undefined) ?? (measure.optional ? measure.options[0] : undefined)}
        aria-label={measure.label}
        options={measure.options.map((word) => ({ value: word, label: word }))}
        onChange={onValue}
      />
    </label>
  );
}

export function Figure({ label, value, onValue }: { label: string; value: number | undefined; onValue: (value: number | undefined) => void }) {
  return (
    <label>
      {label}
      <InputNumber size="small" controls={false} value={value} aria-label={label} onChange={(given) => onValue(given ?? undefined)} />
    </label>
  );
}

/** What is empty is left out of the table rather than written as nothing. */
function without<T>(data: Record<string, T | undefined>): Record<string, T> {
  return Object.fromEntries(Object.entries(data).filter((entry): entry is [string, T] => entry[1] !== undefined && entry[1] !== null));
}
