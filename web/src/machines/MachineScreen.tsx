import { useQuery } from "@tanstack/react-query";
import { Alert, App, Button, Spin, Switch } from "antd";
import { useMemo, useState } from "react";

import { api } from "../api/client";
import { Hand } from "../bench/hand";
import { HandPanel } from "../bench/HandPanel";
import { readModel } from "../bench/model";
import { ModelStage } from "../bench/ModelStage";
import { Mark } from "../inspector/Mark";
import type { Replay } from "../replay/replay";
import { ChainDrawing } from "./ChainDrawing";
import { Contacts } from "./Contacts";
import { Control } from "./Control";
import { Numbers } from "./Numbers";
import { Tabs } from "../pane/Tabs";

type Lit = { bodies: string[]; point: [number, number, number] | null };
const NOTHING: Lit = { bodies: [], point: null };

/** One machine of the library: on the stage, under the hand, with its chain, its limits and what is wrong with its model. */
export function MachineScreen({ id, onLeave, onMachine }: { id: number; onLeave: () => void; onMachine: (id: number) => void }) {
  const model = useQuery({ queryKey: ["machine", id], queryFn: async () => readModel(await api.machineModel(id)), staleTime: Infinity });
  if (model.isError) return <Alert className="middle" type="error" title={model.error.message} action={<Button onClick={onLeave}>Machines and tools</Button>} />;
  if (!model.data) return <Spin className="middle" description="Opening the machine" />;
  return <Opened key={id} id={id} replay={model.data} onLeave={onLeave} onMachine={onMachine} />;
}

function Opened({ id, replay, onLeave, onMachine }: { id: number; replay: Replay; onLeave: () => void; onMachine: (id: number) => void }) {
  const { message } = App.useApp();
  const { description } = replay;
  const faults = useQuery({ queryKey: ["faults", id], queryFn: () => api.machineFaults(id), staleTime: Infinity });
  const [tab, setTab] = useState<"chain" | "numbers" | "control" | "contacts" | "check">("chain");
  const [lit, setLit] = useState<Lit>(NOTHING);
  const hand = useMemo(
    () =>
      new Hand(description.start ?? [], {
        move: (begin, end, tool, stop) => api.moveMachine(id, begin, end, tool, stop),
        lead: description.arms?.length ? (how) => api.leadMachine(id, how) : undefined,
        block: (values, tool, block, stop, channel) => api.machineBlock(id, values, tool, block, stop, channel),
      }),
    [id, description],
  );
  const send = (values: Record<string, number>) => {
    hand.mark();
    hand.sendAll(description.axes!.map((axis, i) => values[axis.name] ?? hand.values[i]));
  };
  const accessories = description.accessories ?? [];
  const turn = async (name: string, on: boolean) => {
    try {
      const off = accessories.filter((entry) => (entry.name === name ? !on : !entry.on)).map((entry) => entry.name);
      const made = await api.setAccessories(id, off);
      message.success(`Kept as number ${made.number}; jobs keep the machine they were made with.`);
      onMachine(made.id);
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const meant = (faults.data ?? []).flatMap((fault) => (fault.pair ? [fault.pair as [string, string]] : []));
  const accept = async (pairs: [string, string][]) => {
    try {
      const made = await api.setMeant(id, pairs);
      message.success(`Kept as number ${made.number}: ${pairs.length === 1 ? "this pair is" : "these pairs are"} no longer watched.`);
      onMachine(made.id);
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  return (
    <div className="workspace">
      <header>
        <Button size="small" onClick={onLeave}>
          Machines and tools
        </Button>
        <b>{description.machine}</b>
        <span className="quiet">
          {description.links.length} links, axes {description.axes!.map((axis) => axis.name).join(" ")}, {description.contacts?.length ?? 0} pairs watched
        </span>
        <span className="grow" />
        <a href={api.libraryFile(id)} download>
          machine.json
        </a>
        <a href={api.machineUrdf(id)} download>
          URDF
        </a>
      </header>
      <div className="panes">
        <section className="pane-left" aria-label="Hand panel">
          <HandPanel replay={replay} hand={hand} onLight={(bodies, point) => setLit({ bodies, point })} />
        </section>
        <ModelStage replay={replay} hand={hand} lit={lit.point ? lit : NOTHING} chosen={lit.point ? NONE : lit.bodies} triads={NONE} dots={NONE} pointing="" onPoint={() => {}} />
        <section className="pane-inspector" aria-label="Inspector" style={{ width: 316 }}>
          <Tabs
            value={tab}
            onChange={setTab}
            tabs={[
              ["chain", "Chain"],
              ["numbers", "Numbers"],
              ["control", "Control"],
              ["contacts", "Contacts"],
              ["check", faults.data?.length ? `Check · ${faults.data.length}` : "Check"],
            ]}
          />
          <div className="inspector-body padded">
            {tab === "chain" && (
              <>
                <ChainDrawing description={description} chosen={lit.bodies[0] ?? null} onChoose={(link) => setLit(lit.bodies[0] === link ? NOTHING : { bodies: [link], point: null })} />
                {accessories.length > 0 && <h4>Accessories of this unit</h4>}
                {accessories.map((entry) => (
                  <label key={entry.name} className="accessory">
                    <Switch size="small" checked={entry.on} onChange={(on) => void turn(entry.name, on)} /> {entry.name}
                  </label>
                ))}
                <h4>Mounts</h4>
                <table className="figures">
                  <tbody>
                    {description.mounts!.map((mount) => (
                      <tr key={mount.name}>
                        <th>
                          {mount.name} <span className="quiet">on {mount.link}</span>
                        </th>
                        <td>{mount.takes === "tool" ? (mount.station ? `station ${mount.station}` : "tool") : "work"}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </>
            )}
            {tab === "numbers" && <Numbers description={description} onSend={(values) => send(values)} />}
            {tab === "control" && <Control id={id} codes={description.habits?.codes ?? []} onKept={onMachine} />}
            {tab === "contacts" && <Contacts description={description} chosen={lit.bodies} onChoose={(bodies) => setLit({ bodies, point: null })} />}
            {tab === "check" && (
              <>
                {faults.isPending && <Spin size="small" />}
                {faults.isError && <Alert type="error" title={faults.error.message} />}
                {faults.data?.length === 0 && (
                  <p>
                    <Mark severity="clear" /> The model is sound: every mesh is closed, nothing overlaps at home, axes run as ISO 841 has them,
                    references and change position lie within travel.
                  </p>
                )}
                {meant.length > 1 && (
                  <Button size="small" onClick={() => void accept(meant)}>
                    All {meant.length} pairs are meant to touch
                  </Button>
                )}
                <ul className="faults">
                  {faults.data?.map((fault) => (
                    <li key={fault.where + fault.what}>
                      <Mark severity="caution" /> <b>{fault.where}</b>
                      <p>{fault.what}</p>
                      <p className="remedy">{fault.remedy}</p>
                      {fault.pair && (
                        <Button size="small" onClick={() => void accept([fault.pair as [string, string]])}>
                          Meant to touch
                        </Button>
                      )}
                    </li>
                  ))}
                </ul>
              </>
            )}
          </div>
        </section>
      </div>
    </div>
  );
}

const NONE: never[] = [];
