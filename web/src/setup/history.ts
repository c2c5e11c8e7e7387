// The job.json that the setup screen holds, with every step to be taken back and forth again.

import type { BodyData, JobData } from "../api/client";

export interface History {
  past: JobData[];
  now: JobData;
  future: JobData[];
}

const MOST = 100;

export const begin = (job: JobData): History => ({ past: [], now: job, future: [] });
export const changed = ({ past, now }: History, next: JobData): History => ({ past: [...past, now].slice(-MOST), now: next, future: [] });
export const undone = ({ past, now, future }: History): History =>
  past.length ? { past: past.slice(0, -1), now: past[past.length - 1], future: [now, ...future] } : { past, now, future };
export const redone = ({ past, now, future }: History): History =>
  future.length ? { past: [...past, now], now: future[0], future: future.slice(1) } : { past, now, future };

export const bodyOf = (job: JobData, name: string): BodyData | undefined => job.bodies?.find((body) => body.name === name);

export function withBody(job: JobData, name: string, change: Partial<BodyData>): JobData {
  return { ...job, bodies: job.bodies?.map((body) => (body.name === name ? { ...body, ...change } : body)) };
}

export const withoutBody = (job: JobData, name: string): JobData => ({ ...job, bodies: job.bodies?.filter((body) => body.name !== name) });

export const added = (job: JobData, ...bodies: BodyData[]): JobData => ({ ...job, bodies: [...(job.bodies ?? []), ...bodies] });

/** A name that no body has yet: "vise", "vise 2", "vise 3" … */
export function freeName(job: JobData, wanted: string): string {
  const taken = new Set(job.bodies?.map((body) => body.name));
  if (!taken.has(wanted)) return wanted;
  for (let i = 2; ; i++) if (!taken.has(`${wanted} ${i}`)) return `${wanted} ${i}`;
}

/** The job with only the bodies that are there after so many programmed stops (0: until the first). */
export function standingAfter(job: JobData, stop: number): JobData {
  const there = ({ present }: BodyData) => !present || (stop >= present[0] && (present[1] === null || stop < present[1]));
  return job.bodies?.every(there) ? job : { ...job, bodies: job.bodies?.filter(there) };
}
