// How many postures of an arm reach each place of a body, as dots on the stage, and where it would stand better.

import { Button, Select } from "antd";
import { useState } from "react";

import type { Reach } from "../api/client";
import type { Dot } from "../stage/scene";

export interface Reaching {
  bodies: string[];
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

export function ReachRow({ bodies, ask, onDots }: Reaching) {
  const [body, setBody] = useState(bodies[0]);
  const [told, setTold] = useState<Reach | null>(null);
  const [failure, setFailure] = useState("");
  const [asking, setAsking] = useState(false);
  const show = async () => {
    setAsking(true);
    try {
      const found = await ask(body);
      setTold(found);
      setFailure("");
      onDots(dotsOf(found));
    } catch (error) {
      setFailure((error as Error).message);
    } finally {
      setAsking(false);
    }
  };
  const shifted = told && told.shift.some((way) => way !== 0) && (told.shifted_least > told.least || told.shifted_mean > told.mean + 0.5);
  return (
    <div className="hand-row" data-testid="reach">
      <span className="quiet">Reach of</span>
      <Select size="small" className="grow" value={body} aria-label="Body to be reached" onChange={setBody} options={bodies.map((value) => ({ value, label: value }))} />
      <Button size="small" loading={asking} onClick={() => void show()}>
        Show
      </Button>
      {told && (
        <>
          <Button
            size="small"
            type="text"
            onClick={() => {
              setTold(null);
              onDots([]);
            }}
          >
            Hide
          </Button>
          <p className="reach-key">
            {STEPS.map(({ colour, said }) => (
              <span key={said}>
                <i style={{ background: colour }} /> {said}
              </span>
            ))}
          </p>
          <p className="quiet">
            postures of eight, the tool square to the surface: {told.least} at least, {told.mean.toFixed(1)} on average.
            {shifted
              ? ` Moved by X ${told.shift[0]} Y ${told.shift[1]}: ${told.shifted_least} and ${told.shifted_mean.toFixed(1)}.`
              : " No place within 300 mm is better."}
          </p>
        </>
      )}
      {failure && <p className="failure">{failure}</p>}
    </div>
  );
}
