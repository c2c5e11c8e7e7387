import { Button, Select, Tooltip } from "antd";
import { useEffect, useRef, useState } from "react";

import type { Finding, BodyMoved } from "../api/client";
import { clock, cssOf, timeColour, type Scale } from "../look";
import type { Player } from "../replay/player";
import type { Replay } from "../replay/replay";
import { DeviationScale } from "./DeviationScale";
import type { Cut } from "../section/outlines";
import { StageScene, type Colouring, type Picked, type Section } from "./scene";
import { SectionCard } from "./SectionCard";
import { StageTools } from "./StageTools";

interface Props {
  replay: Replay;
  player: Player;
  finding: Finding | null;
  passing: Finding | null; // what the replay has just run past
  text: string | undefined;
  prompt: string; // what a person is asked to point at
  colouring: Colouring;
  scale: Scale;
  onColouring: (colouring: Colouring) => void;
  onScale: (scale: Scale) => void;
  /** Bodies as a change would have them. */
  moved?: BodyMoved[];
  onMotion: (motion: number) => void;
  onScene: (scene: StageScene | null) => void;
}

export function Stage({ replay, player, finding, passing, text, prompt, moved, colouring, scale, onColouring, onScale, onMotion, onScene }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<StageScene | null>(null);
  const go = useRef(onMotion);
  const tell = useRef(onScene);
  const [failure, setFailure] = useState("");
  const [picked, setPicked] = useState<Picked | null>(null);
  const [section, setSection] = useState<Section>(null);
  const [cuts, setCuts] = useState<Cut[]>([]);
  const [lacking, setLacking] = useState<"" | "coming" | "failed">("");
  const [, redraw] = useState(0);

  useEffect(() => {
    go.current = onMotion;
    tell.current = onScene;
  }, [onMotion, onScene]);

  useEffect(() => {
    let made: StageScene;
    try {
      made = new StageScene(host.current!, replay, (found) => {
        if (found?.what === "path") go.current(found.motion);
        setPicked(found?.what === "face" ? found : null);
      });
    } catch (error) {
      setFailure(String(error));
      return;
    }
    scene.current = made;
    made.onCut = setCuts;
    let telling = 0;
    made.onLack = (count, failed) => {
      window.clearTimeout(telling);
      if (failed || !count) setLacking(failed ? "failed" : "");
      else telling = window.setTimeout(() => setLacking("coming"), LACK_MS);
    };
    tell.current(made);
    made.show(player.time);
    const stop = player.subscribe(() => made.show(player.time));
    redraw((n) => n + 1);
    return () => {
      stop();
      window.clearTimeout(telling);
      made.dispose();
      scene.current = null;
      tell.current(null);
    };
  }, [replay, player]);

  const lit = finding ?? passing;
  useEffect(() => {
    scene.current?.light(lit?.data.bodies ?? [], lit?.data.point ?? null);
  }, [lit]);
  // A finding that a person chose is looked at; one that the replay runs past only lights up.
  useEffect(() => {
    if (finding?.data.point) scene.current?.focusOnLit();
  }, [finding]);

  useEffect(() => {
    scene.current?.offer(moved ?? []);
  }, [moved, replay]);

  useEffect(() => {
    scene.current?.colourBy(colouring, scale);
  }, [colouring, scale, replay]);

  useEffect(() => {
    scene.current?.setSection(section);
  }, [section]);

  const made = scene.current;
  return (
    <div className="stage">
      <div className={prompt ? "stage-canvas pointing" : "stage-canvas"} ref={host} data-testid="stage" />
      {lacking && (
        <div className="stage-lack" role="status">
          {lacking === "coming" ? "Fetching the stock of this moment …" : "The stock of this moment cannot be fetched. Is the server still running?"}
        </div>
      )}
      {prompt && <div className="pointing-hint">{prompt}</div>}
      {failure && <div className="stage-failure">The stage cannot be drawn: {failure}. The docket and the script work without it.</div>}
      {made && (
        <StageTools scene={made} lit={finding?.data.bodies ?? []} onChange={() => redraw((n) => n + 1)}>
          <Tooltip title="Zoom to the finding (Z)">
            <Button size="small" disabled={!finding?.data.point} onClick={() => made.focusOnLit()}>
              Zoom
            </Button>
          </Tooltip>
          <Tooltip title="Tool paths by tool, rapids in grey (P)">
            <Button
              size="small"
              type={made.pathsOn ? "primary" : "default"}
              onClick={() => {
                made.showPaths(!made.pathsOn);
                redraw((n) => n + 1);
              }}
            >
              Paths
            </Button>
          </Tooltip>
          <Tooltip title="Cut the work open and draw what the plane cuts">
            <Button size="small" type={section ? "primary" : "default"} disabled={!replay.description.stocks.length} onClick={() => setSection(section ? null : { axis: 1, at: 0, side: made.eyeSide(1) })}>
              Section
            </Button>
          </Tooltip>
          {replay.description.stocks.length > 0 && (
            <Select<Colouring>
              size="small"
              value={colouring}
              aria-label="Colour of the stock"
              popupMatchSelectWidth={false}
              onChange={onColouring}
              options={[
                { value: "tool", label: "By tool" },
                { value: "operation", label: "By operation" },
                { value: "time", label: "By time" },
                ...(made.hasDesign ? [{ value: "deviation" as const, label: "Deviation" }] : []),
              ]}
            />
          )}
        </StageTools>
      )}
      {colouring === "time" && <TimeScale seconds={replay.seconds} />}
      {colouring === "deviation" && <DeviationScale own={replay.description.checks} scale={scale} onScale={onScale} />}
      {made && section && (
        <SectionCard
          section={section}
          range={made.reachAlong(section.axis)}
          cuts={cuts}
          job={replay.description.job}
          onAxis={(axis) => setSection({ axis, at: 0, side: made.eyeSide(axis) })}
          onSection={setSection}
        />
      )}
      {picked?.what === "face" && (
        <FaceCard replay={replay} text={text} picked={picked} onGo={() => onMotion(picked.motion)} onClose={() => setPicked(null)} />
      )}
    </div>
  );
}

