// How many postures of an arm reach each place of a body, as dots on the stage: told anew whenever the arm, its rail or the body moves.

import { Button, Select } from "antd";
import { useEffect, useRef, useState } from "react";

import type { Reach } from "../api/client";
import type { Dot } from "../stage/scene";

export interface Reaching {
  bodies: string[];
  stamp: string; // another whenever the answer may be another
  ask: (body: string) => Promise<Reach>;
  onDots: (dots: Dot[]) => void;
}

const HERE = [[1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]];
// None, one or two, three or four, more: told apart by lightness as well as by hue.
const STEPS = [
  { from: 0, colour: "#a3195b", said: "none" },
  { from: 1, colour: "#d99a3d", said: "1 or 2" },
  { from: 3, colour: "#7fb3a3", said: "3 or 4" },
  { from: 5, colour: "#1f5a73", said: "5 to 8" },
];

export const colourOf = (count: number) => STEPS.filter(({ from }) => count >= from).at(-1)!.colour;

export function dotsOf({ link, places, directions, count }: Reach): Dot[] {
  return places.map((point, i) => ({ link, matrix: HERE, point: point.map((c, j) => c + 3 * directions[i][j]) as [number, number, number], direction: null, colour: colourOf(count[i]) }));
}

export function ReachRow({ bodies, stamp, ask, onDots }: Reaching) {
  const [body, setBody] = useState("");
  const of = bodies.includes(body) ? body : bodies[0];
  const [on, setOn] = useState(false);
  const [told, setTold] = useState<Reach | null>(null);
  const [failure, setFailure] = useState("");
  const [asking, setAsking] = useState(false);
  // One question at a time, and after it the last of those that have come up meanwhile. Hiding ends the run of questions.
  const own = useRef({ ask, onDots, wanted: "", run: 0, active: false });
  useEffect(() => {
    Object.assign(own.current, { ask, onDots });
  });
  useEffect(() => {
    const now = own.current;
    now.wanted = on ? of : "";
    if (!on || now.active) return;
    const mine = now.run;
    const follow = async () => {
      now.active = true;
      setAsking(true);
      while (now.wanted) {
        const wanted = now.wanted;
        now.wanted = "";
        try {
          const found = await now.ask(wanted);
          if (now.run !== mine) return;
          setTold(found);
          setFailure("");
          now.onDots(dotsOf(found));
        } catch (error) {
          if (now.run !== mine) return;
          setFailure((error as Error).message);
          now.onDots([]);
        }
      }
      now.active = false;
      setAsking(false);
    };
    void follow();
  }, [on, of, stamp]);
  const stop = () => {
    const now = own.current;
    Object.assign(now, { wanted: "", run: now.run + 1, active: false });
    now.onDots([]);
  };
  const leave = useRef(stop);
  useEffect(() => () => leave.current(), []);
  const hide = () => {
    stop();
    setOn(false);
    setAsking(false);
    setTold(null);
  };
  return (
    <div className="hand-row" data-testid="reach">
      <span className="quiet">Reach of</span>
      <Select size="small" className="grow" value={of} aria-label="Body to be reached" onChange={setBody} options={bodies.map((value) => ({ value, label: value }))} />
      {on ? (
        <Button size="small" onClick={hide}>
          Hide
        </Button>
      ) : (
        <Button size="small" onClick={() => setOn(true)}>
          Show
        </Button>
      )}
      {told && (
        <>
          <p className="reach-key">
            {STEPS.map(({ colour, said }) => (
              <span key={said}>
                <i style={{ background: colour }} /> {said}
              </span>
            ))}
          </p>
          <p className="quiet" aria-busy={asking}>
            postures of eight, the tool square to the surface: {told.least} at least, {told.mean.toFixed(1)} on average. Follows the arm, its rail and the body as they are moved.
          </p>
        </>
      )}
      {failure && <p className="failure">{failure}</p>}
    </div>
  );
}
