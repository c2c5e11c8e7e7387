// Rehearsals made by hand: a result with what a test does not say left plain.

import type { Finding, RehearsalFull, Result } from "../api/client";

export function findingOf(id: number, data: Partial<Finding["data"]>, more: Partial<Finding> = {}): Finding {
  return {
    id, title: "Collision", meaning: "Two bodies touch.", triage: null,
    data: {
      kind: "contact.body", severity: "stop", channel: 1, program: "O1.nc", line: 20, time: 47.3, tool: 1, bodies: ["T1 cutter", "stop arm"], axis: "", amount: 3.007,
      point: [1, 2, 3], count: 1, message: "T1 cutter runs into stop arm, 3.01 mm deep", remedy: "Move the body.", rule: "contact.body", fix: null, also: [], cause: "contact.body", accepted: null, motion: 9, lastMotion: 9, ...data,
    },
    ...more,
  }; // prettier-ignore
}

export function rehearsalOf(findings: Finding[], result: Partial<Result> = {}, more: Partial<RehearsalFull> = {}): RehearsalFull {
  return {
    id: 7, state: "done", verdict: findings.length ? "stop" : "clear", stops: findings.length, cautions: 0, seconds: 419.9, job: 1, job_name: "lid", revision_number: 2, revision_label: "flawed",
    machine: "VM-3 unit 17", artifacts: [], findings,
    result: {
      time: 419.9, axes: [], tools: [], stock: [],
      checked: {
        resolution: 0.5, near: 1, near_stock: 0, pairs: 87, margins: [], design: true, not_checked: ["chatter"], notes: [],
        switches: { block_skip: [], optional_stop: false, loop: 1, feed_override: 100, rapid_override: 100, dry_run: false, air_cut: 0, left_out: [], shifts: [] },
        rules: { ran: ["syntax"], off: [], changed: {} },
      },
      ...result,
    },
    ...more,
  } as RehearsalFull; // prettier-ignore
}
