import { Button, Checkbox, InputNumber, Popover } from "antd";
import { useState } from "react";

import type { Operation } from "../api/client";
import { clock, toolColour } from "../look";

interface Props {
  called: boolean; // it is not a main program
  operations: readonly Operation[];
  line: number;
  out: (operation: Operation) => boolean;
  shifted: (operation: Operation) => number | null;
  onGo: (operation: Operation) => void;
  onLeaveOut: (operation: Operation, out: boolean) => void;
  onShift: (operation: Operation, z: number | null) => void;
}

const range = (values: readonly number[] | null, digits: number) =>
  !values ? "" : values[0] === values[1] ? values[0].toFixed(digits) : `${values[0].toFixed(digits)} … ${values[1].toFixed(digits)}`;

/** The operations that the check found, in their order: go to one, leave it out, or rehearse it higher up. */
export function Operations({ operations, called, line, out, shifted, onGo, onLeaveOut, onShift }: Props) {
  if (!operations.length) return <p className="quiet padded">{called ? "This program is called: the operations are those of the program that calls it." : "No operation yet: none of the blocks moves a tool."}</p>;
  return (
    <ul className="operations" data-testid="operations">
      {operations.map((item) => {
        const here = line >= item.first && line <= item.last;
        const up = shifted(item);
        const isOut = out(item); // at once; the check that follows says the same
        return (
          <li key={`${item.first}-${item.number}`} className={`${here ? "chosen" : ""} ${isOut ? "out" : ""}`} style={{ borderLeftColor: toolColour(item.tool) }}>
            <button onClick={() => onGo(item)}>
              <b>{item.name}</b>
              <span className="quiet">
                {item.tool ? `T${item.tool} · ` : ""}
                lines {item.first}–{item.last}
                {isOut ? " · left out" : ` · ${clock(item.seconds)}`}
              </span>
              {item.feeds && <span className="quiet">F {range(item.feeds, 0)}</span>}
              {item.depths && (
                <span className="quiet">
                  Z {range(item.depths, 2)}
                  {item.cycles.length > 0 && ` · ${item.cycles.join(" ")}`}
                </span>
              )}
            </button>
            <span className="operation-tools">
              <Checkbox checked={!isOut} aria-label={`Rehearse ${item.name}`} title="Rehearse this operation" onChange={(event) => onLeaveOut(item, !event.target.checked)} />
              {!isOut && <Raise label={item.name} value={up} onValue={(z) => onShift(item, z)} />}
            </span>
          </li>
        );
      })}
    </ul>
  );
}

function Raise({ label, value, onValue }: { label: string; value: number | null; onValue: (z: number | null) => void }) {
  const [z, setZ] = useState<number | null>(value ?? 20);
  return (
    <Popover
      trigger="click"
      placement="right"
      title="Rehearse it higher up"
      content={
        <div className="raise">
          <InputNumber size="small" value={z} onChange={setZ} suffix="mm" aria-label="How much higher" />
          <Button size="small" type="primary" onClick={() => onValue(z)}>
            Raise
          </Button>
          {value !== null && (
            <Button size="small" onClick={() => onValue(null)}>
              As written
            </Button>
          )}
        </div>
      }
    >
      <button className={value === null ? "raise-button" : "raise-button on"} aria-label={`Raise ${label}`} title="Rehearse it higher up">
        {value === null ? "↑" : `↑${value}`}
      </button>
    </Popover>
  );
}
