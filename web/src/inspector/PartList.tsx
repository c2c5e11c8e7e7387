import { Button } from "antd";

import type { RehearsalFull } from "../api/client";
import { toolColour } from "../look";
import type { Replay, Spot } from "../replay/replay";

interface Props {
  rehearsal: RehearsalFull;
  replay: Replay;
  onSpot: (stock: number, spot: Spot) => void;
  onDeviation: () => void;
}

/** The finished part: volumes, deepest gouge, most material left, and the worst places with what made them. */
export function PartList({ rehearsal, replay, onSpot, onDeviation }: Props) {
  const stocks = replay.description.stocks;
  if (!stocks.length) return <p className="padded quiet">This job has no stock.</p>;
  return (
    <div className="padded">
      {stocks.map((stock, i) => {
        const result = rehearsal.result?.stock.find((entry) => entry.name === stock.name);
        const spots = [...(stock.part?.spots ?? [])].sort((a, b) => b.amount - a.amount);
        return (
          <section key={stock.name}>
            <h4>{stock.name}</h4>
            <table className="figures">
              <tbody>
                {result && (
                  <>
                    <tr>
                      <th>Volume before</th>
                      <td>{(result.volume_before / 1000).toFixed(2)} cm³</td>
                    </tr>
                    <tr>
                      <th>Volume left</th>
                      <td>{(result.volume_after / 1000).toFixed(2)} cm³</td>
                    </tr>
                    {result.gouge_max !== null && (
                      <tr>
                        <th>Deepest into {stock.part?.design}</th>
                        <td>{result.gouge_max.toFixed(3)} mm</td>
                      </tr>
                    )}
                    {result.excess_max !== null && (
                      <tr>
                        <th>Most left on it</th>
                        <td>{result.excess_max.toFixed(3)} mm</td>
                      </tr>
                    )}
                  </>
                )}
              </tbody>
            </table>
            {!stock.part && <p className="quiet">No design is given for this stock, so nothing is compared.</p>}
            {stock.part && (
              <>
                <p>
                  <Button size="small" onClick={onDeviation}>
                    Show the deviation
                  </Button>
                </p>
                <h4>Worst places</h4>
                {!spots.length && (
                  <p className="quiet">
                    None beyond tolerance ({replay.description.checks.gouge} mm too deep, {replay.description.checks.excess} mm left).
                  </p>
                )}
                <ul className="rows">
                  {spots.map((spot, place) => (
                    <li key={place}>
                      <button onClick={() => onSpot(i, spot)} data-testid="spot">
                        <span className={spot.kind}>{spot.kind === "gouge" ? "too deep" : "left on"}</span>
                        <b>{spot.amount.toFixed(3)} mm</b>
                        <Maker replay={replay} motion={spot.motion} />
                      </button>
                    </li>
                  ))}
                </ul>
              </>
            )}
          </section>
        );
      })}
    </div>
  );
}

function Maker({ replay, motion }: { replay: Replay; motion: number }) {
  if (motion < 0) return <span className="quiet">never touched</span>;
  const tool = replay.column("tool")[motion];
  return (
    <span className="quiet">
      <i className="swatch" style={{ background: toolColour(tool) }} /> T{tool}, line {replay.column("line")[motion]}
    </span>
  );
}
