import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";

import type { Finding } from "../api/client";
import { Mark } from "../inspector/Mark";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";

const ROW = 18;
const SPARE = 12;

interface Props {
  text: string;
  file: number;
  replay: Replay;
  player: Player;
  findings: Finding[];
  onLine: (line: number) => void;
}

/** The program text beside the stage. Only the rows in sight are in the page, so that a million lines scroll freely. */
export function Script({ text, file, replay, player, findings, onLine }: Props) {
  const lines = useMemo(() => text.replace(/\r\n?/g, "\n").split("\n"), [text]);
  const marks = useMemo(() => new Map(findings.map((f) => [f.data.line, f])), [findings]);
  const motion = useSyncExternalStore(player.subscribe, () => replay.motionAt(player.time));
  const current = replay.motionCount && replay.column("file")[motion] === file ? replay.column("line")[motion] : 0;
  const box = useRef<HTMLDivElement>(null);
  const [view, setView] = useState({ top: 0, height: 600 });

  useEffect(() => {
    const element = box.current!;
    const measure = () => setView({ top: element.scrollTop, height: element.clientHeight });
    const watcher = new ResizeObserver(measure);
    watcher.observe(element);
    element.addEventListener("scroll", measure);
    return () => {
      watcher.disconnect();
      element.removeEventListener("scroll", measure);
    };
  }, []);

  useEffect(() => {
    const element = box.current!;
    const y = (current - 1) * ROW;
    if (current && (y < element.scrollTop + 2 * ROW || y > element.scrollTop + element.clientHeight - 4 * ROW)) {
      element.scrollTop = y - element.clientHeight / 3;
    }
  }, [current]);

  const first = Math.max(0, Math.floor(view.top / ROW) - SPARE);
  const last = Math.min(lines.length, Math.ceil((view.top + view.height) / ROW) + SPARE);
  return (
    <div className="script" ref={box} data-testid="script">
      <div style={{ height: lines.length * ROW, position: "relative" }}>
        {lines.slice(first, last).map((line, i) => {
          const number = first + i + 1;
          const mark = marks.get(number);
          return (
            <div
              key={number}
              className={number === current ? "row now" : "row"}
              style={{ top: (number - 1) * ROW, height: ROW }}
              onClick={() => onLine(number)}
            >
              <span className="row-mark">{mark && <Mark severity={mark.data.severity} />}</span>
              <span className="row-number">{number}</span>
              <code>{line}</code>
            </div>
          );
        })}
      </div>
    </div>
  );
}
