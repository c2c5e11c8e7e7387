// The arm of a rehearsed program: what each operation has left, how a stretch is reached, and the poses worth going back to.

import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Input, InputNumber, Popconfirm, Segmented, Select, Slider, Tooltip } from "antd";
import { useState, useSyncExternalStore } from "react";

import type { Arm, RehearsalFull } from "../api/client";
import { clock, toolColour } from "../look";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { askedOf, CHOICES, isTable, stretchAt } from "./postures";
import type { ArmDesk, KeptPose } from "./useArm";

interface Props {
  rehearsal: RehearsalFull;
  replay: Replay;
  player: Player;
  desk: ArmDesk;
  onTime: (time: number) => void;
  onStand: (values: number[] | null) => void; // the arm stands so on the stage until the replay goes on
}

type Operation = Arm["operations"][number];
type Judged = NonNullable<NonNullable<RehearsalFull["result"]>["operations"]>[number];

// What there is of each to be at ease: a bar is full from here on.
const AMPLE = { reach: 200, limit: 45, singular: 30 } as const;
const CLEAR_MM = 30;
const SAID = { reach: "reach left", limit: "nearest joint limit", singular: "from a singular pose" } as const;

export function ArmTab({ rehearsal, replay, player, desk, onTime, onStand }: Props) {
  return (
    <div className="padded arm-tab" data-testid="arm">
      <Operations rehearsal={rehearsal} desk={desk} onTime={onTime} />
      <Stretch player={player} desk={desk} />
      <Poses replay={replay} player={player} desk={desk} onStand={onStand} />
      {desk.changed && (
        <div className="arm-keep">
          <Button type="primary" loading={desk.keeping} onClick={desk.onKeep}>
            Keep, and rehearse
          </Button>
          <Button disabled={!desk.canUndo} onClick={desk.onUndo}>
            Undo
          </Button>
          <Button disabled={!desk.canRedo} onClick={desk.onRedo}>
            Redo
          </Button>
        </div>
      )}
      {!desk.changed && desk.canRedo && (
        <p>
          <Button size="small" onClick={desk.onRedo}>
            Redo
          </Button>
        </p>
      )}
    </div>
  );
}

/** Every operation's four answers on one bar, each cell as full as there is left of it. */
function Operations({ rehearsal, desk, onTime }: { rehearsal: RehearsalFull; desk: ArmDesk; onTime: (time: number) => void }) {
  const { was, now } = desk;
  const judged = rehearsal.result?.operations ?? [];
  return (
    <>
      <h4>
        Left in each operation {desk.turned && <span className="quiet">{desk.asking ? "being worked out …" : "as it would be now"}</span>}
      </h4>
      <ul className="arm-operations">
        {now.operations.map((operation, i) => {
          const before = desk.turned ? was.operations.find((other) => other.name === operation.name && other.line === operation.line) : undefined;
          const told = judged.find((item) => item.name === operation.name && item.program === operation.program && item.line === operation.line) ?? judged[i];
          return (
            <li key={`${operation.program} ${operation.line}`} data-operation={operation.name}>
              <span className="arm-name" title={`${operation.program}, lines ${operation.line} to ${operation.last}`}>
                <i style={{ background: toolColour(operation.tool) }} /> {operation.name.toLowerCase()}
                {!operation.reachable && <b className="arm-bad"> out of reach</b>}
              </span>
              <span className="arm-bar">
                {(["reach", "limit", "singular"] as const).map((key) => (
                  <Cell key={key} of={key} operation={operation} before={before} onTime={onTime} />
                ))}
                <Clearance told={desk.turned ? undefined : told} turned={desk.turned} onTime={onTime} />
              </span>
            </li>
          );
        })}
      </ul>
      <p className="quiet arm-legend">Reach left in mm · degrees to the nearest joint limit · degrees from a singular pose · clearance in mm. Click: the worst place.</p>
      {now.said.length > 0 && <Alert type="warning" showIcon={false} title={now.said.slice(0, 4).join(" ")} />}
      {desk.failure && <Alert type="error" showIcon={false} title={desk.failure} />}
    </>
  );
}

/** How near two bodies come, as the rehearsal told: what is touched in the stock has no clearance. */
function Clearance({ told, turned, onTime }: { told?: Judged; turned: boolean; onTime: (time: number) => void }) {
  const least = told?.least.clearance;
  const touches = told?.contact === false;
  const bad = touches ? " bad" : "";
  if (turned) return <span className="arm-cell" title="clearance is told by the rehearsal"><b>–</b></span>;
  if (!least) return <span className={`arm-cell${bad}`} title={touches ? "it touches stock" : "nothing comes nearer than 200 mm"}><b>{touches ? "touches" : told?.contact == null ? "–" : "free"}</b></span>;
  const share = Math.min(1, least.amount / CLEAR_MM);
  const said = `clearance: ${least.amount.toFixed(2)} mm between ${least.bodies.join(" and ")} at line ${least.line}; told to 5 % below 10 mm, to half above`;
  return (
    <Tooltip title={said}>
      <button className={`arm-cell${bad || (share < 0.34 ? " low" : "")}`} onClick={() => onTime(least.time)} aria-label={said}>
        <i style={{ width: `${100 * share}%` }} />
        <b>{touches ? "touches" : least.amount.toFixed(least.amount < 10 ? 1 : 0)}</b>
      </button>
    </Tooltip>
  );
}

