// Work offsets of a setup: the whole job's, and those that a channel has of its own instead.

import type { JobData } from "../api/client";

export type OffsetValue = NonNullable<JobData["work_offsets"]>[string];

/** One offset: of a channel's own, or of the whole job (channel 0). */
export interface OffsetRef {
  channel: number;
  name: string;
}

interface ProgramEntry {
  channel?: number;
  main: string;
  work_offsets?: Record<string, OffsetValue> | null;
}

export const programsOf = (job: JobData) => (job.programs as ProgramEntry[] | undefined) ?? [];

const channelOf = (entry: ProgramEntry) => entry.channel ?? 1;

/** Whose offsets there are: the whole job's where any channel keeps to them, then each channel that has its own. */
export function owners(job: JobData): { channel: number; main: string; offsets: Record<string, OffsetValue> }[] {
  const programs = programsOf(job);
  const whole = { channel: 0, main: programs.filter((entry) => !entry.work_offsets).map((entry) => entry.main).join(", "), offsets: job.work_offsets ?? {} };
  const own = programs.filter((entry) => entry.work_offsets).map((entry) => ({ channel: channelOf(entry), main: entry.main, offsets: entry.work_offsets! }));
  return own.length && own.length === programs.length ? own : [whole, ...own];
}

function changed(job: JobData, channel: number, change: (offsets: Record<string, OffsetValue>) => Record<string, OffsetValue>): JobData {
  if (!channel) return { ...job, work_offsets: change(job.work_offsets ?? {}) };
  return { ...job, programs: programsOf(job).map((entry) => (channelOf(entry) === channel ? { ...entry, work_offsets: change(entry.work_offsets ?? {}) } : entry)) };
}

/** The offsets that a channel's program goes by, and whose they are: its own, or the whole job's (0). */
export function offsetsOf(job: JobData, channel: number): { owner: number; offsets: Record<string, OffsetValue> } {
  const own = programsOf(job).find((entry) => channelOf(entry) === channel)?.work_offsets;
  return own ? { owner: channel, offsets: own } : { owner: 0, offsets: job.work_offsets ?? {} };
}

export const withOffsets = (job: JobData, owner: number, offsets: Record<string, OffsetValue>) => changed(job, owner, () => offsets);

export const withOffset = (job: JobData, { channel, name }: OffsetRef, value: OffsetValue) => changed(job, channel, (offsets) => ({ ...offsets, [name]: value }));

export const withoutOffset = (job: JobData, { channel, name }: OffsetRef) =>
  changed(job, channel, (offsets) => Object.fromEntries(Object.entries(offsets).filter(([key]) => key !== name)));

/** A channel gets offsets of its own, at first the whole job's. */
export const ownOffsets = (job: JobData, channel: number) => changed(job, channel, () => ({ ...job.work_offsets }));

export const firstOffset = (job: JobData): OffsetRef => {
  const [{ channel, offsets }] = owners(job);
  return { channel, name: Object.keys(offsets)[0] ?? "G54" };
};

export const called = ({ channel, name }: OffsetRef) => (channel ? `${name} of channel ${channel}` : name);
