// Which work fixes the cycle: the longest chain of work and waits, from the end back to the beginning.

import type { Description, Lane } from "./replay";

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

/** An operation that another channel has the time for: while it lasts, and between the same marks, that one stands at least as long. */
export interface Movable {
  operation: { time: number; tool: number; comment: string };
  seconds: number;
  from: number; // lanes
  to: number;
  stands: number; // s that the other stands there
  mark: number | null; // at which it does; null: it has ended
}

type Told = Pick<Description, "operations" | "tools">;

/** Work on the chain that fixes the cycle which another channel could take, so that nobody waits for it: it stands for longer within
 *  the same stretch, and has a tool of the kind. */
export function movable(lanes: readonly Lane[], { operations = [], tools }: Told, seconds: number): Movable[] {
  const chain = longestChain(lanes);
  const turns = (tool: number) => tools.find(({ number }) => number === tool)?.outline?.some(({ part }) => part === "insert") ?? false;
  const found: Movable[] = [];
  const byLane = lanes.map((_, i) => operations.filter(({ lane = 0 }) => lane === i));
  byLane.forEach((own, from) =>
    own.forEach((operation, i) => {
      const end = own[i + 1]?.time ?? lanes[from].seconds;
      const waited = lanes[from].waits.filter((wait) => wait.end > operation.time && wait.begin < end).reduce((sum, wait) => sum + wait.end - wait.begin, 0);
      const took = end - operation.time - waited;
      if (!operation.tool || took < LEAST_S || !chain.some((link) => link.lane === from && link.begin < end && link.end > operation.time)) return;
      lanes.forEach((lane, to) => {
        if (to === from || !byLane[to].some(({ tool }) => tool && turns(tool) === turns(operation.tool))) return;
        // Its stands, each from the mark before it: there it could do the work instead.
        const marks = [0, ...lane.waits.map((wait) => wait.end)];
        const stands = [...lane.waits.map((wait) => ({ begin: wait.begin, end: wait.end, mark: wait.mark as number | null })), { begin: lane.seconds, end: seconds, mark: null }];
        const place = stands.findIndex((stand, k) => marks[k] <= operation.time + HAIR && end <= stand.end + HAIR && stand.end - stand.begin >= took);
        if (place >= 0) found.push({ operation, seconds: took, from, to, stands: stands[place].end - stands[place].begin, mark: stands[place].mark });
      });
    }),
  );
  return found.sort((a, b) => b.seconds - a.seconds);
}

const LEAST_S = 1; // shorter work is not worth another channel's tool
