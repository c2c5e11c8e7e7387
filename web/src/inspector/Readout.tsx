import { useSyncExternalStore } from "react";

import { clock, toolColour } from "../look";
import type { Player } from "../replay/player";
import { programPlace, standOf } from "../replay/kinematics";
import type { Replay } from "../replay/replay";

/** Where everything stands now: machine, program, distance to go; feed, speed, tool, active codes. */
export function Readout({ replay, player }: { replay: Replay; player: Player }) {
  return replay.lanes.length > 1 || replay.description.held ? <Lanes replay={replay} player={player} /> : <OneChannel replay={replay} player={player} />;
}

/** Every channel: its axes, its tool, what it does now; and who holds what. */
function Lanes({ replay, player }: { replay: Replay; player: Player }) {
  const time = useSyncExternalStore(player.subscribe, () => player.time);
  const machine = replay.axesAt(time);
  const { axes, held } = replay.description;
  return (
    <div className="readout lanes" data-testid="readout">
      <div className="readout-line">
        <span>{clock(time)}</span>
      </div>
      {replay.lanes.map((lane, number) => {
        const motion = replay.motionAt(time, number);
        const waits = lane.waits.find(({ begin, end }) => begin <= time && time < end);
        const over = time > lane.seconds + 1e-6 || !lane.count;
        const kind = over ? "has ended" : waits ? `waits at M${waits.mark}` : replay.description.kinds[replay.column("kind")[motion]];
        const rpm = lane.count ? replay.column("rpm")[motion] : 0;
        const tool = lane.count ? replay.column("tool")[motion] : 0;
        return (
          <div key={lane.channel} className="readout-lane">
            <div className="readout-line">
              <b className="channel">{lane.channel}</b>
              <span>{kind}</span>
              {kind === "feed" || kind === "arc" || kind === "thread" ? <span>F {replay.column("feed")[motion].toFixed(0)}</span> : null}
              {!over && <span>{rpm === 0 ? "S 0" : `S ${Math.abs(rpm).toFixed(0)} ${rpm > 0 ? "M3" : "M4"}`}</span>}
              <i style={{ background: toolColour(tool) }} />
              <span>{tool ? replay.called(tool) : "no tool"}</span>
            </div>
            <div className="readout-axes">
              {lane.axes.map((i) => (
                <span key={i} title={axes?.[i].diameter ? "in diameters, as the slide stands" : undefined}>
                  <i>{axes?.[i].diameter ? `${axes[i].name} ⌀` : axes?.[i].name}</i> {((axes?.[i].diameter ? 2 : 1) * machine[i]).toFixed(3)}
                  <TravelBar replay={replay} axis={replay.axes[i]} machine={machine} />
                </span>
              ))}
            </div>
          </div>
        );
      })}
      {held &&
        replay.holdersAt(time).map(([piece, grips]) => (
          <div key={piece} className="readout-line quiet">
            <span>
              {piece}: {grips.length ? grips.join(", ") : "held by none"}
            </span>
          </div>
        ))}
    </div>
  );
}

function OneChannel({ replay, player }: { replay: Replay; player: Player }) {
  const time = useSyncExternalStore(player.subscribe, () => player.time);
  if (!replay.motionCount) return <p className="quiet">The program makes no motion.</p>;
  const motion = replay.motionAt(time);
  const snapshot = replay.description.snapshots![replay.column("snapshot")[motion]];
  const machine = replay.axesAt(time);
  const target = replay.targetOf(motion);
  const program = programPlace(replay.description, machine, snapshot);
  const shown = replay.axes.map((axis, i) => ({ axis, i, unit: replay.description.axes?.[i].diameter ? 2 : 1 })).filter(({ axis }) => axis.length === 1);
  const rpm = replay.column("rpm")[motion];
  const kind = replay.description.kinds[replay.column("kind")[motion]];
  const tool = replay.description.tools.find((t) => t.number === replay.column("tool")[motion]);
  return (
    <div className="readout" data-testid="readout">
      {replay.description.arms?.length ? <Joints replay={replay} machine={machine} /> : <table>
        <thead>
          <tr>
            <th />
            <th>Machine</th>
            <th>Program</th>
            <th>To go</th>
          </tr>
        </thead>
        <tbody>
          {shown.map(({ axis, i, unit }) => (
            <tr key={axis}>
              <th title={unit === 2 ? "in diameters" : undefined}>{unit === 2 ? `${axis} ⌀` : axis}</th>
              <td>
                {(unit * machine[i]).toFixed(3)}
                <TravelBar replay={replay} axis={axis} machine={machine} />
              </td>
              <td>{(unit * program[i]).toFixed(3)}</td>
              <td>{(unit * (target[i] - machine[i])).toFixed(3).replace(/^-(?=0\.000$)/, "")}</td>
            </tr>
          ))}
        </tbody>
      </table>}
      <div className="readout-line">
        <span>{clock(time)}</span>
        <span>{kind}</span>
        <span>{kind === "rapid" ? "F —" : `F ${replay.column("feed")[motion].toFixed(0)}`}</span>
        <span>{rpm === 0 ? "S 0" : `S ${Math.abs(rpm).toFixed(0)} ${rpm > 0 ? "M3" : "M4"}`}</span>
        <span>{snapshot.coolant ? `M${snapshot.coolant}` : "M9"}</span>
      </div>
      <div className="readout-line">
        <i style={{ background: toolColour(tool?.number ?? 0) }} />
        <span>{tool ? `T${tool.number} ${tool.name}` : "no tool"}</span>
        <span>{snapshot.lengthNumber ? `H${snapshot.lengthNumber} ${snapshot.length.toFixed(3)}` : "no H"}</span>
      </div>
      <div className="codes">{snapshot.codes.join(" ")}</div>
    </div>
  );
}

/** An arm's joints and its rail, each with where it stands in its travel. */
function Joints({ replay, machine }: { replay: Replay; machine: number[] }) {
  return (
    <div className="readout-axes">
      {replay.axes.map((axis, i) => (
        <span key={axis}>
          <i>{axis}</i> {machine[i].toFixed(3)}
          {replay.description.axes?.[i].type === "rotary" ? "°" : ""}
          <TravelBar replay={replay} axis={axis} machine={machine} />
        </span>
      ))}
    </div>
  );
}

/** Where an axis's slide stands in its travel; in the colour of a stop beyond it. */
function TravelBar({ replay, axis, machine }: { replay: Replay; axis: string; machine: number[] }) {
  const travel = replay.description.axes?.find((entry) => entry.name === axis)?.travel;
  const joint = replay.description.links.find((link) => link.joint?.axis === axis)?.joint;
  if (!travel || !joint || travel[1] <= travel[0]) return null;
  const at = standOf(joint, (name) => machine[replay.axes.indexOf(name)] ?? 0);
  const share = (at - travel[0]) / (travel[1] - travel[0]);
  const left = Math.min(Math.max(share, 0), 1);
  return (
    <span className={share < 0 || share > 1 ? "travel-bar over" : "travel-bar"} title={`${axis} ${travel[0]} … ${travel[1]}, ${Math.min(at - travel[0], travel[1] - at).toFixed(1)} left`}>
      <i style={{ left: `${100 * left}%` }} />
    </span>
  );
}
