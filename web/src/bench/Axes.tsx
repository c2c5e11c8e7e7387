import { Button, InputNumber } from "antd";
import { useRef, useSyncExternalStore } from "react";

import type { Replay } from "../replay/replay";
import type { Hand } from "./hand";

const ENDLESS: [number, number] = [-360, 360];

/** Every axis: where it stands, a bar of its travel that can be dragged, steps to either side, and a value to send it to. */
export function Axes({ replay, hand, step }: { replay: Replay; hand: Hand; step: number }) {
  useSyncExternalStore(hand.subscribe, hand.snapshot);
  const over = new Map(hand.answer?.over ?? []);
  return (
    <div className="axes">
      {replay.description.axes!.map((axis, i) => axis.jaw ? null : (
        <AxisRow
          key={axis.name}
          name={axis.name}
          unit={axis.type === "rotary" ? "°" : axis.diameter ? "⌀" : "mm"}
          factor={axis.diameter ? 2 : 1}
          value={hand.values[i]}
          travel={axis.travel}
          over={over.get(axis.name)}
          step={step}
          onMark={() => hand.mark()}
          onSend={(value) => hand.send(i, value)}
        />
      ))}
    </div>
  );
}

interface Props {
  name: string;
  unit: string;
  factor: number;
  value: number;
  travel: [number, number] | null;
  over: number | undefined;
  step: number;
  onMark: () => void;
  onSend: (value: number) => void;
}

function AxisRow({ name, unit, factor, value, travel, over, step, onMark, onSend }: Props) {
  const bar = useRef<HTMLDivElement>(null);
  const held = useRef(0);
  const [low, high] = travel ?? ENDLESS;
  const share = Math.max(0, Math.min(1, (value - low) / Math.max(high - low, 1e-9)));
  const drag = (event: React.PointerEvent) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const box = bar.current!.getBoundingClientRect();
    onSend(Number((low + ((event.clientX - box.left) / box.width) * (high - low)).toFixed(2)));
  };
  const jog = (by: number) => {
    onMark();
    onSend(Number((value + by).toFixed(6)));
  };
  // Held down, a step repeats.
  const hold = (by: number) => {
    jog(by);
    held.current = window.setInterval(() => jog(by), 140);
  };
  const release = () => window.clearInterval(held.current);
  const keys = (event: React.KeyboardEvent) => {
    const by = { ArrowLeft: -step, ArrowRight: step, PageDown: -10 * step, PageUp: 10 * step }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    jog(by);
  };
  return (
    <div className={over === undefined ? "axis-row" : "axis-row over"} data-axis={name}>
      <b className={name.length > 2 ? "long" : ""} title={name}>{name}</b>
      <InputNumber
        size="small"
        controls={false}
        value={Number((factor * value).toFixed(4))}
        suffix={unit}
        aria-label={`${name} to`}
        onPressEnter={(event) => {
          onMark();
          onSend(Number((event.target as HTMLInputElement).value) / factor);
        }}
        onBlur={(event) => {
          const typed = Number(event.target.value) / factor;
          if (event.target.value !== "" && Math.abs(typed - value) > 1e-4) {
            onMark();
            onSend(typed);
          }
        }}
      />
      <Button size="small" aria-label={`${name} minus`} onPointerDown={() => hold(-step)} onPointerUp={release} onPointerLeave={release}>
        −
      </Button>
      <div
        ref={bar}
        className="axis-bar"
        role="slider"
        tabIndex={0}
        aria-label={`${name} travel`}
        aria-valuenow={value}
        aria-valuemin={low}
        aria-valuemax={high}
        onKeyDown={keys}
        onPointerDown={(event) => {
          onMark();
          event.currentTarget.setPointerCapture(event.pointerId);
          drag(event);
        }}
        onPointerMove={drag}
      >
        <span>{travel ? low : ""}</span>
        <i style={{ left: `${100 * share}%` }} />
        <span>{travel ? high : "endless"}</span>
      </div>
      <Button size="small" aria-label={`${name} plus`} onPointerDown={() => hold(step)} onPointerUp={release} onPointerLeave={release}>
        +
      </Button>
      {over !== undefined && <em>{over.toFixed(2)} past its travel</em>}
    </div>
  );
}
