import { Button, Select, Tooltip } from "antd";

import type { RehearsalFull } from "../api/client";
import { useMemo, useState } from "react";

import { cssOf, deviationColour, type Scale, toolColour } from "../look";
import type { Part, Replay, Spot } from "../replay/replay";
import type { StockFormat } from "../stage/stockFile";
import { distribution, percent } from "./distribution";
import { makersOf } from "./makers";

const FORMATS: Record<StockFormat, string> = {
  stl: "The surface as drawn, mm, in the frame of its mount",
  "3mf": "The same with its colours, mm",
  glb: "The same with its colours, in metres",
};

interface Props {
  rehearsal: RehearsalFull;
  replay: Replay;
  scale: Scale;
  onSpot: (stock: number, spot: Spot) => void;
  onDeviation: () => void;
  onFile: (stock: number, format: StockFormat) => void; // as it stands at the moment that is shown
}

/** The finished part: volumes, deepest gouge, most material left, and the worst places with what made them. */
export function PartList({ rehearsal, replay, scale, onSpot, onDeviation, onFile }: Props) {
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
                    {result.mass_after != null && result.mass_before != null && (
                      <tr>
                        <th>Weight{result.material ? `, ${result.material}` : ""}</th>
                        <td>
                          {result.mass_before.toFixed(3)} → {result.mass_after.toFixed(3)} kg
                        </td>
                      </tr>
                    )}
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
                    {!!result.untouched && (
                      <tr title="Faces of the design under stock beyond tolerance that no tool has cut">
                        <th>Never touched</th>
                        <td>{(result.untouched / 100).toFixed(2)} cm²</td>
                      </tr>
                    )}
                  </>
                )}
              </tbody>
            </table>
            <p className="part-files">
              <span className="quiet">As it stands at this moment</span>
              {(["stl", "3mf", "glb"] as const).map((format) => (
                <Tooltip key={format} title={FORMATS[format]}>
                  <Button size="small" onClick={() => onFile(i, format)}>
                    {format.toUpperCase()}
                  </Button>
                </Tooltip>
              ))}
            </p>
            {!stock.part && <p className="quiet">No design is given for this stock, so nothing is compared.</p>}
            {stock.part && (
              <>
                <p>
                  <Button size="small" onClick={onDeviation}>
                    Show the deviation
                  </Button>
                </p>
                <Spread replay={replay} part={stock.part} scale={scale} />
                <Worst replay={replay} spots={spots} onSpot={(spot) => onSpot(i, spot)} />
              </>
            )}
          </section>
        );
      })}
    </div>
  );
}

/** The worst places, the deepest or thickest first; of one tool or one operation where that is asked for. */
function Worst({ replay, spots, onSpot }: { replay: Replay; spots: Spot[]; onSpot: (spot: Spot) => void }) {
  const [only, setOnly] = useState("");
  const { gouge, excess } = replay.description.checks;
  const makers = useMemo(() => makersOf(replay, spots), [replay, spots]);
  const shown = only ? spots.filter((spot) => makers.some(({ value, has }) => value === only && has(spot))) : spots;
  return (
    <>
      <h4 className="worst">
        Worst places
        {makers.length > 1 && (
          <Select size="small" variant="borderless" value={only} onChange={setOnly} aria-label="Whose places" popupMatchSelectWidth={false}
            options={[{ value: "", label: "all" }, ...makers.map(({ value, label }) => ({ value, label }))]} />
        )}
      </h4>
      {!spots.length && (
        <p className="quiet">
          None beyond tolerance ({gouge} mm too deep, {excess} mm left).
        </p>
      )}
      <ul className="rows">
        {shown.map((spot, place) => (
          <li key={place}>
            <button onClick={() => onSpot(spot)} data-testid="spot">
              <span className={spot.kind}>{spot.kind === "gouge" ? "too deep" : "left on"}</span>
              <b>{spot.amount.toFixed(3)} mm</b>
              {!!spot.area && <span className="spot-area">{spot.area < 10 ? spot.area.toFixed(1) : spot.area.toFixed(0)} mm²</span>}
              <Maker replay={replay} motion={spot.motion} />
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

const BAR_W = 6;
const BARS_H = 46;

/** How much of the surface is how far off the design. */
function Spread({ replay, part, scale }: { replay: Replay; part: Part; scale: Scale }) {
  const told = useMemo(() => distribution(replay.array(part.deviation), scale), [replay, part, scale]);
  // Nearly all of a good part lies in one bar: by their roots the others are seen, too.
  const tall = Math.sqrt(Math.max(...told.bars.map(({ share }) => share), 1e-9));
  const colour = (value: number) => cssOf(deviationColour(value, scale));
  return (
    <figure className="spread" data-testid="spread">
      <svg viewBox={`0 0 ${told.bars.length * BAR_W} ${BARS_H + 1}`} role="img" aria-label="How the deviations are spread">
        {told.bars.map(({ from, to, share }, i) => {
          const height = share ? Math.max(1, (BARS_H * Math.sqrt(share)) / tall) : 0;
          return (
            <rect key={i} x={i * BAR_W + 0.5} width={BAR_W - 1} y={BARS_H - height} height={height} fill={colour((from + to) / 2)} stroke="#1d2a3055" strokeWidth={0.4}>
              <title>{`${from.toFixed(2)} … ${to.toFixed(2)} mm: ${percent(share)}`}</title>
            </rect>
          );
        })}
        <line x1={0} x2={told.bars.length * BAR_W} y1={BARS_H + 0.5} y2={BARS_H + 0.5} stroke="currentColor" strokeWidth={0.6} />
      </svg>
      <figcaption>
        <span>−{scale.reach}</span>
        <span>
          <b>{percent(told.within)}</b> of the surface within tolerance
        </span>
        <span>+{scale.reach} mm</span>
      </figcaption>
      {(told.deep > 0 || told.left > 0) && (
        <p className="quiet">
          {percent(told.deep)} too deep, {percent(told.left)} left on. Heights go by their square roots.
        </p>
      )}
    </figure>
  );
}

function Maker({ replay, motion }: { replay: Replay; motion: number }) {
  if (motion < 0) return <span className="quiet">no tool came there</span>;
  const tool = replay.column("tool")[motion];
  return (
    <span className="quiet">
      <i className="swatch" style={{ background: toolColour(tool) }} /> T{tool}, line {replay.column("line")[motion]}
    </span>
  );
}
