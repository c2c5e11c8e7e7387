// A rehearsal that is under way: how far it is, stage by stage, and what is left of the stage.

import { Progress as Bar } from "antd";
import { useEffect, useState } from "react";

import { clock } from "../look";

const STAGES: [string, string][] = [
  ["reading", "Reading the program"],
  ["contact", "Following every pair of bodies"],
  ["material", "Cutting the stock"],
  ["part", "Comparing the part"],
  ["saving", "Keeping the result"],
];

export function UnderWay({ waiting, stage, share }: { waiting: boolean; stage: string; share: number }) {
  const now = STAGES.findIndex(([name]) => name === stage);
  return (
    <div className="under-way">
      <h2>{waiting ? "Waiting for a worker" : "The rehearsal is under way"}</h2>
      {STAGES.map(([name, label], i) => (
        <div key={name} className={i === now ? "stage-now" : i < now ? "" : "quiet"}>
          <span>{label}</span>
          <Bar
            percent={i < now ? 100 : i === now ? Math.round(100 * share) : 0}
            showInfo={false}
            size={[260, 6]}
            data-testid={i === now ? "progress" : undefined}
          />
          <span className="quiet">{i === now && <Remaining key={stage} share={share} />}</span>
        </div>
      ))}
      <p className="quiet">You may leave this page; it goes on.</p>
    </div>
  );
}

/** What is left of a stage, from how long its share has taken so far; silent until that means something. */
function Remaining({ share }: { share: number }) {
  const [begun] = useState(() => performance.now());
  const [now, setNow] = useState(begun);
  useEffect(() => {
    const timer = setInterval(() => setNow(performance.now()), 500);
    return () => clearInterval(timer);
  }, []);
  const seconds = (now - begun) / 1000;
  if (seconds < 2 || share < 0.03 || share >= 1) return null;
  return <>about {clock((seconds / share) * (1 - share)).replace(/\.\d$/, "")} left</>;
}
