import { expect, test } from "vitest";

import type { Job } from "../api/client";
import { touchedRevision } from "./touched";

const job = (revisions: { label?: string; lapsed?: string }[]) =>
  ({ revisions: revisions.map(({ label = "", lapsed }, at) => ({ id: at, label, release: lapsed === undefined ? null : { lapsed } })) }) as unknown as Job;

test("only what the library took away, of the newest release, and only until it has been tried", () => {
  expect(touchedRevision(job([{}, { lapsed: "T6 is another in the library" }]))?.id).toBe(1);
  expect(touchedRevision(job([{ lapsed: "" }]))).toBeUndefined();
  expect(touchedRevision(job([{ lapsed: "nobody has accepted contact.body" }]))).toBeUndefined();
  expect(touchedRevision(job([{ lapsed: "withdrawn by ines: another in the library" }]))).toBeUndefined();
  expect(touchedRevision(job([{ label: "with what the library holds now" }, { lapsed: "T6 is another in the library" }]))).toBeUndefined();
  expect(touchedRevision(job([{ lapsed: "" }, { lapsed: "T6 is another in the library" }]))).toBeUndefined();
});
