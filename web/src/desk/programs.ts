// The programs that a job names: a main one for each channel, and those that it calls.

import type { Desk, JobData } from "../api/client";

export interface Program {
  name: string;
  channel: number;
  main: boolean;
  dialect: string;
}

interface Entry {
  channel?: number;
  main: string;
  library?: string[];
  dialect?: string;
}

const entriesOf = (job: JobData) => (job.programs ?? []) as Entry[];

export function programsOf(job: JobData): Program[] {
  return entriesOf(job).flatMap(({ channel = 1, main, library = [], dialect = "iso-mill" }) =>
    [main, ...library].map((name) => ({ name, channel, main: name === main, dialect })),
  );
}

/** The texts as the desk was opened with them, by name. */
export function textsOf(desk: Desk): Record<string, string> {
  return Object.fromEntries(desk.programs.map(({ name, text }) => [name, text]));
}

/** The job with programs more that a channel calls; those it has already are left as they are. */
export function withCalled(job: JobData, names: string[], channel: number): JobData {
  const known = new Set(programsOf(job).map(({ name }) => name));
  const fresh = names.filter((name) => !known.has(name));
  return { ...job, programs: entriesOf(job).map((entry) => ((entry.channel ?? 1) === channel ? { ...entry, library: [...(entry.library ?? []), ...fresh] } : entry)) };
}

/** The job with a channel more. */
export function withChannel(job: JobData, main: string, channel: number, dialect: string): JobData {
  return { ...job, programs: [...entriesOf(job), { channel, main, dialect }].sort((a, b) => (a.channel ?? 1) - (b.channel ?? 1)) };
}

/** The job without a program: one that is called, or a channel with all that it calls. The last channel stays. */
export function without(job: JobData, name: string): JobData {
  const left = entriesOf(job).filter(({ main }) => main !== name);
  return { ...job, programs: left.map((entry) => ({ ...entry, library: (entry.library ?? []).filter((called) => called !== name) })) };
}

export function canGo(job: JobData, { main }: Program): boolean {
  return !main || entriesOf(job).length > 1;
}

/** Channels of the machine that have no program yet. */
export function freeChannels(job: JobData, channels: readonly number[]): number[] {
  const taken = new Set(entriesOf(job).map(({ channel = 1 }) => channel));
  return channels.filter((channel) => !taken.has(channel));
}

/** A program file's text for the desk, and whether its lines end as CR LF; or why it cannot be taken here. */
export function programText(bytes: Uint8Array): { text: string; crlf: boolean } | string {
  if (bytes.includes(0)) return "this is no program text";
  try {
    const text = new TextDecoder("utf-8", { fatal: true }).decode(bytes);
    return { text: text.replace(/\r\n?/g, "\n"), crlf: 2 * (text.match(/\r\n/g)?.length ?? 0) > (text.match(/\n/g)?.length ?? 0) };
  } catch {
    return "its letters are not UTF-8; put it in on the jobs page, where every byte is kept";
  }
}
