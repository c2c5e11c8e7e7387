// An arm's way through a rehearsed program, and through the same with other postures: asked anew with every change, kept on request.

import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useRef, useState } from "react";

import { api, type Arm, type JobData, type RehearsalFull } from "../api/client";
import { saveUnlessBehind } from "../jobs/whenBehind";
import { inserted, type Lines, type Posture, type Wish, withWish } from "./postures";

export interface KeptPose {
  name: string;
  at: Record<string, number>;
}

export interface ArmDesk {
  revision: number;
  was: Arm; // as it was rehearsed
  now: Arm; // with the postures as they are asked now
  postures: Posture[];
  poses: KeptPose[];
  chosen: Lines | null;
  turned: boolean; // postures are asked that were not rehearsed
  changed: boolean;
  asking: boolean;
  failure: string;
  keeping: boolean;
  canUndo: boolean;
  canRedo: boolean;
  onChoose: (lines: Lines | null) => void;
  onWish: (wish: Wish) => void;
  onUndo: () => void;
  onRedo: () => void;
  onKeep: () => void;
  onPoses: (poses: KeptPose[]) => void;
  onInsert: (program: string, line: number, block: string) => void;
  blockTo: (program: string, line: number, at: Record<string, number>, feed: number | null) => Promise<string>; // with a feed: straight
}

const TYPING_MS = 1500;
const NOTHING = { programs: {}, tools: null };

interface Draft {
  postures: Posture[];
  poses: KeptPose[];
}

export function useArm(rehearsal: RehearsalFull, onRehearsal: (id: number) => void): ArmDesk | undefined {
  const { message, modal } = App.useApp();
  const queries = useQueryClient();
  const { revision } = rehearsal;
  const has = !!rehearsal.result?.operations;
  const [history, setHistory] = useState<{ past: Draft[]; now: Draft | null; future: Draft[] }>({ past: [], now: null, future: [] });
  const [chosen, setChosen] = useState<Lines | null>(null);
  const [keeping, setKeeping] = useState(false);
  const typed = useRef({ what: "", at: 0 });
  const setup = useQuery({ queryKey: ["setup", revision], queryFn: () => api.setup(revision), enabled: has, staleTime: Infinity }).data;
  const job = setup?.job as JobData | undefined;
  const own: Draft = { postures: (job?.postures ?? []) as Posture[], poses: (job?.poses ?? []) as KeptPose[] };
  const draft = history.now ?? own;
  const { postures, poses } = draft;
  const turned = JSON.stringify(postures) !== JSON.stringify(own.postures);
  const was = useQuery({ queryKey: ["arm", revision], queryFn: () => api.arm(revision, { ...NOTHING, job: null }), enabled: has, staleTime: Infinity });
  const tried = useQuery({
    queryKey: ["arm", revision, postures],
    queryFn: () => api.arm(revision, { ...NOTHING, job: { ...job!, postures } }),
    enabled: has && !!job && turned,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
  if (!was.data || !job) return undefined;

  // What is typed digit by digit is one step.
  const step = (next: Draft, what: string) => {
    const goes = what !== "" && what === typed.current.what && Date.now() - typed.current.at < TYPING_MS;
    typed.current = { what, at: Date.now() };
    setHistory(({ past }) => ({ past: goes ? past : [...past, draft], now: next, future: [] }));
  };
  const kept = async (save: (anyway: boolean) => Promise<number>) => {
    setKeeping(true);
    try {
      const made = await saveUnlessBehind(save, modal.confirm);
      if (made === null) return;
      void queries.invalidateQueries({ queryKey: ["jobs"] });
      onRehearsal((await api.rehearse(made)).id);
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setKeeping(false);
    }
  };
  return {
    revision,
    was: was.data,
    now: (turned && tried.data) || was.data,
    postures,
    poses,
    chosen,
    turned,
    changed: turned || JSON.stringify(poses) !== JSON.stringify(own.poses),
    asking: tried.isFetching,
    failure: turned && tried.isError ? tried.error.message : "",
    keeping,
    canUndo: history.past.length > 0,
    canRedo: history.future.length > 0,
    onChoose: setChosen,
    onWish: (wish) => chosen && step({ postures: withWish(postures, chosen, wish), poses }, `${chosen.first} ${chosen.last} ${Object.keys(wish).join()}`),
    onPoses: (next) => step({ postures, poses: next }, ""),
    onUndo: () => setHistory(({ past, now, future }) => (past.length ? { past: past.slice(0, -1), now: past.at(-1)!, future: [now ?? own, ...future] } : { past, now, future })),
    onRedo: () => setHistory(({ past, now, future }) => (future.length ? { past: [...past, now ?? own], now: future[0], future: future.slice(1) } : { past, now, future })),
    onKeep: () => void kept(async (anyway) => (await api.saveSetup(revision, { ...job, postures, poses }, turned ? "other postures" : "kept poses", null, anyway)).revisions[0].id),
    blockTo: (program, line, at, feed) => api.armBlock(revision, { ...NOTHING, job: { ...job, postures } }, program, line, at, feed),
    onInsert: (program, line, block) =>
      void kept(async (anyway) => {
        const text = await api.text(rehearsal.id, program);
        const made = { ...job, poses, postures } as JobData; // postures go along with their lines when it is kept
        return (await api.saveDesk(revision, { programs: { [program]: inserted(text, line, block) }, job: made, tools: null }, `a kept pose before line ${line}`, anyway)).id;
      }),
  };
}
