// Pins of findings at nearly one moment stand side by side, so that each can be seen and clicked.

/** For times (s) over a whole of `total`, how many pins each stands to the right of its moment (to the left, where the tape
 *  ends). Shares closer than `least` crowd. */
export function spread(times: readonly number[], total: number, least = 0.012): number[] {
  const order = times.map((_, i) => i).sort((a, b) => times[a] - times[b] || a - b);
  const place = times.map((time) => time / total);
  let free = -Infinity; // share from which the tape is free
  for (const i of order) {
    place[i] = Math.max(place[i], free);
    free = place[i] + least;
  }
  let end = 1;
  for (const i of order.reverse()) {
    place[i] = Math.min(place[i], end);
    end = place[i] - least;
  }
  return times.map((time, i) => (place[i] - time / total) / least);
}
