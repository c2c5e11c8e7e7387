// A tool as the table holds it, and its outline as one types: the picture beside the form.

export interface ToolData {
  number: number;
  name?: string;
  length: number;
  station?: number | null;
  cutter: { type: string; diameter?: number; flute_length?: number; reach?: number; shank_diameter?: number; corner_radius?: number; flutes?: number; point_angle?: number; [more: string]: unknown };
  holder?: { segments?: { diameter: number; to_diameter?: number; length: number }[]; [more: string]: unknown };
  registers?: Record<string, number>;
  [more: string]: unknown;
}

export interface ToolsData {
  tools: ToolData[];
  [more: string]: unknown;
}

export const MILLS = ["end-mill", "ball-mill", "drill", "reamer", "tap", "t-slot"] as const;

export const isMill = (tool: ToolData): boolean => (MILLS as readonly string[]).includes(tool.cutter.type);

export function freshTool(tools: ToolData[]): ToolData {
  const number = 1 + Math.max(0, ...tools.map((tool) => tool.number));
  return {
    number,
    name: "D10 end mill",
    length: 104,
    cutter: { type: "end-mill", diameter: 10, corner_radius: 0, flute_length: 24, reach: 40, shank_diameter: 10, flutes: 3 },
    holder: { segments: [{ diameter: 28, to_diameter: 36, length: 12 }, { diameter: 36, length: 52 }] },
  };
}

/** What is wrong with a tool, in words; empty when nothing is. */
export function faultOf(tool: ToolData, others: ToolData[]): string {
  const { cutter } = tool;
  if (others.some((other) => other !== tool && other.number === tool.number)) return `T${tool.number} is there already`;
  if (!isMill(tool)) return "";
  const { diameter = 0, flute_length = 0, reach = 0 } = cutter;
  if (diameter <= 0 || flute_length <= 0 || reach <= 0) return "diameter, flutes and reach must be above zero";
  if (flute_length > reach) return "the flutes are longer than the tool reaches out of its holder";
  if ((cutter.corner_radius ?? 0) > diameter / 2) return "the corner is larger than half the diameter";
  if (reach > tool.length) return "the holder's face lies beyond the gauge point: length is tip to gauge point";
  return "";
}

/** Outlines [radius, height from the tip] of cutter, shank and holder, for the picture. */
export function outlines(tool: ToolData): { part: "cutter" | "shank" | "holder"; points: [number, number][] }[] {
  if (!isMill(tool)) return [];
  const { diameter = 10, flute_length: flutes = 20, reach = 40, shank_diameter: shank = diameter, corner_radius = 0, type } = tool.cutter;
  const r = diameter / 2;
  const corner = type === "ball-mill" ? r : type === "end-mill" ? Math.min(corner_radius, r) : 0;
  const tip: [number, number][] = [];
  if (type === "drill") tip.push([0, 0], [r, r / Math.tan(((tool.cutter.point_angle ?? 118) * Math.PI) / 360)]);
  else {
    tip.push([0, 0]);
    for (let i = 0; i <= 8; i++) {
      const angle = (i / 8) * (Math.PI / 2);
      tip.push([r - corner + corner * Math.sin(angle), corner - corner * Math.cos(angle)]);
    }
  }
  const parts: ReturnType<typeof outlines> = [{ part: "cutter", points: [...tip, [r, flutes], [0, flutes]] }];
  if (reach > flutes) parts.push({ part: "shank", points: [[0, flutes], [shank / 2, flutes], [shank / 2, reach], [0, reach]] });
  let height = reach;
  const holder: [number, number][] = [[0, height]];
  for (const segment of tool.holder?.segments ?? []) {
    holder.push([segment.diameter / 2, height]);
    height += segment.length;
    holder.push([(segment.to_diameter ?? segment.diameter) / 2, height]);
  }
  if (holder.length > 1) parts.push({ part: "holder", points: [...holder, [0, height]] });
  return parts;
}
