// Finding a job among many: by words of its name, site, machine and labels, and by how it stands.

import type { Job } from "../api/client";

export const STANDINGS = ["all", "stop", "caution", "clear", "none"] as const;
export type Standing = (typeof STANDINGS)[number];

/** How a job stands: the verdict on its newest revision; none where that has not been rehearsed to its end. */
export function standing(job: Job): Standing {
  const last = job.revisions[0]?.rehearsals[0];
  return (last?.state === "done" && last.verdict) || "none";
}

const told = (job: Job) => [job.name, job.step, job.site, ...job.revisions.flatMap(({ label, machine }) => [label, machine])];

/** The jobs in which every word is found somewhere, and that stand so. */
export function found(jobs: Job[], words: string, wanted: Standing): Job[] {
  const sought = words.toLowerCase().split(/\s+/).filter(Boolean);
  return jobs.filter((job) => {
    if (wanted !== "all" && standing(job) !== wanted) return false;
    const text = told(job).join("\n").toLowerCase();
    return sought.every((word) => text.includes(word));
  });
}
