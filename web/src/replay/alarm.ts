// What is told while the replay runs past a finding: which one it is, and a short sound where that is wanted.

import type { Finding } from "../api/client";

const LASTS = 1.2; // s of the person's own time
const KEY = "mirror.sound";

/** The finding that was passed last, while it is still to be seen; null when none was a moment ago. */
export function passing(findings: readonly Finding[], time: number, speed: number): Finding | null {
  let found: Finding | null = null;
  for (const item of findings) if (item.data.time <= time + 1e-6 && time - item.data.time <= LASTS * speed && (!found || item.data.time > found.data.time)) found = item;
  return found;
}

export const soundOn = () => localStorage.getItem(KEY) === "on";
export const setSound = (on: boolean) => localStorage.setItem(KEY, on ? "on" : "off");

let context: AudioContext | null = null;

/** A low double knock for a stop, a single one for a caution. */
export function knock(severity: Finding["data"]["severity"]): void {
  context ??= new AudioContext();
  const begin = context.currentTime;
  for (let n = 0; n < (severity === "stop" ? 2 : 1); n++) {
    const [tone, gain] = [context.createOscillator(), context.createGain()];
    tone.frequency.value = severity === "stop" ? 196 : 294;
    gain.gain.setValueAtTime(0.2, begin + 0.16 * n);
    gain.gain.exponentialRampToValueAtTime(0.001, begin + 0.16 * n + 0.12);
    tone.connect(gain).connect(context.destination);
    tone.start(begin + 0.16 * n);
    tone.stop(begin + 0.16 * n + 0.13);
  }
}
