import { Alert, Checkbox, Input, InputNumber, Modal, Select, Spin } from "antd";
import { useEffect, useState } from "react";

import { api, type BodyData, type Dropped, type JobData } from "../api/client";
import { freeName } from "./history";

const ROLES = [
  { value: "design", label: "design: what the stock must become" },
  { value: "fixture", label: "fixture" },
  { value: "stock", label: "stock: what is cut" },
  { value: "part", label: "a finished part in the way" },
  { value: "access", label: "room to be kept free" },
] as const;
const MADE: Record<Dropped["shapes"][number]["type"], string> = { mesh: "as it is", revolve: "turned about its y axis", extrude: "drawn out upwards" };

interface Props {
  file: File | null;
  revision: number;
  job: JobData;
  mounts: string[];
  onClose: () => void;
  onAdd: (body: BodyData) => void;
}

/** A model or drawing as a body: what it is, on which mount, and how large it comes out. */
export function ImportModel({ file, revision, job, mounts, onClose, onAdd }: Props) {
  const [inches, setInches] = useState(false);
  const [dropped, setDropped] = useState<Dropped | null>(null);
  const [failure, setFailure] = useState("");
  const [name, setName] = useState("");
  const [role, setRole] = useState<BodyData["role"]>("design");
  const [mount, setMount] = useState("");
  const [made, setMade] = useState<Dropped["shapes"][number]["type"]>("mesh");
  const [height, setHeight] = useState(20);
  const plain = file?.name.toLowerCase().endsWith(".stl") ?? false; // a format that does not say its unit
  useEffect(() => {
    if (!file) return;
    let current = true;
    api.dropFile(revision, file, inches).then(
      (answer) => {
        if (!current) return;
        setDropped(answer);
        setFailure("");
        setName((before) => before || freeName(job, answer.stem));
        setMade(answer.shapes[0].type);
        setRole(job.bodies?.some((body) => body.role === "design") ? "fixture" : "design");
      },
      (error: Error) => current && setFailure(error.message),
    );
    return () => {
      current = false;
    };
    // The job is only asked for a free name and for whether it has a design.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [file, revision, inches]);
  const close = () => {
    setDropped(null);
    setFailure("");
    setName("");
    setInches(false);
    onClose();
  };
  const shape = dropped?.shapes.find((entry) => entry.type === made);
  const size = shape && (made === "extrude" ? [shape.size[0], shape.size[1], height] : shape.size);
  const taken = job.bodies?.some((body) => body.name === name);
  return (
    <Modal
      open={file !== null}
      title={`Import ${file?.name ?? ""}`}
      okText="Add"
      okButtonProps={{ disabled: !dropped || !name.trim() || taken }}
      onCancel={close}
      onOk={() => {
        onAdd({ name: name.trim(), role, mount: mount || mounts[0], at: [0, 0, 0], turn: [0, 0, 0], shape: { type: made, file: dropped!.file, ...(made === "extrude" ? { height } : {}) } });
        close();
      }}
    >
      {failure && <Alert type="error" title={failure} />}
      {!dropped && !failure && <Spin description="Reading it" />}
      {dropped && (
        <div className="import-fields">
          <label>
            called
            <Input size="small" value={name} status={taken ? "error" : ""} aria-label="Name of the body" onChange={(event) => setName(event.target.value)} />
          </label>
          <label>
            it is
            <Select size="small" value={role} options={[...ROLES]} aria-label="Role of the body" onChange={setRole} />
          </label>
          <label>
            on
            <Select size="small" value={mount || mounts[0]} options={mounts.map((value) => ({ value, label: value }))} aria-label="Mount of the body" onChange={setMount} />
          </label>
          {dropped.shapes.length > 1 && (
            <label>
              the outline is
              <Select size="small" value={made} options={dropped.shapes.map(({ type }) => ({ value: type, label: MADE[type] }))} aria-label="What is made of the outline" onChange={setMade} />
            </label>
          )}
          {made === "extrude" && (
            <label>
              height
              <InputNumber size="small" controls={false} min={0.001} value={height} aria-label="Height of the body" onChange={(value) => setHeight(value ?? height)} />
            </label>
          )}
          {plain && (
            <Checkbox checked={inches} onChange={(event) => setInches(event.target.checked)}>
              the file is in inches
            </Checkbox>
          )}
          {size && (
            <p>
              <span className="figures">{size.map((value) => value.toFixed(2)).join(" × ")}</span> mm
            </p>
          )}
          {shape && !shape.closed && <Alert type="warning" title="Its surface is open: as a blank or design it cannot be told what is inside." />}
          {taken && <Alert type="error" title={`There is a body called ${name} already.`} />}
        </div>
      )}
    </Modal>
  );
}
