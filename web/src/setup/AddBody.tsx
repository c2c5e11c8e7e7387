import { useQuery } from "@tanstack/react-query";
import { Alert, Button, Checkbox, InputNumber, Modal, Select } from "antd";
import { useState } from "react";

import { api, type BodyData, type Fixture, type JobData } from "../api/client";
import { freeName } from "./history";

interface Props {
  open: boolean;
  revision: number;
  job: JobData;
  mounts: string[];
  onClose: () => void;
  onAdd: (body: BodyData) => void;
}

const AROUND = "around";
const FACES = ["x-", "x+", "y-", "y+", "z-", "z+"] as const;

/** A fixture, a blank or an envelope from a few measures; or a blank around the design with an allowance per face. */
export function AddBody({ open, revision, job, mounts, onClose, onAdd }: Props) {
  const library = useQuery({ queryKey: ["fixtures"], queryFn: api.fixtures, staleTime: Infinity, enabled: open });
  const [name, setName] = useState("vise");
  const [measures, setMeasures] = useState<Record<string, number>>({});
  const [allowance, setAllowance] = useState<Record<string, number>>({ "z+": 1 });
  const [mount, setMount] = useState("");
  const [standard, setStandard] = useState(false);
  const [failure, setFailure] = useState("");
  const designs = (job.bodies ?? []).filter((body) => body.role === "design");
  const fixture = library.data?.find((entry) => entry.name === name);
  const groups = (["stock", "fixture", "access"] as const).map((role) => ({
    label: { fixture: "Fixtures", stock: "Blanks", access: "Room to be kept free" }[role],
    options: [
      ...(role === "stock" && designs.length ? [{ value: AROUND, label: "Blank around the design" }] : []),
      ...(library.data ?? []).filter((entry) => entry.role === role).map((entry) => ({ value: entry.name, label: entry.says })),
    ],
  }));
  const add = async () => {
    setFailure("");
    try {
      if (name === AROUND) {
        const { shapes, at, turn, mount } = await api.stockFor(revision, job, designs[0].name, allowance, standard);
        onAdd({ name: freeName(job, "blank"), role: "stock", mount, at, turn, shapes });
      } else {
        const shapes = await api.fixtureShapes(name, measures);
        onAdd({ name: freeName(job, fixture!.name.replace("-", " ")), role: fixture!.role, mount: mount || mounts[0], at: [0, 0, 0], turn: [0, 0, 0], shapes, made_by: { fixture: name, measures } });
      }
      onClose();
    } catch (error) {
      setFailure((error as Error).message);
    }
  };
  return (
    <Modal open={open} title="Add to the setup" okText="Add" onOk={() => void add()} onCancel={onClose} width={520}>
      <Select
        className="add-kind"
        virtual={false}
        listHeight={420}
        value={name}
        options={groups}
        loading={library.isPending}
        aria-label="What to add"
        onChange={(kind) => {
          setName(kind);
          setMeasures({});
          setFailure("");
        }}
      />
      {name !== AROUND && mounts.length > 1 && (
        <label className="hand-row">
          <span className="quiet">on</span>
          <Select size="small" value={mount || mounts[0]} aria-label="Mount to add it on" options={mounts.map((value) => ({ value, label: value }))} onChange={setMount} />
        </label>
      )}
      {name === AROUND ? (
        <>
          <p className="quiet">What stays on each face of {designs[0]?.name}, mm</p>
          <div className="measures">
            {FACES.map((face) => (
              <label key={face}>
                {face.toUpperCase().replace("-", " −").replace("+", " +")}
                <InputNumber size="small" min={0} value={allowance[face] ?? 0} aria-label={`Allowance ${face}`} onChange={(value) => setAllowance({ ...allowance, [face]: value ?? 0 })} />
              </label>
            ))}
          </div>
          <Checkbox checked={standard} onChange={(event) => setStandard(event.target.checked)}>
            the next standard flat that holds it
          </Checkbox>
        </>
      ) : (
        fixture && <Measures fixture={fixture} given={measures} onGiven={setMeasures} />
      )}
      {failure && <Alert type="error" title={failure} />}
      {library.isError && <Alert type="error" title={library.error.message} action={<Button onClick={() => library.refetch()}>Try again</Button>} />}
    </Modal>
  );
}

export function Measures({ fixture, given, onGiven }: { fixture: Fixture; given: Record<string, number>; onGiven: (given: Record<string, number>) => void }) {
  return (
    <div className="measures">
      {fixture.measures.map((measure) => (
        <label key={measure.name}>
          {measure.says}
          <InputNumber
            size="small"
            min={measure.least}
            max={measure.most}
            value={given[measure.name] ?? measure.value}
            aria-label={measure.says}
            onChange={(value) => onGiven({ ...given, [measure.name]: value ?? measure.value })}
          />
        </label>
      ))}
    </div>
  );
}
