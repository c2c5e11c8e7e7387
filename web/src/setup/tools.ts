// A tool as the table holds it, and what each kind of cutter is asked for. Its picture and its faults come from the core.

export interface HolderShape {
  type: string;
  file?: string;
  at?: [number, number, number];
  [more: string]: unknown;
}
export interface Segment {
  diameter: number;
  to_diameter?: number;
  length: number;
}
export interface ToolData {
  number: number;
  name?: string;
  length: number;
  station?: number | null;
  offset?: [number, number];
  cutter: { type: string; [measure: string]: unknown };
  holder?: { segments?: Segment[]; shapes?: HolderShape[]; [more: string]: unknown };
  registers?: Record<string, number>;
  [more: string]: unknown;
}

export interface ToolsData {
  tools: ToolData[];
  [more: string]: unknown;
}

/** A measure of a cutter; `options` where one of a few words is asked for, `optional` where it may be left empty. */
export interface Measure {
  key: string;
  label: string;
  options?: readonly string[];
  optional?: boolean;
}

const BODY: Measure[] = [
  { key: "diameter", label: "diameter" },
  { key: "flute_length", label: "flutes, long" },
  { key: "reach", label: "reach out of the holder" },
  { key: "shank_diameter", label: "shank or neck", optional: true },
  { key: "flutes", label: "flutes, number", optional: true },
];
const HAND: Measure = { key: "hand", label: "hand", options: ["right", "left"], optional: true };
const REACH: Measure = { key: "reach", label: "reach", optional: true };
const CORE: Measure = { key: "core_diameter", label: "middle that does not cut", optional: true };
const POINT: Measure = { key: "point_angle", label: "point angle °" };
const NOSE: Measure = { key: "nose_radius", label: "nose radius", optional: true };
const SHAPES = "A B C D E H K L M O P R S T V W".split(" ");

/** What each kind is asked for, and what a fresh one of it is. */
export const KINDS: Record<string, { says: string; measures: Measure[]; fresh: Record<string, unknown> }> = {
  "end-mill": { says: "end mill, flat or bull-nosed", measures: [...BODY, { key: "corner_radius", label: "corner radius", optional: true }, HAND], fresh: {} },
  "ball-mill": { says: "ball mill", measures: [...BODY, HAND], fresh: {} },
  "taper-mill": {
    says: "tapered mill, flat, bull or ball",
    measures: [{ key: "tip_diameter", label: "tip diameter" }, { key: "angle", label: "flank from axis °" }, { key: "corner_radius", label: "corner radius", optional: true }, { ...BODY[0], label: "diameter at the top", optional: true }, ...BODY.slice(1), CORE, HAND],
    fresh: { diameter: undefined, tip_diameter: 4, angle: 3, corner_radius: 2 },
  },
  "face-mill": {
    says: "face mill with inserts",
    measures: [{ ...BODY[0], label: "diameter at the tip" }, { ...BODY[1], label: "inserts, deep" }, { key: "angle", label: "edge from face °" }, { key: "corner_radius", label: "corner radius", optional: true }, { ...CORE, optional: false }, BODY[2], { ...BODY[3], label: "body" }, { ...BODY[4], label: "inserts, number" }, { key: "ramp_angle", label: "steepest ramp °", optional: true }, HAND],
    fresh: { diameter: 50, flute_length: 6, angle: 90, core_diameter: 36, shank_diameter: 44, flutes: 5 },
  },
  lollipop: { says: "ball on a neck", measures: [{ ...BODY[0], label: "ball" }, { ...BODY[3], label: "neck", optional: false }, BODY[2], BODY[4], HAND], fresh: { flute_length: undefined, shank_diameter: 6 } },
  drill: { says: "drill", measures: [...BODY, POINT, HAND], fresh: { point_angle: 118 } },
  "spot-drill": { says: "spot drill", measures: [...BODY, POINT, HAND], fresh: { point_angle: 90 } },
  "centre-drill": {
    says: "centre drill",
    measures: [{ key: "pilot_diameter", label: "pilot diameter" }, { key: "pilot_length", label: "pilot, long" }, POINT, { key: "angle", label: "countersink °" }, ...BODY, HAND],
    fresh: { pilot_diameter: 3, pilot_length: 4, point_angle: 118, angle: 60 },
  },
  counterbore: { says: "counterbore", measures: [...BODY, { key: "pilot_diameter", label: "pilot diameter", optional: true }, { key: "pilot_length", label: "pilot, long", optional: true }, HAND], fresh: {} },
  "thread-mill": {
    says: "thread mill",
    measures: [{ key: "pitch", label: "pitch" }, { key: "teeth", label: "rows of teeth", optional: true }, ...BODY, CORE, HAND],
    fresh: { pitch: 1.5, flute_length: 12, shank_diameter: 7 },
  },
  "boring-bar": { says: "boring bar", measures: [{ ...BODY[0], label: "set to diameter" }, { ...BODY[3], label: "bar", optional: false }, { ...BODY[1], label: "edge, high" }, BODY[2], HAND], fresh: { flute_length: 3, shank_diameter: 8 } },
  "chamfer-mill": { says: "chamfer mill", measures: [...BODY, { key: "tip_diameter", label: "tip diameter" }, { key: "angle", label: "included angle °" }, HAND], fresh: { tip_diameter: 0, angle: 90 } },
  "t-slot": { says: "T-slot cutter", measures: [...BODY, HAND], fresh: { flute_length: 6, shank_diameter: 6 } },
  dovetail: { says: "dovetail cutter", measures: [...BODY, { key: "angle", label: "flank from base °" }, HAND], fresh: { angle: 60, flute_length: 5, shank_diameter: 4 } },
  tap: { says: "tap", measures: [...BODY, { key: "pitch", label: "pitch", optional: true }, HAND], fresh: {} },
  reamer: { says: "reamer", measures: [...BODY, HAND], fresh: {} },
  insert: {
    says: "turning insert",
    measures: [{ key: "shape", label: "shape (ISO 1832)", options: SHAPES }, { key: "inscribed_circle", label: "inscribed circle" }, NOSE, { key: "lead_angle", label: "lead angle °", optional: true }, { ...HAND, options: ["right", "left", "neutral"] }, REACH],
    fresh: { shape: "C", inscribed_circle: 12.7, nose_radius: 0.8, lead_angle: 95, hand: "right" },
  },
  groove: { says: "grooving insert", measures: [{ key: "width", label: "width" }, NOSE, REACH], fresh: { width: 3, nose_radius: 0.2, reach: 12 } },
  "part-off": { says: "parting insert", measures: [{ key: "width", label: "width" }, NOSE, REACH], fresh: { width: 3, nose_radius: 0.2, reach: 25 } },
  "thread-insert": { says: "threading insert", measures: [{ key: "inscribed_circle", label: "inscribed circle", optional: true }, { key: "pitch", label: "pitch", optional: true }, NOSE, REACH], fresh: { inscribed_circle: 9.525, pitch: 1.5, nose_radius: 0.1 } },
};

