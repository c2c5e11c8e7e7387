// Changes tried on a rehearsal's findings: how far that is, what is offered, and which offers are chosen.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useCallback, useState } from "react";

import { api, type Offer, type RehearsalFull, type Search } from "../api/client";
import { saveUnlessBehind } from "../jobs/whenBehind";

const ASK_EVERY_MS = 700;
export const TRYING: Search["state"][] = ["queued", "running"];

export interface Mending {
  search: Search;
  chosen: number[]; // of offers, each for another finding
  shown: Offer | null; // drawn where it is: in the script and on the stage
  asked: boolean; // somebody asked for it
  onShow: (offer: Offer, on: boolean) => void;
  onTry: (finding: number | null) => void;
  onStop: () => void;
  onChoose: (offer: Offer, on: boolean) => void;
  onMake: (offers: number[]) => void;
}

const NOTHING: Search = { state: "none", wanted: [], looked: [], error: "", offers: [] };

/** `finding`: the one that is looked at; the first change that clears it is shown until another is asked for. */
export function useMending(rehearsal: RehearsalFull, finding: number | null, onRehearsal: (id: number) => void): Mending | undefined {
  const { message, modal } = App.useApp();
  const queries = useQueryClient();
  const key = ["remedies", rehearsal.id];
  const search = useQuery({
    queryKey: key,
    queryFn: () => api.remedies(rehearsal.id),
    enabled: !rehearsal.quick,
    refetchInterval: ({ state: { data } }) => (data && TRYING.includes(data.state) ? ASK_EVERY_MS : false),
  }).data ?? NOTHING;
  const [chosen, setChosen] = useState<number[]>([]);
  const [asked, setAsked] = useState<{ finding: number; offer: number | null } | null>(null);
  const said = useCallback((error: Error) => void message.error(error.message), [message]);
  if (rehearsal.quick || !rehearsal.findings.length) return undefined;
  const kept = (made: Search) => queries.setQueryData(key, made);
  const offers = search.offers.filter((offer) => offer.finding === finding);
  const own = asked?.finding === finding ? asked : null;
  return {
    search,
    chosen,
    shown: (own ? offers.find(({ id }) => id === own.offer) : offers.find(({ cures }) => cures)) ?? null,
    asked: own !== null,
    onShow: (offer, on) => setAsked({ finding: offer.finding, offer: on ? offer.id : null }),
    onTry: (finding) => void api.tryRemedies(rehearsal.id, finding).then(kept, said),
    onStop: () => void api.stopRemedies(rehearsal.id).then(kept, said),
    onChoose: (offer, on) => {
      const others = search.offers.filter((item) => item.finding === offer.finding).map((item) => item.id);
      setChosen((now) => [...now.filter((id) => !others.includes(id)), ...(on ? [offer.id] : [])]);
    },
    onMake: (offers) =>
      void saveUnlessBehind((anyway) => api.mend(rehearsal.id, offers, anyway), modal.confirm).then((made) => {
        if (!made) return;
        void queries.invalidateQueries({ queryKey: ["jobs"] });
        onRehearsal(made.id);
      }, said),
  };
}
