// Which work fixes the cycle: the longest chain of work and waits, from the end back to the beginning.

import type { Lane } from "./replay";

export interface Link {
  lane: number;
  begin: number;
  end: number;
}

const HAIR = 1e-6; // s

/** The stretches of the chain in the order of time: shorten one of them, and the whole is shorter. */
export function longestChain(lanes: readonly Lane[]): Link[] {
  const found: Link[] = [];
  let lane = lanes.reduce((last, { seconds }, i) => (seconds > lanes[last].seconds ? i : last), 0);
  let end = lanes[lane]?.seconds ?? 0;
  while (end > HAIR) {
    // The last mark at which this channel stood and waited: what came last there is what it waited for.
    const waited = lanes[lane].waits.findLast((wait) => wait.end <= end + HAIR && wait.end - wait.begin > HAIR);
    if (!waited) {
      found.unshift({ lane, begin: 0, end });
      break;
    }
    found.unshift({ lane, begin: waited.end, end });
    const last = lanes.findIndex(({ waits }) => waits.some((wait) => wait.mark === waited.mark && Math.abs(wait.end - waited.end) < HAIR && wait.end - wait.begin <= HAIR));
    if (last < 0 || last === lane) break;
    lane = last;
    end = waited.end;
  }
  return found.filter((link) => link.end - link.begin > HAIR);
}

/** Seconds that the work of all channels takes one after the other, and the share of the shorter ones' work that runs beside other. */
export function overlap(lanes: readonly Lane[], seconds: number): { inTurn: number; used: number } {
  const work = lanes.map((lane) => lane.seconds - lane.waits.reduce((sum, wait) => sum + wait.end - wait.begin, 0));
  const inTurn = work.reduce((sum, own) => sum + own, 0);
  const possible = inTurn - Math.max(0, ...work);
  return { inTurn, used: possible > HAIR ? Math.max(0, Math.min(1, (inTurn - seconds) / possible)) : 0 };
}
