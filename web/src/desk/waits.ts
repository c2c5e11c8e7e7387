// Programs side by side: rows in which the wait marks that meet stand on one line.

import type { Wait } from "../api/client";

export interface Column {
  lines: string[];
  waits: readonly Wait[];
}
export interface Row {
  cells: ({ line: number; text: string } | null)[];
  /** The wait mark that this row is of; `alone` where no other channel has it here. */
  mark: number | null;
  alone: boolean;
}

const MOST_ROWS = 20_000;

/** The rows: every channel runs on to its next mark; marks that all who have them reach stand in one row. */
export function aligned(columns: readonly Column[]): Row[] {
  const rows: Row[] = [];
  const at = columns.map(() => 0); // the line (from 0) that is next
  const next = columns.map(() => 0); // the wait that is next
  const run = (ends: number[]) => {
    const most = Math.max(0, ...ends.map((end, i) => end - at[i]));
    for (let k = 0; k < most && rows.length < MOST_ROWS; k++)
      rows.push({ cells: columns.map(({ lines }, i) => (at[i] + k < ends[i] ? { line: at[i] + k + 1, text: lines[at[i] + k] } : null)), mark: null, alone: false });
    ends.forEach((end, i) => (at[i] = Math.max(at[i], end)));
  };
  for (;;) {
    const standing = columns.map(({ waits }, i) => waits[next[i]]);
    if (standing.every((wait) => !wait)) break;
    // A mark that some other channel stands at too comes first; else the first one that nobody else has any more.
    const mark =
      standing.find((wait, i) => wait && standing.some((other, j) => j !== i && other?.mark === wait.mark))?.mark ??
      standing.find((wait) => wait && !columns.some(({ waits }, j) => standing[j] !== wait && waits.slice(next[j]).some((other) => other.mark === wait.mark)))?.mark ??
      standing.find((wait) => wait)!.mark;
    const meets = standing.map((wait) => wait?.mark === mark);
    run(columns.map((_, i) => (meets[i] ? Math.max(at[i], standing[i].line - 1) : at[i])));
    rows.push({
      cells: columns.map(({ lines }, i) => (meets[i] ? { line: standing[i].line, text: lines[standing[i].line - 1] ?? "" } : null)),
      mark,
      alone: meets.filter(Boolean).length < 2,
    });
    meets.forEach((met, i) => {
      if (!met) return;
      at[i] = Math.max(at[i], standing[i].line);
      next[i]++;
    });
  }
  run(columns.map(({ lines }) => lines.length));
  return rows;
}
