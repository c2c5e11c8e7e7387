import { Alert, Button, Checkbox, InputNumber, Segmented, Typography } from "antd";

import type { Feature, Way } from "../api/client";

export interface Pick {
  body: string;
  feature: Feature;
}

export interface MateChoice {
  kind: Feature["kind"];
  way: Way;
  gap: number;
  turn: number;
  centre: boolean;
}

interface Props {
  picks: Pick[];
  choice: MateChoice;
  moving: string;
  failure: string;
  onChoice: (choice: MateChoice) => void;
  onMate: () => void;
  onClear: () => void;
  onDatum: (point: [number, number, number]) => void;
}

const KINDS: { value: Feature["kind"]; label: string }[] = [
  { value: "face", label: "face" },
  { value: "edge", label: "edge" },
  { value: "axis", label: "axis" },
  { value: "corner", label: "corner" },
  { value: "point", label: "point" },
];
const WAYS: { value: Way; label: string; says: string }[] = [
  { value: "onto", label: "onto", says: "face against face" },
  { value: "flush", label: "flush", says: "two faces in one plane" },
  { value: "centre", label: "centre", says: "middle on middle, not turned" },
  { value: "coaxial", label: "coaxial", says: "axis on axis" },
];

/** Placing by pointing: first the body that moves, then what it goes to. Two picks also tell what lies between them. */
export function Mating({ picks, choice, moving, failure, onChoice, onMate, onClear, onDatum }: Props) {
  const set = (change: Partial<MateChoice>) => onChoice({ ...choice, ...change });
  const [first, second] = picks;
  const between = first && second ? second.feature.point.map((c, i) => c - first.feature.point[i]) : null;
  const numbers = (values: number[]) => values.map((value) => value.toFixed(3)).join("  ");
  return (
    <div className="mating" data-testid="mating">
      <h4>Point at</h4>
      <Segmented size="small" block value={choice.kind} options={KINDS} onChange={(kind) => set({ kind })} />
      <ol className="picks">
        {[0, 1].map((i) => (
          <li key={i} className={picks[i] ? "" : "quiet"}>
            {picks[i] ? (
              <>
                <b>{picks[i].feature.kind}</b> of {picks[i].body}
                <Typography.Text className="copy" copyable={{ text: picks[i].feature.point.join(" "), tooltips: ["Copy", "Copied"] }}>
                  {numbers(picks[i].feature.point)}
                  {picks[i].feature.radius != null && `, ⌀ ${(2 * picks[i].feature.radius!).toFixed(3)}`}
                </Typography.Text>
              </>
            ) : i === 0 ? (
              "the body that moves, or any feature to measure from"
            ) : (
              "what it goes to, or to measure to"
            )}
          </li>
        ))}
      </ol>
      {between && (
        <table className="figures" data-testid="between">
          <tbody>
            <tr>
              <th>distance</th>
              <td>
                <Typography.Text copyable={{ text: Math.hypot(...between).toFixed(4), tooltips: ["Copy", "Copied"] }}>{Math.hypot(...between).toFixed(3)}</Typography.Text>
              </td>
            </tr>
            <tr>
              <th>X Y Z</th>
              <td>
                <Typography.Text copyable={{ text: between.map((c) => c.toFixed(4)).join(" "), tooltips: ["Copy", "Copied"] }}>{numbers(between)}</Typography.Text>
              </td>
            </tr>
          </tbody>
        </table>
      )}
      <h4>Bring it</h4>
      <Segmented size="small" block value={choice.way} options={WAYS.map(({ value, label }) => ({ value, label }))} onChange={(way) => set({ way })} />
      <p className="quiet">{WAYS.find(({ value }) => value === choice.way)!.says}</p>
      <div className="measures">
        <label>
          gap or stick-out
          <InputNumber size="small" value={choice.gap} aria-label="Gap" suffix="mm" controls={false} onChange={(gap) => set({ gap: gap ?? 0 })} />
        </label>
        <label>
          turn
          <InputNumber size="small" value={choice.turn} aria-label="Turn" suffix="°" controls={false} onChange={(turn) => set({ turn: turn ?? 0 })} />
        </label>
      </div>
      <Checkbox checked={choice.centre} onChange={(event) => set({ centre: event.target.checked })}>
        middles on each other
      </Checkbox>
      <div className="hand-row">
        <Button size="small" type="primary" disabled={!first || !second || first.body !== moving} onClick={onMate}>
          Place {moving || "it"}
        </Button>
        <Button size="small" disabled={!first} onClick={() => onDatum((second ?? first).feature.point)}>
          Program zero here
        </Button>
        <Button size="small" disabled={!first} onClick={onClear}>
          Clear
        </Button>
      </div>
      {first && second && first.body !== moving && <p className="quiet">{first.body} belongs to the machine: the first pick must be a body that can move.</p>}
      {failure && <Alert type="error" title={failure} />}
    </div>
  );
}
