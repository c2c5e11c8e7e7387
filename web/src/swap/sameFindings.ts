// Which findings of two rehearsals are the same: by cause, the nearest in space where several read alike; a line's number says nothing.

import type { Finding } from "../api/client";

const apart = (a: Finding, b: Finding) => {
  const [p, q] = [a.data.point, b.data.point];
  return p && q ? Math.hypot(...p.map((value, i) => value - q[i])) : p || q ? 1e9 : 0;
};

/** The findings of `a` and of `b` that the other side does not have. */
export function differing(a: readonly Finding[], b: readonly Finding[]): { gone: Set<Finding>; fresh: Set<Finding> } {
  const pairs = a.flatMap((one) => b.filter((other) => one.data.cause === other.data.cause).map((other) => ({ one, other, apart: apart(one, other) })));
  pairs.sort((x, y) => x.apart - y.apart);
  const [gone, fresh] = [new Set(a), new Set(b)];
  for (const { one, other } of pairs) {
    if (!gone.has(one) || !fresh.has(other)) continue;
    gone.delete(one);
    fresh.delete(other);
  }
  return { gone, fresh };
}
