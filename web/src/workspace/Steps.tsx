// The steps of a route on a tape of their own: each as long as it runs, with its verdict, and whether that still holds.

import { App, Button } from "antd";
import { useQueryClient } from "@tanstack/react-query";

import { api, type Route } from "../api/client";
import { Mark } from "../inspector/Mark";
import { saidOf, UNDER_WAY } from "../jobs/route";
import { clock } from "../look";

const SHORTEST = 0.15; // of the longest: a step's name must fit

interface Props {
  route: Route;
  current: number; // the rehearsal on the page
  onRehearsal: (id: number) => void;
}

export function Steps({ route, current, onRehearsal }: Props) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const longest = Math.max(1, ...route.steps.map((step) => step.seconds ?? 0));
  const busy = route.steps.some((step) => UNDER_WAY.includes(step.state ?? ""));
  const run = () =>
    api.rehearseRoute(route.id).then(
      ({ steps }) => {
        void queries.invalidateQueries();
        onRehearsal(steps[Math.max(0, route.steps.findIndex((step) => step.rehearsal === current))].rehearsal!);
      },
      (error: Error) => message.error(error.message),
    );
  return (
    <nav className="steps" aria-label={`Steps of ${route.name}`}>
      {route.steps.map((step, i) => (
        <button
          key={step.name}
          className={`step${step.rehearsal === current ? " now" : ""}${step.stale ? " stale" : ""}`}
          style={{ flexGrow: Math.max(SHORTEST, (step.seconds ?? longest) / longest) }}
          aria-current={step.rehearsal === current ? "step" : undefined}
          disabled={step.rehearsal === null}
          title={step.stale ? `${step.name} no longer holds: ${step.stale}` : `step ${i + 1} of ${route.name}`}
          onClick={() => onRehearsal(step.rehearsal!)}
        >
          {step.state === "done" && step.verdict && <Mark severity={step.verdict} />} <b>{step.name}</b>{" "}
          {step.seconds !== null && !saidOf(step) && clock(step.seconds)} <i>{saidOf(step)}</i>
        </button>
      ))}
      <Button size="small" onClick={run} disabled={busy}>
        Rehearse the route
      </Button>
    </nav>
  );
}