function Cell({ of, operation, before, onTime }: { of: keyof typeof AMPLE; operation: Operation; before?: Operation; onTime: (time: number) => void }) {
  const least = operation.least[of];
  if (!least) return <span className="arm-cell">–</span>;
  const unit = of === "reach" ? "mm" : "°";
  const share = Math.max(0, Math.min(1, least.amount / AMPLE[of]));
  const old = before?.least[of];
  const moved = old && Math.abs(old.amount - least.amount) >= 0.5 ? least.amount - old.amount : 0;
  const text = `${least.amount.toFixed(0)}${unit === "°" ? "°" : ""}`;
  const said = `${SAID[of]}: ${least.amount.toFixed(2)} ${unit}${least.axis ? ` of ${least.axis}` : ""} at line ${least.line}${old ? `; was ${old.amount.toFixed(2)}` : ""}`;
  return (
    <Tooltip title={said}>
      <button className={`arm-cell${least.amount < 0 ? " bad" : share < 0.34 ? " low" : ""}`} onClick={() => onTime(least.time)} aria-label={said}>
        <i style={{ width: `${100 * share}%` }} />
        <b>
          {text}
          {least.axis && <em> {least.axis}</em>}
          {moved !== 0 && <sup>{moved > 0 ? "▲" : "▼"}</sup>}
        </b>
      </button>
    </Tooltip>
  );
}

/** How one stretch is reached: chosen on the strip, by its lines, or where the replay stands. */
function Stretch({ player, desk }: { player: Player; desk: ArmDesk }) {
  const { was, chosen, postures } = desk;
  const time = useSyncExternalStore(player.subscribe, () => player.time);
  const here = stretchAt(was, time);
  const rails = was.joints.filter(({ rail }) => rail);
  if (!was.stretches.length) return null;
  const asked = chosen ? askedOf(postures, chosen) : {};
  const standing = (axis: string) => {
    const row = was.time.findIndex((moment) => moment >= time);
    return was.values[row < 0 ? was.values.length - 1 : row]?.[was.joints.findIndex(({ name }) => name === axis)] ?? 0;
  };
  return (
    <>
      <h4>Posture of a stretch</h4>
      <div className="arm-lines">
        <Button size="small" disabled={!here} onClick={() => here && desk.onChoose({ program: here.program, first: here.first, last: here.last })}>
          Take the one shown{here ? ` (${here.first === here.last ? `line ${here.first}` : `lines ${here.first} to ${here.last}`})` : ""}
        </Button>
      </div>
      {!chosen && <p className="quiet">Or drag over the strip under the tape.</p>}
      {chosen && (
        <div className="arm-wish" data-testid="arm-wish">
          <div className="arm-lines">
            <span>lines</span>
            <InputNumber size="small" min={1} max={chosen.last} value={chosen.first} aria-label="First line" onChange={(first) => first && desk.onChoose({ ...chosen, first })} />
            <span>to</span>
            <InputNumber size="small" min={chosen.first} value={chosen.last} aria-label="Last line" onChange={(last) => last && desk.onChoose({ ...chosen, last })} />
            <span className="grow" />
            <Button size="small" type="text" onClick={() => desk.onChoose(null)}>
              Done
            </Button>
          </div>
          {(Object.keys(CHOICES) as (keyof typeof CHOICES)[]).map((key) => (
            <label key={key} className="arm-row">
              <span>{key}</span>
              <Select
                size="small"
                value={asked[key] ?? ""}
                aria-label={`Posture of the ${key}`}
                onChange={(value) => desk.onWish({ [key]: value || null })}
                options={[{ value: "", label: "as is nearest" }, ...CHOICES[key].map((value) => ({ value, label: value }))]}
              />
            </label>
          ))}
          <label className="arm-row">
            <span>spin</span>
            <Slider min={-180} max={180} step={5} value={asked.spin ?? 0} tooltip={{ open: false }} onChangeComplete={(spin: number) => desk.onWish({ spin })} />
            <InputNumber size="small" min={-360} max={360} value={asked.spin ?? null} placeholder="chosen" aria-label="Spin" onChange={(spin) => desk.onWish({ spin })} />
          </label>
          {asked.spin != null && (
            <label className="arm-row" title="Where the spin before or after is another within the cut, it turns in so many millimetres of the tip's way; with none it may change at a rapid alone.">
              <span>turns over</span>
              <span className="grow" />
              <InputNumber
                size="small"
                min={0}
                max={100000}
                value={asked.blend ?? null}
                placeholder="at a rapid"
                suffix="mm"
                aria-label="Millimetres the spin turns over"
                onChange={(blend) => desk.onWish({ blend })}
              />
            </label>
          )}
          {rails.map(({ name, travel }) => (
            <label key={name} className="arm-row">
              <span>rail {name}</span>
              <Button size="small" onClick={() => desk.onWish({ rail: { ...asked.rail, [name]: Math.round(standing(name)) } })}>
                where it stands
              </Button>
              <InputNumber
                size="small"
                min={travel?.[0]}
                max={travel?.[1]}
                value={asked.rail?.[name] ?? null}
                placeholder="chosen"
                aria-label={`Rail ${name}`}
                onChange={(value) => {
                  const others = Object.entries(asked.rail ?? {}).filter(([axis]) => axis !== name);
                  desk.onWish({ rail: Object.fromEntries(value === null ? others : [...others, [name, value]]) });
                }}
              />
            </label>
          ))}
        </div>
      )}
    </>
  );
}

