// How wrong the set-up may be: asked for, worked out by the worker, and shown quantity by quantity as whiskers about what the job says.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { App, Button, Progress, Select } from "antd";

import { api, type RehearsalFull, type Tolerance as Told } from "../api/client";

export type Result = NonNullable<Told["result"]>;
type Quantity = Result["quantities"][number];
export type Bound = NonNullable<Quantity["less"]>;

const ASK_EVERY_MS = 700;
const REACHES = [0.5, 1, 2, 5];
const GROUPS = [
  ["offset", "Work offsets"],
  ["length", "Length registers"],
  ["geometry", "Geometry registers"],
  ["radius", "Radius registers"],
  ["stickout", "Stick-out, tool measured anew"],
  ["fixture", "Fixtures"],
  ["blank", "Sides of the blank, outwards +"],
] as const;
const EVENTS: Record<string, [string, string]> = {
  "material.gouge": ["gouge", "gouges the part"],
  "material.blank": ["gouge", "the part reaches out of the blank"],
  "contact.body": ["touch", "touch"],
  "contact.rapid": ["touch", "goes through stock at rapid"],
  "contact.shank": ["touch", "shank or holder into stock"],
  "travel.over": ["limit", "passes its travel"],
};

/** Of an amount, how much of the half line it fills: its square root, so that hundredths can be told apart beside whole millimetres. */
export const share = (amount: number, reach: number) => Math.sqrt(Math.min(1, amount / reach));

/** The quantity that forgives least, and how well it must be known. */
export function sharpest(result: Result): { quantity: Quantity; amount: number } | null {
  let found: { quantity: Quantity; amount: number } | null = null;
  for (const quantity of result.quantities)
    for (const bound of [quantity.less, quantity.more])
      if (bound?.by && (!found || bound.amount < found.amount)) found = { quantity, amount: bound.amount };
  return found;
}

/** What happens beyond a bound: gouge, touch, limit; free where nothing is known to. */
export const eventOf = (bound: Bound): string => (bound.by ? (EVENTS[bound.by]?.[0] ?? "touch") : "free");

/** An amount, as fine as it matters; one beyond which nothing is known to happen goes on. */
export const amountOf = (bound: Bound): string => (bound.by ? bound.amount.toFixed(bound.amount < 0.1 ? 3 : 2) : `${bound.amount.toFixed(1)}…`);

/** What happens beyond a bound, in words. */
export function beyond(bound: Bound, reach: number): string {
  if (!bound.by) return bound.amount >= reach ? `nothing up to ${reach} mm` : "up to there nothing; what comes then is not known";
  const place = bound.line ? `, ${bound.program} line ${bound.line}` : "";
  return `${bound.bodies.join(" and ")} ${EVENTS[bound.by]?.[1] ?? bound.by}${place}`;
}

function Side({ bound, side, reach, onTime }: { bound: Bound; side: "less" | "more"; reach: number; onTime: (time: number) => void }) {
  const event = eventOf(bound);
  const sign = side === "less" ? "−" : "+";
  return (
    <button
      className={`whisker ${side} ${event}`}
      disabled={bound.time == null}
      onClick={() => bound.time != null && onTime(bound.time)}
      title={`${sign}${bound.amount.toFixed(3)} mm: ${beyond(bound, reach)}`}
      aria-label={`${sign}${bound.amount.toFixed(3)} mm: ${beyond(bound, reach)}`}
    >
      <span>
        {sign}
        {amountOf(bound)}
      </span>
      <i style={{ width: `${100 * share(bound.amount, reach)}%` }} />
    </button>
  );
}