const LACK_MS = 250; // before it is told that the stock is being fetched
const TIME_STEPS = 40;

/** The legend of the colours by time. */
function TimeScale({ seconds }: { seconds: number }) {
  return (
    <div className="scale">
      <span>cut early</span>
      <div>
        <div className="scale-bar">
          {Array.from({ length: TIME_STEPS }, (_, i) => {
            return <i key={i} style={{ background: cssOf(timeColour(i / (TIME_STEPS - 1))) }} />;
          })}
        </div>
        <div className="scale-ends">
          <span>{clock(0)}</span>
          <span>{clock(seconds)}</span>
        </div>
      </div>
      <span>late</span>
    </div>
  );
}

interface FaceProps {
  replay: Replay;
  text: string | undefined;
  picked: Extract<Picked, { what: "face" }>;
  onGo: () => void;
  onClose: () => void;
}

/** What made the face that was clicked. */
function FaceCard({ replay, text, picked, onGo, onClose }: FaceProps) {
  const { motion, before, deviation, point } = picked;
  const line = motion >= 0 ? replay.column("line")[motion] : 0;
  const number = motion >= 0 ? replay.column("tool")[motion] : 0;
  const tool = replay.description.tools.find((entry) => entry.number === number);
  const block = line && text ? text.split("\n")[line - 1] : "";
  return (
    <div className="face-card" data-testid="face">
      {before ? (
        <b>
          Cut in {before.step}: T{before.tool} {before.name}, line {before.line} of {before.program}
        </b>
      ) : motion < 0 ? (
        <b>No tool has cut this face</b>
      ) : (
        <>
          <b>
            T{number} {tool?.name}, line {line}
          </b>
          <code>{block}</code>
        </>
      )}
      <span className="quiet">
        at {point.map((c) => c.toFixed(2)).join("  ")}
        {deviation !== null && `, ${Math.abs(deviation).toFixed(3)} mm ${deviation < 0 ? "too deep" : "left on"}`}
      </span>
      <span>
        {motion >= 0 && (
          <Button size="small" onClick={onGo}>
            Go to this cut
          </Button>
        )}{" "}
        <Button size="small" type="text" onClick={onClose}>
          Close
        </Button>
      </span>
    </div>
  );
}
