// Play and pause, the speed, where the replay halts by itself, and the clock.

import { Button, Select } from "antd";
import { useSyncExternalStore } from "react";

import { clock } from "../look";
import { type Player, SPEEDS } from "../replay/player";
import type { Halting } from "./halting";

const HALTING: { value: Halting; label: string }[] = [
  { value: "on", label: "runs on" },
  { value: "block", label: "single block" },
  { value: "finding", label: "to the next finding" },
  { value: "tool", label: "to the next tool" },
];

interface TransportProps {
  player: Player;
  halting: Halting;
  onHalting: (halting: Halting) => void;
  sound: boolean;
  onSound: (on: boolean) => void;
  onHelp: () => void;
}

export function Transport({ player, halting, onHalting, sound, onSound, onHelp }: TransportProps) {
  useSyncExternalStore(player.subscribe, () => player.time * 8 + player.playing + player.speed);
  return (
    <div className="transport">
      <Button size="small" onClick={() => player.play(-1)} aria-label="Play backwards" type={player.playing < 0 ? "primary" : "default"}>
        ◁
      </Button>
      <Button size="small" onClick={() => player.play(player.playing ? 0 : 1)} aria-label="Play or pause" type={player.playing > 0 ? "primary" : "default"}>
        {player.playing > 0 ? "❙❙" : "▷"}
      </Button>
      <Select
        size="small"
        value={player.speed}
        onChange={(speed) => player.setSpeed(speed)}
        options={SPEEDS.map((speed) => ({ value: speed, label: `${speed}×` }))}
        aria-label="Speed"
      />
      <Select<Halting> size="small" popupMatchSelectWidth={false} value={halting} onChange={onHalting} options={HALTING} aria-label="Where it halts" />
      {/* As wide as it ever gets, so that the tape beside it never moves under the pointer. */}
      <span className="clock" data-testid="clock" style={{ minWidth: `${2 * clock(player.seconds).length + 3}ch` }}>
        {clock(player.time)} / {clock(player.seconds)}
      </span>
      <Button size="small" type="text" onClick={() => onSound(!sound)} aria-pressed={sound} title="A knock when the replay runs past a finding">
        {sound ? "Sound" : "Silent"}
      </Button>
      <Button size="small" type="text" onClick={onHelp} aria-label="Keys">
        ?
      </Button>
    </div>
  );
}