const ROUND = { diameter: 10, flute_length: 24, reach: 40, shank_diameter: 10, flutes: 3 };
export const turns = (type: string): boolean => ["insert", "groove", "part-off", "thread-insert"].includes(type);

export function freshTool(tools: ToolData[]): ToolData {
  const number = 1 + Math.max(0, ...tools.map((tool) => tool.number));
  return {
    number,
    name: "D10 end mill",
    length: 104,
    cutter: { type: "end-mill", ...ROUND, corner_radius: 0 },
    holder: { segments: [{ diameter: 28, to_diameter: 36, length: 12 }, { diameter: 36, length: 52 }] },
  };
}

/** A cutter made another kind: the measures that both kinds have are kept, the rest is the new kind's own. */
export function madeInto(cutter: ToolData["cutter"], type: string): ToolData["cutter"] {
  const { measures, fresh } = KINDS[type];
  const base: Record<string, unknown> = turns(type) ? fresh : { ...ROUND, ...fresh };
  const kept = measures.filter(({ key, options }) => cutter[key] !== undefined && (!options || options.includes(cutter[key] as string)) && !(key in fresh));
  return { type, ...base, ...Object.fromEntries(kept.map(({ key }) => [key, cutter[key]])) };
}

const BLOCK_MM = 20;

/** A tool made another kind: one that turns work sits in a block instead of turned segments, and the other way round. */
export function asKind(tool: ToolData, type: string): Partial<ToolData> {
  const part: Partial<ToolData> = { cutter: madeInto(tool.cutter, type) };
  if (tool.name === KINDS[tool.cutter.type]?.says || tool.name === freshTool([]).name) part.name = KINDS[type].says;
  if (turns(type) === turns(tool.cutter.type)) return part;
  const block = Math.max(1, tool.length - 8);
  part.holder = turns(type) ? { shapes: [{ type: "box", size: [BLOCK_MM, BLOCK_MM, block], at: [0, -BLOCK_MM / 2, -block / 2] }] } : freshTool([]).holder;
  return part;
}

/** What is wrong with a tool beside the others; what is wrong with it alone the core says. */
export function faultOf(tool: ToolData, others: ToolData[]): string {
  if (others.some((other) => other !== tool && other.number === tool.number)) return `T${tool.number} is there already`;
  if (!turns(tool.cutter.type) && Number(tool.cutter.reach ?? 0) > tool.length) return "the holder's face lies beyond the gauge point: length is tip to gauge point";
  return "";
}

/** In one line what a tool is. */
export function inShort({ cutter }: ToolData): string {
  if (cutter.type === "insert") return `${cutter.shape}, circle ${cutter.inscribed_circle}, nose ${cutter.nose_radius ?? 0}`;
  if (turns(cutter.type)) return cutter.width ? `width ${cutter.width}` : KINDS[cutter.type].says;
  return cutter.diameter ? `⌀ ${cutter.diameter}, out ${cutter.reach}` : cutter.type;
}
