import { Button, Input, Segmented, Select, Switch, Tooltip, Typography } from "antd";
import { useState, useSyncExternalStore } from "react";

import { Mark } from "../inspector/Mark";
import type { Replay } from "../replay/replay";
import { Axes } from "./Axes";
import type { Hand } from "./hand";
import { ReachRow, type Reaching } from "./ReachRow";

interface Props {
  replay: Replay;
  hand: Hand;
  onLight: (bodies: string[], point: [number, number, number] | null) => void;
  onKeep?: () => void;
  reaching?: Reaching; // of an arm, over the bodies of a setup
}

/** The tip of an arm along the axes of a frame, and the tool about it. */
function LeadRows({ hand, step }: { hand: Hand; step: number }) {
  const [frame, setFrame] = useState<"base" | "part" | "tool">("tool");
  const turn = step >= 10 ? 5 : step;
  return (
    <div className="hand-row" data-testid="lead">
      <span className="quiet">Lead in the frame of the</span>
      <Segmented size="small" value={frame} onChange={setFrame} options={["base", "part", "tool"]} aria-label="Frame" />
      <div className="lead">
        {(["X", "Y", "Z"] as const).map((axis, i) => (
          <span key={axis}>
            <Button size="small" aria-label={`Lead ${axis} back`} onClick={() => void hand.lead(frame, i, -step, 0)}>
              −
            </Button>
            {axis}
            <Button size="small" aria-label={`Lead ${axis} on`} onClick={() => void hand.lead(frame, i, step, 0)}>
              +
            </Button>
          </span>
        ))}
        {(["X", "Y", "Z"] as const).map((axis, i) => (
          <span key={axis} title={`turn the tool by ${turn}° about ${axis}, the tip staying`}>
            <Button size="small" aria-label={`Turn about ${axis} back`} onClick={() => void hand.lead(frame, i, 0, -turn)}>
              ↶
            </Button>
            {axis}
            <Button size="small" aria-label={`Turn about ${axis} on`} onClick={() => void hand.lead(frame, i, 0, turn)}>
              ↷
            </Button>
          </span>
        ))}
      </div>
    </div>
  );
}

/** Moving the virtual machine by hand: axes, a typed block, the tool, and what was met on the way. */
export function HandPanel({ replay, hand, onLight, onKeep, reaching }: Props) {
  useSyncExternalStore(hand.subscribe, hand.snapshot);
  const [step, setStep] = useState(10);
  const [block, setBlock] = useState("");
  const { answer } = hand;
  const axes = replay.description.axes!.map((axis) => axis.name);
  const { tools, channels = [], grips = [] } = replay.description;
  return (
    <div className="hand-panel" data-testid="hand-panel">
      <Axes replay={replay} hand={hand} step={step} />
      <div className="hand-row">
        <span className="quiet">Step</span>
        <Segmented size="small" value={step} onChange={setStep} options={[0.1, 1, 10, 50].map((value) => ({ value, label: value }))} />
        <span className="grow" />
        <Button size="small" onClick={() => hand.goHome()}>
          Home
        </Button>
        <Button size="small" disabled={!hand.canUndo} onClick={() => hand.undo()}>
          Back
        </Button>
      </div>
      {hand.leads && <LeadRows hand={hand} step={step} />}
      {hand.leads && reaching && reaching.bodies.length > 0 && <ReachRow {...reaching} stamp={`${hand.values.join()} ${hand.tool} ${hand.channel} ${reaching.stamp}`} />}
      <div className="hand-row">
        {channels.length > 1 && (
          <Select
            size="small"
            value={hand.channel || channels[0]}
            aria-label="Channel of the block"
            onChange={(channel) => hand.set({ channel })}
            options={channels.map((value) => ({ value, label: `ch ${value}` }))}
          />
        )}
        <Input
          size="small"
          value={block}
          placeholder="type a block: G0 X10. B30."
          aria-label="Block"
          spellCheck={false}
          onChange={(event) => setBlock(event.target.value)}
          onPressEnter={() => block.trim() && void hand.run(block)}
        />
        <Button size="small" disabled={!block.trim()} onClick={() => void hand.run(block)}>
          Run
        </Button>
      </div>
      {grips.map(({ name, close, open }) => (
        <div className="hand-row" key={name} data-grip={name}>
          <span className="grow">{name}</span>
          {([["Open", open], ["Close", close]] as const).map(([does, code]) => (
            <Tooltip key={does} title={code ?? "the machine has no code for it"}>
              <Button size="small" disabled={!code} aria-label={`${does} ${name}`} onClick={() => void hand.run(code!)}>
                {does}
              </Button>
            </Tooltip>
          ))}
        </div>
      ))}
      <div className="hand-row">
        <Select
          size="small"
          value={hand.tool}
          aria-label="Tool"
          className="hand-tool"
          onChange={(tool) => hand.set({ tool })}
          options={[{ value: 0, label: "no tool" }, ...tools.map((tool) => ({ value: tool.number, label: `${tool.called ?? `T${tool.number}`} ${tool.name}` }))]}
        />
        <Tooltip title="End a move where two bodies touch; off: pass through and tell">
          <label>
            <Switch size="small" checked={hand.stop} onChange={(stop) => hand.set({ stop })} /> stop at contact
          </label>
        </Tooltip>
        <label>
          <Switch size="small" checked={hand.sound} onChange={(sound) => hand.set({ sound })} /> sound
        </label>
      </div>
      <div className="hand-row">
        <Typography.Text
          className="copy"
          copyable={{ text: axes.map((axis, i) => `${axis}${Number(hand.values[i].toFixed(4))}`).join(" "), tooltips: ["Copy where it stands", "Copied"] }}
        >
          where it stands
        </Typography.Text>
        {onKeep && (
          <Button size="small" onClick={onKeep}>
            Keep as offset…
          </Button>
        )}
      </div>
      {hand.failure && <p className="failure">{hand.failure}</p>}
      <ul className="met" data-testid="met">
        {answer?.said.map((said) => (
          <li key={said}>
            <Mark severity="caution" /> <span>{said}</span>
          </li>
        ))}
        {answer?.told?.map((told) => (
          <li key={told}>
            <Mark severity="clear" /> <span>{told}</span>
          </li>
        ))}
        {answer?.over.map(([axis, past]) => (
          <li key={axis}>
            <Mark severity="stop" /> {axis} {past.toFixed(3)} past its travel
          </li>
        ))}
        {answer?.touching.map((met) => (
          <li key={`${met.a} ${met.b}`}>
            <button onClick={() => onLight([met.a, met.b], met.point)}>
              <Mark severity="stop" /> {met.a} touches {met.b}
            </button>
          </li>
        ))}
        {answer?.near.map((met) => (
          <li key={`${met.a} ${met.b}`}>
            <button onClick={() => onLight([met.a, met.b], met.point)}>
              <Mark severity="caution" /> {met.a} comes within {met.clearance.toFixed(2)} mm of {met.b}
            </button>
          </li>
        ))}
        {answer && !answer.said.length && !answer.told?.length && !answer.over.length && !answer.touching.length && !answer.near.length && (
          <li className="quiet">
            <Mark severity="clear" /> nothing touched, nothing near on the way
          </li>
        )}
      </ul>
    </div>
  );
}
