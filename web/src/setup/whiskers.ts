// How wrong the setup may be, drawn where it would be: work offsets at their program zeros, the fixture chosen in its middle.

import type { JobData } from "../api/client";
import { amountOf, eventOf, share, type Result } from "../inspector/Tolerance";
import { ACCENT, INK, STOP } from "../look";
import type { Description, Replay } from "../replay/replay";
import type { Triad, Whisker } from "../stage/scene";

const LONGEST_MM = 30; // what the whole reach is drawn as
const BEYOND_MM = 50; // past the arrow of an axis and its letter
const COLOURS: Record<string, string> = { gouge: STOP, touch: INK, limit: ACCENT, free: "#b9b29d" };
type Vector = [number, number, number];

/** Along which way of a work mount's link the tool goes relative to the work when an axis goes on: the joint's own, or against it where
 *  the joint carries the work. Null for an axis that is no straight joint of its own. */
export function wayOf(description: Pick<Description, "links">, workLink: string, axis: string): Vector | null {
  const moved = description.links.find(({ joint }) => joint?.axis === axis);
  if (!moved?.joint || moved.joint.type !== "linear" || Object.keys(moved.joint.moved_by ?? {}).length > 1) return null;
  const carries: (string | null)[] = [];
  for (let at = description.links.find(({ name }) => name === workLink); at; at = description.links.find(({ name }) => name === at!.parent)) carries.push(at.name);
  const sign = carries.includes(moved.name) ? -1 : 1;
  return moved.joint.direction.map((part) => sign * part) as Vector;
}

/** A direction of a link in a frame on it. */
const into = (rows: number[][], way: Vector): Vector => [0, 1, 2].map((i) => rows[0][i] * way[0] + rows[1][i] * way[1] + rows[2][i] * way[2]) as Vector;

function ends(result: Result, row: Result["quantities"][number]): Whisker["ends"] {
  return ([-1, 1] as const).flatMap((sign) => {
    const bound = sign < 0 ? row.less : row.more;
    if (!bound || (!bound.by && bound.amount >= result.reach)) return []; // nothing happens as far as it was asked
    return [{ sign, length: Math.max(1.5, LONGEST_MM * share(bound.amount, result.reach)), colour: COLOURS[eventOf(bound)], open: !bound.by }];
  });
}

/** Both amounts, as one where they are alike. */
function both(result: Result, { less, more }: Result["quantities"][number]): string {
  const told = ([["−", less], ["+", more]] as const).flatMap(([sign, bound]) => (bound && (bound.by || bound.amount < result.reach) ? [[sign, amountOf(bound)]] : []));
  return told.length === 2 && told[0][1] === told[1][1] ? `±${told[0][1]}` : told.map((pair) => pair.join("")).join(" ");
}

/** Whiskers of every offset that has a place, and of the body chosen. `triads`: the offsets' places; mounts by their names. */
export function whiskersOf(result: Result, job: JobData, replay: Replay, triads: Triad[], chosen: string): Whisker[] {
  const { description } = replay;
  const made: Whisker[] = [];
  for (const row of result.quantities) {
    const told = { ends: ends(result, row), says: both(result, row) };
    if (!told.ends.length) continue;
    if (row.kind === "offset") {
      const there = triads.find(({ name }) => name.split(", ").some((own) => own === row.name || own === `${row.channel} ${row.name}`));
      const way = there && wayOf(description, there.link, row.axis ?? "");
      const direction = there && way && into(there.matrix, way);
      if (direction) made.push({ ...told, link: there.link, matrix: there.matrix, point: direction.map((part) => part * (BEYOND_MM + LONGEST_MM)) as Vector, direction });
    }
    const body = row.kind === "fixture" && row.name === chosen ? job.bodies?.find(({ name }) => name === chosen) : undefined;
    const mount = body && description.mounts?.find(({ name }) => name === body.mount);
    if (mount) {
      const direction = [0, 1, 2].map((i) => Number("XYZ"[i] === row.axis)) as Vector;
      made.push({ ...told, link: mount.link, matrix: mount.matrix, point: beside(replay, chosen, mount.matrix, direction), direction });
    }
  }
  return made;
}

/** Beside the middle of a body, past its end in a direction; all in a frame on its link. */
function beside(replay: Replay, name: string, rows: number[][], direction: Vector): Vector {
  const body = replay.description.bodies.find((entry) => entry.name === name);
  const places = body ? replay.array(body.mesh.positions) : [0, 0, 0];
  const low: Vector = [Infinity, Infinity, Infinity];
  const high: Vector = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i + 2 < places.length; i += 3) {
    const at = into(rows, [0, 1, 2].map((k) => places[i + k] - rows[k][3]) as Vector);
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k], at[k]);
      high[k] = Math.max(high[k], at[k]);
    }
  }
  return direction.map((part, k) => (part ? high[k] + LONGEST_MM + 6 : (low[k] + high[k]) / 2)) as Vector;
}
