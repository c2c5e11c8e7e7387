// The look: paper and ink, one accent, severities told by shape and colour from a colour-blind-safe set.

export const INK = "#1d2a30";
export const PAPER = "#f7f5ef";
export const SHEET = "#fffdf8";
export const ACCENT = "#1f5a73";
export const STOP = "#a3195b";
export const CAUTION = "#b06a00";
export const CLEAR = "#1b6e5a";
export const SKIPPED = "#5d6669"; // way that is left out

// One hue a tool, told apart also with the common colour deficiencies (after Okabe and Ito's set, dulled for paper).
const TOOL_HUES = ["#4f8fb8", "#d99a3d", "#5aa88a", "#c278a6", "#c9b743", "#8579bd", "#b8694a", "#6b8a96"];

export function toolColour(tool: number): string {
  return tool > 0 ? TOOL_HUES[(tool - 1) % TOOL_HUES.length] : "#d6d0c0";
}

export const VERDICT_WORDS = {
  stop: "Do not run",
  caution: "Look first",
  clear: "May run",
} as const;

export function clock(seconds: number): string {
  const tenths = Math.round(10 * Math.max(0, seconds)); // rounded first, so that no minute has sixty seconds
  return `${Math.floor(tenths / 600)}:${((tenths % 600) / 10).toFixed(1).padStart(4, "0")}`;
}

/** What a finding's amount is counted in. */
export function unitOf(kind: string, axis: string): string {
  if (kind === "program.speed") return "rev/min";
  const length = /^([ABC]\d*|J\d)$/.test(axis) ? "°" : "mm";
  return kind === "travel.singular" || kind === "travel.speed" ? `${length}/min` : length;
}

/** A colour as the stage mixes it, linear, in the words of a style sheet. */
export function cssOf(colour: [number, number, number]): string {
  return `rgb(${colour.map((c) => Math.round(255 * c ** (1 / 2.2))).join(",")})`;
}

/** When something was cut, as a share of the whole: from paper early to ink-blue late. */
export function timeColour(share: number): [number, number, number] {
  const [early, late] = [[0.82, 0.76, 0.6] as const, [0.02, 0.12, 0.2] as const];
  const t = Math.min(1, Math.max(0, share));
  return [0, 1, 2].map((i) => early[i] + t * (late[i] - early[i])) as [number, number, number];
}

/** What deviations are shown on: within −gouge … +excess mm they are none; full colour at `reach` mm; in so many steps beyond, 0: evenly. */
export interface Scale {
  gouge: number;
  excess: number;
  reach: number;
  steps: number;
}

/** Deviation of the finished part: plum for a gouge, paper within tolerance, blue for material left. */
export function deviationColour(deviation: number, { gouge, excess, reach, steps }: Scale): [number, number, number] {
  const paper = [0.88, 0.86, 0.8] as const;
  const end = deviation < 0 ? ([0.55, 0.04, 0.29] as const) : ([0.06, 0.27, 0.5] as const);
  const tolerance = deviation < 0 ? gouge : excess;
  const beyond = Math.abs(deviation) - tolerance;
  if (beyond <= 0) return [...paper];
  const way = Math.min(1, beyond / Math.max(1e-9, reach - tolerance));
  const stepped = steps > 1 ? Math.min(steps - 1, Math.floor(way * steps)) / (steps - 1) : way;
  const share = 0.35 + 0.65 * stepped;
  return [0, 1, 2].map((i) => paper[i] + share * (end[i] - paper[i])) as [number, number, number];
}
