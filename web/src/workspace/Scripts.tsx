// The programs of all channels beside the stage: side by side, wait marks on one row, the current line in each.

import { useQuery } from "@tanstack/react-query";
import { Alert } from "antd";
import { useCallback, useMemo, useRef, useSyncExternalStore, type UIEvent } from "react";

import { api, type Finding, type Offer } from "../api/client";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { Script } from "../script/Script";
import { spacesOf, type Spaces } from "../script/spaces";

interface ScriptsProps {
  id: number;
  replay: Replay;
  player: Player;
  findings: Finding[];
  width: number;
  /** A change whose lines are drawn in place; `reveal`: brought into sight. */
  offer?: Offer | null;
  reveal?: boolean;
  onMotion: (motion: number) => void;
}

export function Scripts({ width, ...more }: ScriptsProps) {
  const { replay } = more;
  const spaces = useMemo(() => {
    const { meetings, lanes } = replay.description;
    return meetings?.length ? spacesOf(meetings, (lanes ?? []).map(({ program }) => program)) : [];
  }, [replay]);
  // Rows that belong together stay beside each other: what one column is scrolled to, the others are.
  const pane = useRef<HTMLElement>(null);
  const driven = useRef(new Set<HTMLElement>()); // columns that were moved from here: a shorter one stops sooner, and must not hold the others
  const together = (event: UIEvent) => {
    const moved = event.target as HTMLElement;
    if (!moved.matches(".cm-scroller") || driven.current.delete(moved)) return;
    for (const other of pane.current?.querySelectorAll<HTMLElement>(".cm-scroller") ?? []) {
      const before = other.scrollTop;
      if (other === moved) continue;
      other.scrollTop = moved.scrollTop;
      if (other.scrollTop !== before) driven.current.add(other);
    }
  };
  return (
    <section className="pane-script" aria-label="Script" style={{ width }} ref={pane} onScrollCapture={spaces.length > 1 ? together : undefined}>
      {replay.lanes.map(({ channel }, lane) => (
        <Column key={channel} lane={lane} spaces={spaces[lane]} {...more} />
      ))}
    </section>
  );
}

function Column({ id, replay, player, findings, lane, spaces, offer, reveal, onMotion }: Omit<ScriptsProps, "width"> & { lane: number; spaces?: Spaces }) {
  const { channel, program, count } = replay.lanes[lane];
  const motion = useSyncExternalStore(player.subscribe, () => replay.motionAt(player.time, lane));
  const file = count ? replay.column("file")[motion] : 0;
  const name = count ? replay.description.files?.[file] : program;
  const text = useQuery({ queryKey: ["text", id, name], queryFn: () => api.text(id, name!), enabled: !!name, staleTime: Infinity });
  const inFile = useMemo(() => findings.filter((finding) => finding.data.program === name && finding.data.channel === channel), [findings, name, channel]);
  const offered = useMemo(() => offer?.edits.filter(({ program: of }) => of === name), [offer, name]);
  const onLine = useCallback(
    (line: number) => {
      const to = replay.motionOfLine(file, line);
      if (to >= 0) onMotion(to);
    },
    [replay, file, onMotion],
  );
  return (
    <div className="script-column" data-channel={channel}>
      <h3>
        {replay.lanes.length > 1 && <b className="channel">{channel}</b>}
        {name ?? "no program"}
      </h3>
      {text.isError && <Alert type="error" title={text.error.message} />}
      {text.data !== undefined && (
        <Script text={text.data} file={file} replay={replay} player={player} findings={inFile} lane={lane} spaces={name === program ? spaces : undefined} offered={offered} reveal={reveal} onLine={onLine} />
      )}
    </div>
  );
}
