import { useEffect, useRef, useState } from "react";

import type { Replay } from "../replay/replay";
import { StageScene, type Carried, type Dot, type Pointed, type Triad, type Whisker } from "../stage/scene";
import { StageTools, VIEWS } from "../stage/StageTools";
import type { Hand } from "./hand";

interface Props {
  replay: Replay;
  hand: Hand | null;
  lit: { bodies: string[]; point: [number, number, number] | null };
  chosen?: string[];
  triads: Triad[];
  dots: Dot[];
  whiskers?: Whisker[];
  pointing: string; // what a click is asked for, "" when it is not
  onPoint: (pointed: Pointed) => void;
  carries?: (body: string) => string[]; // the bodies that go along when one is taken hold of
  level?: boolean; // only along the floor
  onCarry?: (carried: Carried) => void | Promise<boolean>;
}

const NONE: string[] = [];
const NO_WHISKERS: Whisker[] = [];

/** The stage of a machine that is set up or moved by hand. */
export function ModelStage({ replay, hand, lit, chosen = NONE, triads, dots, whiskers = NO_WHISKERS, pointing, onPoint, carries, level = false, onCarry }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const scene = useRef<StageScene | null>(null);
  const kept = useRef<{ replay: Replay; camera: ReturnType<StageScene["look"]> } | null>(null);
  const tell = useRef({ onPoint, carries, onCarry });
  const [failure, setFailure] = useState("");
  const [, redraw] = useState(0);
  useEffect(() => {
    tell.current = { onPoint, carries, onCarry };
  }, [onPoint, carries, onCarry]);

  useEffect(() => {
    let made: StageScene;
    try {
      made = new StageScene(host.current!, replay, () => {});
    } catch (error) {
      setFailure(String(error));
      return;
    }
    scene.current = made;
    made.stand({ values: hand?.values ?? replay.description.start ?? [], tool: hand?.tool ?? 0, held: hand?.held ?? null });
    // An edit brings a new model; the eye stays where it was.
    if (kept.current) made.lookFrom(kept.current.camera);
    else made.view(replay.description.bodies.some((body) => body.role !== "machine" && body.role !== "tool") ? "work" : "machine");
    const stop = hand?.subscribe(() => {
      made.stand({ values: hand.values, tool: hand.tool, held: hand.held });
      const met = hand.answer?.touching[0] ?? hand.answer?.near[0];
      made.light(hand.answer?.touching.flatMap(({ a, b }) => [a, b]) ?? [], met && hand.answer!.touching.length ? met.point : null);
    });
    made.carries = (body) => tell.current.carries?.(body) ?? NONE;
    made.onCarry = (carried) => tell.current.onCarry?.(carried);
    redraw((n) => n + 1);
    return () => {
      stop?.();
      kept.current = { replay, camera: made.look() };
      made.dispose();
      scene.current = null;
    };
  }, [replay, hand]);

  useEffect(() => {
    if (scene.current) scene.current.level = level;
  }, [level, replay]);
  useEffect(() => scene.current?.light(lit.bodies, lit.point), [lit, replay]);
  useEffect(() => scene.current?.choose(chosen), [chosen, replay]);
  useEffect(() => scene.current?.sign(triads, dots, whiskers), [triads, dots, whiskers, replay]);
  useEffect(() => {
    if (scene.current) scene.current.onPoint = pointing ? (pointed) => tell.current.onPoint(pointed) : null;
  }, [pointing, replay]);

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if ((event.target as HTMLElement).closest("input, textarea, [role=slider], [role=dialog]") || event.ctrlKey || event.metaKey) return;
      const number = Number(event.key);
      if (number >= 1 && number <= VIEWS.length) scene.current?.view(VIEWS[number - 1]);
      if (event.key === "m") scene.current?.turnMachine();
      if (event.key === "z") scene.current?.focusOnLit();
    };
    addEventListener("keydown", key);
    return () => removeEventListener("keydown", key);
  }, []);

  const made = scene.current;
  return (
    <div className="stage">
      <div className={pointing ? "stage-canvas pointing" : "stage-canvas"} ref={host} data-testid="stage" />
      {failure && <div className="stage-failure">The stage cannot be drawn: {failure}.</div>}
      {made && <StageTools scene={made} lit={lit.bodies} onChange={() => redraw((n) => n + 1)} />}
      {pointing && <div className="pointing-hint">{pointing}</div>}
    </div>
  );
}
