// The hand on the machine: where it stands, what it met on the way, and the steps back. Kept out of React's render path.

import type { HeldPiece, Lead, Moved } from "../api/client";

/** `held`: who holds the pieces; null: as they begin. */
export interface Panel {
  move: (begin: number[], end: number[], tool: number, stop: boolean, held: HeldPiece[] | null) => Promise<Moved>;
  lead?: (how: Lead) => Promise<Moved>; // of an arm
  block: (values: number[], tool: number, block: string, stop: boolean, channel: number, held: HeldPiece[] | null) => Promise<Moved>;
}

const MOST_STEPS = 200;

export class Hand {
  values: number[];
  tool = 0;
  channel = 0; // whose words typed blocks are in; 0: the first program's
  stop = true;
  sound = false;
  answer: Moved | null = null;
  failure = "";
  held: HeldPiece[] | null = null;
  private back: { values: number[]; held: HeldPiece[] | null }[] = [];
  private readonly listeners = new Set<() => void>();
  private wanted: number[] | null = null;
  private moving = false;
  private version = 0;

  constructor(
    readonly home: number[],
    private readonly panel: Panel,
  ) {
    this.values = [...home];
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Changes with every change: what React watches. */
  snapshot = (): number => this.version;

  private changed(): void {
    this.version++;
    for (const listener of this.listeners) listener();
  }

  set(change: Partial<Pick<Hand, "tool" | "channel" | "stop" | "sound">>): void {
    Object.assign(this, change);
    this.changed();
  }

  get canUndo(): boolean {
    return this.back.length > 0;
  }

  /** A step that can be taken back begins here: before a drag, a jog, a typed block. */
  mark(): void {
    this.back.push({ values: [...this.values], held: this.held });
    if (this.back.length > MOST_STEPS) this.back.shift();
  }

  undo(): void {
    const to = this.back.pop();
    if (!to) return;
    this.values = to.values;
    this.held = to.held;
    this.answer = null;
    this.changed();
  }

  /** Send one axis to a value; while an answer is on its way only the latest wish waits. */
  send(axis: number, value: number): void {
    const next = [...(this.wanted ?? this.values)];
    next[axis] = value;
    this.sendAll(next);
  }

  sendAll(values: number[]): void {
    this.wanted = values;
    if (!this.moving) void this.follow();
  }

  private async follow(): Promise<void> {
    this.moving = true;
    while (this.wanted) {
      const to = this.wanted;
      this.wanted = null;
      await this.take(this.panel.move(this.values, to, this.tool, this.stop, this.held));
    }
    this.moving = false;
  }

  get leads(): boolean {
    return !!this.panel.lead;
  }

  /** Lead an arm's tip along an axis (0–2) of a frame, or turn its tool about it. */
  async lead(frame: Lead["frame"], axis: number, shift: number, turn: number): Promise<void> {
    if (!this.panel.lead) return;
    this.mark();
    const [along, about]: [number, number, number][] = [[0, 0, 0], [0, 0, 0]];
    along[axis] = shift;
    about[axis] = turn;
    const { values, tool, stop, channel, held } = this;
    await this.take(this.panel.lead({ values, tool, frame, shift: along, turn: about, stop, channel, held }));
  }

  async run(block: string): Promise<void> {
    this.mark();
    await this.take(this.panel.block(this.values, this.tool, block, this.stop, this.channel, this.held));
  }

  private async take(coming: Promise<Moved>): Promise<void> {
    try {
      const answer = await coming;
      if (this.sound && answer.touching.length && !this.answer?.touching.length) knock();
      this.answer = answer;
      this.values = answer.values;
      if (answer.held?.length) this.held = answer.held;
      this.failure = "";
    } catch (error) {
      this.failure = (error as Error).message;
      this.wanted = null;
    }
    this.changed();
  }

  /** What is clamped is another now: the pieces are where they begin, and no step leads back to other hands. */
  letGo(): void {
    this.held = null;
    this.back = this.back.map(({ values }) => ({ values, held: null }));
    this.changed();
  }

  goHome(): void {
    this.mark();
    this.sendAll([...this.home]);
  }
}

/** A short low knock, made on the spot: no sound file is shipped. */
function knock(): void {
  const audio = new AudioContext();
  const tone = audio.createOscillator();
  const gain = audio.createGain();
  tone.frequency.value = 110;
  gain.gain.setValueAtTime(0.4, audio.currentTime);
  gain.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + 0.18);
  tone.connect(gain).connect(audio.destination);
  tone.start();
  tone.stop(audio.currentTime + 0.2);
  tone.onended = () => void audio.close();
}
