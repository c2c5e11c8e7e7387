// Jobs whose release a change of the library has taken away, and that have not been tried with it yet.

import type { Job, Revision } from "../api/client";

const WITH_LIBRARY = "with what the library holds now"; // the label of a revision that was

/** The released revision of a job that the library has touched; none once it has been tried with that. */
export function touchedRevision(job: Job): Revision | undefined {
  if (job.revisions[0]?.label.startsWith(WITH_LIBRARY)) return undefined;
  const released = job.revisions.find((revision) => revision.release);
  const lapsed = released?.release?.lapsed ?? "";
  return / in the library/.test(lapsed) && !lapsed.startsWith("withdrawn") ? released : undefined;
}
