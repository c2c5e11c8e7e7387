// Where an arm's work would stand best: the places that were judged as a map seen from above, and the best of them with what is left there.

import { Alert, Button } from "antd";
import { useState } from "react";

import type { JobData, Shift, Stand } from "../api/client";
import { better, keyOf, type BestStand } from "./useBestStand";

const HALF_MM = 330; // of the map
const SHOWN = 3;
const SAID = { reach: ["reach", "mm"], limit: ["joint limit", "°"], singular: ["singular", "°"] } as const;

interface Props {
  job: JobData;
  search: BestStand;
  onTake: (place: Shift) => void;
}

export function BestStandPanel({ job, search, onTake }: Props) {
  const [chosen, setChosen] = useState("");
  const { stands, asking, done } = search;
  const own = search.job === job;
  const ranked = [...stands].sort((a, b) => a.missed - b.missed || touches(search, a) - touches(search, b) || better(a, b));
  const picked = stands.find(({ place }) => keyOf(place) === chosen) ?? ranked[0];
  const listed = ranked.slice(0, SHOWN);
  if (picked && !listed.includes(picked)) listed.push(picked);
  return (
    <section className="best-stand" data-testid="best-stand">
      <h4>Where it would stand best</h4>
      <p className="quiet">All on its mount, the offsets with it, shifted up to 300 mm; the whole program is judged at each place.</p>
      <div className="hand-row">
        {asking ? (
          <Button size="small" onClick={search.stop}>
            Stop
          </Button>
        ) : (
          <Button size="small" onClick={() => (setChosen(""), search.start(job))}>
            {stands.length ? "Look again" : "Look for a place"}
          </Button>
        )}
        {asking && <span className="quiet">{asking === "contact" ? "asking what is touched there …" : `${counted(stands.length)} judged …`}</span>}
        {!asking && stands.length > 0 && <span className="quiet">{done ? `${counted(stands.length)} judged` : `stopped after ${counted(stands.length)}`}</span>}
      </div>
      {search.failure && <Alert type="error" showIcon={false} title={search.failure} />}
      {stands.length > 0 && !own && <p className="stale">The setup has changed since: this was of the one before.</p>}
      {stands.length > 0 && (
        <>
          <FromAbove stands={stands} picked={picked} search={search} onPick={(place) => setChosen(keyOf(place))} />
          {done && stands.every(({ missed }) => missed) && <p className="failure">At no place that was judged does every operation go.</p>}
          <ul>
            {listed.map((stand) => (
              <li key={keyOf(stand.place)} className={stand === picked ? "chosen" : ""}>
                <button onClick={() => setChosen(keyOf(stand.place))} aria-label={`Place ${called(stand.place)}`}>
                  <b>{called(stand.place)}</b>
                  <span>{saidOf(stand, search)}</span>
                </button>
              </li>
            ))}
          </ul>
          {picked && <Left stand={picked} />}
          {picked && keyOf(picked.place) !== "0 0" && own && !asking && (
            <Button size="small" type="primary" onClick={() => onTake(picked.place)}>
              Put it there: {called(picked.place)}
            </Button>
          )}
        </>
      )}
    </section>
  );
}

const called = ([x, y]: Shift) => (x || y ? `X ${signed(x)}, Y ${signed(y)}` : "as it stands");
const counted = (n: number) => `${n} place${n === 1 ? "" : "s"}`;
const signed = (mm: number) => (mm > 0 ? `+${mm}` : mm < 0 ? `−${-mm}` : "0");
const touches = (search: BestStand, { place }: Stand) => (search.touched.get(keyOf(place))?.length ? 1 : 0);

function saidOf(stand: Stand, search: BestStand): string {
  const names = search.touched.get(keyOf(stand.place));
  if (stand.missed) return `lacks ${stand.lacking.length === 1 ? stand.lacking[0].toLowerCase() : `${stand.lacking.length} operations`}`;
  const ease = `${Math.round(100 * stand.ease)} %`;
  if (!names) return search.done ? `${ease}, contact not asked` : ease;
  return `${ease}, ${names.length ? `touches in ${names[0].toLowerCase()}${names.length > 1 ? ` and ${names.length - 1} more` : ""}` : "touches nothing"}`;
}

/** What is least at a place, and in which operation. */
function Left({ stand }: { stand: Stand }) {
  return (
    <table className="stand-left">
      <tbody>
        {(Object.keys(SAID) as (keyof typeof SAID)[]).map((key) => {
          const least = stand.least[key];
          const [name, unit] = SAID[key];
          return (
            least && (
              <tr key={key}>
                <td>{name}</td>
                <td>
                  {least.amount.toFixed(1)} {unit}
                  {least.axis ? ` of ${least.axis}` : ""}
                </td>
                <td className="quiet">{least.operation.toLowerCase()}</td>
              </tr>
            )
          );
        })}
      </tbody>
    </table>
  );
}

/** Seen from above, X to the right: a place is the fuller the more is left there; crossed where an operation does not go. */
function FromAbove({ stands, picked, search, onPick }: { stands: Stand[]; picked?: Stand; search: BestStand; onPick: (place: Shift) => void }) {
  return (
    <svg className="stand-map" viewBox={`${-HALF_MM} ${-HALF_MM} ${2 * HALF_MM} ${2 * HALF_MM}`} role="img" aria-label="Places judged, seen from above">
      <path d={`M${-HALF_MM} 0H${HALF_MM}M0 ${-HALF_MM}V${HALF_MM}`} />
      <text x={HALF_MM - 12} y={-10} textAnchor="end">
        X
      </text>
      <text x={12} y={-HALF_MM + 30}>
        Y
      </text>
      {stands.map((stand) => {
        const [x, y] = [stand.place[0], -stand.place[1]];
        const lacks = stand.missed > 0;
        return (
          <g key={keyOf(stand.place)} className={`${stand === picked ? "picked" : ""} ${lacks ? "lacks" : ""} ${touches(search, stand) ? "touches" : ""}`} onClick={() => onPick(stand.place)}>
            <title>{`${called(stand.place)}: ${saidOf(stand, search)}`}</title>
            <circle cx={x} cy={y} r={20} className="room" />
            {lacks ? <path d={`M${x - 10} ${y - 10}L${x + 10} ${y + 10}M${x - 10} ${y + 10}L${x + 10} ${y - 10}`} /> : <circle cx={x} cy={y} r={3 + 17 * Math.max(0, stand.ease)} />}
          </g>
        );
      })}
    </svg>
  );
}
