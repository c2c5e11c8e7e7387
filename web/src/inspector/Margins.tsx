import { Typography } from "antd";

import type { RehearsalFull } from "../api/client";
import { Tolerance } from "./Tolerance";

interface Props {
  rehearsal: RehearsalFull;
  onTime: (time: number) => void;
}

/** How much is left: how wrong the set-up may be, travel of every axis, clearance of every pair that came near. */
export function Margins({ rehearsal, onTime }: Props) {
  const { result } = rehearsal;
  if (!result) return null;
  return (
    <div className="padded">
      <Tolerance rehearsal={rehearsal} onTime={onTime} />
      <h4>Travel used</h4>
      <table className="figures">
        <tbody>
          {result.axes.map((axis) => (
            <tr key={axis.axis}>
              <th>{axis.axis}</th>
              <td>
                <Typography.Text copyable={{ text: `${axis.min} ${axis.max}`, tooltips: ["Copy", "Copied"] }}>
                  {axis.min.toFixed(3)} … {axis.max.toFixed(3)}
                </Typography.Text>
                {axis.travel && (
                  <>
                    <Travel min={axis.min} max={axis.max} travel={axis.travel} />
                    <span className="quiet" title="how far the setup could be shifted along this axis before it runs out">
                      room −{Math.max(0, axis.min - axis.travel[0]).toFixed(1)} +{Math.max(0, axis.travel[1] - axis.max).toFixed(1)}
                    </span>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h4>Least clearance</h4>
      <ul className="rows">
        {result.checked.margins.slice(0, 40).map((margin) => (
          <li key={margin.bodies.join()}>
            <button onClick={() => onTime(margin.time)}>
              <b>{margin.clearance <= 0.001 ? "touch" : `${margin.clearance.toFixed(margin.clearance < 10 ? 2 : 0)} mm`}</b>
              <span>{margin.bodies.join(" · ")}</span>
            </button>
          </li>
        ))}
      </ul>
      <p className="quiet">Below 10 mm found to 5 %, above to half.</p>
    </div>
  );
}

function Travel({ min, max, travel: [low, high] }: { min: number; max: number; travel: [number, number] }) {
  const span = Math.max(high - low, 1e-9);
  const share = (value: number) => Math.max(-4, Math.min(104, (100 * (value - low)) / span));
  const over = min < low - 1e-6 || max > high + 1e-6;
  return (
    <span className="travel" title={`travel ${low} … ${high}; left ${(min - low).toFixed(3)} and ${(high - max).toFixed(3)}`}>
      <i className={over ? "over" : ""} style={{ left: `${share(min)}%`, right: `${100 - share(max)}%` }} />
    </span>
  );
}
