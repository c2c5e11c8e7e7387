import { Select } from "antd";

import { cssOf, deviationColour } from "../look";
import type { Replay } from "../replay/replay";

interface Props {
  replay: Replay;
  reach: number;
  onReach: (reach: number) => void;
}

const STEPS = 61;

/** The legend of the deviation colours: how deep, how much is left, and what counts as within tolerance. */
export function DeviationScale({ replay, reach, onReach }: Props) {
  const { gouge, excess } = replay.description.checks;
  return (
    <div className="scale" data-testid="scale">
      <span>too deep</span>
      <div>
        <div className="scale-bar">
          {Array.from({ length: STEPS }, (_, i) => {
            const value = reach * (2 * (i / (STEPS - 1)) - 1);
            return <i key={i} style={{ background: cssOf(deviationColour(value, gouge, excess, reach)) }} />;
          })}
        </div>
        <div className="scale-ends">
          <span>−{reach}</span>
          <span>
            −{gouge} … +{excess} within
          </span>
          <span>+{reach}</span>
        </div>
      </div>
      <span>left on</span>
      <Select
        size="small"
        value={reach}
        onChange={onReach}
        aria-label="Full colour at"
        options={[0.1, 0.2, 0.5, 1, 2, 5].map((value) => ({ value, label: `±${value} mm` }))}
      />
    </div>
  );
}