/** Poses worth going back to: seen on the stage, put into the program as a block that sends the joints there. */
function Poses({ replay, player, desk, onStand }: { replay: Replay; player: Player; desk: ArmDesk; onStand: Props["onStand"] }) {
  const [name, setName] = useState("");
  const [line, setLine] = useState<number | null>(null);
  const [way, setWay] = useState<"joints" | "straight">("joints");
  const [feed, setFeed] = useState(3000);
  const [asked, setAsked] = useState<KeptPose | null>(null); // whose line is being looked at
  const time = useSyncExternalStore(player.subscribe, () => player.time);
  const { poses } = desk;
  const motion = replay.motionAt(time);
  const at = replay.column("line")[motion] ?? 1;
  const program = replay.description.files?.[replay.column("file")[motion] ?? 0] ?? "";
  const before = line ?? at;
  const block = useQuery({
    queryKey: ["arm block", desk.revision, program, before, asked?.at, way, feed, desk.postures],
    queryFn: () => desk.blockTo(program, before, asked!.at, way === "straight" ? feed : null),
    enabled: !!asked,
    retry: false,
    staleTime: Infinity,
  });
  const stand = (pose: KeptPose) => replay.axes.map((axis, i) => pose.at[axis] ?? replay.axesAt(player.time)[i]);
  const keep = () => {
    const values = replay.axesAt(player.time);
    const own = desk.was.joints.map(({ name: axis }) => [axis, Number(values[replay.axes.indexOf(axis)].toFixed(3))]);
    desk.onPoses([...poses.filter((pose) => pose.name !== name.trim()), { name: name.trim() || `at ${clock(time)}`, at: Object.fromEntries(own) }]);
    setName("");
  };
  return (
    <>
      <h4>Kept poses</h4>
      <div className="arm-lines">
        <Input size="small" value={name} placeholder={`at ${clock(time)}`} aria-label="Name of the pose" maxLength={60} onChange={(event) => setName(event.target.value)} onPressEnter={keep} />
        <Button size="small" onClick={keep}>
          Keep this pose
        </Button>
      </div>
      {!poses.length && <p className="quiet">None yet. What is shown now can be kept, to go through it later.</p>}
      {poses.length > 0 && (
        <>
          <ul className="arm-poses">
            {poses.map((pose) => (
              <li key={pose.name}>
                <button className="link" onClick={() => onStand(stand(pose))} title={Object.entries(pose.at).map(([axis, value]) => `${axis} ${Number(value.toFixed(3))}`).join("  ")}>
                  {pose.name}
                </button>
                <span className="grow" />
                <Popconfirm
                  title={`Before line ${before} of ${program}?`}
                  description={block.isError ? <span className="failure">{block.error.message}</span> : <code>{block.data ?? "…"}</code>}
                  okText="Put it in, and rehearse"
                  okButtonProps={{ disabled: !block.data }}
                  cancelText="Not now"
                  onOpenChange={(open) => setAsked(open ? pose : null)}
                  onConfirm={() => block.data && desk.onInsert(program, before, block.data)}
                >
                  <Button
                    size="small"
                    disabled={isTable(program)}
                    title={isTable(program) ? "The program is a table: put a row with the joints' columns into it by hand" : undefined}
                    aria-label={`Put ${pose.name} into the program`}
                  >
                    Into the program…
                  </Button>
                </Popconfirm>
                <Button size="small" type="text" aria-label={`Forget ${pose.name}`} onClick={() => desk.onPoses(poses.filter((other) => other !== pose))}>
                  ×
                </Button>
              </li>
            ))}
          </ul>
          <div className="arm-lines">
            <span>before line</span>
            <InputNumber size="small" min={1} value={line} placeholder={String(at)} aria-label="Line of the transition" onChange={setLine} />
            <Segmented
              size="small"
              value={way}
              onChange={setWay}
              aria-label="How it goes there"
              options={[
                { value: "joints", label: "by its joints" },
                { value: "straight", label: "straight" },
              ]}
            />
          </div>
          {way === "straight" && (
            <div className="arm-lines" title="The tip goes straight to where it was kept, in the direction it had; its spin is chosen, as of every pose.">
              <span>at</span>
              <InputNumber size="small" min={1} max={100000} value={feed} suffix="mm/min" style={{ width: 130 }} aria-label="Feed of the transition" onChange={(value) => value && setFeed(value)} />
            </div>
          )}
          <Button size="small" type="text" onClick={() => onStand(null)}>
            Back to the replay
          </Button>
        </>
      )}
    </>
  );
}
