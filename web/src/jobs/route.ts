import type { Job, Route, RouteStep } from "../api/client";

export const UNDER_WAY = ["queued", "running"];

/** Jobs that stand alone and routes, by name; a step's job stands under its route. */
export function listed(jobs: Job[], routes: Route[]): (Job | Route)[] {
  return [...jobs.filter((job) => job.route === null), ...routes].sort((a, b) => a.name.localeCompare(b.name, "en"));
}

const RANK = ["clear", "caution", "stop"] as const;

/** The worst of its steps' verdicts; none while one of them has none that holds. */
export function worst(route: Route): (typeof RANK)[number] | null {
  const told = route.steps.map(({ state, verdict, stale }) => (state === "done" && verdict && !stale ? RANK.indexOf(verdict) : -1));
  return told.includes(-1) ? null : RANK[Math.max(...told)];
}

/** What is to be said of a step beside its name. */
export function saidOf({ state, stale }: RouteStep): string {
  if (state === null) return "not rehearsed";
  if (state === "queued") return "waiting";
  if (state === "running") return "under way";
  if (state !== "done") return state;
  return stale && `no longer holds: ${stale}`;
}
