// How the deviations of a finished part are spread: bars from −reach to +reach, and how much of the surface is within tolerance.

import type { Scale } from "../look";

export interface Distribution {
  bars: { from: number; to: number; share: number }[]; // what lies beyond an end counts in the last bar there
  within: number; // share of the surface between −gouge and +excess
  deep: number; // share cut deeper
  left: number; // share with more left on
}

/** Every deviation stands for as much surface: they are read where the surface crosses the grid. */
export function distribution(deviations: ArrayLike<number>, { gouge, excess, reach }: Scale, bars = 41): Distribution {
  const counts = new Array<number>(bars).fill(0);
  const width = (2 * reach) / bars;
  let [deep, left] = [0, 0];
  for (let i = 0; i < deviations.length; i++) {
    const value = deviations[i];
    counts[Math.min(bars - 1, Math.max(0, Math.floor((value + reach) / width)))]++;
    if (value < -gouge) deep++;
    else if (value > excess) left++;
  }
  const all = Math.max(1, deviations.length);
  return {
    bars: counts.map((count, i) => ({ from: -reach + i * width, to: -reach + (i + 1) * width, share: count / all })),
    within: deviations.length ? 1 - (deep + left) / all : 0,
    deep: deep / all,
    left: left / all,
  };
}

/** A share in percent, never told as all or nothing where it is not quite. */
export function percent(share: number): string {
  if (share > 0 && share < 0.0005) return "< 0.1 %";
  if (share < 1 && share > 0.9995) return "> 99.9 %";
  return `${(100 * share).toFixed(1)} %`;
}
