// The search for where an arm's work stands best: one step of it is one question, so that it shows how it goes and ends at once when it is told to.

import { useRef, useState } from "react";

import { api, type JobData, type Shift, type Stand } from "../api/client";

const AT_ONCE = 2; // places of one question
const MOST_TOUCHED = 4; // best stands that a rehearsal is asked about

export interface BestStand {
  job: JobData | null; // that the answers are of
  stands: Stand[]; // in the order they were judged
  touched: Map<string, string[]>; // operations that touch something, by place
  asking: "" | "stands" | "contact";
  done: boolean;
  failure: string;
  start: (job: JobData) => void;
  stop: () => void;
}

export const keyOf = ([x, y]: Shift) => `${x} ${y}`;

const far = ([x, y]: Shift) => Math.hypot(x, y);
const eased = ({ ease }: Stand) => Math.round(1000 * ease);

/** The better stand first: as the search itself has it. */
export const better = (a: Stand, b: Stand) => a.missed - b.missed || eased(b) - eased(a) || far(a.place) - far(b.place);

export function useBestStand(revision: number): BestStand {
  const [of, setOf] = useState<JobData | null>(null);
  const [stands, setStands] = useState<Stand[]>([]);
  const [touched, setTouched] = useState(new Map<string, string[]>());
  const [asking, setAsking] = useState<BestStand["asking"]>("");
  const [done, setDone] = useState(false);
  const [failure, setFailure] = useState("");
  const run = useRef(0);

  const search = async (job: JobData, goes: () => boolean) => {
    const found: Stand[] = [];
    setAsking("stands");
    for (let next: Shift[] = [[0, 0]]; next.length; ) {
      const tried = found.map(({ place, missed, ease }) => ({ place, missed, ease }));
      const told = await api.stand(revision, job, next.slice(0, AT_ONCE), tried);
      if (!goes()) return;
      found.push(...told.stands);
      setStands([...found]);
      next = told.next;
    }
    setAsking("contact");
    const met = new Map<string, string[]>();
    for (const { place } of found.filter(({ missed }) => !missed).sort(better).slice(0, MOST_TOUCHED)) {
      const [names] = (await api.stand(revision, job, [place], [], true)).touched;
      if (!goes()) return;
      setTouched(new Map(met.set(keyOf(place), names)));
      if (!names.length) break;
    }
    setDone(true);
  };

  return {
    job: of, stands, touched, asking, done, failure,
    start: (job) => {
      const mine = ++run.current;
      setOf(job);
      setStands([]);
      setTouched(new Map());
      setDone(false);
      setFailure("");
      void search(job, () => run.current === mine)
        .catch((error) => run.current === mine && setFailure((error as Error).message))
        .finally(() => run.current === mine && setAsking(""));
    },
    stop: () => {
      run.current++;
      setAsking("");
    },
  };
}
