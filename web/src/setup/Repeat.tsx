import { Button, InputNumber, Segmented } from "antd";
import { useState } from "react";

type Direction = [number, number, number];
const DIRECTIONS: Record<string, Direction> = { X: [1, 0, 0], Y: [0, 1, 0], Z: [0, 0, 1] };

/** The chosen body again: in a row, or on every side around an axis of its mount. */
export function Repeat({ onRepeat }: { onRepeat: (count: number, step: number, direction: Direction, about: Direction | null) => void }) {
  const [open, setOpen] = useState(false);
  const [how, setHow] = useState<"row" | "around">("row");
  const [axis, setAxis] = useState("X");
  const [count, setCount] = useState(2);
  const [step, setStep] = useState(100);
  if (!open)
    return (
      <Button size="small" type="link" onClick={() => setOpen(true)}>
        Repeat it in a row or around an axis…
      </Button>
    );
  return (
    <div className="placed">
      <div className="hand-row">
        <Segmented size="small" value={how} options={[{ value: "row", label: "in a row" }, { value: "around", label: "around" }]} onChange={setHow} />
        <Segmented size="small" value={axis} options={Object.keys(DIRECTIONS)} onChange={setAxis} />
      </div>
      <div className="hand-row">
        <InputNumber size="small" min={2} max={60} value={count} suffix="times" aria-label="Times" onChange={(value) => setCount(value ?? 2)} />
        {how === "row" && <InputNumber size="small" value={step} suffix="mm apart" aria-label="Apart" onChange={(value) => setStep(value ?? 0)} />}
        <Button size="small" onClick={() => onRepeat(count, step, DIRECTIONS[axis], how === "around" ? [0, 0, 0] : null)}>
          Repeat
        </Button>
      </div>
    </div>
  );
}
