import { Button } from "antd";

import type { Description } from "../replay/replay";

/** A slide's place in words: X − 0.5774 · Y. */
function sumOf(factors: Record<string, number>): string {
  return Object.entries(factors)
    .map(([name, factor], i) => {
      const size = Math.abs(factor);
      return `${factor < 0 ? (i ? " − " : "−") : i ? " + " : ""}${size === 1 ? "" : `${Number(size.toFixed(4))} · `}${name}`;
    })
    .join("");
}

/** Limits and rates of every axis, and the places the control knows. */
export function Numbers({ description, onSend }: { description: Description; onSend: (values: Record<string, number>) => void }) {
  const habits = description.habits;
  const axes = description.axes!;
  return (
    <>
      <table className="figures">
        <thead>
          <tr>
            <th>Axis</th>
            <td>from</td>
            <td>to</td>
            <td>rapid /min</td>
            <td>/s²</td>
          </tr>
        </thead>
        <tbody>
          {axes.map((axis) => {
            const joint = habits?.joints[axis.name];
            return (
              <tr key={axis.name}>
                <th>
                  {axis.name} <span className="quiet">{axis.type === "rotary" ? "°" : axis.diameter ? "mm of slide" : "mm"}</span>
                </th>
                <td>{axis.travel ? axis.travel[0] : "endless"}</td>
                <td>{axis.travel ? axis.travel[1] : ""}</td>
                <td>{joint?.rapid.toLocaleString("en")}</td>
                <td>{joint?.accel.toLocaleString("en")}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {axes.map((axis) => {
        const { step, factors } = habits?.joints[axis.name] ?? { step: null, factors: {} };
        const told = sumOf(factors);
        return (
          <p key={axis.name} className="quiet">
            {step && `${axis.name} indexes by ${step}°.`}
            {told && ` The slide of ${axis.name} stands at ${told}.`}
          </p>
        );
      })}
      {habits?.rpm && <p className="quiet">The spindle reaches {habits.rpm.toLocaleString("en")} rev/min.</p>}
      <h4>Places the control knows</h4>
      <table className="figures places">
        <tbody>
          {habits?.places.map((place) => (
            <tr key={place.name}>
              <th>
                {place.name}
                <br />
                <span className="figures">
                  {Object.entries(place.values)
                    .map(([axis, value]) => `${axis}\u00a0${value}`)
                    .join("  ")}
                </span>
              </th>
              <td>
                <Button size="small" onClick={() => onSend(place.values)}>
                  Send there
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
