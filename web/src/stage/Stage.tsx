import { Button, Dropdown, Segmented, Tooltip } from "antd";
import { useEffect, useRef, useState } from "react";

import type { Finding } from "../api/client";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { StageScene, type Showing } from "./scene";

interface Props {
  replay: Replay;
  player: Player;
  finding: Finding | null;
  onMotion: (motion: number) => void;
}

export function Stage({ replay, player, finding, onMotion }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<StageScene | null>(null);
  const pick = useRef(onMotion);
  const [failure, setFailure] = useState("");
  const [paths, setPaths] = useState(false);
  const [, redraw] = useState(0);

  useEffect(() => {
    pick.current = onMotion;
  }, [onMotion]);

  useEffect(() => {
    let made: StageScene;
    try {
      made = new StageScene(host.current!, replay, (motion) => pick.current(motion));
    } catch (error) {
      setFailure(String(error));
      return;
    }
    scene.current = made;
    made.show(player.time);
    const stop = player.subscribe(() => made.show(player.time));
    redraw((n) => n + 1);
    return () => {
      stop();
      made.dispose();
      scene.current = null;
    };
  }, [replay, player]);

  useEffect(() => {
    scene.current?.light(finding?.data.bodies ?? [], finding?.data.point ?? null);
  }, [finding]);

  const made = scene.current;
  return (
    <div className="stage">
      <div className="stage-canvas" ref={host} data-testid="stage" />
      {failure && <div className="stage-failure">The stage cannot be drawn: {failure}. The docket and the script work without it.</div>}
      {made && (
        <div className="stage-tools">
          {(["work", "machine", "top", "front", "side"] as const).map((name) => (
            <Button key={name} size="small" onClick={() => made.view(name)}>
              {name[0].toUpperCase() + name.slice(1)}
            </Button>
          ))}
          <Tooltip title="Tool paths, rapids in grey">
            <Button
              size="small"
              type={paths ? "primary" : "default"}
              onClick={() => {
                made.showPaths(!paths);
                setPaths(!paths);
              }}
            >
              Paths
            </Button>
          </Tooltip>
          <Dropdown
            trigger={["click"]}
            popupRender={() => (
              <div className="bodies">
                {made.bodyNames.map(({ label, role }) => (
                  <div key={label} className="bodies-row">
                    <span>
                      {label} <i>{role}</i>
                    </span>
                    <Segmented<Showing>
                      size="small"
                      value={made.showingOf(label)}
                      options={["shown", "ghost", "hidden"]}
                      onChange={(state) => {
                        made.setShowing(label, state);
                        redraw((n) => n + 1);
                      }}
                    />
                  </div>
                ))}
              </div>
            )}
          >
            <Button size="small">Bodies</Button>
          </Dropdown>
        </div>
      )}
    </div>
  );
}
