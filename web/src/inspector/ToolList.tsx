import { useMemo } from "react";

import type { RehearsalFull } from "../api/client";
import { clock, toolColour } from "../look";
import type { Replay } from "../replay/replay";
import { toolTimes } from "../replay/summary";

interface Props {
  rehearsal: RehearsalFull;
  replay: Replay;
  onMotion: (motion: number) => void;
}

/** The tools in the order they are used: what each is, where its time goes, how far it cut; then those never called. */
export function ToolList({ rehearsal, replay, onMotion }: Props) {
  const times = useMemo(() => toolTimes(replay).filter((entry) => entry.tool > 0), [replay]);
  const { tools } = replay.description;
  const unused = tools.filter((tool) => !times.some((entry) => entry.tool === tool.number));
  const most = Math.max(1e-9, ...times.map((t) => t.rapid + t.cutting + t.change + t.other));
  return (
    <div className="padded">
      <p className="quiet key-line">
        <i className="bar-cutting" /> cutting <i className="bar-rapid" /> rapid <i className="bar-change" /> change, dwell
      </p>
      <ul className="rows tools">
        {times.map((entry) => {
          const tool = tools.find((item) => item.number === entry.tool);
          const use = rehearsal.result?.tools.find((item) => item.number === entry.tool);
          const total = entry.rapid + entry.cutting + entry.change + entry.other;
          return (
            <li key={entry.tool}>
              <button onClick={() => onMotion(entry.first)}>
                <Outline tool={tool} />
                <span className="tool-text">
                  <b>
                    <i className="swatch" style={{ background: toolColour(entry.tool) }} /> T{entry.tool} {tool?.name ?? "not in the table"}
                  </b>
                  <span className="bar" style={{ width: `${(100 * total) / most}%` }}>
                    <i className="bar-cutting" style={{ flex: entry.cutting }} />
                    <i className="bar-rapid" style={{ flex: entry.rapid }} />
                    <i className="bar-change" style={{ flex: entry.change + entry.other }} />
                  </span>
                  <span className="quiet">
                    {clock(total)}, in cut {clock(use?.time_in_cut ?? 0)} over {(use?.metres_in_cut ?? 0).toFixed(2)} m
                  </span>
                  {tool && (
                    <span className="quiet">
                      length {tool.length.toFixed(3)}, flutes {tool.flute_length}, reach {tool.reach}
                      {use?.reach_needed != null && <>, {use.reach_needed.toFixed(1)} needed at most</>}
                    </span>
                  )}
                </span>
              </button>
              {use && <Work use={use} onMotion={onMotion} />}
            </li>
          );
        })}
      </ul>
      {unused.length > 0 && <p className="quiet">Never called: {unused.map((tool) => `T${tool.number} ${tool.name}`).join(", ")}</p>}
    </div>
  );
}

type Use = NonNullable<RehearsalFull["result"]>["tools"][number];

/** What a tool took off and where it had to work hardest: each figure goes to its moment. */
function Work({ use, onMotion }: { use: Use; onMotion: (motion: number) => void }) {
  if (use.removed == null) return null;
  const figures = [
    { of: use.removal_rate, digits: 1, unit: "cm³/min", what: "The most it takes off in a minute" },
    { of: use.depth_of_cut, digits: 2, unit: "deep", what: "The deepest cut along the tool, mm" },
    { of: use.width_of_cut, digits: 2, unit: "wide", what: "The widest cut across its way, mm" },
    { of: use.chip, digits: 3, unit: "chip", what: "The thickest chip at that width, mm" },
  ];
  return (
    <div className="tool-work">
      <span className="quiet">{(use.removed / 1000).toFixed(2)} cm³ off, at most</span>
      {figures.map(({ of, digits, unit, what }) => of && (
        <button key={unit} className="figure" title={`${what}: ${of.program} line ${of.line}`} onClick={() => onMotion(of.motion)}>
          <b>{of.most.toFixed(digits)}</b> {unit}
        </button>
      ))}
    </div>
  );
} // prettier-ignore

/** A tool drawn to scale from its outline: radii and heights from the tip. */
function Outline({ tool }: { tool: Replay["description"]["tools"][number] | undefined }) {
  if (!tool) return <svg className="outline" />;
  const height = Math.max(tool.length, 1);
  const half = Math.max(...tool.outline.map((part) => Math.max(...part.points.map(([r]) => r))), 1);
  const scale = Math.min(56 / height, 17 / half);
  return (
    <svg className="outline" width="38" height="60" viewBox="-19 0 38 60" aria-hidden>
      {tool.outline.map((part) => {
        const right = part.points.map(([r, h]) => [r * scale, 58 - h * scale]);
        const all = [...right, ...right.map(([x, y]) => [-x, y]).reverse()];
        const fill = part.part === "cutter" ? toolColour(tool.number) : part.part === "shank" ? "#9aa3a4" : "#5f6b70";
        return <polygon key={part.part} points={all.map((p) => p.join(",")).join(" ")} fill={fill} />;
      })}
    </svg>
  );
}
