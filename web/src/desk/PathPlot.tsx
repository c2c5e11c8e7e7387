import { Segmented } from "antd";
import { useEffect, useRef, useState } from "react";

import type { Path } from "../api/client";
import { PathScene, type Look } from "./plot";

interface Props {
  path: Path | null | undefined;
  program: string;
  line: number;
  turning: boolean;
}

const LOOKS: { value: Look; label: string }[] = [
  { value: "space", label: "in space" },
  { value: "top", label: "from above" },
  { value: "front", label: "from the front" },
  { value: "side", label: "from the side" },
];

/** The tool tip's way over the work, without material: a colour a tool, rapids dashed. */
export function PathPlot({ path, program, line, turning }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<PathScene | null>(null);
  const shown = useRef(false);
  const [look, setLook] = useState<Look>(turning ? "front" : "space");
  const [failure, setFailure] = useState("");
  useEffect(() => {
    try {
      scene.current = new PathScene(host.current!, turning);
    } catch {
      setFailure("The path cannot be drawn: this browser has no WebGL.");
    }
    return () => {
      scene.current?.dispose();
      scene.current = null;
      shown.current = false;
    };
  }, [turning]);
  useEffect(() => {
    if (!path) return;
    scene.current?.show(path, shown.current ? null : turning ? "front" : "space");
    shown.current = true;
  }, [path, turning]);
  useEffect(() => {
    if (path) scene.current?.light(path.files.indexOf(program), line);
  }, [path, program, line]);
  return (
    <div className="plot">
      <div className="plot-canvas" ref={host} data-testid="plot" data-pieces={path?.count ?? 0} />
      <Segmented<Look>
        size="small"
        className="plot-looks"
        value={look}
        options={LOOKS}
        onChange={(value) => {
          setLook(value);
          scene.current?.look(value);
        }}
      />
      {failure && <p className="failure plot-note">{failure}</p>}
      {path === null && <p className="quiet plot-note">Nothing moves.</p>}
      {path && (!path.whole || path.skipped) && (
        <p className="quiet plot-note">
          {!path.whole && `The first ${path.count.toLocaleString("en")} pieces of a longer path. `}
          {path.skipped && "Dotted: left out."}
        </p>
      )}
    </div>
  );
}