function Rows({ result, onTime }: { result: Result; onTime: (time: number) => void }) {
  return (
    <>
      {GROUPS.map(([kind, title]) => {
        const rows = result.quantities.filter((row) => row.kind === kind);
        if (!rows.length) return null;
        const isFree = (bound: Bound | null | undefined) => !!bound && !bound.by && bound.amount >= result.reach;
        const free = rows.filter((row) => isFree(row.less) && isFree(row.more));
        const told = rows.filter((row) => !free.includes(row));
        return (
          <section key={kind}>
            <h4>{title}</h4>
            {told.map((row) => (
              <div className="whiskers" key={`${row.channel} ${row.name} ${row.axis}`}>
                <b title={row.diameter ? "of the slide; twice that is read in diameters" : undefined}>
                  {row.name} {row.axis}
                  {row.diameter ? " /2" : ""}
                </b>
                {row.less && row.more ? (
                  <>
                    <Side bound={row.less} side="less" reach={result.reach} onTime={onTime} />
                    <Side bound={row.more} side="more" reach={result.reach} onTime={onTime} />
                  </>
                ) : (
                  <span className="quiet">not followed: {row.not_followed}</span>
                )}
              </div>
            ))}
            {free.length > 0 && (
              <p className="quiet">
                Nothing up to {result.reach} mm either way: {free.map((row) => [row.name, row.axis].filter(Boolean).join(" ")).join(", ")}.
              </p>
            )}
          </section>
        );
      })}
    </>
  );
}

function Made({ result, onTime }: { result: Result; onTime: (time: number) => void }) {
  const least = sharpest(result);
  return (
    <>
      {least && (
        <p>
          Forgives least: <b>{[least.quantity.name, least.quantity.axis].filter(Boolean).join(" ")}</b>, which must be known to better than{" "}
          <b>{least.amount.toFixed(3)} mm</b>.
        </p>
      )}
      <p className="whisker-key">
        <i className="gouge" /> the part <i className="touch" /> contact <i className="limit" /> travel <i className="free" /> nothing
      </p>
      <Rows result={result} onTime={onTime} />
      {result.not_checked.map((what) => (
        <p className="quiet" key={what}>
          Not asked: {what}.
        </p>
      ))}
      <p className="quiet">Drawn by the square root. Material that a wrong value leaves, and closeness, are not asked.</p>
    </>
  );
}

export function Tolerance({ rehearsal, onTime }: { rehearsal: RehearsalFull; onTime: (time: number) => void }) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const key = ["tolerance", rehearsal.id];
  const told = useQuery({
    queryKey: key,
    queryFn: () => api.tolerance(rehearsal.id),
    enabled: !rehearsal.quick && !rehearsal.stops,
    refetchInterval: ({ state: { data } }) => (data && ["queued", "running"].includes(data.state) ? ASK_EVERY_MS : false),
  }).data;
  const kept = (made: Told) => queries.setQueryData(key, made);
  const said = (error: Error) => void message.error(error.message);
  if (rehearsal.quick) return <p className="quiet">How wrong the set-up may be is told of a whole rehearsal.</p>;
  if (rehearsal.stops) return <p className="quiet">How wrong the set-up may be is told once nothing stops this job.</p>;
  if (!told) return null;
  const ask = (reach: number) => void api.askTolerance(rehearsal.id, reach).then(kept, said);
  const reach = told.result?.reach ?? 1;
  return (
    <div className="tolerance" data-testid="tolerance">
      {told.state === "queued" || told.state === "running" ? (
        <div className="asking">
          <Progress percent={Math.round(100 * told.share)} size="small" showInfo={told.share > 0} />
          <span className="quiet">{told.state === "queued" ? "waits for a worker" : told.share > 0 ? "shifting" : "rehearsing"}</span>
          <Button size="small" onClick={() => void api.stopTolerance(rehearsal.id).then(kept, said)}>
            Stop
          </Button>
        </div>
      ) : (
        <div className="asking">
          {told.state === "done" ? (
            <b>How wrong it may be</b>
          ) : (
            <Button size="small" type="primary" onClick={() => ask(reach)}>
              How wrong may it be?
            </Button>
          )}
          <span className="quiet">asked up to</span>
          <Select
            size="small"
            aria-label="Asked up to"
            value={reach}
            options={REACHES.map((value) => ({ value, label: `${value} mm` }))}
            onChange={ask}
            popupMatchSelectWidth={false}
          />
        </div>
      )}
      {told.state === "failed" && <p className="failure">{told.error}</p>}
      {told.state === "none" && (
        <p className="quiet">Every offset, register, stick-out, fixture and side of the blank, each way, before the first contact, gouge or overtravel. About twice a rehearsal.</p>
      )}
      {told.result && <Made result={told.result} onTime={onTime} />}
    </div>
  );
}
