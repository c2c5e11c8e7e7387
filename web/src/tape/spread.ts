// Pins of findings at nearly one moment stand side by side, so that each can be seen and clicked.

/** For times (s) over a whole of `total`, how many pins each stands to the right of its moment. Shares closer than `least` crowd. */
export function spread(times: readonly number[], total: number, least = 0.012): number[] {
  const order = times.map((_, i) => i).sort((a, b) => times[a] - times[b] || a - b);
  const shift = new Array<number>(times.length).fill(0);
  let end = -Infinity; // share up to which the tape is taken
  for (const i of order) {
    const share = times[i] / total;
    shift[i] = share < end ? Math.round((end - share) / least) : 0;
    end = Math.max(end, share + shift[i] * least) + least;
  }
  return shift;
}
