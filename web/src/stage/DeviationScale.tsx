import { InputNumber, Select } from "antd";

import { cssOf, deviationColour, type Scale } from "../look";

interface Props {
  own: { gouge: number; excess: number }; // the job's tolerances, which the scale begins with
  scale: Scale;
  onScale: (scale: Scale) => void;
}

const SHADES = 61;

/** The legend of the deviation colours, and what they are set by: what counts as within, where they are full, in how many steps. */
export function DeviationScale({ own, scale, onScale }: Props) {
  const typed = (name: "gouge" | "excess") => (value: number | null) => onScale({ ...scale, [name]: value === null ? own[name] : Math.min(value, scale.reach) });
  return (
    <div className="scale" data-testid="scale">
      <span>too deep</span>
      <div>
        <div className="scale-bar">
          {Array.from({ length: SHADES }, (_, i) => {
            const value = scale.reach * (2 * (i / (SHADES - 1)) - 1);
            return <i key={i} style={{ background: cssOf(deviationColour(value, scale)) }} />;
          })}
        </div>
        <div className="scale-ends">
          <span>−{scale.reach}</span>
          <span>mm</span>
          <span>+{scale.reach}</span>
        </div>
      </div>
      <span>left on</span>
      <label title={`How much too deep is shown as none; the job asks for ${own.gouge} mm`}>
        within −
        <InputNumber size="small" controls={false} min={0} step={0.01} value={scale.gouge} onChange={typed("gouge")} aria-label="Too deep from" />
      </label>
      <label title={`How much left on is shown as none; the job asks for ${own.excess} mm`}>
        +
        <InputNumber size="small" controls={false} min={0} step={0.01} value={scale.excess} onChange={typed("excess")} aria-label="Left on from" />
      </label>
      <Select
        size="small"
        value={scale.reach}
        onChange={(reach) => onScale({ ...scale, reach, gouge: Math.min(scale.gouge, reach), excess: Math.min(scale.excess, reach) })}
        aria-label="Full colour at"
        options={[0.1, 0.2, 0.5, 1, 2, 5].map((value) => ({ value, label: `±${value} mm` }))}
      />
      <Select
        size="small"
        value={scale.steps}
        onChange={(steps) => onScale({ ...scale, steps })}
        aria-label="Steps of colour"
        options={[0, 2, 3, 5, 8].map((value) => ({ value, label: value ? `${value} steps` : "even" }))}
      />
    </div>
  );
}
