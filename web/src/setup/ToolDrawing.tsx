// A tool seen from the side, tip down; beside what it is now, what it was.

import type { ToolPart } from "../api/client";

const INK: Record<string, string> = { insert: "#5d7f8c", cutter: "#5d7f8c", shank: "#b9b19c", holder: "#8a8577" };
const LINE = "#1f5a73";

interface Props {
  number: number;
  parts: ToolPart[];
  /** Outlines before a change, drawn dashed over it. */
  was?: ToolPart[];
  /** Height of the gauge point over the tip. */
  gauge?: number;
}

const outline = ({ points }: ToolPart) => `M${points.map(([x, h]) => `${x} ${-h}`).join("L")}Z`;

export function ToolDrawing({ number, parts, was = [], gauge = 0 }: Props) {
  const all = [...parts, ...was].flatMap(({ points }) => points);
  if (!all.length) return <div className="tool-picture" role="img" aria-label={`T${number}: not drawn yet`} />;
  const [left, right] = [Math.min(...all.map(([x]) => x)), Math.max(...all.map(([x]) => x))];
  const high = Math.max(...all.map(([, h]) => h), gauge);
  const low = Math.min(0, ...all.map(([, h]) => h));
  const edge = 0.03 * (high - low);
  return (
    <svg
      className="tool-picture"
      viewBox={`${left - edge} ${-high - edge} ${right - left + 2 * edge} ${high - low + 2 * edge}`}
      role="img"
      aria-label={was.length ? `T${number} as it would be, and dashed as it is` : `T${number} as it hangs in its mount`}
    >
      {parts.map((part, i) => (
        <path key={i} fill={INK[part.part]} d={outline(part)} />
      ))}
      {was.map((part, i) => (
        <path key={`was ${i}`} className="tool-was" d={outline(part)} />
      ))}
      {gauge > 0 && <path d={`M${left - edge} ${-gauge}H${right + edge}`} stroke={LINE} strokeDasharray="4 3" strokeWidth="1" vectorEffect="non-scaling-stroke" />}
    </svg>
  );
}
